#include "run.h"

#include "run_session.h"
#include "steady.h"

namespace escarp::simulation {
namespace {

constexpr Ticks longer = 10;  // horizons that a run may take where a task has not been through twice

/// How far a run goes on.
struct Limit {
    Ticks horizon, at_least;
    bool stop_when_steady;

    /// Where the steady state has been seen, and what is shown of it.
    Ticks enough(const Steady& steady) const { return std::max(at_least, steady.from + steady.period); }
    bool over(const Kernel& k, const std::optional<Steady>& steady) const {
        const Ticks next = k.next_event();
        if (next == never) return true;
        const auto may_take_longer = [&] {
            return next <= longer * horizon && stop_when_steady && !steady && k.rounds_to_come();
        };
        if (next > horizon && !may_take_longer()) return true;
        return steady && stop_when_steady && next > enough(*steady);
    }
    Ticks end(const Kernel& k, const std::optional<Steady>& steady) const {
        if (k.next_event() == never || k.cut()) return k.now();
        return std::min(std::max(k.now(), horizon), steady && stop_when_steady ? enough(*steady) : horizon);
    }
};

}  // namespace

std::shared_ptr<const Run> run(const cell::Cell& cell, PlanCache& plans, const RunOptions& options) {
    const Ticks horizon = ticks(options.horizon_s > 0 ? options.horizon_s : cell.horizon);
    const Limit limit{horizon, std::min(horizon, ticks(options.at_least_s)), options.stop_when_steady};
    RunSession session(cell, plans, options);
    SteadyWatch steady;
    session.watch(steady);
    session.start();
    while (!session.over() && !limit.over(session.kernel(), steady.found())) session.step();
    const Ticks end = limit.end(session.kernel(), steady.found());
    return session.finish(end, horizon, steady.found());
}

}  // namespace escarp::simulation
