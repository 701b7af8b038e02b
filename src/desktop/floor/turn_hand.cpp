#include "turn_hand.h"

#include <cmath>

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Vector3;

TurnHand::TurnHand(FloorView& floor, int device)
    : FloorHand(floor, Holds::turn_handle),
      held_(floor.hold()),
      device_(device),
      start_(held_.cell->devices[device].world) {
    held_.moving = {device};
}

void TurnHand::move(const Pointer& at) {
    const cell::Cell& c = *held_.cell;
    const Vector3 to = floor_.floor_point(at.pixel) - start_.translation();
    const double step = at.snaps() ? geometry::pi / 12 : geometry::pi / 1800;
    const double angle = std::round(std::atan2(to.y(), to.x()) / step) * step;
    geometry::Frame turned = start_;
    turned.linear() =
        (geometry::rotation(Vector3::UnitZ(), angle - geometry::to_triple(start_.linear()).z()) * start_.linear())
            .eval();
    const cell::Edit edit{FloorView::tr("Turn %1").arg(QString::fromStdString(c.devices[device_].name)).toStdString(),
        cell::place_at(c, device_, turned)};
    OpenCell& open = floor_.workspace().open;
    if (edit.operations.empty()) open.drop_draft();
    else open.try_quietly(edit);
}

void TurnHand::release(const Pointer&) { floor_.workspace().open.take_draft(); }

QString TurnHand::words() const { return FloorView::tr("Alt: no snapping"); }

}  // namespace escarp::desktop
