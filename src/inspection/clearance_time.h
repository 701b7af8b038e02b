#pragma once
// How near things come over time, and which pairs come nearest.

#include "inspect.h"

namespace escarp::inspection {

/// Of everything, of one device against everything, or of two against each other (indexes, -1: any): the least distance
/// within each of `bins` equal stretches from `from` to `to` (s of the run): the global least of the
/// stretch, so that no dip between two instants is passed over. Distances that are judged at all (docs/model.md,
/// "Clearance"); above `farthest` m, or where nothing is judged, a stretch has no devices. Throws Cancelled.
struct ClearanceCurve {
    double from = 0, to = 0, farthest = 0;
    std::vector<LeastClearance> bins;
};
ClearanceCurve clearance_over_time(const cell::Cell& cell, const simulation::Run& run, Cache& cache, double from,
    double to, int bins, int one = -1, int other = -1, double farthest = 1.0, const StopFlag* stop = nullptr);

/// Each pair of devices (and a device with the parts on another) at its nearest within a stretch of the run, the
/// nearest pair first; those that stay farther apart than `farthest` m are left out.
std::vector<LeastClearance> nearest_pairs(const cell::Cell& cell, const simulation::Run& run, Cache& cache, double from,
    double to, double farthest = 0.3, const StopFlag* stop = nullptr);

}  // namespace escarp::inspection
