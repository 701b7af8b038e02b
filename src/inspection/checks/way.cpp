#include <set>

#include "check.h"

namespace escarp::inspection {

/// Joint moves that could not be made directly: what stood in the way, and what going round it costs.
void way_check(const Context& c, Inspection& result) {
    std::set<std::tuple<int, int, int, bool>> told;
    for (const simulation::DetourRecord& r : c.run.trace.detours) {
        if (!told.insert({r.device, r.step, r.blocker, r.found}).second) continue;
        const cell::Device& arm = c.device(r.device);
        const auto steps = cell::all_steps(arm);
        const cell::Step& step = *steps[r.step];
        const std::string what = r.blocker >= 0 ? c.device(r.blocker).name : "the arm itself";
        Finding f;
        f.id = std::string(r.found ? "detour:" : "no-way:") + arm.id + ":" + step.id + ":" +
               (r.blocker >= 0 ? c.device(r.blocker).id : arm.id);
        f.severity = r.found ? Severity::note : Severity::stop;
        f.devices = {arm.id};
        if (r.blocker >= 0) f.devices.push_back(c.device(r.blocker).id);
        f.device = arm.id;
        f.step = step.id;
        f.when_s = simulation::seconds(r.when);
        if (r.found) {
            f.title = arm.name + " goes round " + what;
            f.text = "The direct joint move of \"" + cell::describe(c.cell, step) + "\" would come nearer than " +
                     millimetres(c.cell.safety_distance) + " mm; the way round takes " + short_number(r.longer_s) +
                     " s longer.";
            if (!step.shared)
                f.ways_out.push_back(
                    {"Move directly all the same", "no detour on this step; the clearance is then what it is",
                        {"No detour", {cell::Operation::set("/" + step.path + "/detour", false)}}});
        } else {
            f.title = arm.name + " finds no way round " + what;
            f.text = "No free path for \"" + cell::describe(c.cell, step) + "\" was found; " + what +
                     " stood in the way most often. The direct move is shown. A pose between, or moving what stands "
                     "there, may open a way.";
        }
        result.findings.push_back(std::move(f));
    }
}

}  // namespace escarp::inspection
