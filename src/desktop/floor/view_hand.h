#pragma once
// Moves the drawing, or goes round it where it is seen from a corner.

#include "floor_hand.h"

namespace escarp::desktop {

class ViewHand : public FloorHand {
public:
    ViewHand(FloorView& floor, const QPointF& at, Qt::MouseButton button);
    void move(const Pointer& at) override;
    /// A right click that moved nothing asks for the menu of what lies there.
    void release(const Pointer& at) override;

private:
    const QPointF pressed_, middle_;
    QPointF last_;
    const Qt::MouseButton button_;
};

}  // namespace escarp::desktop
