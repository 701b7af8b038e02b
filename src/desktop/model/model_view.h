#pragma once
// Model: the same instant in 3D.

#include <deque>

#include <desktop/session/swept_shown.h>
#include <desktop/session/workspace.h>

#include "scene_view.h"

namespace escarp::desktop {

class ModelView : public SceneView {
    Q_OBJECT
public:
    ModelView(Workspace& workspace, const SweptShown& swept, QWidget* parent = nullptr);
    void fit();
    /// Shows all of the cell from the side on which least hides what is worked at.
    void look_at_the_work();
    void fit_selection();
    bool picture_current() const override { return !later_.isActive() && SceneView::picture_current(); }
    QSize sizeHint() const override { return {340, 400}; }

protected:
    std::vector<Item> items() const override;
    void paint_words(QPainter& p) override;
    void clicked(int owner, Qt::KeyboardModifiers keys) override;
    bool grab(const QPointF& at, Qt::KeyboardModifiers keys) override;
    void dragged(const QPointF& at) override;
    void dropped() override;
    void fit_again() override { fit(); }

private:
    void fit_to(const std::vector<int>& devices);
    void draw_devices(QPainter& p) const;
    void add_body(const geometry::Body& body, Item item, bool& hides_pieces, std::vector<Item>& out) const;
    void add_device(int index, std::vector<Item>& out) const;
    void add_parts(std::vector<Item>& out) const;
    void add_zones(std::vector<Item>& items) const;
    void add_swept(std::vector<Item>& items) const;
    /// What moves the tool: three arrows along the directions chosen, three rings about them, and the point itself.
    struct Handle {
        int axis;  ///< 0 to 2 along, 3 to 5 about, 6 in the plane of the picture
        std::vector<geometry::Vector3> line;
    };
    std::vector<Handle> handles() const;
    geometry::Matrix3 hand_axes() const;  ///< directions of the handles, in the world
    void draw_handles(QPainter& p) const;
    bool grab_link(const QPointF& at);

    Workspace& workspace_;
    const SweptShown& swept_;
    mutable std::shared_ptr<const geometry::Volume> sweeps_;  ///< whose skin `swept_skin_` is
    mutable Surfaces::Kept swept_skin_;
    mutable std::deque<geometry::Convex> spaces_;  ///< watched volumes, as they are drawn
    QTimer later_;
    /// The skins of the zones shown last, and whose they are.
    mutable std::shared_ptr<const inspection::Zones> zones_;
    mutable std::vector<Surfaces::Kept> shells_;
    struct {
        int axis = -1;              ///< of a handle
        int joint = -1, link = -1;  ///< of the arm
        geometry::Vector3 point;    ///< held: in the world, or in the link
        geometry::Frame tool;       ///< when it began
        geometry::Matrix3 axes;
        QPointF pixel;
        double value = 0;
        std::string arm;  ///< whose it is
        std::uint64_t model = 0;
    } held_;
    bool holds() const;  ///< and the arm is still there, and the one that is moved by hand
};

}  // namespace escarp::desktop
