#include "figures.h"
#include <inspection/people.h>

#include "border.h"
#include "contact_ways.h"
#include "lock_up.h"
#include "statistics.h"
#include "zone_findings.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>
#include <unordered_set>

#include <geometry/indices.h>
#include <geometry/work_done.h>
#include <simulation/kinds.h>

namespace escarp::study {
namespace {

using geometry::Vector3;
using simulation::Block;
using simulation::BlockKind;
using simulation::Condition;
using simulation::seconds;
using simulation::Ticks;

/// Time per round of a task that ended its rounds at these instants; nothing where it has made none.
std::optional<double> time_of_a_round(const simulation::Run& run, const std::vector<Ticks>& ends) {
    const auto [from, to] = stretch_of(run);
    const auto first = std::upper_bound(ends.begin(), ends.end(), from), last = std::upper_bound(first, ends.end(), to);
    const auto in = static_cast<double>(last - first);
    // What recurs makes the same number of rounds in each period, be it one.
    if (run.steady) return in > 0 ? std::optional(seconds(to - from) / in) : std::nullopt;
    if (in >= 2) return seconds(*(last - 1) - *first) / (in - 1);
    if (ends.size() >= 2) return seconds(ends.back() - ends.front()) / static_cast<double>(ends.size() - 1);
    return ends.empty() ? std::nullopt : std::optional(seconds(ends.front()));
}

/// Where a cell has no parts at all: the time per round of the task that takes longest.
std::optional<double> round_time(const simulation::Run& run) {
    std::optional<double> most;
    for (const std::vector<Ticks>& ends : run.trace.rounds)
        if (const auto one = time_of_a_round(run, ends)) most = std::max(most.value_or(0), *one);
    return most;
}

void cycle_figures(const Judged& e, Figures& f) {
    const simulation::Run& run = *e.run;
    if (run.steady && run.steady->parts > 0) {
        f.steady = true;
        f.cycle_s = seconds(run.steady->period) / run.steady->parts;
        f.warm_up_s = seconds(run.steady->from);
    } else if (run.trace.parts.empty() && run.trace.faults.empty()) {
        // Where parts could come and none does, there is nothing to be counted.
        const auto& all = e.cell->devices;
        if (std::any_of(all.begin(), all.end(), [](const cell::Device& d) { return !d.needs_part_type.empty(); }))
            return;
        f.cycle_s = round_time(run);
        f.per_round = f.cycle_s.has_value();
        f.steady = f.per_round && run.steady;
        f.warm_up_s = seconds(stretch_of(run).from);
    } else if (!run.stuck && run.trace.faults.empty()) {
        f.cycle_s = mean_cycle(run, stretch_of(run));
        f.warm_up_s = seconds(stretch_of(run).from);
    }
    if (!f.cycle_s) return;
    f.rate_per_h = 3600 / *f.cycle_s;
    if (e.cell->takt > 0 && !f.per_round) f.takt_met = *f.cycle_s <= e.cell->takt + 1e-9;
}

void share_figures(const Judged& e, Figures& f) {
    const auto [from, to] = stretch_of(*e.run);
    double waiting = 0;
    int arms = 0;
    for (const int i : indices(e.cell->devices)) {
        const auto shares = e.run->trace.shares(i, from, to);
        if (shares.empty()) continue;
        const auto of = [&](Condition c) { return shares.count(c) ? shares.at(c) : 0.0; };
        f.shares.push_back({i, of(Condition::busy), of(Condition::waiting), of(Condition::starved),
            of(Condition::blocked), of(Condition::down)});
        if (e.cell->devices[i].arm && !e.cell->devices[i].task.empty()) waiting += of(Condition::waiting), ++arms;
    }
    if (arms > 0 && f.cycle_s) f.waiting = waiting / arms;
    // Which wait takes most of the window, summed over its occurrences.
    std::map<std::pair<int, int>, std::pair<Ticks, int>> waits;
    for (const int i : indices(e.run->trace.blocks)) {
        const Block& b = e.run->trace.blocks[i];
        if (b.kind != BlockKind::wait || b.other < 0) continue;
        const Ticks length = std::min(b.to, to) - std::max(b.from, from);
        if (length <= 0) continue;
        auto& entry = waits[{b.device, b.other}];
        entry.first += length;
        entry.second = i;
    }
    Ticks most = 0;
    for (const auto& [pair, entry] : waits) {
        if (entry.first <= most) continue;
        most = entry.first;
        f.waits_most = e.cell->devices[pair.first].name + " waits for " + e.cell->devices[pair.second].name;
        f.waits_most_block = entry.second;
    }
}

void split_figures(const Judged& e, Figures& f) {
    if (!e.run->steady || e.run->steady->parts == 0) return;
    double sum = 0;
    for (const ChainLink& link : e.chain) {
        const double part = seconds(link.to - link.from) / e.run->steady->parts;
        f.split_s[category(e.run->trace.blocks[link.block].kind)] += part;
        sum += part;
    }
    const double rest = *f.cycle_s - sum;
    if (rest > 1e-9) f.split_s[Category::wait] += rest;
}

/// The way of the tool point over a motion, in pieces, m.
std::vector<double> way_of(const cell::Arm& arm, const motion::Motion& motion) {
    constexpr int pieces = 24;
    std::vector<double> way;
    Vector3 before = Vector3::Zero();
    for (int i = 0; i <= pieces; ++i) {
        const Vector3 now =
            (arm.model->flange_frame(motion.position(motion.duration() * i / pieces)) * arm.tool_frame).translation();
        if (i > 0) way.push_back((now - before).norm());
        before = now;
    }
    return way;
}

void flow_figures(const Judged& e, Figures& f) {
    const simulation::Trace& trace = e.run->trace;
    const auto [from, to] = stretch_of(*e.run);
    const auto leaving = std::count_if(trace.departures.begin(), trace.departures.end(),
        [&, a = from, b = to](const auto& d) { return d.when > a && d.when <= b; });
    if (leaving == 0) return;
    double path = 0;
    for (std::size_t device = 0; device < e.cell->devices.size(); ++device) {
        const cell::Device& d = e.cell->devices[device];
        if (!d.arm) continue;
        std::unordered_map<const motion::Motion*, std::vector<double>> known;  // the same motions come again
        for (const simulation::MotionRecord& m : trace.motions[device]) {
            if (m.from < from || m.from >= to) continue;
            const auto [at, fresh] = known.try_emplace(m.motion.get());
            if (fresh) at->second = way_of(*d.arm, *m.motion);
            for (const double piece : at->second) path += piece;
        }
    }
    f.travel_m = path / static_cast<double>(leaving);
    // Where a part stands still longest: mean per part over those that leave in the window.
    std::map<int, double> stands;
    std::unordered_set<int> left_in_window;
    for (const auto& departure : trace.departures)
        if (departure.when > from && departure.when <= to) left_in_window.insert(departure.part);
    for (const auto& departure : trace.departures) {
        if (departure.when <= from || departure.when > to) continue;
        const auto& places = trace.parts[departure.part].places;
        for (std::size_t i = 0; i + 1 < places.size(); ++i) {
            if (places[i].kind != simulation::Place::Kind::still) continue;
            stands[places[i].device] +=
                seconds(places[i + 1].from - std::clamp(places[i].stop, places[i].from, places[i + 1].from));
        }
    }
    for (auto& [device, total] : stands) {
        // A fixture works on the part meanwhile: only what goes beyond the process is waiting.
        for (const Block& b : trace.blocks)
            if (b.device == device && b.kind == BlockKind::process && b.to != simulation::never &&
                left_in_window.count(b.part))
                total -= seconds(b.to - b.from);
        const double mean = total / static_cast<double>(leaving);
        if (mean > f.part_waits_s) f.part_waits_s = mean, f.part_waits_at = e.cell->devices[device].name;
    }
}

}  // namespace

Stretch stretch_of(const simulation::Run& run) {
    if (run.steady) return {run.steady->from, run.steady->from + run.steady->period};
    return {run.trace.end / 2, run.trace.end};
}

std::vector<double> gaps(const simulation::Run& run, const Stretch& in) {
    std::vector<std::pair<Ticks, int>> instants;
    for (const simulation::Departure& d : run.trace.departures) {
        if (d.when < in.from || d.when > in.to) continue;
        if (!instants.empty() && instants.back().first == d.when) ++instants.back().second;
        else instants.emplace_back(d.when, 1);
    }
    std::vector<double> all;
    for (std::size_t i = 1; i < instants.size(); ++i) {
        const auto& [when, count] = instants[i];
        all.insert(all.end(), static_cast<std::size_t>(count), seconds(when - instants[i - 1].first) / count);
    }
    return all;
}

std::optional<double> mean_cycle(const simulation::Run& run, const Stretch& in) {
    if (run.steady && run.steady->parts > 0) return seconds(run.steady->period) / run.steady->parts;
    const std::vector<double> all = gaps(run, in);
    if (all.empty()) return std::nullopt;
    const Estimate e = estimate(all);
    if (all.size() < enough_to_tell || e.mean <= 0) return e.mean;
    // The gap that the end cuts short counts, too: from the first to leave on, the time over as many gaps as it holds,
    // half of what their unevenness takes off among them.
    const auto& out = run.trace.departures;
    const auto first = std::find_if(out.begin(), out.end(), [&](const auto& d) { return d.when >= in.from; });
    const double uneven = e.deviation / e.mean;
    return seconds(in.to - first->when) /
           (static_cast<double>(all.size()) + std::max(0.0, 0.5 * (1 - uneven * uneven)));
}

Category category(BlockKind kind) {
    switch (kind) {
        case BlockKind::grip:
        case BlockKind::release: return Category::grip;
        case BlockKind::process:
        case BlockKind::exchange:
        case BlockKind::repair:
        case BlockKind::change_over: return Category::process;
        case BlockKind::wait:
        case BlockKind::dwell:
        case BlockKind::interval:
        case BlockKind::held: return Category::wait;
        default: return Category::move;
    }
}

const char* word(Category c) {
    switch (c) {
        case Category::move: return "move";
        case Category::grip: return "grip";
        case Category::process: return "process";
        case Category::wait: return "wait";
    }
    return "";
}

std::vector<ChainLink> longest_chain(const simulation::Run& run) {
    std::vector<ChainLink> chain;
    if (!run.steady || run.trace.departures.empty()) return chain;
    const simulation::Departure& last = run.trace.departures[run.steady->last_departure];
    const Ticks floor = last.when - run.steady->period;
    Ticks until = last.when;
    int block = last.block;
    for (std::size_t guard = 0; block >= 0 && until > floor && guard <= run.trace.blocks.size(); ++guard) {
        const Block& b = run.trace.blocks[block];
        const Ticks from = std::max(floor, b.from);
        if (until > from) chain.push_back({block, from, until});
        until = std::min(until, b.from);
        block = b.cause;
    }
    return chain;
}

Judged judge(std::shared_ptr<const cell::Cell> cell, inspection::Cache& cache, const EvaluateOptions& options) {
    simulation::RunOptions how = options.run;
    how.stop = options.stop;
    auto run = simulation::run(*cell, cache.plans, how);
    return judge_run(std::move(cell), std::move(run), cache, options);
}

Judged judge_run(std::shared_ptr<const cell::Cell> cell, std::shared_ptr<const simulation::Run> run,
    inspection::Cache& cache, const EvaluateOptions& options) {
    Judged j{std::move(cell), std::move(run), nullptr, {}, {}};
    j.inspection = inspection::inspect(*j.cell, *j.run, cache, options.stop, options.level);
    j.chain = longest_chain(*j.run);
    Figures& f = j.figures;
    cycle_figures(j, f);
    // Of what does not recur only here the cycle is known.
    if (f.cycle_s && !f.steady && !f.per_round)
        if (auto missed = inspection::takt_finding(*j.cell, *f.cycle_s, " in this run")) {
            auto with = std::make_shared<inspection::Inspection>(*j.inspection);
            const auto at = std::find_if(with->findings.begin(), with->findings.end(),
                [](const inspection::Finding& one) { return one.severity == inspection::Severity::note; });
            with->findings.insert(at, std::move(*missed));
            j.inspection = std::move(with);
        }
    share_figures(j, f);
    split_figures(j, f);
    flow_figures(j, f);
    for (const inspection::PoseNeed& n : j.inspection->poses) {
        ++f.poses;
        f.poses_reached += n.reached;
        if (!f.least_margin_m || n.reach.margin < *f.least_margin_m) f.least_margin_m = n.reach.margin;
    }
    if (j.inspection->clearance.device_a >= 0) f.clearance_m = j.inspection->clearance.distance;
    f.floor_m2 = j.cell->floor_area();
    return j;
}

std::shared_ptr<const Evaluation> evaluate(
    const cell::Layout& layout, inspection::Cache& cache, const EvaluateOptions& options) {
    ++geometry::work_done;
    return std::make_shared<Evaluation>(layout, judge(layout.shared_cell(), cache, options));
}

std::shared_ptr<const Evaluation> with_zones(
    const Evaluation& evaluation, inspection::Cache& cache, const inspection::StopFlag* stop, bool findings) {
    auto e = std::make_shared<Evaluation>(evaluation);
    if (!e->zones) try {
            e->zones =
                inspection::find_zones(*e->cell, *e->run, cache, stop, inspection::usual_resolution(*e->cell, *e->run));
        } catch (const cell::InputError& error) {
            auto none = std::make_shared<inspection::Zones>();
            none->why_not = error.problems().front().message;
            e->zones = std::move(none);
        }
    if (!findings) return e;
    e->orders = inspection::orders_of(*e->cell, e->layout.tree().dump(), cache, stop);
    e->complete = true;
    auto more = std::make_shared<inspection::Inspection>(*e->inspection);
    add_contact_ways(*e, *more, cache, stop);
    add_border_ways(*e, *more, cache, stop);
    for (inspection::Finding& f : zone_findings(*e, cache, stop)) more->findings.push_back(std::move(f));
    for (inspection::Finding& f : inspection::people_findings(*e->cell, *e->run, cache, stop))
        more->findings.push_back(std::move(f));
    for (inspection::Finding& f : lock_up_findings(*e, cache, stop)) more->findings.push_back(std::move(f));
    // What concerns people comes first among what is as grave.
    const auto order = [](const inspection::Finding& f) { return std::pair(f.severity, !f.id.starts_with("people:")); };
    std::stable_sort(more->findings.begin(), more->findings.end(),
        [&](const auto& a, const auto& b) { return order(a) < order(b); });
    e->inspection = std::move(more);
    return e;
}

double Evaluation::typical_s() const { return run->steady ? simulation::seconds(run->steady->from) + 2.0 : 0.0; }

std::shared_ptr<const Evaluation> Evaluation::without_history() const {
    auto run_of_an_instant = std::make_shared<simulation::Run>();
    run_of_an_instant->trace = run->trace.at_instant(simulation::ticks(typical_s()));
    run_of_an_instant->steady = run->steady;
    run_of_an_instant->cut = run->cut;
    run_of_an_instant->unsettled = run->unsettled;
    run_of_an_instant->searched_enough = run->searched_enough;
    run_of_an_instant->stuck = run->stuck;
    run_of_an_instant->waits = run->waits;
    auto small = std::make_shared<Evaluation>(*this);
    small->run = std::move(run_of_an_instant);
    small->chain.clear();
    small->figures.waits_most_block = -1;
    return small;
}

}  // namespace escarp::study
