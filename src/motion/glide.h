#pragma once
// Travel along a line or an arc, steady or gaining speed evenly: what a belt does to a part.

#include <cmath>

#include <kinematics/mechanism.h>

namespace escarp::motion {

using geometry::Frame;
using geometry::Vector3;

/// From an instant on: a velocity (m/s), or a turn about an axis at a rate (rad/s). Default: at rest.
struct Glide {
    Vector3 velocity = Vector3::Zero();
    double turn_rate = 0;
    Vector3 centre = Vector3::Zero(), axis = Vector3::UnitZ();  ///< of the turn, world; the axis has length 1
    double share = 1, ramp = 0;  ///< of that speed at the beginning, and what the share gains per second

    bool rests() const { return (turn_rate == 0 && velocity.isZero()) || (share == 0 && ramp == 0); }
    bool steady() const { return share == 1 && ramp == 0; }
    /// How long it would have taken at the full speed to come as far as it comes in `seconds`.
    double way(double seconds) const { return steady() ? seconds : (share + 0.5 * ramp * seconds) * seconds; }
    /// When it has come so far; 1e300: never; before the beginning: some time below 0.
    double when(double way) const {
        if (steady() || way <= 0) return way;
        if (ramp == 0) return share > 0 ? way / share : 1e300;
        const double inside = share * share + 2 * ramp * way;
        return inside < 0 ? 1e300 : 2 * way / (share + std::sqrt(inside));
    }
    /// Where a frame that stood at `at` is after `seconds`.
    Frame after(const Frame& at, double seconds) const {
        seconds = way(seconds);
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
    /// Full speed of a point, m/s.
    double speed(const Vector3& point) const {
        return turn_rate == 0 ? velocity.norm() : std::abs(turn_rate) * axis.cross(point - centre).norm();
    }
};

}  // namespace escarp::motion
