// Volumes in which nobody may be while their input says so.

#include <algorithm>

#include <simulation/kernel.h>

#include "../check.h"
#include "../timeline.h"

namespace escarp::inspection {
namespace {

/// The first instant at which both are on.
std::optional<simulation::Ticks> both_on(const simulation::SignalRecord& a, const simulation::SignalRecord& b) {
    for (const auto* list : {&a, &b})
        for (const auto& [when, value] : list->changes)
            if (value != 0 && (list == &a ? b : a).at(when) != 0) {
                // The earlier of the two lists may have one later than the other's first.
                std::optional<simulation::Ticks> best = when;
                for (const auto& [t, v] : (list == &a ? b : a).changes)
                    if (v != 0 && t < *best && (list == &a ? a : b).at(t) != 0) best = t;
                return best;
            }
    return std::nullopt;
}

/// Movers of which something is within a volume at an instant.
std::vector<int> who_is_in(const Context& c, int volume, const geometry::Convex& space, simulation::Ticks when) {
    constexpr double an_instant = 1e-3;  // s
    const motion::GlideMover still(
        c.device(volume).world, motion::part_set({{0, space, geometry::Frame::Identity(), {}, 0}}));
    const Timeline timeline(c.cell, c.run, c.stop);
    std::vector<int> out;
    for (const TimedMover& mover : timeline.movers())
        for (const Segment& s : mover.segments) {
            if (when < s.from || when >= s.to) continue;
            const double t = simulation::seconds(when - s.from);
            if (!motion::contact_times(timeline.moving(mover, s), still, t, t + an_instant).empty())
                out.push_back(mover.device);
        }
    return out;
}

}  // namespace

void keep_out_check(const Context& c, Inspection& result) {
    for (std::size_t i = 0; i < c.cell.devices.size(); ++i) {
        const cell::Device& d = c.cell.devices[i];
        const auto kept = simulation::kind_of(d).kept_empty(d);
        if (!kept) continue;
        const auto& signals = c.run.trace.signals;
        const auto when = both_on(signals[kept->inside], signals[kept->keep_out]);
        if (!when) continue;
        Finding f;
        f.id = "keep-out:" + d.id;
        f.severity = Severity::stop;
        f.when_s = simulation::seconds(*when);
        f.devices = {d.id};
        std::string who;
        // Where movers are named, nobody else counts; each of them has a signal of its own.
        const auto named = [&](const cell::Device& m) { return c.cell.signal(d.id + "." + m.id + "_inside") >= 0; };
        const bool some = std::any_of(c.cell.devices.begin(), c.cell.devices.end(), named);
        for (const int m : who_is_in(c, static_cast<int>(i), kept->space, *when)) {
            if (some && !named(c.device(m))) continue;
            who += (who.empty() ? "" : " and ") + c.device(m).name;
            f.devices.push_back(c.device(m).id);
        }
        if (who.empty()) who = "Something";  // it leaves at this very instant
        f.title = who + " is in " + d.name + " while it has to be empty";
        f.text = "At " + short_number(*f.when_s) +
                 " s its keep_out is on. Let the mover wait at the border, or set keep_out only when nobody is inside.";
        result.findings.push_back(std::move(f));
    }
}

}  // namespace escarp::inspection
