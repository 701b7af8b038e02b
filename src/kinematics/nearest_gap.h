#pragma once
// The nearest place that cannot be reached, orientation kept.

#include <optional>

#include "joint_solver.h"

namespace escarp::kinematics {

struct Gap {
    double distance;    ///< m
    Vector3 direction;  ///< unit, from the pose
};

/// The nearest shift of the flange pose `target` (which is reached; arm base frame) at which no joint solution lies
/// within limits, among those of up to `cap` metres in the space that `ways` (3 x 1 to 3 columns, orthonormal) spans;
/// nothing if there is none. Within 1 mm. The space is divided as an octree, nearest cells first (branch and bound). A
/// cell is left alone where one solution branch stays within its limits all over it, by the joints' slopes at its
/// middle and how those change (to second order, with half as much again), and its corners are reached. `known`: a
/// shift that is known to fail, with its distance; `cap` or more: none. For arms with a closed form.
std::optional<Gap> nearest_gap(const ArmModel& model, const JointSolver& solver, const Frame& target,
    const JointVector& reference, const Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 3>& ways, double cap,
    const std::optional<Gap>& known = std::nullopt);

/// From the second axis to the wrist, or half the longest slide of an arm without links between hinges, metres: a
/// length that says how big the arm is.
double arm_length(const ArmModel& model);

}  // namespace escarp::kinematics
