#include "tool_hand.h"

#include "floor_view.h"

namespace escarp::desktop {

ToolHand::ToolHand(FloorView& floor, const QPointF& at)
    : FloorHand(floor, Holds::tool), pressed_(at), start_(floor.workspace().tool_by_hand()) {}

void ToolHand::move(const Pointer& at) {
    const PlanView& view = floor_.plan();
    const QPointF moved = at.pixel - pressed_;
    geometry::Frame tool = start_;
    tool.translation() += (moved.x() * view.right() - moved.y() * view.up()) / view.scale;
    floor_.workspace().hand.bring_tool(tool, false);
    floor_.update();
}

}  // namespace escarp::desktop
