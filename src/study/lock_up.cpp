#include "lock_up.h"

#include <algorithm>
#include <set>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <geometry/indices.h>
#include <simulation/kernel.h>

#include "interlock.h"

namespace escarp::study {
namespace {

using cell::json;
using inspection::Finding;
using inspection::Orders;
using simulation::WaitFor;

/// Where one point of an interlock's table stands.
struct TablePoint {
    const json* interlock;
    std::size_t index;
    int order;  ///< along the task
    double at;  ///< %
    bool asks;
};

/// All points of one arm in all interlocks, along its task.
std::vector<TablePoint> points_of_arm(const json& devices, const cell::Device& arm) {
    static const char* legs[] = {"move", "straight in", "straight out", "straight"};
    std::vector<TablePoint> all;
    const std::vector<const cell::Step*> steps = cell::all_steps(arm);
    for (const json& d : devices) {
        if (d.value("kind", "") != "interlock" || !d.contains("points")) continue;
        const bool second = d.value("other_arm", "") == arm.id;
        if (!second && d.value("one_arm", "") != arm.id) continue;
        for (std::size_t i = 0; i < d["points"].size(); ++i) {
            const json& p = d["points"][i];
            if ((p.value("of", "first") == "second") != second) continue;
            int order = 0;
            for (const int s : indices(steps))
                if (steps[s]->id == p.value("step", "")) order = 10 * s;
            for (int l = 0; l < 4; ++l)
                if (p.value("during", legs[0]) == legs[l]) order += l;
            all.push_back({&d, i, order, p.value("at_pct", 0.0), p.value("does", "asks") == "asks"});
        }
    }
    std::stable_sort(all.begin(), all.end(),
        [](const TablePoint& a, const TablePoint& b) { return std::pair(a.order, a.at) < std::pair(b.order, b.at); });
    return all;
}

/// Every arm that asks for one while it holds another asks for both at once, before the first: in the same order
/// everywhere.
cell::Edit both_at_once(const Evaluation& e) {
    cell::Edit edit{"Ask for all at once, in one order", {}};
    const json devices = e.layout.tree().value("devices", json::array());
    std::map<std::string, json> tables;
    for (const cell::Device& arm : e.cell->devices) {
        if (!arm.arm) continue;
        const std::vector<TablePoint> points = points_of_arm(devices, arm);
        std::map<const json*, const TablePoint*> held;
        for (int round = 0; round < 2; ++round)  // what is held over the end of the task, too
            for (const TablePoint& p : points) {
                if (!p.asks) {
                    held.erase(p.interlock);
                    continue;
                }
                const TablePoint* first = nullptr;
                for (const auto& [other, since] : held)
                    if (other != p.interlock &&
                        (!first || std::pair(since->order, since->at) < std::pair(first->order, first->at)))
                        first = since;
                if (first && round > 0) {
                    const std::string id = (*p.interlock)["id"];
                    json& table = tables.try_emplace(id, (*p.interlock)["points"]).first->second;
                    const json& before = (*first->interlock)["points"][first->index];
                    for (const char* key : {"step", "during", "at_pct"})
                        if (before.contains(key)) table[p.index][key] = before[key];
                }
                held.try_emplace(p.interlock, first ? first : &p);
            }
    }
    for (auto& [id, table] : tables)
        edit.operations.push_back(cell::Operation::set(cell::at_device(id) / "points", table));
    return edit;
}

std::vector<cell::Edit> remedies(const Evaluation& e) {
    std::vector<cell::Edit> all;
    if (cell::Edit both = both_at_once(e); !both.operations.empty()) all.push_back(std::move(both));
    std::set<int> arbiters;
    for (const simulation::Run::Wait& w : e.orders->waits)
        if (w.what == WaitFor::zone) arbiters.insert(w.other);
    for (const int arbiter : arbiters) {
        const cell::Device& d = e.cell->devices[arbiter];
        const json* own = cell::find(e.layout.tree(), cell::at_device(d.id));
        if (!own || own->value("kind", "") != "interlock") continue;
        for (const std::string& rule : simulation::let_in::all()) {
            if (own->value("rule", simulation::let_in::first_come) == rule) continue;
            if (rule != simulation::let_in::both_apart || own->contains("together"))
                all.push_back(
                    {d.name + " lets in: " + rule, {cell::Operation::set(cell::at_device(d.id) / "rule", rule)}});
        }
    }
    return all;
}

/// Those after which nothing locks up any more, the quickest first.
std::vector<inspection::WayOut> tried(const Evaluation& e, inspection::Cache& cache, const inspection::StopFlag* stop) {
    std::vector<std::pair<double, inspection::WayOut>> good;
    EvaluateOptions how;
    how.stop = stop;
    how.level = inspection::Level::flow;
    for (cell::Edit& edit : remedies(e)) {
        const cell::Layout with = e.layout.edited(edit);
        const auto orders = inspection::explore_orders(with.cell(), cache, stop);
        if (orders->verdict != Orders::Verdict::goes_on) continue;
        const std::optional<double> cycle = evaluate(with, cache, how)->figures.cycle_s;
        inspection::WayOut way;
        way.label = edit.name;
        way.effect = orders_words(*orders) +
                     (cycle ? "; cycle " + cell::fixed(*cycle, 2) + " s" : std::string("; no part leaves")) +
                     (e.figures.cycle_s ? ", now " + cell::fixed(*e.figures.cycle_s, 2) + " s" : std::string());
        way.edit = std::move(edit);
        good.emplace_back(cycle.value_or(1e300), std::move(way));
    }
    std::stable_sort(good.begin(), good.end(), [](const auto& a, const auto& b) { return a.first < b.first - 1e-9; });
    std::vector<inspection::WayOut> ways;
    ways.reserve(good.size());
    for (auto& [cycle, way] : good) ways.push_back(std::move(way));
    return ways;
}

}  // namespace

std::string orders_words(const Orders& o) {
    switch (o.verdict) {
        case Orders::Verdict::goes_on: return "cannot lock up: " + std::to_string(o.states) + " states";
        case Orders::Verdict::locks_up: return "can lock up";
        case Orders::Verdict::undecided: break;
    }
    return "not decided whether it can lock up: " + o.why_undecided;
}

std::vector<Finding> lock_up_findings(const Evaluation& e, inspection::Cache& cache, const inspection::StopFlag* stop) {
    if (!e.orders || e.orders->verdict != Orders::Verdict::locks_up) return {};
    const Orders& o = *e.orders;
    const auto name = [&](int device) { return e.cell->devices[device].name; };
    Finding f;
    f.severity = inspection::Severity::stop;
    f.id = "lock-up";
    std::string who;
    for (std::size_t i = 0; i < o.devices.size(); ++i) {
        who += (i == 0 ? "" : i + 1 == o.devices.size() ? " and " : ", ") + name(o.devices[i]);
        f.devices.push_back(e.cell->devices[o.devices[i]].id);
        f.id += ":" + f.devices.back();
    }
    f.title = who + (o.devices.size() == 1 ? " can be locked out for ever" : " can lock up");
    for (const simulation::Run::Wait& w : o.waits)
        f.text += (f.text.empty() ? "" : ", ") + name(w.device) + " waits for " +
                  (w.other >= 0 ? name(w.other) : std::string("a signal"));
    f.text += e.run->stuck ? ". The run that is shown ends so:"
              : o.always   ? ". Every order of events comes to that:"
                           : ". Not in the run that is shown, but where some motion or process takes longer:";
    for (std::size_t i = 0; i < o.way.size(); ++i)
        f.steps.push_back({o.run ? std::optional(simulation::seconds(o.way[i].when)) : std::nullopt,
            name(o.way[i].device) + " " + o.way[i].words +
                (!o.always && i == o.no_way_out ? " \u2013 from here on it cannot be avoided" : "")});
    f.run = o.run;
    f.ways_out = tried(e, cache, stop);
    if (f.ways_out.empty())
        f.text +=
            " No other rule keeps it from that: an arm has to wait outside the shared space, or come for what it waits "
            "for another way.";
    return {std::move(f)};
}

}  // namespace escarp::study
