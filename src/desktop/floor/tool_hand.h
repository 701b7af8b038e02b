#pragma once
// Draws the tool of the arm that is moved by hand along, in the plane of the drawing.

#include "floor_hand.h"

namespace escarp::desktop {

class ToolHand : public FloorHand {
public:
    ToolHand(FloorView& floor, const QPointF& at);
    void move(const Pointer& at) override;

private:
    const QPointF pressed_;
    const geometry::Frame start_;
};

}  // namespace escarp::desktop
