#pragma once
// Triangle surfaces from CAD files: measuring, thinning, and the convex pieces that checks use in their place.

#include <array>
#include <cstdint>
#include <optional>
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

/// Across an axis of the surface's own frame.
struct CutPlane {
    int axis;   ///< 0 to 2
    double at;  ///< m
    bool operator==(const CutPlane&) const = default;
};

struct PieceOptions {
    int most = 32;            ///< pieces
    double tolerance = 0.01;  ///< m: hollows no deeper than this may be filled
    int most_points = 200;    ///< corners of a piece
    /// Cut there before anything else, whatever comes of it: `most` only says whether more cuts follow.
    std::vector<CutPlane> first = {};
};
/// Convex pieces that together hold the surface and what it encloses; hollows deeper than the tolerance are left open
/// as long as there are pieces to do so. Split at planes through the middle of the longest way through a hollow, or at
/// the largest flat within, across the best of the three axes.
std::vector<Convex> convex_pieces(const Surface& surface, const PieceOptions& options = {});
/// Where it would be cut next once it is cut at `options.first`: through the piece with the deepest hollow. Nothing
/// where none is deeper than the tolerance, or no cut takes anything away.
std::optional<CutPlane> next_cut(const Surface& surface, const PieceOptions& options);

/// What bodies hold beyond what a surface encloses.
struct Beyond {
    double volume = 0;    ///< m^3, as far as lines through the middles of squares of `edge` tell
    double farthest = 0;  ///< how far the point of them that is farthest outside is from the surface, m
    Vector3 there = Vector3::Zero();
    double edge = 0;     ///< m
    bool closed = true;  ///< every line goes out as often as in; else what lies behind a gap counts as outside
};
/// `fine`: squares along the longest side.
Beyond beyond(const Surface& surface, const std::vector<Convex>& pieces, int fine = 100);

}  // namespace escarp::geometry
