#pragma once
// Time-optimal rates along a given joint path under velocity and acceleration limits: a backward pass of
// controllable sets and a greedy forward pass on a grid (reachability analysis: Pham and Pham, IEEE T-RO 2018, with
// the limits held at both ends of each stretch).

#include <vector>

#include <kinematics/mechanism.h>

namespace escarp::motion {

/// A grid point of a joint path q(s): values and dq/ds.
struct PathNode {
    double s;
    kinematics::JointVector q, slope;
};

struct PathLimits {
    double rate;          ///< of s, 1/s
    double acceleration;  ///< of s, 1/s^2
    std::vector<double> joint_rate, joint_acceleration;  ///< one per joint, SI
};

/// ds/dt at every node, 0 at both ends; between nodes d2s/dt2 is constant.
std::vector<double> time_optimal_rates(const std::vector<PathNode>& nodes, const PathLimits& limits);

}  // namespace escarp::motion
