#pragma once
// The figures after each edit of this session, a small line for each; a point is an edit that can be gone back to.

#include <QWidget>

#include <desktop/session/open_cell.h>
#include <desktop/session/spreads.h>

namespace escarp::desktop {

class HistoryPanel : public QWidget {
    Q_OBJECT
public:
    HistoryPanel(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {230, 420}; }
    /// How many states of the cell are known, the first one among them, and which of them is shown.
    int count() const;
    int shown() const;
    void go_to(int state);
    /// Where a state stands on the line of a figure ("cycle", "clearance" ...), in the widget's pixels.
    std::optional<QPointF> place_of(const QString& figure, int state) const;
    std::optional<double> value(const QString& figure, int state) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    struct State {
        QString edit;  ///< that led to it; empty: it is where the session began
        std::map<QString, std::optional<double>> figures;
    };
    struct Line {
        QString key, title, unit;
        int decimals, better;
    };
    static const std::vector<Line>& lines();
    QRectF box_of(std::size_t line) const;
    std::vector<std::optional<QPointF>> places_of(std::size_t line) const;
    int state_at(const QPointF& at) const;  ///< -1: none
    void take();
    const std::vector<State>& states() const;  ///< of the variant that is shown

    OpenCell& open_;
    const Results& results_;
    const Spreads& spreads_;
    std::map<QString, std::vector<State>> all_;  ///< by variant; empty ones are of edits that were not seen in it
    QString file_;
    int forgotten_ = 0;  ///< edits that the workspace keeps no more
};

}  // namespace escarp::desktop
