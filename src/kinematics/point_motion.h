#pragma once
// Place, velocity and acceleration of a point that a mechanism carries.

#include "mechanism.h"

namespace escarp::kinematics {

struct PointMotion {
    Vector3 place, velocity, acceleration;  ///< m, m/s, m/s^2, in the base's axes
    Vector3 turning, turning_change;        ///< of the link: rad/s, rad/s^2
};

/// Of `point`, fixed to `link` (in that link's frame), at joint values, rates and accelerations; the base stands still.
/// Velocities and accelerations are handed on from link to link (Luh, Walker, Paul 1980, outward recursion).
PointMotion point_motion(const Mechanism& mechanism, int link, const Vector3& point, const JointVector& q,
    const JointVector& rate, const JointVector& acceleration);
/// The same where the links are known to stand at `links` (the base at the origin).
PointMotion point_motion(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& point,
    const JointVector& rate, const JointVector& acceleration);

}  // namespace escarp::kinematics
