#pragma once
// A motion on its own path whose clock is slowed to a stop before a border, and started again: never faster than the
// motion itself anywhere, so the path and the room it takes stay the same.

#include "motion.h"

namespace escarp::motion {

/// The motion's clock runs evenly up to `from`, then slower and slower over `takes` seconds until it stands, at half of
/// them later (by its own time).
struct Braking {
    double from, takes;
    double stops_at() const { return from + 0.5 * takes; }
};

/// The latest braking with which the motion rests at `border` (s of its own time) at the latest. No joint is
/// accelerated more than its limits (nor, where it has one, beyond its jerk limit), and the tool frame no more than by
/// the motion itself anywhere. `begins_by`: it begins then at the latest. Nothing where it would have to begin before
/// the motion does.
std::optional<Braking> brake_before(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion,
    double border, double begins_by = 1e300);
/// The whole motion on a clock that runs `rate` times as fast, beyond the limits where it has to be: to ask what it
/// would be worth.
MotionPtr on_clock(MotionPtr motion, double rate);

/// From the beginning of the braking to rest.
MotionPtr braked(MotionPtr motion, const Braking& braking);

/// How long the clock takes to run evenly again from rest at `from`, under the same limits, s.
double restart_time(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion, double from);
/// From rest at `from` to the motion's end; `takes`: until the clock runs evenly, half of it by the motion's own time.
MotionPtr restarted(MotionPtr motion, double from, double takes);

}  // namespace escarp::motion
