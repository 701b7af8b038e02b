#pragma once
// When and where an arm can meet what rides by.

#include <functional>

#include <motion/meeting.h>

#include "kernel.h"

namespace escarp::simulation {

/// How an arm meets something, kept in parts: the same objects whenever the same is asked for.
struct MeetingPlan {
    motion::Meeting met;
    motion::MotionPtr in, work, out;
    std::optional<motion::MeetingFailure> failure;  ///< nothing else is filled in then
};

struct MeetingSearch {
    const cell::Device& arm;  ///< it stands at `from`, at rest
    const cell::Arm& with_tool;
    const cell::Device& carrier;  ///< what it rides on
    const cell::Step& step;       ///< with its window
    Frame tool_on_path;           ///< where the tool frame works, from the frame of the way there
    JointVector from;
    double work_s = 0;
    std::optional<double> bearable_in = {}, bearable_out = {};
    /// The move to where the meeting begins: the direct one, and one round what stands in the way.
    std::function<motion::MotionPtr(const JointVector&)> direct = {}, travel = {};
};

/// What is to be done from now on.
struct Encounter {
    std::shared_ptr<const MeetingPlan> plan;
    Ticks begins = 0;  ///< after now: when the meeting begins; the travel is over by then
};

/// The soonest that can be kept with a part that rides: within the window from where the tool begins to go along up to
/// the end of the work, and before what holds the part. Nothing: none. `why`: what failed last, if it was the arm.
std::optional<Encounter> meet_part(
    PlanCache& plans, const MeetingSearch& search, const Spot& ride, std::optional<motion::MeetingFailure>& why);
/// The same with a free place, which may be any that `free` allows: it is asked with how far a place has come now.
std::optional<Encounter> meet_free_place(PlanCache& plans, const MeetingSearch& search, double speed, double stride,
    const std::function<std::optional<Spot>(double way)>& free, std::optional<motion::MeetingFailure>& why);

}  // namespace escarp::simulation
