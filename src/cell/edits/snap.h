#pragma once
// Where a device that is moved by hand comes to rest: at a conveyor's end, in line with edges and middles of others,
// face to face, or on the grid.

#include <vector>

#include <cell/model/cell.h>

namespace escarp::cell {

/// A line to draw while dragging, and what it means.
struct SnapGuide {
    Vector3 from, to;   ///< world
    std::string words;  ///< "edge of Table", "middle of Arm 1", "joins Conveyor 2"
};

struct Snap {
    Frame world;                                         ///< of the device, snapped
    bool across = false, along = false, joined = false;  ///< which freedoms something else than the grid took
    int upstream = -1, downstream = -1;  ///< joined: the conveyor that hands on, and the one that takes over
    std::vector<SnapGuide> guides;
};

/// `wanted`: the device's frame in the world as the hand has it; its height is kept. `moving`: all devices that move
/// along (not snapped to). `tolerance` and `grid` in m; a grid of 0 leaves free numbers.
Snap snap(
    const Cell& cell, int device, const std::vector<int>& moving, const Frame& wanted, double tolerance, double grid);

/// Corner, middle and end points of all devices, for measuring: the nearest to `point` within `tolerance`, else the
/// point.
Vector3 snap_point(const Cell& cell, const Vector3& point, double tolerance, std::string* words = nullptr);

}  // namespace escarp::cell
