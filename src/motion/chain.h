#pragma once
// Moves that run into each other: fly-by corners. Each leg is a path of its own; where a corner is given, the ends of
// two legs are replaced by a curve inside the corner and the whole chain is timed as one path.

#include "path.h"

namespace escarp::motion {

struct Leg {
    std::vector<PathNode> nodes;  ///< on its own s from 0 to 1, limits included
    double corner = 0;  ///< at its end: the tool stays within this distance of the pose there, m; 0: an exact stop
    double cut = 0;  ///< or: the share of both legs that the corner takes: up to 0.5, of a first or last leg up to 0.95
    bool straight = false;
};

Leg joint_leg(const JointVector& from, const JointVector& to, double speed, double acceleration);
/// The path of a straight move.
std::variant<Leg, StraightFailure> straight_leg(const StraightRequest& request);

/// A motion for each leg; each goes on where the one before ends, without stopping in the corner.
struct Flight {
    MotionPtr first_run;  ///< up to the first exact stop: all of it, unless a corner was too small for the jerk limits
    std::vector<MotionPtr> legs;
};
/// Shares of the speed limits that are tried where there are jerk limits: see `fly`.
inline const std::vector<double> speed_shares{1, 0.7, 0.5};
/// `tool`: the tool frame in the flange. Every leg but the last has a corner or a cut. The quickest of the timings
/// under the given shares of the speed: less speed can be quicker in all, as it needs less averaging for the jerk
/// limits.
Flight fly(const kinematics::ArmModel& model, const Frame& tool, const std::vector<Leg>& legs,
    const std::vector<double>& shares = speed_shares);

}  // namespace escarp::motion
