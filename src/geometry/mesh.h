#pragma once
// Triangles and outlines of convex bodies, for drawing and for export.

#include <array>
#include <vector>

#include "convex.h"

namespace escarp::geometry {

struct Mesh {
    std::vector<Vector3> points;                ///< metres, in the body's own axes
    std::vector<Vector3> normals;               ///< one per point, outwards
    std::vector<std::array<int, 3>> triangles;  ///< counter-clockwise seen from outside
    std::vector<std::array<Vector3, 2>> edges;  ///< sharp edges, for line drawings
};

/// `facets`: chords per full turn of a curved surface. Hulls by the Quickhull library.
Mesh mesh(const Convex& shape, int facets = 32);
/// Volume enclosed by the triangles, m^3 (divergence theorem).
double volume(const Mesh& mesh);

}  // namespace escarp::geometry
