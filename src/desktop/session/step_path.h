#pragma once
// The way of the tool frame during a step, as the views draw it.

#include <study/figures.h>

namespace escarp::desktop {

/// Points in the world of one execution of a step, the first within the steady stretch; one list for each motion of it.
/// Empty: it moves nothing.
std::vector<std::vector<geometry::Vector3>> step_path(
    const study::Evaluation& evaluation, int device, const std::string& step);

}  // namespace escarp::desktop
