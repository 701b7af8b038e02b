#pragma once
// When what moves touches what stands.

#include "plan.h"

namespace escarp::simulation {

/// The stretches of its own time, s, in which a motion brings a mover to what stands; where it touches that at its
/// end, it stays there (to 1e300).
Intervals touching(const motion::Mover& mover, const motion::Mover& still, double duration);

}  // namespace escarp::simulation
