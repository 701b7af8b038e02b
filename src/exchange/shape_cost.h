#pragma once
// What it costs to check imported geometry by convex pieces: how much they add to the true shape, and what that does to
// the least clearance.

#include <geometry/surface.h>
#include <study/figures.h>

namespace escarp::exchange {

/// How it is cut: at planes placed by hand, then by itself into so many pieces at most.
struct ShapeCut {
    int most = 1;
    std::vector<geometry::CutPlane> by_hand = {};
};

struct ShapeCost {
    int pieces = 0;           ///< that came of it
    ShapeCut cut = {};        ///< how it was cut
    double added_litres = 0;  ///< that the pieces hold beyond the surface
    double farthest = 0;      ///< of that, from the surface, m
    double edge = 0;          ///< how finely that was looked for, m
    bool closed = true;       ///< else nothing can be said of what the surface encloses
    /// The least clearance of what is made of it, in the run; nothing within a metre, or it is part of what the flow
    /// carries: none.
    std::optional<inspection::LeastClearance> clearance;
    cell::Edit edit;                         ///< that cuts it so
    std::optional<geometry::CutPlane> next;  ///< the best plane to cut it at further; none: no hollow is left
};

/// Of a mesh of the cell as it is checked now, and cut in each of several ways. Throws
/// InputError for an id that there is none of, and for a surface that the file only links; Cancelled.
struct ShapeCosts {
    std::string name;
    geometry::Box3 box;  ///< of the surface, in its own frame
    ShapeCost now;       ///< its `next`: of the whole surface
    std::vector<ShapeCost> cut;
};
ShapeCosts shape_costs(const cell::Layout& layout, const std::string& mesh, const std::vector<ShapeCut>& cuts,
    inspection::Cache& cache, const inspection::StopFlag* stop = nullptr,
    const std::function<void(double)>& progress = {});

/// Of what stands and moves of a device, each once.
std::vector<std::string> meshes_of(const cell::Device& device);

/// "8 pieces add 0.42 l, up to 31 mm from the surface; least clearance 12.3 mm, Arm 1 tool and Fixture"
std::string in_words(const ShapeCost& cost);
/// "x 120, z 40 mm"
std::string in_words(const std::vector<geometry::CutPlane>& planes);

}  // namespace escarp::exchange
