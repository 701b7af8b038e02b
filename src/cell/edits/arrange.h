#pragma once
// Edits that place devices: moving, turning, aligning, spreading, mirroring, copying, changing what something stands
// on. Lengths in metres and angles in radians here; placements are written in mm and degrees, to a nanometre.

#include <optional>

#include <cell/model/cell.h>
#include <cell/read/layout.h>

namespace escarp::cell {

class Kinds;

/// A placement as the file has it: mm, degrees; rx, ry, turn about fixed x, y, z.
struct Placement {
    double x = 0, y = 0, z = 0, rx = 0, ry = 0, turn = 0;
};
Placement placement_of(const Frame& frame);
Frame frame_of(const Placement& placement);

/// The frame that a device's placement numbers are relative to: its host's mount, or the floor.
Frame host_frame(const Cell& cell, int device);
/// A frame to read numbers in: a device's origin, or the floor for -1.
Frame reading_frame(const Cell& cell, int device);

/// Sets a device down at `world`; `host`: what it then stands on (-1: the floor), unchanged if not given.
/// Numbers that do not change are not written.
Operations place_at(const Cell& cell, int device, const Frame& world, std::optional<int> host = std::nullopt);

/// The devices of a list that none of the others carries: moving these moves all.
std::vector<int> tops(const Cell& cell, const std::vector<int>& devices);

Edit move_by(const Cell& cell, const std::vector<int>& devices, const Vector3& shift);
/// About the upright through the middle of all (one device: its origin).
Edit turn_by(const Cell& cell, const std::vector<int>& devices, double angle);

/// Axis-aligned extent in the world of a device without what stands on it.
geometry::Box3 world_extent(const Cell& cell, int device);

enum class AlignAt { left, right, front, back, middle_x, middle_y };
/// To the first device of the list, which stays.
Edit align(const Cell& cell, const std::vector<int>& devices, AlignAt at);
/// Equal gaps between neighbours along x (0) or y (1); the outermost stay. Throws InputError for fewer than three.
Edit distribute(const Cell& cell, const std::vector<int>& devices, int axis);

/// Mirrors in the upright plane x = `at` (axis 0) or y = `at` (axis 1).
Edit mirror(const Layout& layout, const std::vector<std::string>& ids, int axis, double at);

/// Copies with what stands on them, one set for each frame: the world moved by that frame. Steps are not copied: work
/// is not done twice. `made` receives the ids of the copies of `ids`.
Edit copy(const Layout& layout, const std::vector<std::string>& ids, const std::vector<Frame>& by,
    std::vector<std::string>* made = nullptr);
/// For `copy`: all places of a grid but the first.
std::vector<Frame> grid_of(int columns, int rows, double dx, double dy);
/// For `copy`: `count` places on a circle over `angle` (a full turn: evenly round), all but the first.
std::vector<Frame> ring_of(int count, const Vector3& centre, double angle);

/// What a device set down at a point would stand on: the highest thing there that carries it; -1: the floor.
int carrier_at(const Cell& cell, int device, const Vector3& point);

/// What becomes of those that stand on a device which is taken away.
enum class Riders { lower, keep_height, remove };
Edit remove_devices(const Layout& layout, const std::vector<std::string>& ids, Riders riders);

}  // namespace escarp::cell
