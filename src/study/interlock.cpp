#include "interlock.h"

#include <algorithm>
#include <map>
#include <set>

#include <cell/names.h>
#include <simulation/kernel.h>

namespace escarp::study {
namespace {

using cell::json;
using inspection::Zone;
using inspection::ZoneSide;
using inspection::ZoneVisit;
using simulation::seconds;
using simulation::Ticks;

constexpr const char* kind = "interlock";
// A zone that is found anew, with motions that are slowed here and there, is not the same to the millimetre: where arms
// ask and give back is told by one that is found more coarsely, and so is a little larger.
constexpr double coarser = 2;           // times as coarse as they are shown
constexpr double before_border = 2e-3;  // s of the motion: by so much earlier, and later
constexpr double worth_leaving = 0.5;   // s: for less it stays

/// The motions of one kind of one step: where in them, as shares of their time, a mover is inside, whichever of them it
/// is.
struct Leg {
    std::string step, during;
    int number;                                     ///< of the step
    std::vector<std::pair<double, double>> inside;  ///< apart, in order
    bool begins_outside = false;                    ///< some of them do
    bool inside_at(double share) const {
        return std::any_of(
            inside.begin(), inside.end(), [&](const auto& i) { return i.first <= share && share <= i.second; });
    }
};

class Legs {
public:
    Legs(const Evaluation& e, const ZoneSide& side) : e_(e), side_(side) {
        int before = -1;
        const auto& motions = e.run->trace.motions[side.device];
        for (std::size_t i = 0; i < motions.size() && motions[i].from < e.zones->until; ++i) {
            const Ticks to = i + 1 < motions.size() ? std::min(motions[i + 1].from, e.zones->until) : e.zones->until;
            const int leg = leg_of(motions[i]);
            if (leg < 0) continue;
            if (before >= 0) follows_.emplace(before, leg);
            before = leg;
            way_.push_back(leg);
            add(legs_[leg], motions[i], to);
        }
    }

    /// Where it asks and gives back, as the interlock's table says it, with the visits that begin there if asked for.
    void add_points(const char* of, bool with_visits, json& points) const {
        const Visits visits = with_visits ? this->visits() : Visits{};
        const auto point = [&](const Leg& leg, const char* does, double share) -> json& {
            points.push_back(
                {{"of", of}, {"does", does}, {"step", leg.step}, {"during", leg.during}, {"at_pct", share}});
            return points.back();
        };
        for (std::size_t i = 0; i < legs_.size(); ++i) {
            const Leg& leg = legs_[i];
            const bool after_inside = std::any_of(follows_.begin(), follows_.end(),
                [&](const auto& f) { return f.second == static_cast<int>(i) && legs_[f.first].inside_at(1); });
            if (after_inside && !leg.inside_at(0)) point(leg, "gives back", 0);
            for (std::size_t n = 0; n < leg.inside.size(); ++n) {
                const auto& [from, to] = leg.inside[n];
                if (asks(leg, n)) {
                    json& p = point(leg, "asks", std::floor(1e6 * from) / 1e4);
                    if (with_visits) p["visit"] = visits.number(i, n);
                }
                if (to < 1) point(leg, "gives back", std::ceil(1e6 * to) / 1e4);
            }
        }
    }

    /// A visit lasts from where it asks to where it gives back. Those that begin at one place are one, and so are those
    /// of which one leads past where another would ask.
    struct Visits {
        std::map<std::pair<std::size_t, std::size_t>, int> begin;  ///< at a leg and stretch of it: number from 1
        std::map<int, std::set<int>> steps;                        ///< numbers of the steps that each takes
        int number(std::size_t leg, std::size_t stretch) const {
            const auto found = begin.find({leg, stretch});
            return found == begin.end() ? 1 : found->second;
        }
    };
    Visits visits() const {
        Visits all;
        for (std::size_t i = 0; i < legs_.size(); ++i)
            for (std::size_t n = 0; n < legs_[i].inside.size(); ++n)
                if (asks(legs_[i], n)) all.begin.emplace(std::pair(i, n), static_cast<int>(all.begin.size()) + 1);
        const auto same = [&](int one, int other) {
            if (one == other) return;
            for (auto& [place, number] : all.begin)
                if (number == other) number = one;
            all.steps[one].merge(all.steps[other]);
            all.steps.erase(other);
        };
        int now = 0;  // the visit that it is on; 0: it has no leave
        for (const int l : way_) {
            const Leg& leg = legs_[static_cast<std::size_t>(l)];
            if (!leg.inside_at(0)) now = 0;
            for (std::size_t n = 0; n < leg.inside.size(); ++n) {
                if (asks(leg, n)) {
                    const int here = all.begin.at({static_cast<std::size_t>(l), n});
                    if (now) same(now, here);
                    else now = here;
                }
                if (now) all.steps[now].insert(leg.number);
                if (leg.inside[n].second < 1) now = 0;
            }
        }
        // From 1, without gaps.
        std::map<int, int> numbers;
        Visits out;
        for (const auto& [place, number] : all.begin) {
            const int short_number = numbers.try_emplace(number, static_cast<int>(numbers.size()) + 1).first->second;
            out.begin.emplace(place, short_number);
            out.steps[short_number] = all.steps[number];
        }
        return out;
    }

private:
    static bool asks(const Leg& leg, std::size_t stretch) {
        return leg.inside[stretch].first > 0 || leg.begins_outside;
    }
    int leg_of(const simulation::MotionRecord& m) {
        if (m.block < 0 || m.motion->duration() <= 0) return -1;
        const simulation::Block& b = e_.run->trace.blocks[m.block];
        for (const cell::Step* s : cell::all_steps(e_.cell->devices[side_.device])) {
            if (s->number != b.step) continue;
            for (std::size_t i = 0; i < legs_.size(); ++i)
                if (legs_[i].step == s->id && legs_[i].during == word(b.kind)) return static_cast<int>(i);
            legs_.push_back({s->id, word(b.kind), s->number, {}});
            return static_cast<int>(legs_.size()) - 1;
        }
        return -1;
    }
    void add(Leg& leg, const simulation::MotionRecord& m, Ticks to) const {
        const double duration = m.motion->duration();
        bool outside = true;
        for (const ZoneVisit& v : side_.visits) {
            if (v.leaves < m.from || v.enters > to) continue;
            outside = outside && v.enters > m.from;
            const auto share = [&](Ticks t, double margin) {
                return std::clamp((seconds(t - m.from) + margin) / duration, 0.0, 1.0);
            };
            const double in = share(v.enters, -before_border);
            if (in >= 1) continue;
            leg.inside.emplace_back(in, v.leaves >= to ? 1.0 : share(v.leaves, before_border));
        }
        leg.begins_outside = leg.begins_outside || outside;
        std::sort(leg.inside.begin(), leg.inside.end());
        std::vector<std::pair<double, double>> joined;
        for (const auto& i : leg.inside)
            if (!joined.empty() && (i.first - joined.back().second) * duration < worth_leaving)
                joined.back().second = std::max(joined.back().second, i.second);
            else joined.push_back(i);
        leg.inside = std::move(joined);
    }

    const Evaluation& e_;
    const ZoneSide& side_;
    std::vector<Leg> legs_;
    std::vector<int> way_;                   ///< the legs as they come one after the other
    std::set<std::pair<int, int>> follows_;  ///< legs that come one after the other
};

/// The keys of the interlock that say where it is asked, and what may be let in together.
struct Asking {
    json points = json::array(), together = json::array();
};
Asking asking_of(const Evaluation& e, const Zone& z, bool with_visits) {
    const Legs first(e, z.sides[0]), second(e, z.sides[1]);
    Asking out;
    first.add_points("first", with_visits, out.points);
    second.add_points("second", with_visits, out.points);
    if (!with_visits) return out;
    const Legs::Visits of_first = first.visits(), of_second = second.visits();
    for (const auto& [one, steps] : of_first.steps)
        for (const auto& [other, others] : of_second.steps) {
            const bool meet = std::any_of(z.pairs.begin(), z.pairs.end(),
                [&](const Zone::Steps& p) { return steps.count(p.one) && others.count(p.two); });
            if (!meet) out.together.push_back({{"first", one}, {"second", other}});
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
                cell::Operation::set("/devices/" + d["id"].get<std::string>() + "/points", json::array()));
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
        if (!d.arm)
            throw cell::InputError("zone", d.name + " is no arm: let the arm wait for its signals before it goes in.");
        movers[side] = d.id;
    }
    const auto inside = [&](int side) {
        return !z.sides[side].visits.empty() && z.sides[side].visits.front().enters == 0;
    };
    if (inside(0) && inside(1))
        throw cell::InputError(
            "zone", "Both arms are in the zone when the cell starts; another ready posture of one of them is needed.");
    const Asking asking = asking_of(without, z, rule == simulation::let_in::both_apart);
    const json starts = inside(0) ? "first" : inside(1) ? "second" : "nobody";
    // One that is there already for the same two, and the same zone among theirs.
    const int nth = std::stoi(z.id.substr(z.id.rfind(':') + 1));
    int count = 0;
    for (const json& d : layout.tree().value("devices", json::array())) {
        if (!is_between(d, movers[0], movers[1]) || ++count != nth) continue;
        const std::string id = d["id"], at = "/devices/" + id + "/";
        if (device) *device = id;
        cell::Edit edit{"Set the points of " + d.value("name", id) + " anew", {}};
        for (const auto& [key, value] : {std::pair<const char*, json>{"one_arm", movers[0]}, {"other_arm", movers[1]},
                 {"rule", rule}, {"starts_inside", starts}, {"points", asking.points}, {"together", asking.together}}) {
            const json now = d.value(key, json());
            if (now != value && !(now.is_null() && value.empty()))
                edit.operations.push_back(cell::Operation::set(at + key, value));
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
    const cell::Edit edit = keep_apart(layout, *without_interlocks(layout, cache, true, stop), zone, rule, device);
    const cell::Layout with = edit.operations.empty() ? layout : layout.edited(edit);
    if (evaluate(with, cache, how)->figures.cycle_s) return edit;
    const cell::Edit nearer = keep_apart(layout, *without_interlocks(layout, cache, false, stop), zone, rule, device);
    const cell::Layout with_nearer = nearer.operations.empty() ? layout : layout.edited(nearer);
    return evaluate(with_nearer, cache, how)->figures.cycle_s ? nearer : edit;
}

namespace {

RulePrice price_of(const cell::Layout& with, const std::string& rule, const std::string& device, const Zone& asked,
    inspection::Cache& cache, const inspection::StopFlag* stop) {
    EvaluateOptions how;
    how.stop = stop;
    const auto e = with_zones(*evaluate(with, cache, how), cache, stop);
    RulePrice price;
    price.rule = rule;
    price.cycle_s = e->figures.cycle_s;
    price.stuck = e->run->stuck || !e->figures.cycle_s;
    price.contacts = contacts(*e);
    const std::set<int> pair{asked.sides[0].device, asked.sides[1].device};
    price.kept_apart = std::all_of(e->zones->all.begin(), e->zones->all.end(), [&](const Zone& z) {
        return std::set<int>{z.sides[0].device, z.sides[1].device} != pair || z.kept_by >= 0;
    });
    if (!price.stuck) price.orders = inspection::orders_of(*e->cell, with.tree().dump(), cache, stop);
    const int lock = e->cell->device(device);
    Ticks waited = 0;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.kind == simulation::BlockKind::wait && b.other == lock && b.waits_for == simulation::WaitFor::zone)
            waited += std::max<Ticks>(0, std::min(b.to, e->zones->until) - std::max(b.from, e->zones->from));
    if (e->run->steady && e->run->steady->parts > 0) price.waits_s = seconds(waited) / e->run->steady->parts;
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
            out.rules.push_back(price_of(with, rule, out.device, zone_named(*without, zone), cache, stop));
        }
        out.best = best_of(out.rules);
        if (!out.best.empty()) break;
    }
    return out;
}

}  // namespace escarp::study
