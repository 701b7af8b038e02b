#include "place_hand.h"

#include "drag_hand.h"
#include "floor_view.h"

namespace escarp::desktop {

PlaceHand::PlaceHand(FloorView& floor, cell::Offering what)
    : FloorHand(floor, Holds::new_device), what_(std::move(what)) {}

const PlaceHand::Coming& PlaceHand::coming() {
    const cell::Layout& to = floor_.workspace().open.layout();
    if (!coming_ || &coming_->to.document().tree() != &to.document().tree() || coming_->to.variant() != to.variant()) {
        std::string id;
        const cell::Edit edit = cell::add_device(to, what_, "", &id);
        coming_ = Coming{to, to.edited(edit), edit, id};
    }
    return *coming_;
}

void PlaceHand::move(const Pointer& pointer) {
    OpenCell& open = floor_.workspace().open;
    const double scale = floor_.plan().scale;
    try {
        const Coming& what = coming();
        const cell::Cell& cell = what.with.cell();
        const int device = cell.device(what.id);
        const geometry::Vector3 at = floor_.floor_point(pointer.pixel);
        // Where it would come to stand there: its height decides what it snaps to.
        geometry::Frame wanted = geometry::make_frame(at);
        const int carrier = cell::carrier_at(cell, device, at);
        wanted.translation().z() = carrier >= 0 ? cell.devices[carrier].kind->top_at(cell.devices[carrier], at) : 0.0;
        constexpr double rough = 0.001;  // m
        const cell::Snap snapped = cell::snap(cell, device, {device}, wanted, pointer.snaps() ? snap_pixels / scale : 0,
            pointer.snaps() ? snap_grid : rough);
        guides_ = snapped.guides;
        cell::Edit edit = what.edit;
        for (cell::Operation& op : cell::set_down(what.with, what.id, snapped.world))
            edit.operations.push_back(std::move(op));
        hand_on(snapped, cell, what.to.tree(), edit);
        open.try_quietly(edit);
    } catch (const cell::InputError& e) {
        floor_.drop_hand();
        Q_EMIT open.refused(FloorView::tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

void PlaceHand::click(const Pointer& at) {
    move(at);
    put_down();
}

void PlaceHand::put_down() {
    Workspace& workspace = floor_.workspace();
    if (!workspace.open.trying() || !coming_) return floor_.drop_hand();
    const QString id = QString::fromStdString(coming_->id);
    floor_.let_go();
    workspace.open.take_draft();
    workspace.selection.select(id);
}

void PlaceHand::draw(QPainter& p) const { draw_guides(p, floor_, guides_); }

QString PlaceHand::words() const {
    return FloorView::tr("click where %1 stands \u00b7 Alt: no snapping \u00b7 Esc: leave it")
        .arg(QString::fromStdString(what_.label));
}

}  // namespace escarp::desktop
