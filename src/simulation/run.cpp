#include "run.h"

#include "kernel.h"

namespace escarp::simulation {

std::shared_ptr<const Run> run(const cell::Cell& cell, PlanCache& plans, const RunOptions& options) {
    Kernel kernel(cell, plans);
    Kernel::Options o;
    o.horizon = ticks(options.horizon_s > 0 ? options.horizon_s : cell.horizon);
    o.at_least = std::min(o.horizon, ticks(options.at_least_s));
    o.stop_when_steady = options.stop_when_steady;
    o.stop = options.stop;
    const std::optional<Kernel::Steady> steady = kernel.run(o);
    auto result = std::make_shared<Run>();
    if (steady) result->steady = Steady{steady->from, steady->period, steady->parts, steady->departure};
    result->stuck = kernel.stuck() && kernel.trace().end < o.horizon;
    result->cut = kernel.cut();
    result->unsettled = kernel.unsettled();
    if (result->stuck)
        for (std::size_t i = 0; i < cell.devices.size(); ++i)
            if (const auto w = kernel.behaviour(static_cast<int>(i)).waiting())
                result->waits.push_back({static_cast<int>(i), w->other, w->what});
    result->trace = std::move(kernel.trace());
    return result;
}

}  // namespace escarp::simulation
