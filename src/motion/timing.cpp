#include "timing.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>

namespace escarp::motion {
namespace {

/// In the plane of x = rate^2 and u = acceleration of s, each limit is a half-plane `a u + b x <= c`.
struct HalfPlane {
    double a, b, c;
};

using Point = Eigen::Vector2d;  // (u, x)

void clip(std::vector<Point>& polygon, const HalfPlane& h, std::vector<Point>& scratch) {
    scratch.clear();
    const auto outside = [&](const Point& p) { return h.a * p.x() + h.b * p.y() - h.c; };
    for (std::size_t i = 0; i < polygon.size(); ++i) {
        const Point &p = polygon[i], &q = polygon[(i + 1) % polygon.size()];
        const double dp = outside(p), dq = outside(q);
        if (dp <= 0) scratch.push_back(p);
        if ((dp < 0 && dq > 0) || (dp > 0 && dq < 0)) scratch.push_back(p + (q - p) * (dp / (dp - dq)));
    }
    polygon.swap(scratch);
}

}  // namespace

std::vector<double> time_optimal_rates(const std::vector<PathNode>& nodes, const PathLimits& limits) {
    const std::size_t n = nodes.size();
    const int joints = static_cast<int>(nodes.front().q.size());
    std::vector<std::vector<HalfPlane>> planes(n);
    std::vector<double> most(n);  // greatest x from the rate limits alone
    double most_u = limits.acceleration;
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t before = i == 0 ? 0 : i - 1, after = std::min(n - 1, i + 1);
        const kinematics::JointVector curve = (nodes[after].slope - nodes[before].slope) / (nodes[after].s - nodes[before].s);
        double rate = limits.rate;
        for (int j = 0; j < joints; ++j) {
            const double slope = nodes[i].slope[j];
            if (std::abs(slope) > 1e-12) rate = std::min(rate, limits.joint_rate[j] / std::abs(slope));
            const double a = limits.joint_acceleration[j];
            planes[i].push_back({slope, curve[j], a});
            planes[i].push_back({-slope, -curve[j], a});
        }
        most[i] = rate * rate;
        most_u = std::min(most_u, 1e9);
    }
    // A stretch keeps the limits at both of its ends: with those at its beginning alone a joint that turns round between
    // two nodes would force a stop there.
    std::vector<std::vector<HalfPlane>> stretch(n);
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const double h = nodes[i + 1].s - nodes[i].s;
        stretch[i] = planes[i];
        for (const HalfPlane& plane : planes[i + 1]) stretch[i].push_back({plane.a + 2 * h * plane.b, plane.b, plane.c});
    }
    // Backward: the greatest x at each node from which the rest can still be driven to a stop.
    std::vector<double> controllable(n, 0.0);
    std::vector<Point> polygon, scratch;
    for (std::size_t i = n - 1; i-- > 0;) {
        const double h = nodes[i + 1].s - nodes[i].s;
        polygon = {{-most_u, 0.0}, {most_u, 0.0}, {most_u, most[i]}, {-most_u, most[i]}};
        for (const HalfPlane& plane : stretch[i]) clip(polygon, plane, scratch);
        clip(polygon, {2 * h, 1.0, controllable[i + 1]}, scratch);
        clip(polygon, {-2 * h, -1.0, 1e-10 * (1 + most[i])}, scratch);  // a hair wide: at the end the set is a mere line
        for (const Point& p : polygon) controllable[i] = std::max(controllable[i], p.y());
    }
    // Forward: as fast as possible within what stays controllable.
    std::vector<double> x(n, 0.0);
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const double h = nodes[i + 1].s - nodes[i].s;
        double u = std::min(most_u, (controllable[i + 1] - x[i]) / (2 * h));
        for (const HalfPlane& plane : stretch[i])
            if (plane.a > 1e-12) u = std::min(u, (plane.c - plane.b * x[i]) / plane.a);
        x[i + 1] = std::clamp(x[i] + 2 * h * u, 0.0, controllable[i + 1]);
    }
    x[n - 1] = 0.0;
    std::vector<double> rates(n);
    for (std::size_t i = 0; i < n; ++i) rates[i] = std::sqrt(x[i]);
    return rates;
}

}  // namespace escarp::motion
