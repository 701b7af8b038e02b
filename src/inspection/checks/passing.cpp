#include <algorithm>
#include <cmath>
#include <map>

#include <geometry/indices.h>
#include <simulation/kinds/belts/belt.h>

#include "../check.h"

namespace escarp::inspection {
namespace {

using simulation::Place;
using simulation::Ticks;

/// Whether a part has gone beyond a place of a belt, and when.
bool passes(const Context& c, const simulation::PartRecord& part, int carrier, double way) {
    const cell::Device& belt = c.device(carrier);
    for (std::size_t i = 0; i < part.places.size(); ++i) {
        const Place& p = part.places[i];
        if (p.kind != Place::Kind::still || p.device != carrier) continue;
        const Ticks next = i + 1 < part.places.size() ? part.places[i + 1].from : c.run.trace.end;
        const Ticks until = std::min({next, std::max(p.stop, p.from), c.run.trace.end});
        const double from = simulation::nearest_way(belt, p.origin);
        const double to = simulation::nearest_way(belt, p.after(simulation::seconds(until - p.from)).translation());
        if (from <= way && to > way + 1e-9) return true;
    }
    return false;
}

/// The time from one part to the next, of those that come to a place of a belt; 0: fewer than two.
double comes_every(const Context& c, int carrier, double way) {
    std::vector<Ticks> when;
    for (const simulation::PartRecord& part : c.run.trace.parts) {
        if (c.cell.part_types[part.type].carrier()) continue;
        const auto on = std::find_if(part.places.begin(), part.places.end(), [&](const Place& p) {
            return p.kind == Place::Kind::still && p.device == carrier &&
                   simulation::nearest_way(c.device(carrier), p.origin) <= way;
        });
        if (on != part.places.end()) when.push_back(on->from);
    }
    std::sort(when.begin(), when.end());
    return when.size() < 2 ? 0.0
                           : simulation::seconds(when.back() - when.front()) / static_cast<double>(when.size() - 1);
}

/// All steps of an arm that pick what rides by on one device are one: each takes what the others leave.
void count(const Context& c, Passing& p, const std::vector<const cell::Step*>& steps) {
    double last = 0;
    for (const cell::Step* s : steps) last = std::max(last, s->window_to);
    for (const simulation::PartRecord& part : c.run.trace.parts)
        for (std::size_t i = 1; i < part.places.size(); ++i)
            p.taken += part.places[i].kind == Place::Kind::held && part.places[i].device == p.arm &&
                       part.places[i - 1].kind == Place::Kind::still && part.places[i - 1].device == p.carrier &&
                       part.places[i - 1].carrier < 0;
    for (const simulation::PartRecord& part : c.run.trace.parts)
        p.missed += !c.cell.part_types[part.type].carrier() && passes(c, part, p.carrier, last);
}

/// Another arm still has a chance with what this one lets pass.
bool others_follow(const Context& c, const Passing& p, double way) {
    for (const cell::Device& d : c.cell.devices)
        for (const cell::Step* s : cell::all_steps(d))
            if (s->enabled && s->meets() && s->device == p.carrier && s->window_to > way &&
                s->kind->reach() == cell::Reach::part)
                return true;
    return false;
}

Finding lets_pass(const Context& c, const Passing& p, const std::vector<const cell::Step*>& steps) {
    double last = 0;
    for (const cell::Step* s : steps) last = std::max(last, s->window_to);
    const cell::Device &arm = c.device(p.arm), &belt = c.device(p.carrier);
    Finding f;
    f.id = "passing:" + arm.id + ":" + belt.id;
    const int all = p.taken + p.missed;
    f.severity = others_follow(c, p, last) ? Severity::note : Severity::watch;
    f.title =
        arm.name + " lets " + std::to_string(p.missed) + " of " + std::to_string(all) + " parts pass on " + belt.name;
    const double end = simulation::seconds(c.run.trace.end), every = comes_every(c, p.carrier, last);
    f.text = "They leave its tracking window at " + millimetres(last) + " mm before it can meet them. ";
    if (all > 0 && end > 0 && every > 0)
        f.text += "One comes every " + short_number(every) + " s" +
                  (p.taken > 0 ? ", it takes one every " + short_number(end / p.taken) + " s. " : ", it takes none. ");
    f.text += f.severity == Severity::note ? "Another arm farther on takes from there, too."
                                           : "A longer window, a slower belt or a shorter round lets fewer pass.";
    f.devices = {arm.id, belt.id};
    f.device = arm.id;
    f.step = p.step_id;
    return f;
}

}  // namespace

void passing_check(const Context& c, Inspection& result) {
    for (const int i : indices(c.cell.devices)) {
        std::map<int, std::vector<const cell::Step*>> steps;  // by carrier
        for (const cell::Step* s : cell::all_steps(c.cell.devices[i]))
            if (s->enabled && s->meets() && s->kind->reach() == cell::Reach::part && !s->on_carrier)
                steps[s->device].push_back(s);
        for (const auto& [carrier, own] : steps) {
            Passing p{i, own.front()->number, own.front()->id, carrier};
            count(c, p, own);
            if (p.missed > 0) result.findings.push_back(lets_pass(c, p, own));
            result.passings.push_back(std::move(p));
        }
    }
}

}  // namespace escarp::inspection
