#pragma once
// One line of a task in the Worksheet.

#include <QWidget>

#include <desktop/session/selection.h>

namespace escarp::desktop {

class StepLine : public QWidget {
    Q_OBJECT
public:
    StepLine(OpenCell& open, const Results& results, Selection& selection, const cell::Device& device,
        const cell::Step& step, QWidget* parent);
    QSize sizeHint() const override { return {200, 22}; }
    QString step_id() const { return step_; }
    QString device_id() const { return device_; }
    void refresh();
    /// What a drag of a line carries: the path of its step.
    static constexpr const char* mime_type = "application/x-escarp-step";

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dragMoveEvent(QDragMoveEvent*) override;
    void dragLeaveEvent(QDragLeaveEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    OpenCell& open_;
    const Results& results_;
    Selection& selection_;
    std::string path_;
    QPoint pressed_;
    enum class Drop { none, before, behind, inside } drop_ = Drop::none;
    Drop drop_at(double y) const;
    bool enabled_, shared_;
    std::string takes_;  ///< the list of an empty group that a dropped step goes into; empty: none
    QString device_, step_, text_, time_, gain_;
    int number_, depth_;
    enum class Mark { none, watch, stop } mark_ = Mark::none;
};

}  // namespace escarp::desktop
