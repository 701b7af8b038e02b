#pragma once
// What has to be asked to know how near things come: each mover during each of its motions against whatever it could
// come near to, under the rule that holds there and then.

#include <functional>

#include "check.h"
#include "contact_rules.h"
#include "timeline.h"

namespace escarp::inspection {

using motion::PartSetPtr;

/// One question: an arm during a segment against a device, a part at rest or riding, another arm, or itself, under one
/// rule. What it points to lives as long as the jobs.
struct ClearanceJob {
    std::uint64_t key;
    Meets rule;
    const TimedMover* room;
    const Segment* segment;
    int device_b, part_b;  ///< whose body the other one is; part_b: of the flow, -1 for none
    const PartSetPtr* parts_b;
    RuleContext context;
    const Frame* at = nullptr;  ///< of a device or part
    motion::Glide glide = {};
    double start = 0, from = 0, to = 0;  ///< of the glide, and of the question; seconds from the segment's beginning
    const TimedMover* other_room = nullptr;  ///< another arm
    const Segment* other = nullptr;
    Ticks since =
        0;  ///< what comes to rest beside a mover that stands is asked about at `from`, and is there since then
    Ticks until = 0;  ///< so long what is asked about stays as it is at `to`; both: time of the run
    /// Rows of the cell's table of pairs: single bodies that are not looked at, and those that alone are, since they
    /// have a distance of their own to keep (-1: all).
    std::vector<int> without = {};
    int only = -1;

    int device_a() const { return room->device; }
    Ticks origin() const { return segment->from; }  ///< time of the run at the question's 0
};

/// What is asked about: everything, one device against everything, or two against each other (indexes, -1: any), during
/// a stretch of the run.
struct ClearanceOf {
    int one = -1, other = -1;
    Ticks from = 0, to = simulation::never;
};

class ClearanceJobs {
public:
    explicit ClearanceJobs(const Context& context);
    ~ClearanceJobs();
    /// Every question of the run, once for each time that it comes up.
    void each(const std::function<void(const ClearanceJob&)>& use, const ClearanceOf& of = {});
    /// How near they come between two instants of the job's own time, s; see motion::ClearanceQuery.
    motion::Clearance answer(const ClearanceJob& job, double from, double to, double cap) const;
    /// The same over all of the job, with what is next to `mark` (m) made sure: whether it is below it is exact to
    /// 1e-6.
    motion::Clearance answer_beside(const ClearanceJob& job, double cap, double mark) const;
    LeastClearance named(const ClearanceJob& job, const motion::Clearance& found) const;
    simulation::Ticks end() const;  ///< how far the run is looked at

private:
    motion::Clearance ask(const ClearanceJob& job, const motion::ClearanceQuery& within) const;
    struct Asking;
    std::unique_ptr<Asking> asking_;
};

/// When a condition over signals holds in a run.
std::vector<std::pair<Ticks, Ticks>> holds_when(const simulation::Run& run, const cell::Expression& condition);

/// No nearer is asked for where nothing needs it, m.
inline constexpr double usual_cap = 0.15, far_cap = 3.0;

}  // namespace escarp::inspection
