#include "skins.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <geometry/mesh.h>

namespace escarp::desktop {
namespace {

using geometry::Convex;
using geometry::Finish;
using geometry::pi;
using geometry::Vector3;

constexpr int facets = 28;        // chords of a full turn
constexpr double proud = 0.0004;  // trim on a face stands out by so much, m

std::shared_ptr<const SceneMesh> scene_mesh(const geometry::Mesh& m, bool closed = true) {
    auto made = std::make_shared<SceneMesh>();
    made->closed = closed;
    made->corners.reserve(6 * m.points.size());
    for (std::size_t i = 0; i < m.points.size(); ++i)
        for (const Vector3& v : {m.points[i], m.normals[i]})
            for (const double number : v) made->corners.push_back(static_cast<float>(number));
    made->triangles.reserve(3 * m.triangles.size());
    for (const auto& t : m.triangles)
        for (const int i : t) made->triangles.push_back(static_cast<std::uint32_t>(i));
    std::map<std::array<float, 3>, std::uint32_t> known;  // ends that lines share
    made->lines.reserve(2 * m.edges.size());
    for (const auto& e : m.edges)
        for (const Vector3& p : e) {
            const std::array at{static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z())};
            const auto [found, fresh] = known.try_emplace(at, static_cast<std::uint32_t>(known.size()));
            if (fresh) made->ends.insert(made->ends.end(), at.begin(), at.end());
            made->lines.push_back(found->second);
            made->bound = std::max(made->bound, static_cast<float>(p.norm()));
        }
    for (const Vector3& p : m.points) made->bound = std::max(made->bound, static_cast<float>(p.norm()));
    return made;
}

/// Axes to turn an outline about.
struct Spindle {
    Vector3 at, along, u, v;
    static Spindle on(const Vector3& at, const Vector3& along) {
        const Vector3 u = along.unitOrthogonal();
        return {at, along, u, along.cross(u)};
    }
    Vector3 out(int facet) const {
        const double a = 2 * pi * facet / facets;
        return std::cos(a) * u + std::sin(a) * v;
    }
};

/// A place of an outline: how far along and from the axis, and the direction out of the surface there.
struct Rim {
    double along, radius, normal_along, normal_out;
};

/// The outline turned about the axis; its places come in the order along it.
void add_turned(geometry::Mesh& m, const Spindle& s, const std::vector<Rim>& outline) {
    const int first = static_cast<int>(m.points.size());
    for (const Rim& r : outline)
        for (int i = 0; i < facets; ++i) {
            m.points.push_back(s.at + r.along * s.along + r.radius * s.out(i));
            m.normals.push_back((r.normal_along * s.along + r.normal_out * s.out(i)).normalized());
        }
    for (int row = 0; row + 1 < static_cast<int>(outline.size()); ++row)
        for (int i = 0; i < facets; ++i) {
            const int here = first + row * facets + i, next = first + row * facets + (i + 1) % facets;
            m.triangles.push_back({here, next, next + facets});
            m.triangles.push_back({here, next + facets, here + facets});
        }
}

void add_circle(geometry::Mesh& m, const Spindle& s, double along, double radius) {
    for (int i = 0; i < facets; ++i)
        m.edges.push_back({s.at + along * s.along + radius * s.out(i), s.at + along * s.along + radius * s.out(i + 1)});
}

/// A round plate that looks along the axis, with its rim drawn.
void add_disc(geometry::Mesh& m, const Spindle& s, double along, double radius) {
    const int first = static_cast<int>(m.points.size());
    for (int i = 0; i < facets; ++i) {
        m.points.push_back(s.at + along * s.along + radius * s.out(i));
        m.normals.push_back(s.along);
    }
    for (int i = 1; i + 1 < facets; ++i) m.triangles.push_back({first, first + i, first + i + 1});
    add_circle(m, s, along, radius);
}

/// A housing: its rims are rounded, and a cover lies let into either end.
Skin housing(double radius, double half) {
    geometry::Mesh body, trim;
    const double round = std::min(0.16 * radius, 0.3 * half), cover = 0.74 * radius, deep = std::min(0.002, 0.1 * half);
    const Spindle up = Spindle::on(Vector3::Zero(), Vector3::UnitZ());
    constexpr int steps = 4;
    std::vector<Rim> outline{{deep - half, cover, 0, -1}, {-half, cover, 0, -1}, {-half, cover, -1, 0}};
    for (const double end : {-1.0, 1.0})
        for (int k = 0; k <= steps; ++k) {
            const double a = 0.5 * pi * (end < 0 ? k - steps : k) / steps;
            outline.push_back({end * (half - round) + round * std::sin(a), radius - round + round * std::cos(a),
                std::sin(a), std::cos(a)});
        }
    outline.insert(outline.end(), {{half, cover, 1, 0}, {half, cover, 0, -1}, {half - deep, cover, 0, -1}});
    add_turned(body, up, outline);
    for (const double end : {-1.0, 1.0}) {
        add_circle(body, up, end * half, cover);
        add_disc(trim, Spindle::on(Vector3::Zero(), end * Vector3::UnitZ()), half - deep, cover);
        add_circle(trim, up, end * (half - deep), 0.4 * cover);
    }
    return {scene_mesh(body), scene_mesh(trim)};
}

/// A beam between two joints: full at its ends, slimmer between them, most where two thirds of it are behind.
Skin beam(const Vector3& from, const Vector3& to, double radius) {
    geometry::Mesh body;
    const double length = (to - from).norm();
    constexpr int round = 6, steps = 18;
    std::vector<Rim> outline;
    for (int k = 0; k < round; ++k) {
        const double a = 0.5 * pi * (k - round) / round;
        outline.push_back({radius * std::sin(a), radius * std::cos(a), std::sin(a), std::cos(a)});
    }
    const double depth = slimmer * radius * std::clamp(0.5 * length / radius, 0.0, 1.0);
    const auto waist = [](double share) {  // 0 at the ends, 1 at two thirds
        const double x = share < 2.0 / 3 ? share * 1.5 : (1 - share) * 3;
        return x * x * (3 - 2 * x);
    };
    for (int k = 0; k <= steps; ++k) {
        const double share = static_cast<double>(k) / steps, d = 0.02;
        const double slope = -depth * (waist(std::min(1.0, share + d)) - waist(std::max(0.0, share - d))) /
                             (2 * d * std::max(length, 1e-9));
        outline.push_back({share * length, radius - depth * waist(share), -slope, 1});
    }
    for (int k = 1; k <= round; ++k) {
        const double a = 0.5 * pi * k / round;
        outline.push_back({length + radius * std::sin(a), radius * std::cos(a), std::sin(a), std::cos(a)});
    }
    add_turned(body, Spindle::on(from, (to - from) / length), outline);
    return {scene_mesh(body)};
}

/// A frame with wires in it, seen through; across the two long directions of the box.
Skin wires(const Vector3& half) {
    geometry::Mesh body = geometry::mesh(Convex::box(2 * half));
    int thin = 0;
    half.minCoeff(&thin);
    constexpr double apart = 0.1;
    constexpr int most = 60;
    for (const int along : {(thin + 1) % 3, (thin + 2) % 3}) {
        const int across = 3 - thin - along;
        const int spaces = std::clamp(static_cast<int>(std::lround(2 * half[across] / apart)), 1, most);
        for (int i = 1; i < spaces; ++i) {
            Vector3 from = Vector3::Zero();
            from[across] = half[across] * (2.0 * i / spaces - 1);
            from[along] = -half[along];
            Vector3 to = from;
            to[along] = half[along];
            body.edges.push_back({from, to});
        }
    }
    return {scene_mesh(body)};
}

/// The bed of a belt, along x: the drums at its ends and the rollers between them show at its sides.
Skin bed(const Vector3& half) {
    geometry::Mesh trim;
    const double drum = 0.8 * half.z(), roller = 0.34 * half.z(), reach = half.x() - half.z();
    constexpr double apart = 0.15;
    constexpr int most = 120;
    for (const double side : {-1.0, 1.0}) {
        const auto add = [&](double x, double z, double radius) {
            add_disc(trim, Spindle::on({x, side * half.y(), z}, side * Vector3::UnitY()), proud, radius);
        };
        if (reach <= drum) {
            add(0, 0, std::min(drum, half.x()));
            continue;
        }
        add(-reach, 0, drum), add(reach, 0, drum);
        const double room = 2 * (reach - drum);
        const int count = std::clamp(static_cast<int>(room / apart), 0, most);
        for (int i = 0; i < count; ++i) add(room * ((i + 0.5) / count - 0.5), 0.4 * half.z(), roller);
    }
    return {scene_mesh(geometry::mesh(Convex::box(2 * half))), scene_mesh(trim)};
}

/// A hull's flat faces come in triangles: only where it bends there is an edge to be seen.
Skin hull(const Convex& shape) {
    geometry::Mesh m = geometry::mesh(shape, facets);
    constexpr double flat = 0.999;  // cosine
    const auto less = [](const Vector3& a, const Vector3& b) {
        return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
    };
    const auto before = [&](const auto& a, const auto& b) {
        return less(a.first, b.first) || (!less(b.first, a.first) && less(a.second, b.second));
    };
    std::map<std::pair<Vector3, Vector3>, Vector3, decltype(before)> sides(before);
    m.edges.clear();
    for (const auto& t : m.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            std::pair<Vector3, Vector3> side{m.points[t[k]], m.points[t[(k + 1) % 3]]};
            if (less(side.second, side.first)) std::swap(side.first, side.second);
            const Vector3& normal = m.normals[t[k]];
            const auto [found, fresh] = sides.try_emplace(side, normal);
            if (!fresh && found->second.dot(normal) < flat) m.edges.push_back({side.first, side.second});
        }
    return {scene_mesh(m)};
}

}  // namespace

Skin skin(const Convex& shape, Finish finish) {
    const bool box = shape.core() == Convex::Core::box && shape.radius() == 0;
    if (finish == Finish::wire && box) return wires(shape.half());
    if (finish == Finish::belt && box) return bed(shape.half());
    if (finish == Finish::casting) {
        if (shape.core() == Convex::Core::cylinder && shape.radius() == 0)
            return housing(shape.half().x(), shape.half().z());
        if (shape.core() == Convex::Core::points && shape.points().size() == 2 &&
            (shape.points()[1] - shape.points()[0]).norm() > 0.2 * shape.radius())
            return beam(shape.points()[0], shape.points()[1], shape.radius());
    }
    if (shape.core() == Convex::Core::points && shape.points().size() > 2) return hull(shape);
    return {scene_mesh(geometry::mesh(shape, facets))};
}

/// Flat facets, edges where it bends sharply.
Skin skin(const geometry::Surface& s) {
    geometry::Mesh m;
    std::map<std::pair<std::uint32_t, std::uint32_t>, Vector3> sides;
    for (const auto& t : s.triangles) {
        const Vector3 a = s.points[t[0]].cast<double>(), b = s.points[t[1]].cast<double>(),
                      c = s.points[t[2]].cast<double>();
        const Vector3 cross = (b - a).cross(c - a),
                      n = cross.norm() > 1e-16 ? Vector3(cross.normalized()) : Vector3(Vector3::UnitZ());
        const int first = static_cast<int>(m.points.size());
        m.points.insert(m.points.end(), {a, b, c});
        m.normals.insert(m.normals.end(), {n, n, n});
        m.triangles.push_back({first, first + 1, first + 2});
        for (std::size_t k = 0; k < 3; ++k) {
            const auto side = std::minmax(t[k], t[(k + 1) % 3]);
            const auto [found, fresh] = sides.try_emplace(side, n);
            if (!fresh && found->second.dot(n) < 0.8)
                m.edges.push_back({s.points[side.first].cast<double>(), s.points[side.second].cast<double>()});
        }
    }
    return {scene_mesh(m, false)};  // a file may have holes, and triangles the wrong way round
}

}  // namespace escarp::desktop
