#include "convex.h"

#include <cassert>
#include <cmath>

namespace escarp::geometry {

Convex::Convex(Core core, const Vector3& half, std::vector<Vector3> points, double radius)
    : core_(core), half_(half), points_(std::move(points)), radius_(radius), centre_(Vector3::Zero()) {
    assert(radius_ >= 0.0);
    switch (core_) {
        case Core::box: bound_ = half_.norm(); break;
        case Core::cylinder: bound_ = std::hypot(half_.x(), half_.z()); break;
        case Core::points: {
            assert(!points_.empty());
            Box3 box;
            for (const Vector3& p : points_) box.add(p);
            centre_ = 0.5 * (box.low + box.high);
            bound_ = 0.0;
            for (const Vector3& p : points_) bound_ = std::max(bound_, (p - centre_).norm());
            break;
        }
    }
    bound_ += radius_;
}

Convex Convex::box(const Vector3& size) { return {Core::box, 0.5 * size, {}, 0.0}; }
Convex Convex::cylinder(double diameter, double height) {
    return {Core::cylinder, {0.5 * diameter, 0.5 * diameter, 0.5 * height}, {}, 0.0};
}
Convex Convex::sphere(double diameter) { return {Core::points, Vector3::Zero(), {Vector3::Zero()}, 0.5 * diameter}; }
Convex Convex::capsule(const Vector3& from, const Vector3& to, double diameter) {
    return {Core::points, Vector3::Zero(), {from, to}, 0.5 * diameter};
}
Convex Convex::hull(std::vector<Vector3> points) { return {Core::points, Vector3::Zero(), std::move(points), 0.0}; }

Vector3 Convex::support(const Vector3& d) const {
    switch (core_) {
        case Core::box:
            return {std::copysign(half_.x(), d.x()), std::copysign(half_.y(), d.y()), std::copysign(half_.z(), d.z())};
        case Core::cylinder: {
            const double across = std::sqrt(d.x() * d.x() + d.y() * d.y());
            const double scale = across > 1e-14 * std::abs(d.z()) && across > 0 ? half_.x() / across : 0.0;
            return {d.x() * scale, d.y() * scale, std::copysign(half_.z(), d.z())};
        }
        case Core::points: break;
    }
    const Vector3* best = &points_.front();
    double most = d.dot(*best);
    for (const Vector3& p : points_) {
        const double along = d.dot(p);
        if (along > most) most = along, best = &p;
    }
    return *best;
}

void Box3::add(const Vector3& point, double radius) {
    low = low.cwiseMin(point - Vector3::Constant(radius));
    high = high.cwiseMax(point + Vector3::Constant(radius));
}

Box3 bounds(const Convex& shape, const Frame& at) {
    Box3 box;
    for (int axis = 0; axis < 3; ++axis) {
        const Vector3 local = at.linear().row(axis).transpose();
        box.high[axis] = (at * shape.support(local))[axis] + shape.radius();
        box.low[axis] = (at * shape.support(-local))[axis] - shape.radius();
    }
    return box;
}

Box3 bounds(const Bodies& bodies, const Frame& at) {
    Box3 all;
    for (const Body& body : bodies) {
        const Box3 one = bounds(body.shape, at * body.at);
        all.low = all.low.cwiseMin(one.low);
        all.high = all.high.cwiseMax(one.high);
    }
    return all;
}

}  // namespace escarp::geometry
