#pragma once
// Joint paths along a given way of the tool: one solution branch, cubic between nodes set so that the tool stays within
// 1 um of the way.

#include "path.h"

namespace escarp::motion {

/// Where the tool frame goes, in the arm's base frame, on s from 0 to 1.
class ToolWay {
public:
    virtual ~ToolWay() = default;
    virtual Frame at(double s) const = 0;
    /// Velocity of its origin and rate of turn per unit of s, in the base frame's axes.
    virtual Eigen::Matrix<double, 6, 1> rate(double s) const = 0;
};

struct FollowRequest {
    const kinematics::ArmModel& model;
    const kinematics::JointSolver& solver;
    Frame tool;         ///< tool frame in the flange
    JointVector start;  ///< joint values at s = 0
    std::optional<double> free_to =
        std::nullopt;  ///< where the first free joint goes meanwhile, evenly; none: it stays
};

/// The nodes of the path, s and slope filled in; or why and where it cannot go on.
std::variant<std::vector<PathNode>, StraightFailure> follow(const FollowRequest& request, const ToolWay& way);

}  // namespace escarp::motion
