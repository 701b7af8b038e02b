#pragma once
// What the tool does while an arm moves.

#include "motion.h"

namespace escarp::motion {

/// Greatest acceleration of the tool frame's origin over a motion, m/s^2: from the motion's own pieces, at whose ends
/// it may jump, within 0.1 %. `tool`: the tool frame in the flange.
double greatest_tool_acceleration(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion);

}  // namespace escarp::motion
