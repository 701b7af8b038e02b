#pragma once
// Cycle ribbon: a lane per device on one time axis. Its cursor is the time of Floor and Model.

#include <QComboBox>
#include <QToolButton>
#include <QWidget>
#include <set>

#include <desktop/session/nearness.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class CycleRibbon : public QWidget {
    Q_OBJECT
public:
    explicit CycleRibbon(Workspace& workspace, QWidget* parent = nullptr);
    void show_cycle();                ///< two steady cycles fill the width
    double pixel_of(double s) const;  ///< x of an instant
    QSize sizeHint() const override { return {1280, 236}; }
    void add_actions(const QList<QAction*>& actions);  ///< play, steps: as buttons in the header

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    bool event(QEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    struct Lane {
        enum class Kind { work, flow, level, zone, nearness } kind;
        int device;  ///< -1: of none in particular
        int rows;
        int signal = -1;    ///< level: of which, among the cell's
        int task = 0;       ///< work: of the device itself or its main task, or of a side task
        QString name = {};  ///< instead of the device's
        int zone = -1;      ///< of those that two movers share
    };
    bool belongs(const simulation::Block& block, const Lane& lane) const;
    void renew_lanes();
    void draw_block(QPainter& p, int index, const Lane& lane, double y) const;
    void draw_flow(QPainter& p, const Lane& lane, double y) const;
    void draw_level(QPainter& p, const Lane& lane, double y) const;
    void draw_zone(QPainter& p, const Lane& lane, double y) const;
    void draw_nearness(QPainter& p, double y) const;
    void look_how_near();
    const inspection::LeastClearance* nearness_at(const QPointF& pixel) const;
    int zone_at(const QPointF& pixel) const;
    void draw_axis(QPainter& p) const;
    void draw_bracket(QPainter& p) const;
    void draw_why(QPainter& p) const;
    void draw_cursor(QPainter& p) const;
    void draw_lane(QPainter& p, const study::Evaluation& e, const Lane& lane, double y) const;
    void draw_still(QPainter& p) const;
    /// All but the cursor as it was drawn last, and what it depends on.
    struct Kept {
        std::shared_ptr<const study::Evaluation> evaluation;
        double from = 0, span = 0, scroll = 0;
        QSize size;
        Selected selection;
        bool current = false;
        const void* curve = nullptr;
        QPixmap picture;
        bool serves(const Kept& now) const;
    } kept_;
    QRectF block_box(const simulation::Block& b, const Lane& lane, double y) const;
    int block_at(const QPointF& pixel) const;
    double time_of(double x) const;
    double lane_height() const;
    double lane_y(std::size_t lane) const;

    Workspace& workspace_;
    Nearness* nearness_;
    static constexpr double left = 118, header = 42, bottom = 20;  ///< where the lanes begin and end, pixels
    /// What the lanes were laid out from: numbers of devices, blocks and zones are its own. Another evaluation may be
    /// there already, of which nobody has been told yet.
    std::shared_ptr<const study::Evaluation> laid_out_;
    std::shared_ptr<const study::Evaluation> laid_out() const {
        return workspace_.results.shown() ? laid_out_ : nullptr;
    }
    std::vector<Lane> lanes_;
    std::vector<std::vector<int>> blocks_;  ///< by device
    std::set<int> chain_;
    double from_ = 0, span_ = 20;
    double scroll_ = 0;
    bool follows_ = true;  ///< the shown stretch is set by the cycle, not by hand
    enum class Hand { none, scrubbing, shifting } hand_ = Hand::none;
    QPointF pressed_;
    double pressed_from_ = 0;
    QWidget* controls_;
};

}  // namespace escarp::desktop
