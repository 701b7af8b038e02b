#include "distance.h"

#include <array>
#include <cmath>
#include <optional>
#include <vector>

namespace escarp::geometry {
namespace {

/// A vertex of the difference body: `w = p - q` with p on a, q on b, all in the axes and origin of a.
struct Vertex {
    Vector3 w, p, q;
};

/// The pair seen from a's frame, so that only b's directions are turned.
struct Pair {
    const Convex& a;
    const Convex& b;
    Matrix3 turn;
    Vector3 shift;

    Pair(const Convex& first, const Frame& at_a, const Convex& second, const Frame& at_b)
        : a(first),
          b(second),
          turn(at_a.linear().transpose() * at_b.linear()),
          shift(at_a.linear().transpose() * (at_b.translation() - at_a.translation())) {}

    Vertex support(const Vector3& d) const {
        Vertex v;
        v.p = a.support(d);
        v.q = turn * b.support(-(turn.transpose() * d)) + shift;
        v.w = v.p - v.q;
        return v;
    }
    Vertex support_grown(const Vector3& unit) const {
        Vertex v = support(unit);
        v.p += a.radius() * unit;
        v.q -= b.radius() * unit;
        v.w = v.p - v.q;
        return v;
    }
};

/// Which corners of a simplex span the point nearest to the origin, in rising order, and their shares in it.
struct Face {
    int size = 0;
    std::array<int, 4> corner{};
    std::array<double, 4> share{};

    static Face point(int a) { return {1, {a}, {1.0}}; }
    static Face edge(int a, int b, double t) { return {2, {a, b}, {1 - t, t}}; }
};

Face nearest_on_segment(const Vector3& a, const Vector3& b) {
    const Vector3 side = b - a;
    const double length2 = side.squaredNorm();
    const double t = length2 > 0 ? -a.dot(side) / length2 : 0.0;
    if (t <= 0) return Face::point(0);
    if (t >= 1) return Face::point(1);
    return Face::edge(0, 1, t);
}

Face nearest_on_triangle(const Vector3& a, const Vector3& b, const Vector3& c) {
    const Vector3 side1 = b - a, side2 = c - a;
    const double d1 = -side1.dot(a), d2 = -side2.dot(a);
    if (d1 <= 0 && d2 <= 0) return Face::point(0);
    const double d3 = -side1.dot(b), d4 = -side2.dot(b);
    if (d3 >= 0 && d4 <= d3) return Face::point(1);
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return Face::edge(0, 1, d1 / (d1 - d3));
    const double d5 = -side1.dot(c), d6 = -side2.dot(c);
    if (d6 >= 0 && d5 <= d6) return Face::point(2);
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return Face::edge(0, 2, d2 / (d2 - d6));
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return Face::edge(1, 2, (d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const double sum = va + vb + vc;
    if (sum <= 0) return Face::point(0);
    return {3, {0, 1, 2}, {va / sum, vb / sum, vc / sum}};
}

/// The vertices the search stands on, and the shares of its nearest point.
struct Simplex {
    std::array<Vertex, 4> v{};
    std::array<double, 4> share{};
    int size = 0;

    Vector3 nearest(const Face& f) const {
        Vector3 sum = f.share[0] * v[f.corner[0]].w;
        for (std::size_t i = 1; i < static_cast<std::size_t>(f.size); ++i) sum += f.share[i] * v[f.corner[i]].w;
        return sum;
    }
    void keep(const Face& f) {
        size = f.size;
        for (std::size_t i = 0; i < static_cast<std::size_t>(size); ++i) {
            const auto from = static_cast<std::size_t>(f.corner[i]);
            if (from != i) v[i] = v[from];
            share[i] = f.share[i];
        }
    }
};

/// Nothing when the origin lies inside the tetrahedron.
std::optional<Face> nearest_on_tetrahedron(const Simplex& s) {
    static constexpr int sides[4][4] = {{0, 1, 2, 3}, {0, 2, 3, 1}, {0, 1, 3, 2}, {1, 2, 3, 0}};
    std::optional<Face> best;
    double least = 1e300;
    for (const auto& f : sides) {
        const Vector3 &a = s.v[f[0]].w, &b = s.v[f[1]].w, &c = s.v[f[2]].w, &d = s.v[f[3]].w;
        const Vector3 normal = (b - a).cross(c - a);
        const double inner = normal.dot(d - a), origin = -normal.dot(a);
        const bool flat = inner * inner < 1e-28 * normal.squaredNorm() * (1.0 + (d - a).squaredNorm());
        if (!flat && inner * origin >= 0) continue;
        Face face = nearest_on_triangle(a, b, c);
        for (int& corner : face.corner) corner = f[corner];
        const double distance2 = s.nearest(face).squaredNorm();
        if (distance2 < least) least = distance2, best = face;
    }
    return best;
}

/// The face of the simplex nearest to the origin; nothing when the origin is inside.
std::optional<Face> nearest_face(const Simplex& s) {
    switch (s.size) {
        case 1: return Face::point(0);
        case 2: return nearest_on_segment(s.v[0].w, s.v[1].w);
        case 3: return nearest_on_triangle(s.v[0].w, s.v[1].w, s.v[2].w);
        default: return nearest_on_tetrahedron(s);
    }
}

}  // namespace

// In one piece: it is one loop over one simplex, and most of all computing time goes here.
Separation separation(
    const Convex& a, const Frame& at_a, const Convex& b, const Frame& at_b, Warm* warm, double enough) {
    const double radii = a.radius() + b.radius();
    if (warm && enough < 1e299) {  // the plane that parted them the last time may still do
        const double length2 = warm->squaredNorm();
        if (length2 > 0) {
            const Vector3 p = at_a * a.support(-(at_a.linear().transpose() * *warm)),
                          q = at_b * b.support(at_b.linear().transpose() * *warm);
            const double along = warm->dot(p - q), least = enough + radii;
            if (along > 0 && along * along > least * least * length2)
                return {along / std::sqrt(length2) - radii, Vector3::Zero(), Vector3::Zero()};
        }
    }
    const Pair pair(a, at_a, b, at_b);
    Vector3 v = warm && warm->squaredNorm() > 0 ? Vector3(at_a.linear().transpose() * *warm)
                                                : Vector3(a.centre() - (pair.turn * b.centre() + pair.shift));
    if (v.squaredNorm() < 1e-24) v = Vector3::UnitX();
    Simplex s;
    constexpr double parted = 1e-12;  // m, well above rounding
    bool inside = false, started = false;
    double lower = 0.0;
    for (int iteration = 0; iteration < 100; ++iteration) {
        const Vertex next = pair.support(-v);
        const double length2 = v.squaredNorm();
        const double along = v.dot(next.w);  // the whole difference body lies beyond this plane
        if (along > 0) lower = std::max(lower, along / std::sqrt(length2));
        if (lower - radii > enough) break;
        if (started && length2 - along <= 1e-9 * length2 + 1e-20) break;
        bool repeated = false;
        for (int i = 0; i < s.size; ++i) repeated = repeated || (s.v[i].w - next.w).squaredNorm() < 1e-26;
        if (started && repeated) break;
        s.v[s.size++] = next;
        const std::optional<Face> face = nearest_face(s);
        if (!face) {
            // Where a plane was found that parts them, they do not meet whatever a sliver of a simplex says: the search
            // has come to where rounding decides.
            inside = lower < parted;
            if (!inside) --s.size;
            break;
        }
        const Vector3 nearer = s.nearest(*face);
        if (started && nearer.squaredNorm() >= length2) {  // rounding: no progress left
            --s.size;
            break;
        }
        s.keep(*face);
        v = nearer;
        started = true;
        if (v.squaredNorm() < 1e-22) {
            inside = true;
            break;
        }
    }
    if (warm) *warm = at_a.linear() * v;
    Separation result{0.0, Vector3::Zero(), Vector3::Zero()};
    if (inside) return result;
    if (!started) {
        result.distance = std::max(0.0, lower - radii);
        return result;
    }
    const double core = v.norm();
    Vector3 p = Vector3::Zero(), q = Vector3::Zero();
    for (int i = 0; i < s.size; ++i) {
        p += s.share[i] * s.v[i].p;
        q += s.share[i] * s.v[i].q;
    }
    result.distance = std::max(0.0, (lower - radii > enough ? lower : core) - radii);
    const Vector3 unit = v / core;
    result.on_a = at_a * Vector3(p - a.radius() * unit);
    result.on_b = at_a * Vector3(q + b.radius() * unit);
    return result;
}

double penetration(const Convex& a, const Frame& at_a, const Convex& b, const Frame& at_b) {
    if (separation(a, at_a, b, at_b).distance > 0) return 0.0;
    const Pair pair(a, at_a, b, at_b);
    struct Facet {
        std::array<int, 3> corner;
        Vector3 normal;
        double offset;
        bool alive = true;
    };
    std::vector<Vector3> points;
    std::vector<Facet> facets;
    Vector3 middle = Vector3::Zero();
    const auto add_facet = [&](int i, int j, int k) {
        Vector3 normal = (points[j] - points[i]).cross(points[k] - points[i]);
        const double length = normal.norm();
        if (length < 1e-18) return;
        normal /= length;
        if (normal.dot(points[i] - middle) < 0) {
            normal = -normal;
            std::swap(j, k);
        }
        facets.push_back({{i, j, k}, normal, normal.dot(points[i])});
    };
    // Start from the octahedron of supports along the axes of a slightly turned cross: never flat for solid bodies.
    const Matrix3 cross = from_triple({0.31, 0.17, 0.43});
    for (int axis = 0; axis < 3; ++axis)
        for (const double sign : {1.0, -1.0}) points.push_back(pair.support_grown(sign * cross.col(axis)).w);
    for (const Vector3& p : points) middle += p / 6.0;
    for (const int x : {0, 1})
        for (const int y : {2, 3})
            for (const int z : {4, 5}) add_facet(x, y, z);
    double upper = 1e300;
    for (int iteration = 0; iteration < 200; ++iteration) {
        const Facet* nearest = nullptr;
        for (const Facet& f : facets)
            if (f.alive && (!nearest || f.offset < nearest->offset)) nearest = &f;
        if (!nearest) return 0.0;
        const Vector3 direction = nearest->normal;
        const double offset = nearest->offset;
        const Vector3 next = pair.support_grown(direction).w;
        const double reached = direction.dot(next);
        upper = std::min(upper, reached);
        if (reached - offset < 1e-6) break;
        std::vector<std::pair<int, int>> edges;  // the rim of what the new point sees
        for (Facet& f : facets) {
            if (!f.alive || f.normal.dot(next) <= f.offset + 1e-12) continue;
            f.alive = false;
            for (int e = 0; e < 3; ++e) {
                const std::pair<int, int> edge(f.corner[e], f.corner[(e + 1) % 3]);
                const auto twin = std::find(edges.begin(), edges.end(), std::pair(edge.second, edge.first));
                if (twin != edges.end()) edges.erase(twin);
                else edges.push_back(edge);
            }
        }
        points.push_back(next);
        for (const auto& [i, j] : edges) add_facet(i, j, static_cast<int>(points.size()) - 1);
    }
    return std::max(0.0, upper);
}

}  // namespace escarp::geometry
