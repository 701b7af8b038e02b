#pragma once
// Steady travel along a line or an arc: what a belt does to a part.

#include <kinematics/mechanism.h>

namespace escarp::motion {

using geometry::Frame;
using geometry::Vector3;

/// From an instant on: a constant velocity (m/s), or a turn about an axis at a constant rate (rad/s). Default: at rest.
struct Glide {
    Vector3 velocity = Vector3::Zero();
    double turn_rate = 0;
    Vector3 centre = Vector3::Zero(), axis = Vector3::UnitZ();  ///< of the turn, world; the axis has length 1

    bool rests() const { return turn_rate == 0 && velocity.isZero(); }
    /// Where a frame that stood at `at` is after `seconds`.
    Frame after(const Frame& at, double seconds) const {
        Frame out = at;
        if (turn_rate == 0) {
            out.translation() += seconds * velocity;
            return out;
        }
        const geometry::Matrix3 turned = geometry::rotation(axis, turn_rate * seconds);
        out.translation() = centre + turned * (at.translation() - centre);
        out.linear() = turned * at.linear();
        return out;
    }
    /// Speed of a point, m/s.
    double speed(const Vector3& point) const {
        return turn_rate == 0 ? velocity.norm() : std::abs(turn_rate) * axis.cross(point - centre).norm();
    }
};

}  // namespace escarp::motion
