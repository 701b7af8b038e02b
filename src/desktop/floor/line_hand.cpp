#include "line_hand.h"

#include <cell/edits/snap.h>

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Vector3;

namespace {

const cell::Fields& fields_of(const OpenCell& open, const cell::Offering& what) {
    static const cell::Fields none;
    const cell::DeviceKind* kind = open.layout().kinds().find(what.kind);
    return kind ? kind->fields() : none;
}

}  // namespace

LineHand::LineHand(FloorView& floor, cell::Offering what) : CornersHand(floor, Holds::line), what_(std::move(what)) {}

bool LineHand::draws(const OpenCell& open, const cell::Offering& what) {
    return cell::find_field(fields_of(open, what), "points_mm");
}

Vector3 LineHand::corner(const Pointer& pointer) const {
    Vector3 at = floor_.floor_point(pointer.pixel);
    if (!pointer.snaps()) return at;
    const Vector3 snapped = CornersHand::corner(pointer);
    if (snapped != at) return snapped;
    if (!corners_.empty()) {  // at right angles to the floor's axes where it is nearly so
        const double near = snap_pixels / floor_.plan().scale;
        const Vector3 d = at - corners_.back();
        if (std::abs(d.x()) < near) at.x() = corners_.back().x();
        if (std::abs(d.y()) < near) at.y() = corners_.back().y();
    }
    constexpr double step = 0.05;  // m
    at.x() = std::round(at.x() / step) * step, at.y() = std::round(at.y() / step) * step;
    return at;
}

void LineHand::click(const Pointer& at) {
    const Vector3 next = corner(at);
    if (corners_.size() > 2 && (next - corners_.front()).norm() * floor_.plan().scale < snap_pixels)
        return finish(true);
    corners_.push_back(next);
    hover_ = next;
    floor_.update();
}

void LineHand::finish(bool closed) {
    if (corners_.size() < 2) return floor_.drop_hand();
    Workspace& workspace = floor_.workspace();
    geometry::Box3 box;
    for (const Vector3& c : corners_) box.add(c);
    const Vector3 middle = 0.5 * (box.low + box.high);
    cell::json points = cell::json::array();
    for (const Vector3& c : corners_)
        points.push_back({std::round(1e4 * (c - middle).x()) / 10, std::round(1e4 * (c - middle).y()) / 10});
    const bool can_close = cell::find_field(fields_of(workspace.open, what_), "closed");
    if (closed && !can_close) points.push_back(points.front());
    what_.parameters["points_mm"] = points;
    if (can_close) what_.parameters["closed"] = closed;
    floor_.let_go();
    try {
        std::string id;
        if (workspace.open.apply(cell::add_device_at(
                workspace.open.layout(), what_, geometry::make_frame({middle.x(), middle.y(), 0}), &id)))
            workspace.selection.select(QString::fromStdString(id));
    } catch (const cell::InputError& e) {
        Q_EMIT workspace.open.refused(
            FloorView::tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

QString LineHand::words() const {
    return FloorView::tr("click corner after corner \u00b7 double click or Enter ends the line \u00b7 Esc: leave it");
}

}  // namespace escarp::desktop
