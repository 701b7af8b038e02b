#include "view_hand.h"

#include "floor_view.h"

namespace escarp::desktop {

ViewHand::ViewHand(FloorView& floor, const QPointF& at, Qt::MouseButton button)
    : FloorHand(floor, Holds::view), pressed_(at), middle_(floor.plan().middle), last_(at), button_(button) {}

void ViewHand::move(const Pointer& at) {
    PlanView view = floor_.plan();
    const QPointF moved = at.pixel - pressed_, step = at.pixel - last_;
    last_ = at.pixel;
    if (view.side == Side::corner && button_ == Qt::RightButton) {
        view.turn -= step.x() * 0.008;
        view.tilt = std::clamp(view.tilt + step.y() * 0.008, 0.1, 1.5);
    } else {
        view.middle = middle_ + moved;
    }
    constexpr int meant = 3;  // pixels
    floor_.look(view, moved.manhattanLength() >= meant);
}

void ViewHand::release(const Pointer& at) {
    constexpr int click = 4;  // pixels
    if (button_ == Qt::RightButton && (at.pixel - pressed_).manhattanLength() < click) floor_.ask_menu(at.pixel);
}

}  // namespace escarp::desktop
