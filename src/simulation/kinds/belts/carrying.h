#pragma once
// What a belt does over time.

#include "belt.h"

namespace escarp::simulation {

/// Seats of a conveyor.
inline constexpr int end_seat = 0, drop_seat = 1;
/// Its signals, in the order of the kind's.
namespace belt_signal {
inline constexpr int at_end = 0, count = 1, run = 2, moving = 3, speed = 4, index = 5;
}

std::unique_ptr<Behaviour> carrying(const cell::Device& device, int index, const cell::Cell& cell);

}  // namespace escarp::simulation
