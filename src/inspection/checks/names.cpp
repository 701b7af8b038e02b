// Rows of a device's tables that name what is not there: they do nothing, and look as if they did.

#include <simulation/kernel.h>

#include "../check.h"

namespace escarp::inspection {

void names_check(const Context& c, Inspection& result) {
    for (const cell::Device& d : c.cell.devices) {
        const std::vector<std::string> missing = simulation::kind_of(d).missing_names(c.cell, d);
        if (missing.empty()) continue;
        Finding f;
        f.id = "names:" + d.id;
        f.severity = Severity::watch;
        f.title = d.name + " has points of what is not there";
        for (const std::string& one : missing) f.text += (f.text.empty() ? "There is no " : ", no ") + one;
        f.text += ". Nobody asks or gives back at these points: set them anew, or take them away.";
        f.device = d.id;
        f.devices = {d.id};
        result.findings.push_back(std::move(f));
    }
}

}  // namespace escarp::inspection
