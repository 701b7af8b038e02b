#include "named_edits.h"

#include <cell/catalogue.h>

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

}  // namespace

const std::vector<cell::NamedEdit>& named_edits() {
    static const std::vector<cell::NamedEdit> all = [] {
        std::vector<cell::NamedEdit> list = cell::named_edits();
        list.push_back({"exchange arm", "another model with the same task",
            {of(cell::Field::Type::device, "arm", "arm"), of(cell::Field::Type::arm_model, "model", "model")},
            exchange_arm});
        return list;
    }();
    return all;
}

}  // namespace escarp::study
