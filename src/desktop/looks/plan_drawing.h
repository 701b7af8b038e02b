#pragma once
// Draws a cell to scale as seen from one of three sides or from a corner, from the true bodies. Used by Floor, Side by
// side and the catalogue's pictures.

#include <QPainter>
#include <QSet>
#include <QTransform>

#include <simulation/scene.h>

namespace escarp::desktop {

enum class Side { top, front, side, corner };

/// Metres in the plane of the drawing to pixels; y of the drawing points up. Parallel projection.
struct PlanView {
    Side side = Side::top;
    double scale = 200;               ///< pixels per metre
    QPointF middle;                   ///< pixel of the drawing's origin
    double turn = -1.15, tilt = 0.6;  ///< of the eye, rad; for the corner only
    QPointF to_pixels(const geometry::Vector3& world) const {
        return flat_to_pixels(world.dot(right()), world.dot(up()));
    }
    QPointF flat_to_pixels(double across, double up) const {
        return {middle.x() + across * scale, middle.y() - up * scale};
    }
    QPointF to_flat(const QPointF& pixel) const {
        return {(pixel.x() - middle.x()) / scale, (middle.y() - pixel.y()) / scale};
    }
    geometry::Vector3 right() const;
    geometry::Vector3 up() const;
    geometry::Vector3 to_eye() const { return right().cross(up()); }
};

struct PlanOptions {
    QStringList selected = {};  ///< device ids
    bool names = true, marks = true, frames = false;
    int name_pixels = 11;
    QRectF sheet = {};                      ///< where names show, in pixels; empty: all that is painted on
    const QSet<QString>* hidden = nullptr;  ///< device ids
    std::vector<int> only = {};             ///< draw only these devices, without parts; empty: all of them
    /// What changes for different reasons can be drawn apart, one over the other: what stands below all that moves
    /// (none of it where bodies are sorted by their depth), what depends on the time, the names.
    enum class Layer { all, ground, live, names } layer = Layer::all;
};

/// The flat box (in metres) that holds all devices (or those of a list); empty cells give 4 x 3 m.
QRectF plan_bounds(const cell::Cell& cell, const PlanView& view, const std::vector<int>* devices = nullptr);
void draw_plan(QPainter& p, const PlanView& view, const simulation::Scene& scene, const PlanOptions& options);
/// The outlines of a device on the drawing, in pixels, lower bodies first; of one without bodies its marks.
std::vector<QPolygonF> device_outlines(const PlanView& view, const simulation::Scene& scene, int device);
/// Some bodies, the farther ones first.
struct DrawnBody {
    const geometry::Convex* shape;
    geometry::Frame at;
    QColor fill;
};
void draw_bodies(QPainter& p, const PlanView& view, const std::vector<DrawnBody>& bodies);
/// The axes of a frame with their letters, `length` m long.
void draw_frame(QPainter& p, const PlanView& view, const geometry::Frame& frame, double length);

}  // namespace escarp::desktop
