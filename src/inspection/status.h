#pragma once
// What a sensor, a stop or a divert tells at an instant.

#include <memory>

#include <geometry/convex.h>
#include <simulation/run.h>

namespace escarp::inspection {

/// The line or volume that lights up with one of a device's signals, in the world; null: there is none.
std::unique_ptr<geometry::Convex> watched_shape(const cell::Device& device);
/// "on 1.3 s: Housing", "off 12.4 s", in a few words; empty where nothing of the device lights up.
std::string status(const cell::Cell& cell, const simulation::Run& run, int device, simulation::Ticks t);

}  // namespace escarp::inspection
