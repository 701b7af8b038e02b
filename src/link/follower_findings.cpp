#include "follower_findings.h"

#include <cell/text/numbers.h>

namespace escarp::link {

std::vector<inspection::Finding> findings_of(const cell::Cell& cell, const std::vector<FollowerNote>& notes) {
    struct Same {
        Ticks first;
        int more = 0;  ///< times after the first
    };
    std::map<std::pair<int, std::string>, Same> all;
    for (const FollowerNote& n : notes) {
        const auto [known, fresh] = all.try_emplace({n.device, n.words}, Same{n.when});
        if (!fresh) ++known->second.more;
    }
    std::vector<inspection::Finding> out;
    for (const auto& [what, same] : all) {
        const cell::Device& d = cell.devices[static_cast<std::size_t>(what.first)];
        inspection::Finding f;
        f.id = "follows:" + d.id + ":" + what.second;
        f.severity = inspection::Severity::watch;
        f.title = d.name + ": " + what.second;
        f.text =
            "It follows what is said of it from outside, at " + cell::fixed(simulation::seconds(same.first), 2) + " s";
        f.text += same.more == 0   ? ""
                  : same.more == 1 ? " and once more"
                                   : " and " + std::to_string(same.more) + " more times";
        f.text +=
            ". It is shown as it was said to be. Look at the names of the link (units, signs, offsets), or at "
            "what says it.";
        f.devices = {d.id};
        f.device = d.id;
        f.when_s = simulation::seconds(same.first);
        out.push_back(std::move(f));
    }
    return out;
}

}  // namespace escarp::link
