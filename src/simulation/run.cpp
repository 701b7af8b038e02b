#include "run.h"

#include "steady.h"

namespace escarp::simulation {
namespace {

constexpr long long most_search = 6'000'000;  // steps of search for all plans of a run
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
    std::optional<cell::Cell> drawn;  // what it refers to is the cell's own
    if (options.seed && *options.seed != cell.seed) (drawn = cell)->seed = *options.seed;
    Kernel kernel(drawn ? *drawn : cell, plans, options.stop, options.history);
    SteadyWatch watch;
    for (const auto& [name, value] : options.forced)
        if (const int signal = cell.signal(name); signal >= 0) kernel.force(signal, value);
    kernel.set_faster(options.faster_step.device, options.faster_step.step, options.faster_step.rate);
    const SearchCount searched;
    kernel.start();
    bool searched_enough = false;
    while (!kernel.ended() && !limit.over(kernel, watch.found())) {
        motion::throw_if_stopped(options.stop);
        kernel.step();
        if (searched.steps() > most_search) {
            searched_enough = true;
            kernel.end_early();
        }
        if (!kernel.ended()) watch.look(kernel);
    }
    auto result = std::make_shared<Run>();
    result->steady = watch.found();
    result->random = kernel.random();
    result->cut = kernel.cut();
    result->unsettled = kernel.unsettled();
    result->searched_enough = searched_enough;
    kernel.trace().end = limit.end(kernel, watch.found());
    result->stuck = kernel.next_event() == never && !kernel.cut() && kernel.trace().end < horizon;
    if (result->stuck)
        for (const auto& [device, w] : kernel.waits()) result->waits.push_back({device, w.other, w.what});
    result->trace = std::move(kernel.trace());
    return result;
}

}  // namespace escarp::simulation
