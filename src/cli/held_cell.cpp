#include "held_cell.h"

#include <cell/text/disk.h>

namespace escarp::cli {

std::vector<cell::Problem> problems_of(const cell::Document& d, const std::string& variant) {
    try {
        simulation::layout(d, variant).shared_cell();
        return {};
    } catch (const cell::InputError& e) {
        return e.problems();
    }
}

HeldCell::HeldCell(Arguments& a) : safe_(cell::SafeFile::usual_room()) {
    cell::check_regular(a.file);
    if (!safe_.hold(a.file))
        throw cell::InputError(a.file, "The cell is open in another program; close it there first.");
    document_ = opened(a);
    variant_ = a.variant;
    if (safe_.left_over(document_))
        throw cell::InputError(
            a.file, "An interrupted session left edits behind; take or drop them first with \"escarp-cli recover\".");
    safe_.begin(document_, true);
}

void HeldCell::check(const cell::Document& next) const {
    for (const cell::VariantInfo& v : next.variants()) {
        const std::vector<cell::Problem> now = problems_of(next, v.id);
        if (now.empty() ||
            (v.id != variant_ && (!document_.has_variant(v.id) || !problems_of(document_, v.id).empty())))
            continue;
        if (v.id == variant_) throw cell::InputError(now);
        throw cell::InputError(now.front().where, "In variant " + v.id + ": " + now.front().message);
    }
}

void HeldCell::edit(const cell::Document& next, const std::string& name) {
    check(next);
    safe_.acknowledge(next, name);
    document_ = next;
    saved_ = false;
}

void HeldCell::save() {
    safe_.save(document_);
    saved_ = true;
}

}  // namespace escarp::cli
