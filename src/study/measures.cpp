#include "measures.h"

#include <algorithm>

#include <geometry/indices.h>
#include <inspection/people.h>
#include <inspection/zones.h>

#include "statistics.h"

namespace escarp::study {
namespace {

using inspection::Level;
using simulation::seconds;
using simulation::Ticks;
using Value = std::optional<double>;

std::vector<double> times_inside(const Sample& s) {
    std::vector<double> out;
    for (const simulation::Departure& d : s.judged.run->trace.departures)
        if (d.when > s.in.from && d.when <= s.in.to)
            out.push_back(seconds(d.when - s.judged.run->trace.parts[d.part].came));
    return out;
}

Value cycle(const Sample& s) {
    const Figures& f = s.judged.figures;
    return f.steady || f.per_round || !f.cycle_s ? f.cycle_s : mean_cycle(*s.judged.run, s.in);
}

Value waiting(const Sample& s) {
    double waits = 0;
    int arms = 0;
    const cell::Cell& c = *s.judged.cell;
    for (const int i : indices(c.devices)) {
        if (!c.devices[i].arm || c.devices[i].task.empty()) continue;
        const auto shares = s.judged.run->trace.shares(i, s.in.from, s.in.to);
        const auto found = shares.find(simulation::Condition::waiting);
        waits += found == shares.end() ? 0 : found->second, ++arms;
    }
    return arms > 0 && s.judged.figures.cycle_s ? Value(100 * waits / arms) : Value();
}

Value price(const Sample& s) {
    double all = 0;
    for (const cell::Device& d : s.judged.cell->devices) all += d.price;
    return all;
}

/// What a part comes to: its share of the prices, and the power drawn while it is made.
Value cost_per_part(const Sample& s) {
    const cell::Cell& c = *s.judged.cell;
    if (c.costs.parts_per_year <= 0) return std::nullopt;
    double power = 0;
    for (const cell::Device& d : c.devices) power += d.power;
    const Value each = cycle(s);
    if (!each || s.judged.figures.per_round) return std::nullopt;
    return *price(s) / (c.costs.parts_per_year * c.costs.years) + power * *each / 3.6e6 * c.costs.per_kwh;
}

Value of_all(const std::vector<double>& all, double share) { return all.empty() ? Value() : quantile(all, share); }

Value scaled(const Value& v, double factor) { return v ? Value(*v * factor) : v; }

Value stops(const Sample& s) {
    const auto& all = s.judged.inspection->findings;
    return static_cast<double>(std::count_if(
        all.begin(), all.end(), [](const inspection::Finding& f) { return f.severity == inspection::Severity::stop; }));
}

/// What the guards have to spare, mm: of the one with the least. Nothing where one cannot be judged.
Value kept_from_people(const Sample& s) {
    Value least;
    for (const inspection::GuardJudged& g : inspection::judge_guards(*s.judged.cell, *s.judged.run, s.cache, s.stop)) {
        if (!g.why_not.empty()) return std::nullopt;
        least = std::min(least.value_or(1e300), -1e3 * g.missing());
    }
    return least;
}

Value open_zones(const Sample& s) {
    const cell::Cell& c = *s.judged.cell;
    const simulation::Run& run = *s.judged.run;
    const auto zones = inspection::find_zones(c, run, s.cache, s.stop, inspection::usual_resolution(c, run));
    if (!zones->why_not.empty()) return std::nullopt;
    return static_cast<double>(
        std::count_if(zones->all.begin(), zones->all.end(), [](const inspection::Zone& z) { return z.kept_by < 0; }));
}

}  // namespace

const std::vector<Measure>& measures() {
    static const std::vector<Measure> all{{"cycle_s", "cycle", "s", 3, -1, Level::flow, false, cycle},
        {"rate_per_h", "rate", "parts/h", 1, 1, Level::flow, false,
            [](const Sample& s) {
                const Value each = cycle(s);
                return each && *each > 0 ? Value(3600 / *each) : Value();
            }},
        {"waiting_pct", "waiting", "%", 1, -1, Level::flow, false, waiting},
        {"inside_s", "time inside", "s", 2, -1, Level::flow, false,
            [](const Sample& s) {
                const auto all = times_inside(s);
                return all.empty() ? Value() : estimate(all).mean;
            }},
        {"inside_90_s", "time inside, 9 of 10", "s", 2, -1, Level::flow, false,
            [](const Sample& s) { return of_all(times_inside(s), 0.9); }},
        {"cycle_10_s", "cycle, 1 of 10", "s", 3, 0, Level::flow, false,
            [](const Sample& s) { return of_all(gaps(*s.judged.run, s.in), 0.1); }},
        {"cycle_50_s", "cycle, half", "s", 3, 0, Level::flow, false,
            [](const Sample& s) { return of_all(gaps(*s.judged.run, s.in), 0.5); }},
        {"cycle_90_s", "cycle, 9 of 10", "s", 3, 0, Level::flow, false,
            [](const Sample& s) { return of_all(gaps(*s.judged.run, s.in), 0.9); }},
        {"reach_margin_mm", "reach margin", "mm", 1, 1, Level::reach, false,
            [](const Sample& s) { return scaled(s.judged.figures.least_margin_m, 1e3); }},
        {"not_reached", "poses not reached", "", 0, -1, Level::reach, false,
            [](const Sample& s) { return Value(s.judged.figures.poses - s.judged.figures.poses_reached); }, true},
        {"clearance_mm", "clearance", "mm", 1, 1, Level::clearance, true,
            [](const Sample& s) { return scaled(s.judged.figures.clearance_m, 1e3); }},
        {"stops", "stop findings", "", 0, -1, Level::clearance, true, stops, true},
        {"people_spare_mm", "spare to people", "mm", 0, 1, Level::flow, true, kept_from_people, false, true},
        {"zones_open", "shared zones open", "", 0, -1, Level::flow, true, open_zones, true, true},
        {"floor_m2", "floor", "m2", 2, -1, Level::flow, false,
            [](const Sample& s) { return Value(s.judged.figures.floor_m2); }},
        {"travel_m", "arm travel a part", "m", 2, -1, Level::flow, true,
            [](const Sample& s) { return s.judged.figures.travel_m; }},
        {"price", "price", "", 0, -1, Level::flow, false, price},
        {"cost_per_part", "cost a part", "", 4, -1, Level::flow, false, cost_per_part}};
    return all;
}

const Measure& measure(const std::string& id, const std::string& where) {
    std::string known;
    for (const Measure& m : measures()) {
        if (m.id == id) return m;
        known += (known.empty() ? "" : ", ") + m.id;
    }
    throw cell::InputError(where, "\"" + id + "\" is not a figure; there are " + known + ".");
}

}  // namespace escarp::study
