#include "outline.h"

#include <algorithm>
#include <cmath>

namespace escarp::geometry {

Polygon hull(std::vector<Point2> points) {
    std::sort(points.begin(), points.end(),
        [](const Point2& a, const Point2& b) { return a.x() < b.x() || (a.x() == b.x() && a.y() < b.y()); });
    points.erase(std::unique(points.begin(), points.end()), points.end());
    if (points.size() < 3) return points;
    const auto turns_left = [](const Point2& o, const Point2& a, const Point2& b) {
        return (a.x() - o.x()) * (b.y() - o.y()) - (a.y() - o.y()) * (b.x() - o.x()) > 0;
    };
    Polygon chain;
    const auto run = [&](auto begin, auto end) {
        const std::size_t base = chain.size();
        for (auto p = begin; p != end; ++p) {
            while (chain.size() >= base + 2 && !turns_left(chain[chain.size() - 2], chain.back(), *p)) chain.pop_back();
            chain.push_back(*p);
        }
        chain.pop_back();
    };
    run(points.begin(), points.end());
    run(points.rbegin(), points.rend());
    return chain;
}

double area(const Polygon& polygon) {
    double twice = 0.0;
    for (std::size_t i = 0; i < polygon.size(); ++i) {
        const Point2 &a = polygon[i], &b = polygon[(i + 1) % polygon.size()];
        twice += a.x() * b.y() - a.y() * b.x();
    }
    return 0.5 * std::abs(twice);
}

Polygon silhouette(const Convex& shape, const Frame& at, const Vector3& right, const Vector3& up, int facets) {
    std::vector<Point2> points;
    const auto project = [&](const Vector3& p) { return Point2(p.dot(right), p.dot(up)); };
    const bool corners_only = shape.core() == Convex::Core::box && shape.radius() == 0.0;
    if (corners_only) {
        for (int corner = 0; corner < 8; ++corner) {
            const Vector3 sign(corner & 1 ? 1 : -1, corner & 2 ? 1 : -1, corner & 4 ? 1 : -1);
            points.push_back(project(at * Vector3(shape.half().cwiseProduct(sign))));
        }
        return hull(std::move(points));
    }
    for (int i = 0; i < facets; ++i) {
        const double angle = 2 * pi * (i + 0.25) / facets;
        const Vector3 direction = std::cos(angle) * right + std::sin(angle) * up;
        const Vector3 far = at * shape.support(at.linear().transpose() * direction) + shape.radius() * direction;
        points.push_back(project(far));
    }
    return hull(std::move(points));
}

Polygon footprint(const Convex& shape, const Frame& at, int facets) {
    return silhouette(shape, at, Vector3::UnitX(), Vector3::UnitY(), facets);
}

}  // namespace escarp::geometry
