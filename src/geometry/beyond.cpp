// How much convex pieces hold beyond the surface that they stand for.

#include <algorithm>
#include <cmath>
#include <numeric>

#include "surface.h"
#include "volume.h"

namespace escarp::geometry {
namespace {

/// The squared distance of a point to a triangle (Ericson, Real-Time Collision Detection, 2005, 5.1.5).
double distance2(const Vector3& p, const std::array<Vector3, 3>& t) {
    const auto to_edge = [&](const Vector3& a, const Vector3& b) {
        const Vector3 along = b - a;
        const double share = std::clamp((p - a).dot(along) / std::max(1e-300, along.squaredNorm()), 0.0, 1.0);
        return (p - a - share * along).squaredNorm();
    };
    const Vector3 normal = (t[1] - t[0]).cross(t[2] - t[0]);
    const double twice = normal.squaredNorm();
    bool over = twice > 0;
    for (int i = 0; i < 3 && over; ++i) over = normal.dot((t[(i + 1) % 3] - t[i]).cross(p - t[i])) >= 0;
    if (over) return std::pow(normal.dot(p - t[0]), 2) / twice;
    return std::min({to_edge(t[0], t[1]), to_edge(t[1], t[2]), to_edge(t[2], t[0])});
}

/// Triangles by the cells of a grid, to find the nearest one.
class Near {
public:
    explicit Near(const Surface& s) : low_(bounds(s).low) {
        const Box3 box = bounds(s);
        constexpr double cells = 32;
        edge_ = std::max(1e-9, (box.high - box.low).maxCoeff() / cells);
        for (int k = 0; k < 3; ++k) size_[k] = 1 + static_cast<int>((box.high[k] - low_[k]) / edge_);
        triangles_.resize(static_cast<std::size_t>(size_.prod()));
        for (const auto& t : s.triangles) {
            std::array<Vector3, 3> corners;
            Box3 own;
            for (std::size_t i = 0; i < 3; ++i) corners[i] = s.points[t[i]].cast<double>(), own.add(corners[i]);
            const auto from = cell(own.low), to = cell(own.high);
            for (int x = from[0]; x <= to[0]; ++x)
                for (int y = from[1]; y <= to[1]; ++y)
                    for (int z = from[2]; z <= to[2]; ++z)
                        triangles_[index(x, y, z)].push_back(static_cast<std::uint32_t>(all_.size()));
            all_.push_back(corners);
        }
    }
    /// Once it is known to be no more than `enough`, what is known of it so far, which is no less than it is.
    /// `nearest`: a triangle to begin with, in the end the one that was found.
    double distance(const Vector3& p, double enough, std::uint32_t& nearest) const {
        double least = distance2(p, all_[nearest]);
        const auto c = cell(p);
        const int most = size_.maxCoeff();
        for (int ring = 0; ring <= most; ++ring) {
            // Whatever lies in a ring farther out is at least so far away.
            if (least <= enough * enough || (ring > 1 && least < std::pow((ring - 1) * edge_, 2))) break;
            for (int x = c[0] - ring; x <= c[0] + ring; ++x)
                for (int y = c[1] - ring; y <= c[1] + ring; ++y) {
                    const bool side = std::abs(x - c[0]) == ring || std::abs(y - c[1]) == ring;
                    for (int z = c[2] - ring; z <= c[2] + ring; z += side ? 1 : std::max(1, 2 * ring)) {
                        if (x < 0 || y < 0 || z < 0 || x >= size_[0] || y >= size_[1] || z >= size_[2]) continue;
                        for (const std::uint32_t i : triangles_[index(x, y, z)])
                            if (const double d = distance2(p, all_[i]); d < least) least = d, nearest = i;
                    }
                }
        }
        return std::sqrt(least);
    }

private:
    Eigen::Vector3i cell(const Vector3& p) const {
        Eigen::Vector3i out;
        for (int k = 0; k < 3; ++k) out[k] = std::clamp(static_cast<int>((p[k] - low_[k]) / edge_), 0, size_[k] - 1);
        return out;
    }
    std::size_t index(int x, int y, int z) const { return (static_cast<std::size_t>(z) * size_[1] + y) * size_[0] + x; }

    Vector3 low_;
    double edge_ = 1;
    Eigen::Vector3i size_;
    std::vector<std::array<Vector3, 3>> all_;
    std::vector<std::vector<std::uint32_t>> triangles_;  ///< by cell
};

using Stretches = std::vector<std::pair<double, double>>;

struct Gap {
    double x, y, low, high;
};

/// The point of the gaps that is farthest from the surface, within `edge`.
void find_farthest(const std::vector<Gap>& gaps, const Surface& surface, double edge, Beyond& out) {
    const Near near(surface);
    std::uint32_t nearest = 0;
    // In an order that has soon been everywhere, so that little is left that could be farther still.
    const std::size_t count = gaps.size();
    std::size_t stride = static_cast<std::size_t>(0.618 * static_cast<double>(count)) | 1;
    while (std::gcd(stride, count) > 1) stride += 2;
    for (std::size_t i = 0, at = 0; i < count; ++i, at = (at + stride) % count) {
        const Gap& g = gaps[at];
        for (double z = g.low + std::min(0.5 * edge, 0.5 * (g.high - g.low)); z < g.high;) {
            const Vector3 p(g.x, g.y, z);
            const double far = near.distance(p, out.farthest, nearest);
            // A step of so much changes the distance by no more: what cannot be farther is passed over.
            z += std::max(edge, out.farthest - far);
            if (far > out.farthest) out.farthest = far, out.there = p;
        }
    }
}

/// Where each upright line of a grid (row by row) runs through what a surface encloses. False: it is not closed
/// somewhere.
bool inside_of(
    const Surface& s, const Vector3& corner, double edge, int columns, int rows, std::vector<Stretches>& out) {
    std::vector<std::vector<double>> crossed(out.size());
    for (const auto& t : s.triangles) {
        const Vector3 a = s.points[t[0]].cast<double>(), b = s.points[t[1]].cast<double>(),
                      c = s.points[t[2]].cast<double>();
        const double area = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
        if (area == 0) continue;
        const auto first = [&](double low, double from, int count) {
            return std::clamp(static_cast<int>(std::ceil((low - from) / edge)), 0, count);
        };
        const int x0 = first(std::min({a.x(), b.x(), c.x()}), corner.x(), columns),
                  x1 = first(std::max({a.x(), b.x(), c.x()}), corner.x(), columns),
                  y0 = first(std::min({a.y(), b.y(), c.y()}), corner.y(), rows),
                  y1 = first(std::max({a.y(), b.y(), c.y()}), corner.y(), rows);
        for (int row = y0; row < y1; ++row)
            for (int column = x0; column < x1; ++column) {
                const double x = corner.x() + column * edge, y = corner.y() + row * edge;
                const double u = ((b.x() - x) * (c.y() - y) - (b.y() - y) * (c.x() - x)) / area,
                             v = ((c.x() - x) * (a.y() - y) - (c.y() - y) * (a.x() - x)) / area;
                if (u < 0 || v < 0 || u + v > 1) continue;
                crossed[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
                        static_cast<std::size_t>(column)]
                    .push_back(u * a.z() + v * b.z() + (1 - u - v) * c.z());
            }
    }
    bool closed = true;
    for (std::size_t i = 0; i < crossed.size(); ++i) {
        std::sort(crossed[i].begin(), crossed[i].end());
        closed = closed && crossed[i].size() % 2 == 0;
        for (std::size_t k = 1; k < crossed[i].size(); k += 2) out[i].emplace_back(crossed[i][k - 1], crossed[i][k]);
    }
    return closed;
}

}  // namespace

Beyond beyond(const Surface& surface, const std::vector<Convex>& pieces, int fine) {
    Beyond out;
    Box3 box = bounds(surface);
    if (box.empty() || pieces.empty() || surface.triangles.empty()) return out;
    for (const Convex& piece : pieces) {
        const Box3 own = bounds(piece, Frame::Identity());
        box.add(own.low), box.add(own.high);
    }
    const Vector3 size = box.high - box.low;
    const double edge = out.edge = std::max(1e-6, size.maxCoeff() / std::max(4, fine));
    const int columns = 1 + static_cast<int>(size.x() / edge), rows = 1 + static_cast<int>(size.y() / edge);
    // A little beside the middles, so that no line runs along an edge of what is drawn on a round grid.
    const Vector3 corner = box.low + edge * Vector3(0.5 + 0.0123, 0.5 - 0.0171, 0);
    std::vector<Stretches> solid(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
    out.closed = inside_of(surface, corner, edge, columns, rows, solid);
    std::vector<Stretches> held(solid.size());
    Spans spans;
    for (const Convex& piece : pieces) {
        spans.draw(Facets(piece), Frame::Identity(), Vector3::Zero(), 0, {edge, corner.x(), corner.y(), columns, rows});
        for (int x = spans.from(); x <= spans.to(); ++x)
            for (int y = spans.first(x); y <= spans.last(x); ++y) {
                const double low = spans.low(x)[y - spans.base()], high = spans.high(x)[y - spans.base()];
                if (low <= high)
                    held[static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(x)]
                        .emplace_back(low, high);
            }
    }
    std::vector<Gap> gaps;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            const double x = corner.x() + column * edge, y = corner.y() + row * edge;
            const std::size_t line =
                static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(column);
            std::sort(held[line].begin(), held[line].end());
            const Stretches& own = solid[line];
            double done = -1e300;
            const auto outside = [&](double low, double high) {
                if (high - low < 1e-6) return;
                out.volume += edge * edge * (high - low);
                gaps.push_back({x, y, low, high});
            };
            for (auto [low, high] : held[line]) {
                low = std::max(low, done);
                done = std::max(done, high);
                for (const auto& [begins, ends] : own) {
                    if (ends <= low || begins >= high) continue;
                    if (begins > low) outside(low, begins);
                    low = std::max(low, ends);
                }
                if (low < high) outside(low, high);
            }
        }
    find_farthest(gaps, surface, edge, out);
    return out;
}

}  // namespace escarp::geometry
