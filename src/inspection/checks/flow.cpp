#include <algorithm>
#include <set>

#include <simulation/kernel.h>

#include <inspection/why.h>

#include "check.h"

namespace escarp::inspection {
namespace {

using simulation::Fault;
using simulation::WaitFor;

/// Tasks that could not go on for a reason other than reach, which has findings of its own.
void report_faults(const Context& c, const Inspection& so_far, std::vector<Finding>& out) {
    for (const Fault& fault : c.run.trace.faults) {
        const cell::Device& d = c.device(fault.device);
        Finding f;
        f.severity = Severity::stop;
        f.device = d.id;
        f.devices = {d.id};
        f.when_s = simulation::seconds(fault.when);
        for (const cell::Step* s : cell::all_steps(d))
            if (s->number == fault.step) f.step = s->id;
        f.id = "task:" + d.id + ":" + f.step;
        switch (fault.kind) {
            case Fault::Kind::holds_nothing:
                f.title = d.name + " holds no part";
                f.text = "The step needs a part in the tool; put a pick before it.";
                break;
            case Fault::Kind::holds_already:
                f.title = d.name + " already holds a part";
                f.text = "A pick needs an empty tool; put a place before it.";
                break;
            case Fault::Kind::goes_round:
                f.title = d.name + "'s task takes no time";
                f.text = "It goes round without ever waiting or moving; add a step that does something.";
                break;
            default: {
                const bool told = std::any_of(so_far.poses.begin(), so_far.poses.end(),
                    [&](const PoseNeed& n) { return n.arm == fault.device && n.step_id == f.step && !n.reached; });
                if (told) continue;
                f.title = d.name + " cannot make this move";
                f.text = fault.kind == Fault::Kind::line_fails
                             ? "The straight line cannot be followed: it fails " +
                                   std::to_string(static_cast<int>(fault.at * 100)) + " % of the way."
                             : "The pose is out of reach as the part stands there.";
                if (fault.kind == Fault::Kind::line_fails) f.ways_out = straight_remedies(c, so_far.poses, fault);
            }
        }
        out.push_back(std::move(f));
    }
}

/// Nothing can ever happen again and someone waits: names who waits for whom, and the ring if there is one.
void report_deadlock(const Context& c, std::vector<Finding>& out) {
    if (!c.run.stuck || !c.run.trace.faults.empty() || c.run.waits.empty()) return;
    Finding f;
    f.id = "deadlock";
    f.severity = Severity::stop;
    f.when_s = simulation::seconds(c.run.trace.end);
    std::string all;
    for (const auto& w : c.run.waits) {
        const std::string what = w.what == WaitFor::part   ? " for a part at "
                                 : w.what == WaitFor::room ? " for room at "
                                 : w.what == WaitFor::zone ? " for "
                                                           : " for a signal of ";
        all += (all.empty() ? "" : "; ") + c.device(w.device).name + " waits" +
               (w.other >= 0 ? what + c.device(w.other).name : "");  // a kind of step need not say for whom
        f.devices.push_back(c.device(w.device).id);
    }
    // Who waits for whom in a ring, and since when that is closed.
    for (const auto& w : c.run.waits) {
        const Why ring = why(c.cell, c.run, w.device, c.run.trace.end);
        if (!ring.ring) continue;
        std::string names;
        double closed = 0;
        for (std::size_t i = ring.back_to; i < ring.chain.size(); ++i) {
            names += c.device(ring.chain[i].device).name + " waits for ";
            if (ring.chain[i].block >= 0)
                closed = std::max(closed, simulation::seconds(c.run.trace.blocks[ring.chain[i].block].from));
        }
        all += ". They wait in a ring: " + names + c.device(ring.chain[ring.back_to].device).name +
               "; it is closed since " + short_number(closed) + " s";
        f.when_s = closed;
        break;
    }
    f.title = c.run.trace.departures.empty() ? "Nothing moves: no part ever leaves" : "The cell comes to a standstill";
    f.text = "From " + short_number(simulation::seconds(c.run.trace.end)) + " s on nothing can happen: " + all + ".";
    out.push_back(std::move(f));
}

/// The cell goes on, but somebody with work left does nothing any more.
void report_standing(const Context& c, std::vector<Finding>& out) {
    for (const int block : waits_for_ever(c.run)) {
        const simulation::Block& b = c.run.trace.blocks[block];
        const cell::Device& d = c.device(b.device);
        Finding f;
        f.id = "stands:" + d.id + (b.task > 0 ? ":" + std::to_string(b.task) : "");
        // What does not recur may still let him go on one day.
        f.severity = c.run.steady ? Severity::stop : Severity::watch;
        f.device = d.id;
        f.devices = {d.id};
        if (b.other >= 0 && b.other != b.device) f.devices.push_back(c.device(b.other).id);
        f.when_s = simulation::seconds(b.from);
        for (const cell::Step* s : cell::all_steps(d))
            if (s->number == b.step) f.step = s->id;
        f.title = d.name + (c.run.steady ? " waits for ever" : " does nothing any more");
        f.text = "From " + short_number(*f.when_s) + " s " +
                 (c.run.steady ? "on, while the rest of the cell goes on: " : "to the end of the run: ") +
                 in_words(c.cell, why(c.cell, c.run, b.device, c.run.trace.end));
        out.push_back(std::move(f));
    }
}

/// Parts could come, but none does, though something goes on.
void report_no_parts(const Context& c, std::vector<Finding>& out) {
    const auto brings = [](const cell::Device& d) { return !d.needs_part_type.empty(); };
    const auto& all = c.cell.devices;
    if (c.run.stuck || c.run.cut || !c.run.trace.parts.empty() || !c.run.trace.faults.empty()) return;
    const auto first = std::find_if(all.begin(), all.end(), brings);
    if (first == all.end()) return;
    Finding f;
    f.id = "no-parts:" + first->id;
    f.severity = Severity::stop;
    f.title = "Nothing moves: no part ever comes";
    f.text = first->name + " lets no part go up to " + short_number(simulation::seconds(c.run.trace.end)) +
             " s: " + in_words(c.cell, why(c.cell, c.run, static_cast<int>(first - all.begin()), c.run.trace.end / 2));
    f.device = first->id;
    f.devices = {first->id};
    out.push_back(std::move(f));
}

void report_takt(const Context& c, std::vector<Finding>& out) {
    if (!c.run.steady || c.run.steady->parts == 0) return;
    const double cycle = simulation::seconds(c.run.steady->period) / c.run.steady->parts;
    if (auto f = takt_finding(c.cell, cycle, "")) {
        f->when_s = simulation::seconds(c.run.steady->from);
        out.push_back(std::move(*f));
    }
}

void report_cut(const Context& c, std::vector<Finding>& out) {
    if (!c.run.cut) return;
    Finding f;
    f.id = "cut";
    f.severity = Severity::watch;
    f.title = "The run was cut short";
    f.when_s = simulation::seconds(c.run.trace.end);
    f.text =
        c.run.unsettled
            ? "At " + short_number(*f.when_s) +
                  " s devices set each other off without any time passing; the figures are taken up to there. A delay "
                  "in one of their tasks avoids it."
        : c.run.searched_enough
            ? "Joint values and ways round have to be searched for in this cell, more than one run is given time for: "
              "it ends at " +
                  short_number(*f.when_s) +
                  " s, and the figures are taken up to there. An arm whose axes are those of a usual kind (parallel or "
                  "at right angles, so that its joint values are known in closed form), or fewer and smaller bodies in "
                  "the way, avoid it."
            : "More happens in this cell than one run keeps (about 100 MB): it ends at " + short_number(*f.when_s, 0) +
                  " s, and the figures are taken up to there. A longer infeed interval or a shorter horizon avoids it.";
    out.push_back(std::move(f));
}

}  // namespace

std::optional<Finding> takt_finding(const cell::Cell& cell, double cycle_s, const std::string& of) {
    if (cell.takt <= 0 || cycle_s <= cell.takt + 1e-9) return std::nullopt;
    Finding f;
    f.id = "takt";
    f.severity = Severity::watch;
    f.title = "Takt missed by " + short_number(cycle_s - cell.takt) + " s";
    f.text = "The cycle is " + short_number(cycle_s) + " s" + of + "; the line demands a part every " +
             short_number(cell.takt) + " s.";
    return f;
}

void flow_check(const Context& c, Inspection& result) {
    report_faults(c, result, result.findings);
    report_deadlock(c, result.findings);
    report_standing(c, result.findings);
    report_no_parts(c, result.findings);
    report_takt(c, result.findings);
    report_cut(c, result.findings);
}

}  // namespace escarp::inspection
