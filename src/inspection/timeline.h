#pragma once
// Who moves how, and when: one list of movers for every check that asks about space.

#include <map>

#include <motion/clearance.h>
#include <simulation/run.h>

namespace escarp::inspection {

using simulation::Ticks;

/// A mover between the beginning of one motion and that of the next. Where it stands on after a retreat, that is a
/// segment of its own: what tool, part and seat may do to each other ends with the straight move.
struct Segment {
    motion::MotionPtr motion;
    Ticks from, to;
    const simulation::MotionRecord* record;
    int block;  ///< it belongs to, -1
    /// The blocks of the pick or place that bring mover, part and seat together, or part them, on purpose during this
    /// segment; -1.
    int arrives = -1, leaves = -1;
    bool stands_on = false;              ///< at the end of the motion of the segment before
    std::uint64_t key = 0;               ///< of the motion and of what is held
    motion::PartSetPtr parts = nullptr;  ///< of the mover, its tool and what it holds

    template <typename Use>
    void each_held(const Use& use) const {
        if (record->held >= 0) use(record->held);
        for (const simulation::MotionRecord::Also& more : record->also) use(more.part);
    }
    bool holds(int part) const {
        bool found = false;
        each_held([&](int held) { found = found || held == part; });
        return found;
    }
};

struct TimedMover {
    int device;
    bool arm;           ///< else a door, a table, a lift ...
    std::uint64_t key;  ///< of everything but the motions and what is held
    double radius;      ///< no point of it is farther from its base, m
    std::vector<Segment> segments;
};

/// Bodies of what moves on an axis have this tag and those that follow, in the order of the bodies.
inline constexpr int axis_tag = 1;

/// Exchanging a part brings tool, part and seat together on purpose.
bool exchanges(const simulation::Block& block);

/// All movers of a run up to an instant. The cell and the run have to outlive it. Throws motion::Cancelled.
class Timeline {
public:
    Timeline(const cell::Cell& cell, const simulation::Run& run, const motion::StopFlag* stop);

    /// How far it goes: to the end of the first steady period, or of the run, an hour at most.
    Ticks end() const { return end_; }
    static Ticks end_of(const simulation::Run& run);
    const std::vector<TimedMover>& movers() const { return movers_; }
    const cell::Arm& arm(const TimedMover& mover) const { return *cell_.devices[mover.device].mover(); }
    /// The mover during a segment; the motion begins at `start`, s.
    motion::ArmMover moving(const TimedMover& mover, const Segment& segment, double start = 0) const;

private:
    TimedMover make_mover(int device);
    void name_work(std::vector<Segment>& segments) const;
    void part_standing(std::vector<Segment>& segments) const;
    const simulation::Place* held_place(int part, Ticks t) const;
    std::uint64_t held_key(const Segment& segment) const;
    motion::PartSetPtr parts_of(const cell::Device& device, const Segment& segment) const;

    const cell::Cell& cell_;
    const simulation::Trace& trace_;
    const motion::StopFlag* stop_;
    const Ticks end_;
    std::vector<TimedMover> movers_;
};

}  // namespace escarp::inspection
