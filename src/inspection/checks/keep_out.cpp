// Volumes in which nobody may be while their input says so.

#include <simulation/kernel.h>

#include "../check.h"

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

}  // namespace

void keep_out_check(const Context& c, Inspection& result) {
    for (std::size_t i = 0; i < c.cell.devices.size(); ++i) {
        const cell::Device& d = c.cell.devices[i];
        const auto kept = simulation::kind_of(d).kept_empty(d);
        if (!kept) continue;
        const auto& signals = c.run.trace.signals;
        const auto when =
            both_on(signals[static_cast<std::size_t>(kept->inside)], signals[static_cast<std::size_t>(kept->keep_out)]);
        if (!when) continue;
        Finding f;
        f.id = "keep-out:" + d.id;
        f.severity = Severity::stop;
        f.when_s = simulation::seconds(*when);
        f.devices = {d.id};
        std::string who;
        for (const cell::Device& m : c.cell.devices)
            if (const int own = c.cell.signal(d.id + "." + m.id + "_inside");
                own >= 0 && signals[static_cast<std::size_t>(own)].at(*when) != 0) {
                who += (who.empty() ? "" : " and ") + m.name;
                f.devices.push_back(m.id);
            }
        if (who.empty()) who = "Something";
        f.title = who + " is in " + d.name + " while it has to be empty";
        f.text = "At " + short_number(*f.when_s) +
                 " s its keep_out is on. Let the mover wait at the border, or set keep_out only when nobody is inside.";
        result.findings.push_back(std::move(f));
    }
}

}  // namespace escarp::inspection
