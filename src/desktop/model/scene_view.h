#pragma once
// Bodies in 3D: an eye that goes round, the picture that a SceneDrawer makes of them, and what lies under the pointer.
// What the bodies are, and what the words over them say, is for those who derive from it.

#include <QTimer>
#include <QWidget>
#include <functional>
#include <memory>
#include <optional>
#include <unordered_map>

#include <cell/text/json.h>
#include <desktop/session/surfaces.h>

#include "skins.h"

namespace escarp::desktop {

/// An eye that goes round a point; angles in radians, distance and point in metres.
struct Camera {
    double turn = -1.15, tilt = 0.62, distance = 5.0;
    geometry::Vector3 at{0, 0, 0.5};
    geometry::Vector3 eye() const;
};

class SceneView : public QWidget {
    Q_OBJECT
public:
    explicit SceneView(QWidget* parent = nullptr);
    cell::json view_state() const;  ///< as it can be stored
    void set_view_state(const cell::json& state);
    void look(double turn, double tilt);  ///< top is tilt = pi/2
    bool working() const { return drawer_.working(); }
    /// Whether the picture is drawn again, smoothly, once nothing has changed for a moment.
    void set_refining(bool on) { refines_ = on; }
    virtual bool picture_current()
        const;         ///< what is shown is what there is; nothing is to be shown where the view cannot be seen
    QImage picture();  ///< of what there is now, words included, in the widget's size
    /// Where a point of the world is seen; nothing where it is behind the eye.
    std::optional<QPointF> pixel_of(const geometry::Vector3& world) const;

protected:
    struct Item {
        const geometry::Convex* shape;
        geometry::Frame at;
        QColor colour;
        int owner;  ///< what a click on it is about; -1: nothing
        bool selected = false, see_through = false;
        geometry::Finish finish = geometry::Finish::solid;
        const Surfaces::Kept* surface = nullptr;  ///< drawn instead of the shape
        bool drawn = true;
        int part = -1;          ///< of the owner
        float opacity = 0.16f;  ///< where one sees through it
    };
    /// The shapes live until the next call.
    virtual std::vector<Item> items() const = 0;
    virtual void paint_words(QPainter& p) = 0;
    virtual void clicked(int owner, Qt::KeyboardModifiers keys) = 0;
    /// The left button goes down: true where the drag that begins is not the camera's.
    virtual bool grab(const QPointF& /*at*/, Qt::KeyboardModifiers /*keys*/) { return false; }
    virtual void dragged(const QPointF& /*at*/) {}
    virtual void dropped() {}
    /// The eye looks from another side, and everything was in view.
    virtual void fit_again() {}

    void renew();
    /// Brings a box into view, as large as it fits into `share` of the picture; seen from where the eye looks now.
    void show_box(const geometry::Box3& box, double share);
    /// The nearest body under a pixel; `where`: the point of it.
    int owner_at(const QPointF& pixel, geometry::Vector3* where = nullptr, int* part = nullptr) const;
    /// The point of a body under a pixel and the direction out of its surface there.
    std::optional<std::pair<geometry::Vector3, geometry::Vector3>> surface_at(const QPointF& pixel) const;
    /// The value between `low` and `high`, from `value` on, that brings a point that depends on it nearest to a pixel.
    /// `nudge`: a small change of it; `most`: how far it goes at once.
    double follow_pixel(const QPointF& pixel, double value, double low, double high, double nudge, double most,
        const std::function<geometry::Vector3(double)>& point) const;
    const Camera& camera() const { return camera_; }
    /// Three axes of a frame with their letters.
    void draw_axes(QPainter& p, const geometry::Frame& at, double length, double width = 1.6) const;
    /// A line in the world, drawn over the bodies; what is behind the eye is left out.
    void draw_line(QPainter& p, const geometry::Vector3& from, const geometry::Vector3& to, bool arrow = false) const;
    bool fitted_ = true;  ///< follows what there is until the engineer chooses a view

    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;

private:
    /// `finer`: drawn so many times larger each way.
    Scene scene(int finer);
    const Skin& skin_of(const Item& item, geometry::Finish finish);
    QMatrix4x4 projection() const;
    QMatrix4x4 sight() const;

    SceneDrawer drawer_;
    QImage picture_;
    quint64 asked_ = 0, shown_ = 0;        ///< numbers of scenes
    bool stale_ = true;                    ///< something changed since the last scene
    bool refines_ = true, coarse_ = true;  ///< coarse: the picture asked for last is the quick one
    QTimer refine_;
    Camera camera_;
    bool grabbed_ = false;
    struct KeptSkin {
        Skin skin;
        quint64 used = 0;  ///< in which of the looks last
    };
    std::unordered_map<std::uint64_t, KeptSkin> skins_;
    quint64 looks_ = 0;
    QPointF pressed_, last_;
};

}  // namespace escarp::desktop
