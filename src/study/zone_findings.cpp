#include "zone_findings.h"

#include <cell/text/numbers.h>
#include <simulation/zone_arbiter.h>

#include "interlock.h"
#include "wait_elsewhere.h"

namespace escarp::study {
namespace {

using inspection::Finding;
using inspection::Severity;
using inspection::Zone;
using simulation::seconds;

std::string seconds_words(const std::optional<double>& s) { return s ? cell::fixed(*s, 2) + " s" : "no part leaves"; }

/// Each rule as a way out, those with the fewest contacts first, then the quickest: with the safety distance kept, or,
/// where that locks up whatever the rule, without.
std::vector<inspection::WayOut> ways_to_keep_apart(
    const Evaluation& e, const Zone& z, inspection::Cache& cache, const inspection::StopFlag* stop) {
    std::vector<inspection::WayOut> ways;
    struct Tried {
        inspection::WayOut way;
        double cycle;
        int contacts;
    };
    std::vector<Tried> tried;
    EvaluateOptions how;
    how.stop = stop;
    for (const bool with_distance : {true, false}) {
        const auto without = without_interlocks(e.layout, cache, with_distance, stop);
        tried.clear();
        bool goes = false;
        for (const std::string& rule : rules_for(*without, z.id)) {
            Tried one;
            one.way.edit = keep_apart(e.layout, *without, z.id, rule);
            const auto with = evaluate(e.layout.edited(one.way.edit), cache, how);
            const bool stuck = locked_up(*with, z);
            goes = goes || !stuck;
            one.contacts = contacts(*with);
            one.way.label =
                std::string(with_distance ? "Keep them apart: " : "Let them in one at a time, near as they pass: ") +
                rule;
            one.way.effect =
                stuck ? "it locks up"
                      : "cycle " + seconds_words(with->figures.cycle_s) + ", now " + seconds_words(e.figures.cycle_s);
            if (one.contacts > 0 && !stuck)
                one.way.effect += one.contacts == 1 ? "; 1 contact" : "; " + std::to_string(one.contacts) + " contacts";
            one.cycle = stuck ? 1e300 : *with->figures.cycle_s;
            tried.push_back(std::move(one));
        }
        if (goes) break;
        if (with_distance) ways = wait_elsewhere(e.layout, z.id, cache, stop);
    }
    std::stable_sort(tried.begin(), tried.end(), [](const Tried& a, const Tried& b) {
        const bool goes_a = a.cycle < 1e300, goes_b = b.cycle < 1e300;
        if (goes_a != goes_b) return goes_a;
        return a.contacts != b.contacts ? a.contacts < b.contacts : a.cycle < b.cycle - 1e-9;
    });
    for (Tried& t : tried) ways.push_back(std::move(t.way));
    return ways;
}

}  // namespace

std::vector<Finding> zone_findings(const Evaluation& e, inspection::Cache& cache, const inspection::StopFlag* stop) {
    std::vector<Finding> all;
    const auto name = [&](int device) { return e.cell->devices[device].name; };
    for (const Zone& z : e.zones->all) {
        if (z.kept_by >= 0 || (!z.together && z.uncovered.arbiter < 0)) continue;
        Finding f;
        f.severity = Severity::watch;
        f.devices = {e.cell->devices[z.sides[0].device].id, e.cell->devices[z.sides[1].device].id};
        const std::string where = z.centre >= 0 ? " at " + name(z.centre) : "";
        if (z.uncovered.arbiter >= 0) {
            f.id = "uncovered:" + z.id;
            const std::string at = cell::fixed(seconds(z.uncovered.enters), 2) + " s. ";
            if (z.uncovered.together) {
                f.title = name(z.sides[0].device) + " and " + name(z.sides[1].device) + " meet in " + z.name;
                f.text = name(z.uncovered.arbiter) + " has let both in, and what they do there meets: first at " + at +
                         "The visits that may be let in together fit other motions.";
            } else {
                f.title = name(z.uncovered.mover) + " is in " + z.name + " without leave";
                f.text = name(z.uncovered.arbiter) + " has not let it in: it enters at " + at +
                         "The points where it asks and gives back fit other motions.";
            }
            f.when_s = seconds(z.uncovered.enters);
            inspection::WayOut way;
            const cell::json* own =
                cell::find(e.layout.tree(), cell::at_device(e.cell->devices[z.uncovered.arbiter].id));
            try {
                const std::string& usual = simulation::let_in::first_come;
                way.edit = keep_apart(e.layout, z.id, own ? own->value("rule", usual) : usual, cache, nullptr, stop);
                way.label = way.edit.name;
                if (!way.edit.operations.empty()) f.ways_out.push_back(std::move(way));
            } catch (const cell::InputError&) {  // the zone is gone where there are no interlocks
            }
        } else {
            f.id = "zone:" + z.id;
            f.title = name(z.sides[0].device) + " and " + name(z.sides[1].device) + " are in " + z.name + " together";
            f.text = "Both are inside" + where + " first at " + cell::fixed(seconds(z.together_at), 2) + " s";
            if (z.nearest.device_a >= 0)
                f.text += "; " + cell::fixed(1e3 * z.nearest.distance, 0) + " mm apart at " +
                          cell::fixed(z.nearest.when_s, 2) + " s";
            f.text += ".";
            f.when_s = z.nearest.device_a >= 0 ? z.nearest.when_s : seconds(z.together_at);
            try {
                f.ways_out = ways_to_keep_apart(e, z, cache, stop);
            } catch (const cell::InputError& none) {
                f.text += " " + none.problems().front().message;
            }
        }
        all.push_back(std::move(f));
    }
    return all;
}

}  // namespace escarp::study
