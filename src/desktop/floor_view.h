#pragma once
// Floor: the plan to scale, where layout work happens.

#include <QWidget>

#include "number_field.h"
#include "plan_drawing.h"
#include "workspace.h"

namespace escarp::desktop {

/// The tag beside the selected device: where it stands, and relative to what.
class PlacementTag : public QWidget {
    Q_OBJECT
public:
    PlacementTag(Workspace& workspace, QWidget* parent);
    void show_device();  ///< the selected one; hidden without

private:
    void send(const QString& key, double value);
    void paintEvent(QPaintEvent*) override;
    Workspace& workspace_;
    NumberField *x_, *y_, *z_, *turn_;
};

class FloorView : public QWidget {
    Q_OBJECT
public:
    explicit FloorView(Workspace& workspace, QWidget* parent = nullptr);
    void set_side(Side side);
    Side side() const { return view_.side; }
    void fit();
    void set_reach_shown(bool on);
    QPointF pixel_of(const geometry::Vector3& world) const { return view_.to_pixels(world); }
    QSize sizeHint() const override { return {470, 400}; }

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    struct Reachable {
        std::uint64_t key = 0;
        kinematics::ReachField field;
        QImage image;
    };
    std::vector<int> devices_at(const QPointF& pixel) const;
    double grid_step() const;
    void draw_grid(QPainter& p) const;
    void draw_boundary(QPainter& p) const;
    void draw_reach(QPainter& p);
    void draw_needs(QPainter& p) const;
    void draw_dimensions(QPainter& p) const;
    void draw_clearance(QPainter& p) const;
    void move_to(const QPointF& flat, bool snap);
    void place_tag();
    double working_height() const;

    Workspace& workspace_;
    PlanView view_;
    PlacementTag* tag_;
    bool fitted_ = true, reach_shown_ = true;
    enum class Hand { none, armed, dragging, panning } hand_ = Hand::none;
    QPointF pressed_, grabbed_;
    QString dragged_;
    int cycle_ = 0;
    std::map<std::uint64_t, Reachable> reach_;
};

}  // namespace escarp::desktop
