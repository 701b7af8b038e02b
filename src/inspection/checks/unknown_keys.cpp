#include "check.h"

namespace escarp::inspection {

/// Keys of the file that are not known where they stand: they are kept, but a slip would go unnoticed.
void unknown_keys_check(const Context& c, Inspection& result) {
    constexpr std::size_t most = 20;
    for (std::size_t i = 0; i < std::min(most, c.cell.unknown_keys.size()); ++i) {
        const cell::Problem& slip = c.cell.unknown_keys[i];
        Finding f;
        f.id = "key:" + slip.where;
        f.severity = Severity::note;
        f.title = "A key that is not known";
        f.text = slip.where + ": " + slip.message;
        const std::string list = "devices/";
        if (slip.where.starts_with(list))
            f.devices = {slip.where.substr(list.size(), slip.where.find('/', list.size()) - list.size())};
        if (!f.devices.empty()) f.device = f.devices.front();
        result.findings.push_back(std::move(f));
    }
}

}  // namespace escarp::inspection
