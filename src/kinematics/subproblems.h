#pragma once
// Canonical subproblems of joint solutions (Paden 1986; Kahan 1983), and what several closed forms share.

#include <cmath>

#include "joint_solver.h"

namespace escarp::kinematics {

/// A hinge or slide of an arm with all joints at 0, in the base frame.
struct Axis {
    Vector3 direction, point;
};
/// One per connection of the chain to the flange, in order.
std::vector<Axis> axes_at_zero(const ArmModel& model, const std::vector<int>& chain);

/// The joints of the chain to the flange when that has none but `count` joints of type `type`, each with a drive and in
/// the order of the mechanism; false otherwise.
bool plain_chain(const ArmModel& model, int count, JointType type);

/// Angles with `a cos + b sin = c`: how many there are (0 or 2; equal at the edge).
inline int trig_angles(double a, double b, double c, double (&out)[2]) {
    const double size = std::sqrt(b * b + a * a);
    if (size < 1e-12) return 0;
    double cosine = c / size;
    if (std::abs(cosine) > 1 + 1e-10) return 0;
    cosine = cosine > 1 ? 1 : cosine < -1 ? -1 : cosine;
    const double middle = std::atan2(b, a), half = std::acos(cosine);
    out[0] = middle + half, out[1] = middle - half;
    return 2;
}

/// The angle about the unit vector `k` that brings `from` nearest to `to`; false when either lies along `k`.
inline bool turn_about(const Vector3& k, const Vector3& from, const Vector3& to, double& angle) {
    const double s = k.dot(from.cross(to)), c = from.dot(to) - k.dot(from) * k.dot(to);
    if (s * s + c * c < 1e-22) return false;
    angle = std::atan2(s, c);
    return true;
}

/// Three turns about `a`, `b`, `c` in that order that make up a rotation; neither `a` and `b` nor `b` and `c` are
/// parallel.
class ThreeTurns {
public:
    ThreeTurns(const Vector3& first, const Vector3& second, const Vector3& third) : a_(first), b_(second), c_(third) {
        // a . R_b c: a constant part along b, a cosine and a sine part
        along_ = first.dot(second) * second.dot(third);
        cosine_ = first.dot(third) - along_;
        sine_ = first.dot(second.cross(third));
    }
    /// Up to two triples; `free_first` is taken where the first and the last turn are about one line.
    int solve(const geometry::Matrix3& rotation, double free_first, double (&out)[2][3]) const {
        double middle[2];
        const Vector3 last = rotation * c_;
        const int count = trig_angles(cosine_, sine_, a_.dot(last) - along_, middle);
        for (int i = 0; i < count; ++i) {
            const geometry::Matrix3 second = geometry::rotation(b_, middle[i]);
            double first;
            if (!turn_about(a_, second * c_, last, first)) first = free_first;
            // what is left is a turn about c
            const geometry::Matrix3 rest = (geometry::rotation(a_, first) * second).transpose() * rotation;
            const Vector3 side = c_.unitOrthogonal();
            double third = 0;
            turn_about(c_, side, rest * side, third);
            out[i][0] = first, out[i][1] = middle[i], out[i][2] = third;
        }
        return count;
    }

private:
    Vector3 a_, b_, c_;
    double along_, cosine_, sine_;
};

/// Point where two lines meet; none when they miss each other by more than `tolerance` (m) or are parallel.
std::optional<Vector3> crossing(const Axis& a, const Axis& b, double tolerance = 1e-9);

}  // namespace escarp::kinematics
