#pragma once
// Triangle surfaces from CAD files: measuring, thinning, and the convex pieces that checks use in their place.

#include <array>
#include <cstdint>
#include <vector>

#include "convex.h"

namespace escarp::geometry {

struct Surface {
    std::vector<Eigen::Vector3f> points;                  ///< metres
    std::vector<std::array<std::uint32_t, 3>> triangles;  ///< counter-clockwise seen from outside
    bool empty() const { return triangles.empty(); }
};

Box3 bounds(const Surface& surface);
/// Volume enclosed, m^3 (divergence theorem); meaningful for closed surfaces. Never negative.
double volume(const Surface& surface);
/// Points closer than `tolerance` (m) made one; triangles without area dropped.
Surface welded(const Surface& surface, double tolerance);
/// At most about `most` triangles: points in one cell of a grid become one of them (Rossignac and Borrel, 1993).
/// `moved`, if given, receives the greatest distance a point was moved by, m.
Surface thinned(const Surface& surface, std::size_t most, double* moved = nullptr);
/// The surface seen through a frame and a scale: p -> at * (scale * p).
Surface placed(const Surface& surface, const Frame& at, double scale);

struct PieceOptions {
    int most = 32;            ///< pieces
    double tolerance = 0.01;  ///< m: hollows no deeper than this may be filled
    int most_points = 200;    ///< corners of a piece
};
/// Convex pieces that together hold the surface and what it encloses; hollows deeper than the tolerance are left open
/// as long as there are pieces to do so. Split at planes through the deepest point of a hollow, the best of three
/// directions.
std::vector<Convex> convex_pieces(const Surface& surface, const PieceOptions& options = {});

}  // namespace escarp::geometry
