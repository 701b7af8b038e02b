#pragma once
// Draws a cell to scale as seen from one of three sides, from the true bodies. Used by Floor and Side by side.

#include <QPainter>
#include <QTransform>

#include <cell/cell.h>
#include <study/figures.h>

namespace escarp::desktop {

enum class Side { top, front, side };

/// Metres in the plane of the drawing to pixels; y of the drawing points up.
struct PlanView {
    Side side = Side::top;
    double scale = 200;     ///< pixels per metre
    QPointF middle;         ///< pixel of the drawing's origin
    QPointF to_pixels(const geometry::Vector3& world) const;
    QPointF flat_to_pixels(double across, double up) const { return {middle.x() + across * scale, middle.y() - up * scale}; }
    QPointF to_flat(const QPointF& pixel) const { return {(pixel.x() - middle.x()) / scale, (middle.y() - pixel.y()) / scale}; }
    geometry::Vector3 right() const { return side == Side::side ? geometry::Vector3::UnitY() : geometry::Vector3::UnitX(); }
    geometry::Vector3 up() const { return side == Side::top ? geometry::Vector3::UnitY() : geometry::Vector3::UnitZ(); }
};

struct PlanOptions {
    double time_s = 0;
    QString selected;       ///< device id
    bool names = true;
    bool arms_moving = true;
    int name_pixels = 11;
};

/// The flat box (in metres) that holds all devices; empty cells give 4 x 3 m.
QRectF plan_bounds(const cell::Cell& cell, Side side);
/// `evaluation` may be null or older than the cell: then arms stand ready and no parts are shown.
void draw_plan(QPainter& p, const PlanView& view, const cell::Cell& cell, const study::Evaluation* evaluation, const PlanOptions& options);
/// The outlines of a device on the drawing, in pixels, lower bodies first.
std::vector<QPolygonF> device_outlines(const PlanView& view, const cell::Cell& cell, int device, const study::Evaluation* evaluation, double time_s);
/// Joint values of an arm at an instant: from the run where it fits the cell, else the ready posture.
kinematics::JointVector joints_at(const cell::Cell& cell, int device, const study::Evaluation* evaluation, double time_s);

}  // namespace escarp::desktop
