#pragma once
// Geometry from CAD files: STL, OBJ, PLY, glTF and STEP into a cell's meshes.

#include <atomic>
#include <functional>
#include <optional>
#include <string>

#include <cell/model/device_kind.h>
#include <cell/read/layout.h>
#include <geometry/surface.h>

namespace escarp::exchange {

struct LoadedSurface {
    geometry::Surface surface;  ///< in the file's unit and axes
    double unit = 0;            ///< of the file, m; 0: it does not say
    std::string colour;         ///< "#rrggbb", or empty
};

struct LoadWatch {
    std::function<void(double share)> progress;  ///< 0 to 1, as far as it is known
    const std::atomic<bool>* cancel = nullptr;
    double most_s = 150;
};

/// Reads a file in a process of its own (escarp-mesh-loader, beside this program). Throws InputError with the reason:
/// missing, not readable, broken, too large, cancelled, out of time.
LoadedSurface load_surface(const std::string& file, const LoadWatch& watch = {});

struct ImportOptions {
    double unit = 1e-3;         ///< m per unit of the file
    bool y_up = false;          ///< the file's y points up; else its z
    bool bottom_centre = true;  ///< origin at the bottom centre; else where the file has it
    std::string name, colour;
    std::string link;  ///< path to keep instead of the triangles, relative to the cell's file; empty: kept inside
    std::size_t drawn = 60'000;  ///< triangles for drawing at the most
    int pieces = 32;
    double tolerance = 0;  ///< m: hollows that may be filled; 0: 1 % of the size, at least 2 mm
};

/// One element of a cell's "meshes": convex pieces for checks, the thinned surface for drawing (or the link). Throws
/// InputError when its size makes no sense in the unit given.
cell::json mesh_entry(const LoadedSurface& loaded, const ImportOptions& options, const std::string& id);

/// Convex pieces in the form of an entry.
cell::json pieces_of(const geometry::Surface& surface, const geometry::PieceOptions& options);
/// `most` of them, fewer where no hollow is deeper than `tolerance` any more (m; 0: 1 % of the size, at least 2 mm).
geometry::PieceOptions piece_options(const geometry::Surface& surface, int most, double tolerance = 0);

/// Bytes that an entry's surface would take when it is unpacked, as its head says; 0 without one. Costs nothing.
std::size_t unpacked_size(const cell::json& entry);
/// A surface that would take more is not unpacked: what is kept for drawing has at most a tenth of it.
inline constexpr std::size_t largest_unpacked = 32u << 20;
/// The surface as it is drawn, from an entry; null: it is linked, or its text is broken (then the pieces are drawn).
std::optional<geometry::Surface> surface_of(const cell::json& entry);

enum class ImportAs { structure, fixture, tool, part_type };
/// The edit that brings an entry into a cell as something. `id` receives the device's or model's id.
cell::Edit import_edit(const cell::Layout& layout, const cell::json& entry, ImportAs as, std::string* id = nullptr);

/// Triangles as text that fits into JSON: 16-bit steps over the box, deflated, base 64.
std::string surface_text(const geometry::Surface& surface);
std::optional<geometry::Surface> surface_from_text(const std::string& text);

}  // namespace escarp::exchange
