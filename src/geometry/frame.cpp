#include "frame.h"

#include <cmath>

namespace escarp::geometry {

Matrix3 rotation(const Vector3& axis, double angle) { return Eigen::AngleAxisd(angle, axis).toRotationMatrix(); }

Matrix3 from_triple(const Vector3& r) {
    if (r.x() == 0 && r.y() == 0)  // most frames
        return r.z() == 0 ? Matrix3(Matrix3::Identity()) : rotation(Vector3::UnitZ(), r.z());
    return rotation(Vector3::UnitZ(), r.z()) * rotation(Vector3::UnitY(), r.y()) * rotation(Vector3::UnitX(), r.x());
}

Vector3 to_triple(const Matrix3& m) {
    const double cosine = std::hypot(m(0, 0), m(1, 0));
    const double ry = std::atan2(-m(2, 0), cosine);
    if (cosine < 1e-9)  // Rx and Rz turn about the same line: all of it goes to Rz
        return {0.0, ry, std::atan2(-m(0, 1), m(1, 1))};
    return {std::atan2(m(2, 1), m(2, 2)), ry, std::atan2(m(1, 0), m(0, 0))};
}

Eigen::Vector4d to_quaternion(const Matrix3& m) {
    Eigen::Quaterniond q(m);
    q.normalize();
    Eigen::Vector4d v(q.w(), q.x(), q.y(), q.z());
    return q.w() < 0 ? Eigen::Vector4d(-v) : v;
}

Frame make_frame(const Vector3& origin, const Vector3& r) {
    Frame f = Frame::Identity();
    f.translation() = origin;
    f.linear() = from_triple(r);
    return f;
}

Vector3 rotation_between(const Matrix3& a, const Matrix3& b) {
    const Matrix3 r = b * a.transpose();
    const Vector3 twice_sine(r(2, 1) - r(1, 2), r(0, 2) - r(2, 0), r(1, 0) - r(0, 1));
    const double angle = std::atan2(twice_sine.norm(), r.trace() - 1.0);
    if (angle < 1e-12) return 0.5 * twice_sine;
    if (angle < pi - 1e-6) return twice_sine.normalized() * angle;
    const Eigen::AngleAxisd half_turn(r);  // the antisymmetric part vanishes at half a turn
    return half_turn.axis() * half_turn.angle();
}

FrameGap gap(const Frame& a, const Frame& b) {
    return {(a.translation() - b.translation()).norm(), rotation_between(a.linear(), b.linear()).norm()};
}

}  // namespace escarp::geometry
