#include "drag_hand.h"

#include <cmath>

#include <desktop/looks/theme.h>

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

void hand_on(const cell::Snap& snapped, const cell::Cell& c, const cell::json& tree, cell::Edit& edit) {
    if (!snapped.joined) return;
    const cell::Device &from = c.devices[snapped.upstream], &to = c.devices[snapped.downstream];
    const cell::json* own = cell::find(tree, cell::at_device(from.id));
    if (!own || own->value("to", "").empty())
        edit.operations.push_back(cell::Operation::set(cell::at_device(from.id) / "to", to.id));
}

void draw_guides(QPainter& p, const FloorView& floor, const std::vector<cell::SnapGuide>& guides) {
    p.setFont(theme::font(10));
    for (const cell::SnapGuide& g : guides) {
        const QPointF a = floor.pixel_of(g.from), b = floor.pixel_of(g.to);
        p.setPen(QPen(theme::accent, 1, Qt::DashLine));
        p.drawLine(a, b);
        p.drawText(QPointF(std::clamp(b.x() + 4, 4.0, floor.width() - 120.0),
                       std::clamp(b.y() - 4, 36.0, floor.height() - 8.0)),
            QString::fromStdString(g.words));
    }
}

DragHand::DragHand(FloorView& floor, const QPointF& at, int device)
    : FloorHand(floor, Holds::device), pressed_(at), held_(floor.hold()) {
    const cell::Cell& c = *held_.cell;
    device_ = c.devices[device].arm ? inspection::movable_root(c, device) : device;
    std::vector<int>& moving = held_.moving;
    for (const int i : floor.workspace().selection.indexes())
        moving.push_back(c.devices[i].arm ? inspection::movable_root(c, i) : i);
    if (std::find(moving.begin(), moving.end(), device_) == moving.end()) moving.push_back(device_);
    std::erase_if(moving, [&](int i) { return c.devices[i].locked; });
    moving = cell::tops(c, moving);
    start_ = c.devices[device_].world;
}

void DragHand::move(const Pointer& at) {
    constexpr int meant = 4;  // pixels
    if (!moves_ && (at.pixel - pressed_).manhattanLength() < meant) return;
    moves_ = true;
    drag_to(at.pixel, at.snaps());
}

void DragHand::drag_to(const QPointF& pixel, bool snap) {
    const cell::Cell& c = *held_.cell;
    const PlanView& view = floor_.plan();
    const std::vector<int>& moving = held_.moving;
    if (moving.empty() || c.devices[device_].locked) return;
    const cell::Device& d = c.devices[device_];
    Vector3 by = floor_.floor_point(pixel) - floor_.floor_point(pressed_);
    if (view.side == Side::front || view.side == Side::side) {  // seen from the side the height can be drawn too
        const double up = view.to_flat(pixel).y() - view.to_flat(pressed_).y();
        by.z() = std::abs(up) * view.scale > 12 ? std::round(up / snap_grid) * snap_grid : 0.0;
        if (start_.translation().z() + by.z() < 0) by.z() = -start_.translation().z();
    }
    Frame wanted = start_;
    wanted.translation() += by;
    guides_.clear();
    std::optional<int> host;
    cell::Snap snapped;
    if (view.side == Side::top || view.side == Side::corner) {
        snapped =
            cell::snap(c, device_, moving, wanted, snap ? snap_pixels / view.scale : 0, snap ? snap_grid : fine_grid);
        wanted = snapped.world;
        guides_ = snapped.guides;
        if (moving.size() == 1) {  // set down on something it stands on it; drawn off it stands on what is there
            const int carrier = cell::carrier_at(c, device_, wanted.translation());
            const bool hosted_apart = d.host >= 0 && d.kind->placed_on() == cell::DeviceKind::PlacedOn::on_belts;
            if (carrier != d.host && !(hosted_apart && carrier < 0)) {
                host = carrier;
                wanted.translation().z() =
                    carrier >= 0 ? c.devices[carrier].kind->top_at(c.devices[carrier], wanted.translation()) : 0.0;
            }
            lands_on_ = carrier >= 0 ? QString::fromStdString(c.devices[carrier].name) : QString();
        }
    } else {
        const double step = snap ? snap_grid : fine_grid;
        for (int axis = 0; axis < 2; ++axis)
            if (by[axis] != 0) wanted.translation()[axis] = std::round(wanted.translation()[axis] / step) * step;
    }
    OpenCell& open = floor_.workspace().open;
    cell::Edit edit{FloorView::tr("Move %1").arg(QString::fromStdString(d.name)).toStdString(), {}};
    if (moving.size() == 1) {
        edit.operations = cell::place_at(c, device_, wanted, host);
        hand_on(snapped, c, open.layout().tree(), edit);
        if (host && *host >= 0 && d.kind->feeds_belts() &&
            c.devices[*host].kind->moves_parts())  // an infeed feeds the belt it stands on
            edit.operations.push_back(cell::Operation::set(cell::at_device(d.id) / "to", c.devices[*host].id));
    } else {
        edit = cell::move_by(c, moving, wanted.translation() - start_.translation());
    }
    if (edit.operations.empty()) open.drop_draft();
    else open.try_quietly(edit);
}

void DragHand::release(const Pointer& at) {
    if (moves_) floor_.workspace().open.take_draft();
    else if (at.keys & Qt::ControlModifier) floor_.select_next_under(at.pixel);
}

void DragHand::draw(QPainter& p) const { draw_guides(p, floor_, guides_); }

QString DragHand::words() const {
    if (!moves_) return {};
    return lands_on_.isEmpty() ? FloorView::tr("Alt: no snapping")
                               : FloorView::tr("stands on %1 \u00b7 Alt: no snapping").arg(lands_on_);
}

}  // namespace escarp::desktop
