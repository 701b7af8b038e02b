#pragma once
// An arm brought by hand to where its tool is wanted, and the joint solutions it can be told to use.

#include <optional>
#include <vector>

#include <cell/model/cell.h>

namespace escarp::cell {

/// Where an arm gets to when its tool is taken somewhere, or why it does not.
struct Brought {
    std::optional<kinematics::JointVector> q;
    int joint = -1;          ///< the joint that would go beyond its limit
    double beyond = 0;       ///< and by how much, rad or m
    bool can_orient = true;  ///< whether it can bring its tool into this orientation anywhere
};

/// `tool`: the tool frame wanted, in the world; `now`: the joint values it comes from, whose solution branch is kept.
/// `leaps`: another branch will do where that one is beyond its limits.
Brought bring_tool(const Device& arm, const kinematics::JointVector& now, const Frame& tool, bool leaps);

/// The branches that an arm's closed form has, where it stands ready; none where it is solved numerically.
std::vector<int> postures_of(const Arm& arm);

/// The branch in which an arm stands with these joint values; nothing where it has none.
std::optional<int> posture_at(const Arm& arm, const kinematics::JointVector& q);

}  // namespace escarp::cell
