#pragma once
// Reach: whether a pose can be taken, how much room is left, and where on a plane a tool can work.

#include <string>
#include <vector>

#include "joint_solver.h"
#include "nearest_gap.h"

namespace escarp::kinematics {

enum class ReachReason { reached, too_far, too_near, joint_limit, orientation };

struct Reach {
    ReachReason reason = ReachReason::reached;
    /// How far the pose may be moved in the worst direction, orientation kept (+), or must be moved to be reached (-).
    /// Metres, within 1 mm up to `cap`; +cap or -cap stand for "at least that". Directions in which the flange
    /// cannot go at all (a two-axis gantry) are left out.
    double margin = 0;
    Vector3 direction = Vector3::Zero();  ///< unit, base frame: the worst direction (+), or the shortest way in (-)
    int limiting_joint = -1;              ///< the joint that ends outside its limits, for ReachReason::joint_limit
    double joint_margin = 0;              ///< how far inside its limits the tightest joint is, rad or m
    int tightest_joint = -1;              ///< the one with the least margin as a share of its range
    double singularity = 0;               ///< singularity_distance with the arm's reach as length
};

/// Reach of the flange pose `target` (arm base frame). `q`: the chosen joint values when it is reached, or null.
/// `tool` is the tool frame in the flange; `cap` bounds the search in metres.
Reach reach(const ArmModel& model, const JointSolver& solver, const Frame& target, const Frame& tool,
    const JointVector& reference, const JointVector* q, double cap = 0.2);

/// Where the tool frame can be on the plane z = `height` (base frame): with the tool's z straight down at any turn
/// about it, or in one orientation.
struct ReachField {
    double cell = 0, origin = 0;  ///< metres: cell size, and x = y of the first cell's centre
    int size = 0;                 ///< cells along each side
    std::vector<char> inside;     ///< size * size, row by row along y
    std::vector<float>
        margin;  ///< m: how far the tool may be moved in the worst direction on the plane, to a cell; 0 outside
    bool at(int column, int row) const {
        return column >= 0 && row >= 0 && column < size && row < size &&
               inside[static_cast<std::size_t>(row) * size + column];
    }
};
ReachField reach_field(const ArmModel& model, const JointSolver& solver, const Frame& tool, double height, double cell,
    const geometry::Matrix3* orientation = nullptr);

/// Straight down: tool z = -base z, tool x along base x turned by `turn` about the upright.
geometry::Matrix3 straight_down(double turn = 0.0);

}  // namespace escarp::kinematics
