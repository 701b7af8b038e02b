#pragma once
// Watches a line or a volume: made exactly while the solid of some part touches it.

#include "kernel.h"

namespace escarp::simulation {

struct Watched {
    geometry::Convex shape;  ///< in the world
    Vector3 middle = Vector3::Zero();
    double reach = 0;  ///< no point of the shape is farther from the middle, m
    int only = -1;     ///< index of the part type that is seen; -1: all
    double on_delay = 0, off_delay = 0;
    bool counts = false;  ///< tells how many there are
};

/// The device's first signals are "made" and the input "enable", then "count" where it counts.
std::unique_ptr<Behaviour> watching(const cell::Device& device, int index, Watched watched);

}  // namespace escarp::simulation
