#include "mesh.h"

#include <cmath>

extern "C" {
#include <libqhull_r/libqhull_r.h>
}

#include <cstdio>

namespace escarp::geometry {
namespace {

void flat_face(Mesh& m, const std::vector<Vector3>& corners, const Vector3& normal) {
    const int first = static_cast<int>(m.points.size());
    for (const Vector3& c : corners) m.points.push_back(c), m.normals.push_back(normal);
    for (int i = 1; i + 1 < static_cast<int>(corners.size()); ++i)
        m.triangles.push_back({first, first + i, first + i + 1});
}

void add_box(Mesh& m, const Vector3& h) {
    for (int axis = 0; axis < 3; ++axis)
        for (const double side : {-1.0, 1.0}) {
            const Vector3 normal = side * Vector3::Unit(axis), u = Vector3::Unit((axis + 1) % 3),
                          v = side * Vector3::Unit((axis + 2) % 3);
            const Vector3 hu = u.cwiseProduct(h), hv = v.cwiseProduct(h), at = normal.cwiseProduct(h);
            flat_face(m, {at - hu - hv, at + hu - hv, at + hu + hv, at - hu + hv}, normal);
        }
    for (int axis = 0; axis < 3; ++axis)
        for (const double a : {-1.0, 1.0})
            for (const double b : {-1.0, 1.0}) {
                Vector3 from = Vector3::Zero();
                from[(axis + 1) % 3] = a * h[(axis + 1) % 3];
                from[(axis + 2) % 3] = b * h[(axis + 2) % 3];
                Vector3 to = from;
                from[axis] = -h[axis], to[axis] = h[axis];
                m.edges.push_back({from, to});
            }
}

void add_cylinder(Mesh& m, double r, double half, int facets) {
    std::vector<Vector3> top, bottom;
    for (int i = 0; i < facets; ++i) {
        const double a = 2 * pi * i / facets, b = 2 * pi * (i + 1) / facets;
        const Vector3 u(std::cos(a), std::sin(a), 0), v(std::cos(b), std::sin(b), 0);
        const Vector3 up(0, 0, half);
        const int first = static_cast<int>(m.points.size());
        for (const auto& [p, n] :
            {std::pair<Vector3, Vector3>(r * u - up, u), std::pair<Vector3, Vector3>(r * v - up, v),
                std::pair<Vector3, Vector3>(r * v + up, v), std::pair<Vector3, Vector3>(r * u + up, u)})
            m.points.push_back(p), m.normals.push_back(n);
        m.triangles.push_back({first, first + 1, first + 2});
        m.triangles.push_back({first, first + 2, first + 3});
        m.edges.push_back({r * u + up, r * v + up});
        m.edges.push_back({r * u - up, r * v - up});
        top.push_back(r * u + up);
        bottom.insert(bottom.begin(), r * u - up);
    }
    flat_face(m, top, Vector3::UnitZ());
    flat_face(m, bottom, -Vector3::UnitZ());
}

/// A ball swept along a segment (a sphere where both ends are the same).
void add_capsule(Mesh& m, const Vector3& from, const Vector3& to, double r, int facets) {
    Vector3 axis = to - from;
    axis = axis.norm() > 1e-12 ? axis.normalized() : Vector3::UnitZ();
    const Vector3 u = axis.unitOrthogonal(), v = axis.cross(u);
    const int rings = std::max(4, facets / 4);
    const int first = static_cast<int>(m.points.size());
    int rows = 0;
    const auto ring = [&](const Vector3& centre, double latitude) {
        for (int i = 0; i < facets; ++i) {
            const double a = 2 * pi * i / facets;
            const Vector3 n = std::cos(latitude) * (std::cos(a) * u + std::sin(a) * v) + std::sin(latitude) * axis;
            m.points.push_back(centre + r * n);
            m.normals.push_back(n);
        }
        ++rows;
    };
    for (int k = 0; k <= rings; ++k) ring(from, -pi / 2 + pi / 2 * k / rings);
    for (int k = 0; k <= rings; ++k) ring(to, pi / 2 * k / rings);
    for (int row = 0; row + 1 < rows; ++row)
        for (int i = 0; i < facets; ++i) {
            const int here = first + row * facets + i, next = first + row * facets + (i + 1) % facets;
            m.triangles.push_back({here, next, next + facets});
            m.triangles.push_back({here, next + facets, here + facets});
        }
}

void add_hull(Mesh& m, const std::vector<Vector3>& points) {
    std::vector<double> flat;
    for (const Vector3& p : points) flat.insert(flat.end(), p.data(), p.data() + 3);
    qhT workspace;
    qhT* qh = &workspace;
    std::FILE* silent = std::fopen("/dev/null", "w");
    qh_zero(qh, silent);
    char options[] = "qhull Qt";
    const bool good =
        qh_new_qhull(qh, 3, static_cast<int>(points.size()), flat.data(), False, options, nullptr, silent) == 0;
    facetT* facet;
    vertexT *vertex, **vertexp;
    if (good) {  // else flat or a single point: nothing to fill
        FORALLfacets {
            std::vector<Vector3> corners;
            FOREACHvertex_(facet->vertices) corners.emplace_back(vertex->point[0], vertex->point[1], vertex->point[2]);
            const Vector3 normal(facet->normal[0], facet->normal[1], facet->normal[2]);
            if ((corners[1] - corners[0]).cross(corners[2] - corners[0]).dot(normal) < 0)
                std::swap(corners[1], corners[2]);
            for (std::size_t i = 0; i < corners.size(); ++i)
                m.edges.push_back({corners[i], corners[(i + 1) % corners.size()]});
            flat_face(m, corners, normal);
        }
    }
    qh_freeqhull(qh, !qh_ALL);
    int current = 0, total = 0;
    qh_memfreeshort(qh, &current, &total);
    std::fclose(silent);
}

}  // namespace

Mesh mesh(const Convex& shape, int facets) {
    Mesh m;
    switch (shape.core()) {
        case Convex::Core::box: add_box(m, shape.half()); break;
        case Convex::Core::cylinder: add_cylinder(m, shape.half().x(), shape.half().z(), facets); break;
        case Convex::Core::points:
            if (shape.points().size() <= 2)
                add_capsule(m, shape.points().front(), shape.points().back(), shape.radius(), facets);
            else add_hull(m, shape.points());
            break;
    }
    return m;
}

double volume(const Mesh& m) {
    double six = 0;
    for (const auto& t : m.triangles) six += m.points[t[0]].dot(m.points[t[1]].cross(m.points[t[2]]));
    return six / 6;
}

}  // namespace escarp::geometry
