#pragma once
// Watches a line or a volume: made exactly while the solid of some part touches it.

#include <functional>

#include "kernel.h"

namespace escarp::simulation {

struct Watched {
    geometry::Convex shape;  ///< in the world
    Vector3 middle = Vector3::Zero();
    double reach = 0;  ///< no point of the shape is farther from the middle, m
    int only = -1;     ///< index of the part type that is seen; -1: all
    double on_delay = 0, off_delay = 0;
    bool counts = false;          ///< tells how many there are
    std::vector<int> types = {};  ///< several part types that are seen; empty: see `only`
    bool by_origin = false;       ///< a part is there when its origin is, not when any of it is
    double update = 0;            ///< it looks at multiples of this, s; 0: all the time
    double latency = 0;           ///< and tells what it saw so much later, s
    bool each_time = false;       ///< `told` each time that it looks while something is there, not only of changes
    bool random = false;          ///< what `told` does is drawn
    bool tells_itself = false;    ///< `told` sets the first signal
    /// Whether a part that is there can be seen now; with `update` only.
    std::function<bool(const Kernel&, int part)> visible = {};
    /// It tells what it saw: parts that may have gone since.
    std::function<void(Kernel&, const std::vector<int>& parts)> told = {};
};

/// The device's first signals are that something is there and the input "enable", then "count" where it counts.
std::unique_ptr<Behaviour> watching(const cell::Device& device, int index, Watched watched);

}  // namespace escarp::simulation
