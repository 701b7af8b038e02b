#pragma once
// The bodies of an arm, its tool and what it holds, as parts of a mover.

#include <cell/cell.h>
#include <motion/clearance.h>

namespace escarp::simulation {

/// A held part's bodies; `in_tool` is the part in the tool frame.
std::vector<motion::Part> held_parts(const cell::Arm& arm, const cell::PartType& type, const geometry::Frame& in_tool);
/// Links (tag: link index) and tool (tag: `tool_tag`).
inline constexpr int tool_tag = 1000, held_tag = 1001;
std::vector<motion::Part> arm_parts(const cell::Arm& arm);

}  // namespace escarp::simulation
