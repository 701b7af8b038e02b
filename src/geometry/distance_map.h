#pragma once
// Distances on a grid of cells.

#include <vector>

namespace escarp::geometry {

/// For each cell that is set, the exact distance (in cells, middle to middle) to the nearest one that is not; what lies
/// outside the grid counts as not set. 0 elsewhere. Row by row. (Felzenszwalb and Huttenlocher, Theory of Computing 8,
/// 2012)
std::vector<float> distance_inside(const std::vector<char>& set, int columns, int rows);

}  // namespace escarp::geometry
