#include "named_edits.h"

#include <cell/catalogue.h>

#include "interlock.h"
#include "which_arm.h"

namespace escarp::study {
namespace {

using namespace cell::field;

cell::Change exchange_arm(const cell::Layout& layout, const cell::Values& v) {
    const std::string id = v.text("model");
    for (const cell::json& list : {layout.tree().value("arm_models", cell::json::array()), cell::catalogue_arms()})
        for (const cell::json& model : list)
            if (model.value("id", "") == id) return cell::changed(layout, swap_arm(layout, v.text("arm"), model));
    throw cell::InputError("model", "\"" + id + "\" is not the id of an arm model of the file or the catalogue.");
}

cell::Change keep_two_apart(const cell::Layout& layout, const cell::Values& v) {
    inspection::Cache cache;
    std::string rule = v.text("rule", "");
    if (rule.empty()) rule = price_of_keeping_apart(layout, v.text("zone"), cache).best;
    if (rule.empty())
        throw cell::InputError("zone", "No rule keeps the two apart; escarp-cli interlock says what each comes to.");
    std::string device;
    const cell::Edit edit = keep_apart(layout, v.text("zone"), rule, cache, &device);
    return cell::changed(layout, edit, {{"device", device}});
}

}  // namespace

const std::vector<cell::NamedEdit>& named_edits() {
    static const std::vector<cell::NamedEdit> all = [] {
        std::vector<cell::NamedEdit> list = cell::named_edits();
        list.push_back({"exchange arm", "another model with the same task",
            {of(cell::Field::Type::device, "arm", "arm"), of(cell::Field::Type::arm_model, "model", "model")},
            exchange_arm});
        list.push_back({"keep apart", "an interlock for a zone that two arms share, or its points set anew",
            {text("zone", "id of the zone, see escarp-cli zones"),
                text("rule", "rule; the least cycle decides").lacking()},
            keep_two_apart});
        return list;
    }();
    return all;
}

}  // namespace escarp::study
