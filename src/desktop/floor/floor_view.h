#pragma once
// Floor: the drawing to scale, where layout work happens. Painting is in floor_view.cpp, what lies over the plan
// (reach, dimensions) in floor_overlays.cpp, mouse and keys in floor_hands.cpp, what the mouse does with what it holds
// in a file for each (see floor_hand.h).

#include <QPainterPath>
#include <QWidget>
#include <array>
#include <functional>
#include <map>
#include <optional>

#include <cell/edits/compose.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/session/fields_shown.h>
#include <desktop/session/swept_shown.h>
#include <desktop/session/workspace.h>

#include "floor_hand.h"
#include "floor_picture.h"
#include "placement_tag.h"

namespace escarp::desktop {

class FloorView : public QWidget {
    Q_OBJECT
public:
    FloorView(Workspace& workspace, const SweptShown& swept, QWidget* parent = nullptr);
    void set_side(Side side);
    Side side() const { return view_.side; }
    void fit();
    void fit_selection();
    /// The view as it can be stored, and back.
    cell::json view_state() const;
    void set_view_state(const cell::json& state);
    QPointF pixel_of(const geometry::Vector3& world) const { return view_.to_pixels(world); }
    QSize sizeHint() const override { return {470, 400}; }

    /// A new device hangs on the hand until a click sets it down; Escape drops it. A fence or marking is drawn corner
    /// by corner.
    void place(const cell::Offering& what);
    bool placing() const { return holds(FloorHand::Holds::new_device) || holds(FloorHand::Holds::line); }
    /// Measures between two points that are clicked.
    void measure();
    bool measuring() const { return holds(FloorHand::Holds::measure); }
    QString measured() const { return measured_; }
    /// Moves or turns what is selected by a step, as the keys do.
    void nudge(const geometry::Vector3& by);
    void turn(double angle);
    /// The arm whose base field is shown: the selected one, or the only one.
    int base_arm() const;
    /// Sets the base of that arm down on the best cell of its field. False where no cell reaches every pose.
    bool take_best_base();
    /// That reach and swept space are shown at, m: the one that is chosen, else where the selected arm (or any) works.
    double working_height() const;
    /// No field over the floor is still to come.
    bool fields_current() const { return fields_.settled(); }
    PlacementTag* tag() { return tag_; }
    /// The numbers of the dimensions as they are drawn now, to be clicked.
    struct Dimension {
        QRectF box;
        double metres;
        geometry::Vector3 away;  ///< unit: the way the selected device goes when the number grows
        int other;
    };
    const std::vector<Dimension>& dimensions() const { return dimensions_; }

    // For hands
    Workspace& workspace() { return workspace_; }
    const PlanView& plan() const { return view_; }
    /// Another part of the drawing, or another side; `meant`: what there is no longer decides what is seen.
    void look(const PlanView& view, bool meant);
    /// Where a pixel is on the floor, m.
    geometry::Vector3 floor_point(const QPointF& pixel) const;
    QRectF pixel_box(int device) const;
    /// All as it is now.
    HeldScene hold() const;
    /// The hand is done with what it had, and holds nothing.
    void let_go();
    /// The same, and what it tried is left: nothing is changed.
    void drop_hand();
    void ask_menu(const QPointF& pixel);
    /// Of several devices under a pixel the next one each time.
    void select_next_under(const QPointF& pixel);
    void tell_measured(const geometry::Vector3& a, const geometry::Vector3& b);

Q_SIGNALS:
    void asks_menu(const QPoint& global, const QList<int>& under);  ///< right click
    void points_measured(const escarp::geometry::Vector3& a, const escarp::geometry::Vector3& b);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dragMoveEvent(QDragMoveEvent*) override;
    void dragLeaveEvent(QDragLeaveEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    // What is drawn
    std::vector<int> devices_at(const QPointF& pixel) const;
    double grid_step() const;
    void draw_still(QPainter& p);
    void draw_grid(QPainter& p, const PlanView& view, const QSizeF& size) const;
    void draw_boundary(QPainter& p);
    void draw_reach(QPainter& p);
    void draw_base_field(QPainter& p);
    void draw_needs(QPainter& p) const;
    void draw_window(QPainter& p, const inspection::PoseNeed& need) const;
    void draw_selection(QPainter& p);
    void draw_dimensions(QPainter& p);
    void draw_clearance(QPainter& p) const;
    void draw_zones(QPainter& p);
    void draw_swept(QPainter& p);
    void draw_words(QPainter& p) const;
    QPointF tool_handle() const;  ///< of the arm that is moved by hand; null where there is none
    QPointF turn_handle() const;  ///< of the selected device; null where there is none

    // Hands
    void take(std::unique_ptr<FloorHand> hand);
    bool holds(FloorHand::Holds what) const { return hand_ && hand_->holds() == what; }
    const HeldScene* held() const { return hand_ ? hand_->held() : nullptr; }
    void place_tag();
    void edit_dimension(const Dimension& dimension);

    Workspace& workspace_;
    PlanView view_;
    PlacementTag* tag_;
    NumberField* dimension_field_ = nullptr;
    bool fitted_ = true;
    std::unique_ptr<FloorHand> hand_;  ///< null: it holds nothing
    std::unique_ptr<FloorHand> left_;  ///< the one before, which may be what has just let go
    QString measured_;
    std::vector<Dimension> dimensions_;
    int cycle_ = 0;
    /// A layer of the plan as it was drawn last; what it does not depend on is left empty.
    struct Kept {
        std::shared_ptr<const cell::Cell> cell;
        std::uint64_t scene = 0;  ///< see ShownScene::number
        QSet<QString> hidden;
        QStringList selected;
        Shown shown;
        PlanView view;
        QSize size;
        QPixmap picture;
        bool serves(const Kept& now) const;
    };
    static constexpr int rim = 160;  ///< pixels that a kept picture reaches beyond the window
    void draw_kept(
        QPainter& p, Kept& kept, const Kept& now, const std::function<void(QPainter&, const PlanView&)>& draw) const;
    Kept grid_;
    std::array<Kept, 4> kept_;  ///< by PlanOptions::Layer
    struct {
        std::shared_ptr<const cell::Cell> cell;
        std::vector<geometry::Point2> line;  ///< round all that stands on the floor
    } boundary_;
    FloorPicture picture_;
    struct {
        std::shared_ptr<const inspection::Zones> of;
        std::vector<QPainterPath> outlines;  ///< seen from above, m
    } zones_;
    const SweptShown& swept_;
    struct {
        std::shared_ptr<const geometry::Volume> of;
        double height = 0;
        QPainterPath all, there;  ///< over all heights, and at the working height; m
    } sweeps_;
    FieldsShown fields_;
    /// Pictures of fields, made when they are first drawn.
    class FieldPictures {
    public:
        template <class Field, class Make>
        const QImage& of(const std::shared_ptr<const Field>& field, const Make& make) {
            constexpr std::size_t most = 40;
            const auto found = kept_.find(field);
            if (found != kept_.end()) return found->second;
            if (kept_.size() >= most) kept_.clear();
            return kept_[field] = make();
        }

    private:
        std::map<std::shared_ptr<const void>, QImage> kept_;
    } pictures_of_fields_;
};

}  // namespace escarp::desktop
