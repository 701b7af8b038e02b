#pragma once
// A run: cell in, trace out.

#include <memory>
#include <optional>

#include <motion/stopped.h>

#include "trace.h"

namespace escarp::simulation {

class PlanCache;

struct Steady {
    Ticks from, period;
    int parts;                   ///< that left within the period
    std::size_t last_departure;  ///< index of the departure that ends it, where there are parts
};

struct Run {
    Trace trace;
    std::optional<Steady> steady;  ///< where the whole state recurred
    bool random = false;           ///< chance has a say: with another seed it may go otherwise
    bool cut = false;              ///< ended before its horizon: too much happens in this cell for one run
    bool unsettled = false;        ///< and that because something went on for ever at one instant
    bool searched_enough = false;  ///< and that because its plans take more steps of search than a run is given
    bool stuck = false;            ///< nothing could ever happen again before the horizon
    /// (who waits, for whom, what for) at the end, where it is stuck
    struct Wait {
        int device, other;
        WaitFor what;
    };
    std::vector<Wait> waits;
};

/// A step that is done faster than its arm can: for asking what that would be worth.
struct FasterStep {
    int device = -1, step = -1;  ///< its number
    double rate = 1;             ///< of its clock
};

/// How much a run may take, at the most: it ends there, and says so.
struct RunLimits {
    std::size_t events = 5'000'000;         ///< that it goes through
    std::size_t bare_events = 100'000'000;  ///< the same, where nothing is kept of them
    std::size_t bytes = 100u << 20;         ///< that it keeps
    long long search = 6'000'000;           ///< steps of search for all of its plans
};

struct RunOptions {
    double horizon_s = 0;    ///< 0: the cell's own
    double at_least_s = 60;  ///< goes on to here though the state has recurred
    bool stop_when_steady = true;
    std::map<std::string, double> forced = {};  ///< signals by full name that are held at a value; others are left out
    std::vector<int> outside = {};  ///< signals that come from outside alone, whatever their device or source says
    RunLimits limits = {};
    History history = History::whole;  ///< none: for figures of flow alone; there are no blocks then
    FasterStep faster_step = {};
    std::optional<std::uint64_t> seed = {};  ///< of random draws, instead of the cell's own
    const motion::StopFlag* stop = nullptr;  ///< set by another thread: the run ends by motion::Cancelled
};

std::shared_ptr<const Run> run(const cell::Cell& cell, PlanCache& plans, const RunOptions& options = {});

}  // namespace escarp::simulation
