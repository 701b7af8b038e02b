#include "record_compare.h"

#include <algorithm>
#include <map>

#include <cell/text/numbers.h>
#include <study/figures.h>

namespace escarp::link {

using cell::json;
using simulation::seconds;

namespace {

/// What each step of each device took, in all, and how often it was done.
std::map<std::pair<int, int>, std::pair<double, int>> step_times(const simulation::Run& run) {
    using simulation::BlockKind;
    std::map<std::pair<int, int>, std::pair<double, int>> all;
    for (const simulation::Block& b : run.trace.blocks) {
        if (b.step < 0 || b.to == simulation::never || b.kind == BlockKind::wait || b.kind == BlockKind::held) continue;
        auto& [sum, count] = all[{b.device, b.step}];
        sum += seconds(b.to - b.from);
        if (b.kind != BlockKind::straight_in && b.kind != BlockKind::straight_out) ++count;
    }
    return all;
}

std::optional<SignalDifference> difference(
    const simulation::SignalRecord& live, const simulation::SignalRecord& computed) {
    const auto &x = live.changes, &y = computed.changes;
    std::size_t n = 0;
    while (n < x.size() && n < y.size() && x[n] == y[n]) ++n;
    if (n == x.size() && n == y.size()) return std::nullopt;
    const auto when = [n](const auto& changes) { return n < changes.size() ? changes[n].first : simulation::never; };
    SignalDifference d{live.name, std::min(when(x), when(y)), std::nullopt, x.size() - 1, y.size() - 1};
    if (n < x.size() && n < y.size() && x[n].second == y[n].second) d.later_by = x[n].first - y[n].first;
    return d;
}

}  // namespace

RecordComparison compare_with_computed(const Record& record, const std::shared_ptr<const cell::Cell>& cell,
    const std::shared_ptr<const simulation::Run>& lived, inspection::Cache& cache, const motion::StopFlag* stop) {
    simulation::RunOptions how;
    how.horizon_s = how.at_least_s = std::max(1e-3, seconds(record.about.end));
    how.stop_when_steady = false;
    how.stop = stop;
    const auto computed = simulation::run(*cell, cache.plans, how);
    RecordComparison out;
    for (std::size_t i = 0; i < record.signals.size(); ++i)
        if (auto d = difference(lived->trace.signals[i], computed->trace.signals[i])) out.signals.push_back(*d);
    std::stable_sort(
        out.signals.begin(), out.signals.end(), [](const auto& a, const auto& b) { return a.from < b.from; });
    const auto now = step_times(*lived), then = step_times(*computed);
    for (const auto& [which, time] : now) {
        const auto found = then.find(which);
        if (found == then.end() || time.second == 0 || found->second.second == 0) continue;
        const cell::Device& device = cell->devices[static_cast<std::size_t>(which.first)];
        for (const cell::Step* s : cell::all_steps(device)) {
            if (s->number != which.second) continue;
            out.steps.push_back(
                {device.id, s->id, time.first / time.second, found->second.first / found->second.second});
            break;
        }
    }
    study::EvaluateOptions flow;
    flow.level = inspection::Level::flow;
    flow.stop = stop;
    out.cycle_live_s = study::judge_run(cell, lived, cache, flow).figures.cycle_s;
    out.cycle_computed_s = study::judge_run(cell, computed, cache, flow).figures.cycle_s;
    out.parts_live = lived->trace.departures.size(), out.parts_computed = computed->trace.departures.size();
    return out;
}

std::string in_words(const SignalDifference& d) {
    std::string words = d.signal + " from " + cell::fixed(seconds(d.from), 3) + " s";
    if (d.later_by)
        words +=
            ", live " + cell::fixed(std::abs(seconds(*d.later_by)), 3) + " s " + (*d.later_by < 0 ? "sooner" : "later");
    return words + "; " + std::to_string(d.changes_live) + " changes, computed " + std::to_string(d.changes_computed);
}

json as_json(const RecordComparison& c) {
    json signals = json::array(), steps = json::array();
    for (const SignalDifference& d : c.signals) {
        json one{{"signal", d.signal}, {"differs_from_s", seconds(d.from)}, {"changes_live", d.changes_live},
            {"changes_computed", d.changes_computed}};
        if (d.later_by) one["later_by_s"] = seconds(*d.later_by);
        signals.push_back(std::move(one));
    }
    for (const StepTimes& s : c.steps)
        steps.push_back({{"device", s.device}, {"step", s.step}, {"live_s", s.live_s}, {"computed_s", s.computed_s}});
    const auto figure = [](const std::optional<double>& v) { return v ? json(*v) : json(); };
    return {{"cycle_live_s", figure(c.cycle_live_s)}, {"cycle_computed_s", figure(c.cycle_computed_s)},
        {"signals", signals}, {"steps", steps}, {"parts_live", c.parts_live}, {"parts_computed", c.parts_computed}};
}

}  // namespace escarp::link
