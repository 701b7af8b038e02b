#include "interlock.h"

#include <algorithm>
#include <map>
#include <set>

#include <cell/text/names.h>
#include <inspection/why.h>
#include <simulation/kernel.h>

#include "wait_elsewhere.h"
#include "way_through.h"

namespace escarp::study {
namespace {

using cell::json;
using inspection::Zone;
using inspection::ZoneSide;
using simulation::seconds;
using simulation::Ticks;

constexpr const char* kind = "interlock";
// A zone that is found anew, with motions that are slowed here and there, is not the same to the millimetre: where arms
// ask and give back is told by one that is found more coarsely, and so is a little larger.
constexpr double coarser = 2;  // times as coarse as they are shown

/// The keys of the interlock that say where it is asked, and what may be let in together.
struct Asking {
    json points = json::array(), together = json::array();
};
Asking asking_of(const Evaluation& e, const Zone& z, bool with_visits) {
    const auto way = [&](const ZoneSide& s) { return WayThrough(e, s.device, s.visits, e.zones->until); };
    const WayThrough first = way(z.sides[0]), second = way(z.sides[1]);
    Asking out;
    first.add_points({{"of", "first"}}, with_visits, out.points);
    second.add_points({{"of", "second"}}, with_visits, out.points);
    if (!with_visits) return out;
    const WayThrough::Visits of_first = first.visits(), of_second = second.visits();
    for (const auto& one : of_first.steps)
        for (const auto& other : of_second.steps) {
            const bool meet = std::any_of(z.pairs.begin(), z.pairs.end(),
                [&](const Zone::Steps& p) { return one.second.count(p.one) && other.second.count(p.two); });
            if (!meet) out.together.push_back({{"first", one.first}, {"second", other.first}});
        }
    return out;
}

bool is_between(const json& device, const std::string& a, const std::string& b) {
    if (device.value("kind", "") != kind) return false;
    const std::string first = device.value("one_arm", ""), second = device.value("other_arm", "");
    return (first == a && second == b) || (first == b && second == a);
}

const Zone& zone_named(const Evaluation& e, const std::string& id) {
    std::string known;
    for (const Zone& z : e.zones->all) {
        if (z.id == id || z.name == id) return z;
        known += (known.empty() ? "" : ", ") + z.id;
    }
    throw cell::InputError(
        "zone", "\"" + id + "\" is not the id of a shared zone; there are " + (known.empty() ? "none" : known) + ".");
}

}  // namespace

std::string rules_in_words() {
    const auto& all = simulation::let_in::all();
    std::string words;
    for (std::size_t i = 0; i < all.size(); ++i) words += (i == 0 ? "" : i + 1 < all.size() ? ", " : " or ") + all[i];
    return words;
}

std::vector<std::string> rules_for(const Evaluation& without, const std::string& zone) {
    std::vector<std::string> rules = simulation::let_in::all();
    if (asking_of(without, zone_named(without, zone), true).together.empty())
        std::erase(rules, simulation::let_in::both_apart);  // it would be the same as first come
    return rules;
}

std::shared_ptr<const Evaluation> without_interlocks(
    const cell::Layout& layout, inspection::Cache& cache, bool with_distance, const inspection::StopFlag* stop) {
    cell::Edit edit{"Without interlocks", {}};
    for (const json& d : layout.tree().value("devices", json::array()))
        if (d.value("kind", "") == kind)
            edit.operations.push_back(
                cell::Operation::set(cell::at_device(d["id"].get<std::string>()) / "points", json::array()));
    EvaluateOptions how;
    how.stop = stop;
    how.level = inspection::Level::flow;
    auto e =
        std::make_shared<Evaluation>(*evaluate(edit.operations.empty() ? layout : layout.edited(edit), cache, how));
    e->zones = inspection::find_zones(*e->cell, *e->run, cache, stop,
        coarser * inspection::usual_resolution(*e->cell, *e->run),
        with_distance ? 0.5 * e->cell->safety_distance : 0.0);
    return e;
}

cell::Edit keep_apart(const cell::Layout& layout, const Evaluation& without, const std::string& zone,
    const std::string& rule, std::string* device) {
    const Zone& z = zone_named(without, zone);
    const auto& all = simulation::let_in::all();
    if (std::find(all.begin(), all.end(), rule) == all.end())
        throw cell::InputError("rule", "\"" + rule + "\" is no rule; " + rules_in_words() + " is expected.");
    std::string movers[2];
    for (int side = 0; side < 2; ++side) {
        const cell::Device& d = without.cell->devices[z.sides[side].device];
        if (!cell::can_wait(d))
            throw cell::InputError(
                "zone", d.name + " cannot wait on its way: let the arm wait for its signals before it goes in.");
        movers[side] = d.id;
    }
    const auto inside = [&](int side) {
        return !z.sides[side].visits.empty() && z.sides[side].visits.front().enters == 0;
    };
    if (inside(0) && inside(1))
        throw cell::InputError("zone",
            "Both are in the zone when the cell starts; another ready posture, or beginning, of one of them is "
            "needed.");
    const Asking asking = asking_of(without, z, rule == simulation::let_in::both_apart);
    const json starts = inside(0) ? "first" : inside(1) ? "second" : "nobody";
    // One that is there already for the same two, and the same zone among theirs.
    const int nth = std::stoi(z.id.substr(z.id.rfind(':') + 1));
    int count = 0;
    for (const json& d : layout.tree().value("devices", json::array())) {
        if (!is_between(d, movers[0], movers[1]) || ++count != nth) continue;
        const std::string id = d["id"];
        if (device) *device = id;
        cell::Edit edit{"Set the points of " + d.value("name", id) + " anew", {}};
        for (const auto& [key, value] : {std::pair<const char*, json>{"one_arm", movers[0]}, {"other_arm", movers[1]},
                 {"rule", rule}, {"starts_inside", starts}, {"points", asking.points}, {"together", asking.together}}) {
            const json now = d.value(key, json());
            if (now != value && !(now.is_null() && value.empty()))
                edit.operations.push_back(cell::Operation::set(cell::at_device(id) / key, value));
        }
        return edit;
    }
    const std::string id = cell::free_id(layout.document().tree(), "interlock");
    if (device) *device = id;
    const geometry::Vector3 middle = 0.5 * (z.box.low + z.box.high);
    const json devices = layout.tree().value("devices", json::array());
    std::string name = "Interlock";
    const auto taken = [&](const json& d) { return d.value("name", "") == name; };
    for (int n = 2; std::any_of(devices.begin(), devices.end(), taken); ++n) name = "Interlock " + std::to_string(n);
    json added = {{"id", id}, {"name", name}, {"kind", kind}, {"one_arm", movers[0]}, {"other_arm", movers[1]},
        {"rule", rule}, {"starts_inside", starts}, {"points", asking.points},
        {"placement", {{"x_mm", std::round(1e3 * middle.x())}, {"y_mm", std::round(1e3 * middle.y())}}}};
    if (!asking.together.empty()) added["together"] = asking.together;
    const auto name_of = [&](int side) { return without.cell->devices[z.sides[side].device].name; };
    return {"Keep " + name_of(0) + " and " + name_of(1) + " apart", {cell::Operation::add("/devices", added)}};
}

bool stands_for_ever(const simulation::Run& run, const std::set<int>& movers) {
    const std::vector<int> waits = inspection::waits_for_ever(run);
    return run.steady &&
           std::any_of(waits.begin(), waits.end(), [&](int b) { return movers.count(run.trace.blocks[b].device) > 0; });
}

bool locked_up(const Evaluation& e, const Zone& zone) {
    return e.run->stuck || !e.figures.cycle_s || stands_for_ever(*e.run, {zone.sides[0].device, zone.sides[1].device});
}

int contacts(const Evaluation& e) {
    const auto& all = e.inspection->findings;
    return static_cast<int>(std::count_if(all.begin(), all.end(), [](const inspection::Finding& f) {
        return f.severity == inspection::Severity::stop && f.id.starts_with("clearance:");
    }));
}

cell::Edit keep_apart(const cell::Layout& layout, const std::string& zone, const std::string& rule,
    inspection::Cache& cache, std::string* device, const inspection::StopFlag* stop) {
    EvaluateOptions how;
    how.stop = stop;
    how.level = inspection::Level::flow;
    cell::Edit edit = keep_apart(layout, *without_interlocks(layout, cache, true, stop), zone, rule, device);
    const cell::Layout with = edit.operations.empty() ? layout : layout.edited(edit);
    const auto near = without_interlocks(layout, cache, false, stop);
    const Zone& z = zone_named(*near, zone);
    const auto goes = [&](const cell::Layout& one) { return !locked_up(*evaluate(one, cache, how), z); };
    if (goes(with)) return edit;
    const cell::Edit nearer = keep_apart(layout, *near, zone, rule, device);
    const cell::Layout with_nearer = nearer.operations.empty() ? layout : layout.edited(nearer);
    return goes(with_nearer) ? nearer : edit;
}

namespace {

/// How many parts leave in a steady period, or rounds are made where there are no parts; 0: neither.
double made_in(const simulation::Run& run, const Figures& f) {
    if (!run.steady) return 0;
    if (run.steady->parts > 0) return run.steady->parts;
    return f.cycle_s ? seconds(run.steady->period) / *f.cycle_s : 0;
}

/// How often a mover's task has been gone through in what the figures are taken from.
double rounds_in(const simulation::Run& run, int mover) {
    const std::vector<Ticks>& ends = run.trace.rounds[mover];
    const auto [from, to] = stretch_of(run);
    return static_cast<double>(
        std::upper_bound(ends.begin(), ends.end(), to) - std::upper_bound(ends.begin(), ends.end(), from));
}

/// Time that a mover spends in motion in one round of its task; nothing where it makes none.
std::optional<double> moves_s(const Evaluation& e, int mover) {
    if (rounds_in(*e.run, mover) == 0) return std::nullopt;
    const auto [from, to] = stretch_of(*e.run);
    Ticks sum = 0;
    for (const simulation::Block& b : e.run->trace.blocks)
        if (b.device == mover && category(b.kind) == Category::move)
            sum += std::max<Ticks>(0, std::min(b.to, to) - std::max(b.from, from));
    return seconds(sum) / rounds_in(*e.run, mover);
}

RulePrice price_of(const cell::Layout& with, const std::string& rule, const std::string& device, const Zone& asked,
    const Evaluation& without, inspection::Cache& cache, const inspection::StopFlag* stop) {
    EvaluateOptions how;
    how.stop = stop;
    const auto e = with_zones(*evaluate(with, cache, how), cache, stop);
    RulePrice price;
    price.rule = rule;
    price.cycle_s = e->figures.cycle_s;
    const std::set<int> pair{asked.sides[0].device, asked.sides[1].device};
    price.stuck = locked_up(*e, asked);
    price.contacts = contacts(*e);
    price.kept_apart = std::all_of(e->zones->all.begin(), e->zones->all.end(), [&](const Zone& z) {
        return std::set<int>{z.sides[0].device, z.sides[1].device} != pair || z.kept_by >= 0;
    });
    if (!price.stuck) price.orders = inspection::orders_of(*e->cell, with.tree().dump(), cache, stop);
    const int lock = e->cell->device(device);
    Ticks waited = 0;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.kind == simulation::BlockKind::wait && b.other == lock && b.waits_for == simulation::WaitFor::zone)
            waited += std::max<Ticks>(0, std::min(b.to, e->zones->until) - std::max(b.from, e->zones->from));
    if (const double made = made_in(*e->run, e->figures); made > 0) {
        price.waits_s = seconds(waited) / made;
        for (const int mover : pair) {
            const auto now = moves_s(*e, mover), before = moves_s(without, mover);
            if (now && before) price.slowed_s += std::max(0.0, *now - *before) * rounds_in(*e->run, mover) / made;
        }
    }
    return price;
}

/// The one with the fewest contacts, then the least cycle.
std::string best_of(const std::vector<RulePrice>& rules) {
    const RulePrice* best = nullptr;
    for (const RulePrice& p : rules) {
        if (!p.kept_apart || p.may_lock_up() || !p.cycle_s) continue;
        const bool safer = best && p.contacts < best->contacts, quicker = best && *p.cycle_s < *best->cycle_s - 1e-9;
        if (!best || safer || (p.contacts == best->contacts && quicker)) best = &p;
    }
    return best ? best->rule : std::string();
}

}  // namespace

KeptApart price_of_keeping_apart(const cell::Layout& layout, const std::string& zone, inspection::Cache& cache,
    const std::function<void(double)>& progress, const inspection::StopFlag* stop) {
    KeptApart out;
    EvaluateOptions how;
    how.stop = stop;
    out.found_s = evaluate(layout, cache, how)->figures.cycle_s;
    for (const bool with_distance : {true, false}) {
        const auto without = without_interlocks(layout, cache, with_distance, stop);
        out.zone = zone_named(*without, zone).id;
        out.without_s = without->figures.cycle_s;
        out.keeps_distance = with_distance;
        out.rules.clear(), out.edits.clear();
        const std::vector<std::string> rules = rules_for(*without, zone);
        for (const std::string& rule : rules) {
            if (progress)
                progress((with_distance ? 0 : 0.5) +
                         0.5 * static_cast<double>(out.rules.size()) / static_cast<double>(rules.size()));
            out.edits.push_back(keep_apart(layout, *without, zone, rule, &out.device));
            const cell::Layout with = out.edits.back().operations.empty() ? layout : layout.edited(out.edits.back());
            out.rules.push_back(price_of(with, rule, out.device, zone_named(*without, zone), *without, cache, stop));
        }
        out.best = best_of(out.rules);
        if (!out.best.empty()) break;
        if (with_distance) out.elsewhere = wait_elsewhere(layout, zone, cache, stop);
    }
    return out;
}

}  // namespace escarp::study
