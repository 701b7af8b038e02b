#include "surface.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <queue>

#include <Eigen/Eigenvalues>

#include "mesh.h"

namespace escarp::geometry {
namespace {

using Point = Eigen::Vector3f;

/// A cell of a grid.
struct CellKey {
    std::int64_t x, y, z;
    bool operator==(const CellKey&) const = default;
    /// Every bit of each number stirs every bit of the sum (multipliers of splitmix64, Steele et al. 2014).
    std::size_t hash() const {
        const auto stir = [](std::uint64_t h) {
            h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9u;
            h = (h ^ (h >> 27)) * 0x94d049bb133111ebu;
            return h ^ (h >> 31);
        };
        return stir(
            static_cast<std::uint64_t>(x) + stir(static_cast<std::uint64_t>(y) + stir(static_cast<std::uint64_t>(z))));
    }
};

/// Triangle soup of a piece under work, in metres.
using Soup = std::vector<std::array<Vector3, 3>>;

struct Plane {
    Vector3 normal;
    double offset;  ///< normal . p <= offset inside
};

/// A piece: its triangles, how deep below its hull they lie, and the longest way from one of them through a hollow to
/// the hull.
struct Piece {
    Soup soup;
    std::vector<Vector3> corners;
    double depth = 0, volume = 0, hollow = 0;
    Vector3 middle = Vector3::Zero();  ///< of that way
    int in_vain = 0;                   ///< cuts before it that took nothing away
    bool operator<(const Piece& o) const { return hollow < o.hollow; }
};

std::vector<Vector3> unique_points(const Soup& soup) {
    std::vector<Vector3> points;
    points.reserve(soup.size() * 3);
    for (const auto& t : soup) points.insert(points.end(), t.begin(), t.end());
    std::sort(points.begin(), points.end(), [](const Vector3& a, const Vector3& b) {
        return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
    });
    points.erase(std::unique(points.begin(), points.end()), points.end());
    return points;
}

/// Directions evenly spread over a ball (Fibonacci lattice).
std::vector<Vector3> spread(int count) {
    std::vector<Vector3> out;
    for (int i = 0; i < count; ++i) {
        const double z = 1 - (2 * i + 1.0) / count, r = std::sqrt(std::max(0.0, 1 - z * z)),
                     a = i * pi * (3 - std::sqrt(5.0));
        out.emplace_back(r * std::cos(a), r * std::sin(a), z);
    }
    return out;
}

/// Outermost points along many directions and the axes: enough for a hull of these many corners.
std::vector<Vector3> outermost(const std::vector<Vector3>& points, int most) {
    std::vector<Vector3> out;
    std::vector<Vector3> directions = spread(most);
    for (int x = -1; x <= 1; ++x)
        for (int y = -1; y <= 1; ++y)
            for (int z = -1; z <= 1; ++z)
                if (x || y || z) directions.emplace_back(x, y, z);
    for (const Vector3& d : directions) {
        const Vector3* best = &points.front();
        double far = -1e300;
        for (const Vector3& p : points)
            if (const double s = d.dot(p); s > far) far = s, best = &p;
        out.push_back(*best);
    }
    return out;
}

/// A flat or thin piece gets some body, so that it has a hull.
void thicken(std::vector<Vector3>& points) {
    Eigen::Vector3d mean = Eigen::Vector3d::Zero();
    for (const Vector3& p : points) mean += p;
    mean /= static_cast<double>(points.size());
    Eigen::Matrix3d spreadness = Eigen::Matrix3d::Zero();
    for (const Vector3& p : points) spreadness += (p - mean) * (p - mean).transpose();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(spreadness);
    for (int axis = 0; axis < 3; ++axis) {
        const Vector3 d = axes.eigenvectors().col(axis);
        double low = 1e300, high = -1e300;
        for (const Vector3& p : points) low = std::min(low, d.dot(p)), high = std::max(high, d.dot(p));
        if (high - low > 1e-4) continue;
        const std::size_t n = points.size();
        for (std::size_t i = 0; i < n; ++i) {
            points.push_back(points[i] + 2e-4 * d);
            points[i] -= 2e-4 * d;
        }
    }
}

Piece made(Soup soup, int most_points) {
    Piece piece;
    piece.soup = std::move(soup);
    std::vector<Vector3> points = unique_points(piece.soup);
    piece.corners = points.size() > 600 ? outermost(points, 400) : points;
    thicken(piece.corners);
    const Mesh hull = mesh(Convex::hull(piece.corners), 8);
    piece.volume = volume(hull);
    // Only the hull's own corners are kept.
    std::vector<Plane> planes;
    std::vector<Vector3> corners;
    for (const auto& t : hull.triangles) {
        const Vector3 &a = hull.points[t[0]], &b = hull.points[t[1]], &c = hull.points[t[2]];
        const Vector3 n = (b - a).cross(c - a);
        if (n.norm() < 1e-14) continue;
        planes.push_back({n.normalized(), n.normalized().dot(a)});
        corners.insert(corners.end(), {a, b, c});
    }
    std::sort(corners.begin(), corners.end(), [](const Vector3& a, const Vector3& b) {
        return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
    });
    corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
    if (corners.size() >= 4) piece.corners = std::move(corners);
    if (piece.corners.size() > static_cast<std::size_t>(most_points)) {
        piece.corners = outermost(piece.corners, most_points - 30);
        std::sort(piece.corners.begin(), piece.corners.end(), [](const Vector3& a, const Vector3& b) {
            return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
        });
        piece.corners.erase(std::unique(piece.corners.begin(), piece.corners.end()), piece.corners.end());
    }
    // How deep below the hull does the surface lie? At corners and middles of its triangles.
    const std::size_t stride = std::max<std::size_t>(1, piece.soup.size() / 4000);
    for (std::size_t i = 0; i < piece.soup.size(); i += stride) {
        const auto& t = piece.soup[i];
        const Vector3 middle = (t[0] + t[1] + t[2]) / 3, outwards = (t[1] - t[0]).cross(t[2] - t[0]).normalized();
        for (const Vector3& p : {t[0], t[1], t[2], middle}) {
            double inside = 1e300;
            for (const Plane& plane : planes) inside = std::min(inside, plane.offset - plane.normal.dot(p));
            if (inside < 1e299) piece.depth = std::max(piece.depth, inside);
        }
        double way = 1e300;
        for (const Plane& plane : planes)
            if (const double slope = plane.normal.dot(outwards); slope > 1e-9)
                way = std::min(way, std::max(0.0, plane.offset - plane.normal.dot(middle)) / slope);
        if (way < 1e299 && way > piece.hollow) piece.hollow = way, piece.middle = middle + 0.5 * way * outwards;
    }
    return piece;
}

/// Both sides of a plane, triangles cut where it goes through them; what lies within `grain` of it lies on it.
std::pair<Soup, Soup> cut(const Soup& soup, int axis, double at, double grain) {
    std::pair<Soup, Soup> out;
    for (const auto& t : soup) {
        double d[3];
        int below = 0, above = 0;
        for (int i = 0; i < 3; ++i) {
            d[i] = t[i][axis] - at;
            below += d[i] < -grain ? 1 : 0, above += d[i] > grain ? 1 : 0;
        }
        if (above == 0) {
            out.first.push_back(t);
            continue;
        }
        if (below == 0) {
            out.second.push_back(t);
            continue;
        }
        std::vector<Vector3> low, high;
        for (int i = 0; i < 3; ++i) {
            const Vector3 &p = t[i], &q = t[(i + 1) % 3];
            if (d[i] <= grain) low.push_back(p);
            if (d[i] >= -grain) high.push_back(p);
            const double e = d[(i + 1) % 3];
            if ((d[i] < -grain && e > grain) || (d[i] > grain && e < -grain)) {
                const Vector3 on = p + (q - p) * (d[i] / (d[i] - e));
                low.push_back(on);
                high.push_back(on);
            }
        }
        for (std::size_t i = 2; i < low.size(); ++i) out.first.push_back({low[0], low[i - 1], low[i]});
        for (std::size_t i = 2; i < high.size(); ++i) out.second.push_back({high[0], high[i - 1], high[i]});
    }
    return out;
}

/// Where the most area lies across an axis, well within the piece: the bottom of a hollow, the top of a flange.
std::optional<double> largest_flat(const Soup& soup, int axis) {
    constexpr double beside = 0.02, grain = 1e-4;  // of the piece's length; m
    double low = 1e300, high = -1e300;
    for (const auto& t : soup)
        for (const Vector3& p : t) low = std::min(low, p[axis]), high = std::max(high, p[axis]);
    std::map<long, std::pair<double, double>> flats;  // area, and area times where
    for (const auto& t : soup) {
        const Vector3 n = (t[1] - t[0]).cross(t[2] - t[0]);
        if (std::abs(n[axis]) < 0.999 * n.norm()) continue;
        const double at = (t[0][axis] + t[1][axis] + t[2][axis]) / 3;
        if (at > low + beside * (high - low) && at < high - beside * (high - low)) {
            auto& [area, moment] = flats[std::lround(at / grain)];
            area += n.norm(), moment += at * n.norm();
        }
    }
    const auto most =
        std::max_element(flats.begin(), flats.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    return most == flats.end() ? std::nullopt : std::optional(most->second.second / most->second.first);
}

/// Parts of the surface that hang together.
std::vector<Soup> shells(const Surface& s) {
    std::vector<std::uint32_t> parent(s.points.size());
    std::iota(parent.begin(), parent.end(), 0u);
    const auto root = [&](std::uint32_t i) {
        while (parent[i] != i) i = parent[i] = parent[parent[i]];
        return i;
    };
    for (const auto& t : s.triangles) parent[root(t[0])] = root(t[1]), parent[root(t[1])] = root(t[2]);
    std::map<std::uint32_t, Soup> by_root;
    for (const auto& t : s.triangles)
        by_root[root(t[0])].push_back(
            {s.points[t[0]].cast<double>(), s.points[t[1]].cast<double>(), s.points[t[2]].cast<double>()});
    std::vector<Soup> out;
    out.reserve(by_root.size());
    for (auto& [r, soup] : by_root) {
        double six = 0;  // times its volume; below 0: its triangles are turned inwards
        for (const auto& t : soup) six += (t[0] - soup[0][0]).dot((t[1] - soup[0][0]).cross(t[2] - soup[0][0]));
        if (six < 0)
            for (auto& t : soup) std::swap(t[1], t[2]);
        out.push_back(std::move(soup));
    }
    std::stable_sort(out.begin(), out.end(), [](const Soup& a, const Soup& b) { return a.size() > b.size(); });
    return out;
}

}  // namespace

Box3 bounds(const Surface& s) {
    Box3 box;
    for (const auto& t : s.triangles)
        for (const std::uint32_t i : t) box.add(s.points[i].cast<double>());
    return box;
}

double volume(const Surface& s) {
    const Box3 box = bounds(s);
    if (box.empty()) return 0;
    const Vector3 middle = 0.5 * (box.low + box.high);  // near the points: small numbers stay exact
    double six = 0;
    for (const auto& t : s.triangles)
        six += (s.points[t[0]].cast<double>() - middle)
                   .dot((s.points[t[1]].cast<double>() - middle).cross(s.points[t[2]].cast<double>() - middle));
    return std::abs(six) / 6;
}

Surface welded(const Surface& s, double tolerance) {
    Surface out;
    // Open addressing in one flat table, at most half full: a node of its own for every point costs twice the time.
    constexpr std::uint32_t nobody = 0xffffffffu;
    std::vector<std::uint32_t> table(std::bit_ceil(2 * s.points.size() + 2), nobody), to(s.points.size());
    std::vector<CellKey> keys;
    for (std::size_t i = 0; i < s.points.size(); ++i) {
        const Point& p = s.points[i];
        const CellKey key{
            std::llround(p.x() / tolerance), std::llround(p.y() / tolerance), std::llround(p.z() / tolerance)};
        std::size_t at = key.hash() & (table.size() - 1);
        while (table[at] != nobody && !(keys[table[at]] == key)) at = (at + 1) & (table.size() - 1);
        if (table[at] == nobody) {
            table[at] = static_cast<std::uint32_t>(keys.size());
            keys.push_back(key);
            out.points.push_back(p);
        }
        to[i] = table[at];
    }
    for (const auto& t : s.triangles)
        if (to[t[0]] != to[t[1]] && to[t[1]] != to[t[2]] && to[t[2]] != to[t[0]])
            out.triangles.push_back({to[t[0]], to[t[1]], to[t[2]]});
    return out;
}

Surface thinned(const Surface& s, std::size_t most, double* moved) {
    if (moved) *moved = 0;
    if (s.triangles.size() <= most) return s;
    const Box3 box = bounds(s);
    const double size = std::max(1e-6, (box.high - box.low).maxCoeff());
    double cells = std::sqrt(static_cast<double>(most)) * 0.7;
    Surface out;
    for (int round = 0; round < 12; ++round, cells *= 0.8) {
        const double tolerance = size / std::max(4.0, cells);
        out = welded(s, tolerance);
        if (moved) *moved = tolerance * std::sqrt(3.0);
        if (out.triangles.size() <= most) break;
    }
    return out;
}

Surface placed(const Surface& s, const Frame& at, double scale) {
    Surface out = s;
    for (Point& p : out.points) p = (at * (scale * p.cast<double>())).cast<float>();
    return out;
}

namespace {

/// A surface on its way into convex pieces.
class Cutting {
public:
    Cutting(const Surface& surface, const PieceOptions& o) : o_(o) {
        const Surface whole = thinned(surface, 60'000);
        const Box3 box = bounds(whole);
        // A cell's file keeps no finer places.
        if (!box.empty()) grain_ = std::max(1e-9, 2e-5 * (box.high - box.low).maxCoeff());
        std::vector<Soup> parts = shells(welded(whole, 1e-6));
        // More shells than pieces: the small ones go with the last.
        if (const auto most = static_cast<std::size_t>(std::max(1, o.most / 2)); parts.size() > most) {
            for (std::size_t i = most; i < parts.size(); ++i)
                parts[most - 1].insert(parts[most - 1].end(), parts[i].begin(), parts[i].end());
            parts.resize(most);
        }
        for (const CutPlane& plane : o.first) {
            std::vector<Soup> then;
            for (Soup& part : parts) {
                auto [low, high] = cut(part, plane.axis, plane.at, grain_);
                if (low.empty() || high.empty()) then.push_back(std::move(part));
                else then.push_back(std::move(low)), then.push_back(std::move(high));
            }
            parts = std::move(then);
        }
        for (Soup& soup : parts) open_.push(made(std::move(soup), o.most_points));
    }

    std::vector<Convex> result() {
        std::vector<Piece> done;
        while (!open_.empty()) {
            Piece piece = take();
            if (piece.depth <= o_.tolerance || done.size() + open_.size() + 1 >= static_cast<std::size_t>(o_.most)) {
                done.push_back(std::move(piece));
                continue;
            }
            auto best = best_split(piece);
            if (!best) {
                done.push_back(std::move(piece));
                continue;
            }
            open_.push(std::move(best->low));
            open_.push(std::move(best->high));
        }
        std::vector<Convex> out;
        out.reserve(done.size());
        for (Piece& piece : done) out.push_back(Convex::hull(std::move(piece.corners)));
        return out;
    }
    std::optional<CutPlane> next() {
        while (!open_.empty()) {
            const Piece piece = take();
            if (piece.depth <= o_.tolerance) continue;
            if (const auto best = best_split(piece)) return best->plane;
        }
        return std::nullopt;
    }

private:
    struct Split {
        CutPlane plane;
        Piece low, high;
    };
    Piece take() {
        Piece piece = open_.top();
        open_.pop();
        return piece;
    }
    /// Through the middle of the longest way through a hollow, or at the largest flat within, across the axis where the
    /// two hulls fill the least.
    std::optional<Split> best_split(const Piece& piece) const {
        // A cut may take nothing away and make room for one that does: of a tub the second does.
        constexpr int most_in_vain = 3;
        std::optional<Split> best;
        double least = 1e300;
        const auto consider = [&](int axis, double at) {
            auto [low, high] = cut(piece.soup, axis, at, grain_);
            if (low.empty() || high.empty()) return;
            Piece a = made(std::move(low), o_.most_points), b = made(std::move(high), o_.most_points);
            // The less the better; of equals the one that leaves the shorter ways.
            const double left = a.volume + b.volume + 1e-5 * piece.volume * (a.hollow + b.hollow) / piece.hollow;
            if (left < least) least = left, best.emplace(Split{{axis, at}, std::move(a), std::move(b)});
        };
        for (int axis = 0; axis < 3; ++axis) {
            consider(axis, piece.middle[axis]);
            if (const auto flat = largest_flat(piece.soup, axis); flat && std::abs(*flat - piece.middle[axis]) > 1e-6)
                consider(axis, *flat);
        }
        const int in_vain = least > piece.volume * (1 - 1e-4) ? piece.in_vain + 1 : 0;
        if (!best || in_vain > most_in_vain) return std::nullopt;
        best->low.in_vain = best->high.in_vain = in_vain;
        return best;
    }

    const PieceOptions& o_;
    double grain_ = 0;
    std::priority_queue<Piece> open_;
};

}  // namespace

std::vector<Convex> convex_pieces(const Surface& surface, const PieceOptions& o) {
    return Cutting(surface, o).result();
}

std::optional<CutPlane> next_cut(const Surface& surface, const PieceOptions& o) { return Cutting(surface, o).next(); }

}  // namespace escarp::geometry
