#pragma once
// How bodies are drawn: finer than they are judged, and never outside of what is judged by more than half a millimetre.

#include <memory>
#include <vector>

#include <geometry/convex.h>
#include <geometry/surface.h>

#include "scene_drawer.h"

namespace escarp::desktop {

struct Skin {
    std::shared_ptr<const SceneMesh> body;
    std::shared_ptr<const SceneMesh> trim = nullptr;  ///< in another tone (covers of joints, rollers); null: none
};

/// A casting's edges are rounded and its beams slimmer between the joints, by at most `slimmer` of their radius.
inline constexpr double slimmer = 0.13;

Skin skin(const geometry::Convex& shape, geometry::Finish finish);
/// A surface from a CAD file.
Skin skin(const geometry::Surface& surface);

}  // namespace escarp::desktop
