#pragma once
// An arm on a travel axis: the arm's mechanism with a slide under it.

#include <cell/model/cell.h>
#include <cell/model/reader.h>

namespace escarp::cell {

/// SI units. The rail stands on its bottom centre, along x; the carriage moves from 0 to `length`, half of it each way
/// from the middle.
struct Travel {
    double length = 2, width = 0.4, height = 0.3;
    double speed = 1.5, acceleration = 2.5, jerk = 0;
    double turn = 0;   ///< of the arm on the carriage, rad
    double ready = 1;  ///< m
};

Travel read_travel(const Reader& reader);

/// `arm` with one more joint, "Travel", before its own; its base stands on the carriage.
kinematics::ArmModel arm_on_travel(const kinematics::ArmModel& arm, const Travel& travel);

}  // namespace escarp::cell
