#pragma once
// The trade's test cycle, by which arms are compared: 25 mm up, 300 mm across, 25 mm down, and back.

#include <cell/model/cell.h>

namespace escarp::study {

/// Seconds there and back, with the arm's active tool, 50 mm below its ready pose and across the way it faces; upper
/// corners flown within 10 mm. The limits of the model hold for any load up to its payload. Nothing where the lines
/// cannot be followed.
std::optional<double> test_cycle(const cell::Arm& arm);

}  // namespace escarp::study
