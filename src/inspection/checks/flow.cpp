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

void report_takt(const Context& c, std::vector<Finding>& out) {
    if (c.cell.takt <= 0 || !c.run.steady || c.run.steady->parts == 0) return;
    const double cycle = simulation::seconds(c.run.steady->period) / c.run.steady->parts;
    if (cycle <= c.cell.takt + 1e-9) return;
    Finding f;
    f.id = "takt";
    f.severity = Severity::watch;
    f.title = "Takt missed by " + short_number(cycle - c.cell.takt) + " s";
    f.text = "The cycle is " + short_number(cycle) + " s; the line demands a part every " + short_number(c.cell.takt) +
             " s.";
    f.when_s = simulation::seconds(c.run.steady->from);
    out.push_back(std::move(f));
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
            : "More happens in this cell than one run keeps (about 150 MB): it ends at " + short_number(*f.when_s, 0) +
                  " s, and the figures are taken up to there. A longer infeed interval or a shorter horizon avoids it.";
    out.push_back(std::move(f));
}

}  // namespace

void flow_check(const Context& c, Inspection& result) {
    report_faults(c, result, result.findings);
    report_deadlock(c, result.findings);
    report_takt(c, result.findings);
    report_cut(c, result.findings);
}

}  // namespace escarp::inspection
