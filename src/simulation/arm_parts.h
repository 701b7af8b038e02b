#pragma once
// The bodies of an arm, its tool and what it holds, as parts of a mover.

#include <cell/model/cell.h>
#include <motion/clearance.h>

namespace escarp::simulation {

/// A held part's bodies; `in_tool` is the part in the tool frame.
std::vector<motion::Part> held_parts(
    const cell::Arm& arm, const geometry::Bodies& bodies, const geometry::Frame& in_tool);
inline std::vector<motion::Part> held_parts(
    const cell::Arm& arm, const cell::PartType& type, const geometry::Frame& in_tool) {
    return held_parts(arm, type.bodies, in_tool);
}
/// Links (tag: link index) and tool (tag: `tool_tag`).
inline constexpr int tool_tag = 1000, held_tag = 1001;
std::vector<motion::Part> arm_parts(const cell::Arm& arm);
/// Content key of all that makes a mover: its mechanism, its bodies and tool, and where it stands.
std::uint64_t mover_key(const cell::Device& device);
/// The link that a body of an arm belongs to: tool and held part go with the flange.
int link_of(const cell::Arm& arm, const motion::Part& part);
/// Whether two bodies of one arm must keep apart. Neighbours in the mechanism touch by their make: links and the tool
/// are judged where three joints or more lie between, a held part against every link; not the held part against the
/// tool (or the bare flange) that grips it.
bool keep_apart(const cell::Arm& arm, const motion::Part& one, const motion::Part& other);

/// For each body of a device that carries the arm `arm`, directly or not: whether it belongs to what the base link
/// stands on, that is, lies below the base's plane or straight under its middle. Empty for a device that does not carry
/// it.
std::vector<char> standing_ground(const cell::Cell& cell, int arm, int device);

}  // namespace escarp::simulation
