#pragma once
// Rigid frames and the project's orientation conventions (docs/model.md, "Units, frames, names").

#include "asserts.h"

#include <Eigen/Geometry>

namespace escarp::geometry {

using Vector3 = Eigen::Vector3d;
using Matrix3 = Eigen::Matrix3d;
/// A right-handed rigid frame: `parent_point = frame * local_point`. Lengths in metres.
using Frame = Eigen::Isometry3d;

inline constexpr double pi = 3.14159265358979323846;
inline constexpr double degree = pi / 180;  ///< rad

/// Rotation of `angle` radians about the unit vector `axis`.
Matrix3 rotation(const Vector3& axis, double angle);

/// Orientation triple: fixed x, then fixed y, then fixed z, so `R = Rz Ry Rx`. Radians.
Matrix3 from_triple(const Vector3& rx_ry_rz);
/// The triple of a rotation; Ry lies in [-pi/2, pi/2], and Rx is 0 where Ry is at its end.
Vector3 to_triple(const Matrix3& rotation);

/// Unit quaternion (w, x, y, z) with w >= 0.
Eigen::Vector4d to_quaternion(const Matrix3& rotation);

/// A frame from an origin in metres and a triple in radians.
Frame make_frame(const Vector3& origin, const Vector3& rx_ry_rz = Vector3::Zero());

/// The shortest rotation from `a` to `b` as a rotation vector (axis times angle, rad), in the parent's axes.
Vector3 rotation_between(const Matrix3& a, const Matrix3& b);

/// Greatest deviation of two frames: origin distance in metres, angle in radians.
struct FrameGap {
    double distance;
    double angle;
};
FrameGap gap(const Frame& a, const Frame& b);

}  // namespace escarp::geometry
