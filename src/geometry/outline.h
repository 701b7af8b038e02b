#pragma once
// Plane outlines: what a body covers when seen along a direction, and the floor area of many of them.

#include <vector>

#include "convex.h"

namespace escarp::geometry {

using Point2 = Eigen::Vector2d;
using Polygon = std::vector<Point2>;  ///< convex, counter-clockwise, metres

/// Convex hull (Andrew's monotone chain, 1979).
Polygon hull(std::vector<Point2> points);
/// Area in square metres (shoelace formula).
double area(const Polygon& polygon);
/// What the body covers of the plane spanned by `right` and `up` (unit, orthogonal): its silhouette, curved
/// outlines by `facets` chords that touch the curve.
Polygon silhouette(const Convex& shape, const Frame& at, const Vector3& right, const Vector3& up, int facets = 32);
/// The silhouette seen from above.
Polygon footprint(const Convex& shape, const Frame& at, int facets = 32);

}  // namespace escarp::geometry
