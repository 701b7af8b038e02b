#pragma once
// Floor: the drawing to scale, where layout work happens. Painting is in floor_view.cpp, what lies over the plan
// (reach, dimensions, guides) in floor_overlays.cpp, mouse and keys in floor_hands.cpp.

#include <QPainterPath>
#include <QWidget>
#include <array>
#include <functional>
#include <map>
#include <optional>

#include <cell/edits/compose.h>
#include <cell/edits/snap.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/session/fields_shown.h>
#include <desktop/session/swept_shown.h>

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
    bool placing() const { return placing_.has_value(); }
    /// Measures between two points that are clicked.
    void measure();
    bool measuring() const { return hand_ == Hand::measuring; }
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

Q_SIGNALS:
    void asks_menu(const QPoint& global, const QList<int>& under);  ///< right click
    void points_measured(const escarp::geometry::Vector3& a, const escarp::geometry::Vector3& b);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void press_in_hand(QMouseEvent* event);
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
    enum class Hand { none, armed, dragging, panning, orbiting, turning, tool, placing, drawing, measuring, banding };

    // What is drawn
    std::vector<int> devices_at(const QPointF& pixel) const;
    QRectF pixel_box(int device) const;
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
    void draw_hand(QPainter& p) const;
    void draw_words(QPainter& p) const;
    QPointF tool_handle() const;  ///< of the arm that is moved by hand; null where there is none
    QPointF turn_handle() const;  ///< of the selected device; null where there is none

    // Hands
    void set_hand(Hand hand);
    void begin_drag(const QPointF& at, int device);
    void drag_to(const QPointF& pixel, bool snap);
    void turn_to(const QPointF& pixel, bool snap);
    void place_to(const QPointF& pixel, bool snap);
    void finish_placing();
    void finish_drawing(bool closed);
    geometry::Vector3 floor_point(const QPointF& pixel) const;
    geometry::Vector3 corner_point(const QPointF& pixel, Qt::KeyboardModifiers keys) const;
    void drop_hand();
    void place_tag();
    void edit_dimension(const Dimension& dimension);

    Workspace& workspace_;
    PlanView view_;
    PlacementTag* tag_;
    NumberField* dimension_field_ = nullptr;
    bool fitted_ = true;
    Hand hand_ = Hand::none;
    QPointF pressed_, grabbed_, last_;
    QString dragged_;
    std::vector<int> moving_;
    std::shared_ptr<const cell::Cell> before_;  ///< the cell when the drag began
    geometry::Frame start_ = geometry::Frame::Identity();
    std::optional<cell::Offering> placing_;
    /// It stands beside the others, before it is set down where the hand is; read once for the document it comes to.
    struct Coming {
        cell::Layout to, with;
        cell::Edit edit;
        std::string id;
    };
    std::optional<Coming> coming_;
    const Coming& coming();
    std::vector<geometry::Vector3> corners_;
    geometry::Vector3 hover_ = geometry::Vector3::Zero();
    QString measured_;
    std::vector<cell::SnapGuide> guides_;
    QString lands_on_;
    std::vector<Dimension> dimensions_;
    int cycle_ = 0;
    /// A layer of the plan as it was drawn last; what it does not depend on is left empty.
    struct Kept {
        std::shared_ptr<const cell::Cell> cell;
        std::shared_ptr<const study::Evaluation> evaluation;
        double time = -1;
        QSet<QString> hidden;
        int posed = -1;
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
    std::array<Kept, 4> kept_;                                  ///< by PlanOptions::Layer
    std::shared_ptr<const study::Evaluation> held_evaluation_;  ///< the newest when a drag began
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
