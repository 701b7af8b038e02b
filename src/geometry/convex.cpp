#include "convex.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace escarp::geometry {

/// Leaves of a k-d tree over the points (Bentley 1975), each in a ball.
struct Convex::Groups {
    static constexpr std::size_t many = 128, in_each = 48;
    struct Group {
        Vector3 centre;
        double radius;
        std::size_t begin, end;  ///< in `points`
    };
    std::vector<Group> groups;
    std::vector<Vector3> points;
    std::vector<std::size_t> number;  ///< of each of them among the body's

    explicit Groups(const std::vector<Vector3>& given) : number(given.size()) {
        for (std::size_t i = 0; i < number.size(); ++i) number[i] = i;
        divide(given, 0, number.size());
        for (const std::size_t n : number) points.push_back(given[n]);
        for (Group& g : groups) {
            Box3 box;
            for (std::size_t i = g.begin; i < g.end; ++i) box.add(points[i]);
            g.centre = 0.5 * (box.low + box.high), g.radius = 0;
            for (std::size_t i = g.begin; i < g.end; ++i)
                g.radius = std::max(g.radius, (points[i] - g.centre).norm() * (1 + 1e-12));
        }
    }
    void divide(const std::vector<Vector3>& given, std::size_t begin, std::size_t end) {
        if (end - begin <= in_each) return groups.push_back({Vector3::Zero(), 0, begin, end});
        Box3 box;
        for (std::size_t i = begin; i < end; ++i) box.add(given[number[i]]);
        int axis = 0;
        (box.high - box.low).maxCoeff(&axis);
        const std::size_t middle = begin + (end - begin) / 2;
        const auto at = [&](std::size_t i) { return number.begin() + static_cast<std::ptrdiff_t>(i); };
        std::nth_element(at(begin), at(middle), at(end),
            [&](std::size_t a, std::size_t b) { return given[a][axis] < given[b][axis]; });
        divide(given, begin, middle);
        divide(given, middle, end);
    }

    /// The first of the points that lie farthest along, as if all had been looked at in their order.
    std::size_t support(const Vector3& d) const {
        const double length = d.norm() * (1 + 1e-12);
        const auto reach = [&](const Group& g) { return d.dot(g.centre) + length * g.radius + 1e-15 * length; };
        std::size_t start = 0;
        double farthest = -1e300;
        for (std::size_t i = 0; i < groups.size(); ++i)
            if (const double far = reach(groups[i]); far > farthest) farthest = far, start = i;
        double most = -1e300;
        std::size_t best = number.front();
        const auto look = [&](const Group& g) {
            for (std::size_t i = g.begin; i < g.end; ++i) {
                const double along = d.dot(points[i]);
                if (along > most || (along == most && number[i] < best)) most = along, best = number[i];
            }
        };
        look(groups[start]);
        for (std::size_t i = 0; i < groups.size(); ++i)
            if (i != start && reach(groups[i]) >= most) look(groups[i]);
        return best;
    }
};

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
            if (points_.size() >= Groups::many) groups_ = std::make_shared<const Groups>(points_);
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
    if (groups_) return points_[groups_->support(d)];
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
