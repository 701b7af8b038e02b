#pragma once
// Distance between two convex bodies: Gilbert, Johnson, Keerthi (1988) with the closest point of the simplex
// found by regions (Ericson, Real-Time Collision Detection, 2005, ch. 5), warm-started from the last direction;
// penetration depth by an expanding polytope (van den Bergen 2001).

#include "convex.h"

namespace escarp::geometry {

/// The last separating direction of a pair; keep one per pair and pass it again. A zero vector means "none yet".
using Warm = Vector3;

struct Separation {
    double distance;  ///< metres; 0 when the bodies touch or overlap
    Vector3 on_a;     ///< closest points in the world (undefined when they overlap)
    Vector3 on_b;
};

/// Least distance of `a` standing at `at_a` and `b` at `at_b`, to 1e-6 m for polytopes and 1e-5 m where a cylinder is
/// involved. `enough`: the search may stop once the distance is known to be above it (the result is then a lower
/// bound).
Separation separation(const Convex& a, const Frame& at_a, const Convex& b, const Frame& at_b, Warm* warm = nullptr,
    double enough = 1e300);

/// How deep two bodies overlap: the least translation that parts them, metres, within 1e-6 m; 0 if they are apart.
double penetration(const Convex& a, const Frame& at_a, const Convex& b, const Frame& at_b);

}  // namespace escarp::geometry
