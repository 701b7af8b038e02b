#include "named_edits.h"

#include <cell/model/catalogue.h>

#include "border.h"
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

cell::Change take_point(const cell::Layout& layout, const cell::Values& v) {
    const std::string id = v.text("study");
    const auto& studies = layout.cell().studies;
    const auto found = std::find_if(studies.begin(), studies.end(), [&](const cell::Study& s) { return s.id == id; });
    if (found == studies.end()) throw cell::InputError("study", "\"" + id + "\" is not the id of a study of the cell.");
    const cell::json& values = v.reader().raw("values");
    if (!values.is_array() || values.size() != found->vary.size())
        throw cell::InputError("values", "A list of " + std::to_string(found->vary.size()) +
                                             " is expected: one for each that the study varies, in its order.");
    return point_to_variant(layout, *found, {values.begin(), values.end()}, v.text("name", found->name));
}

}  // namespace

cell::Change point_to_variant(
    const cell::Layout& layout, const cell::Study& study, const Point& point, const std::string& name) {
    const cell::Edit edit = edit_of(layout, study, point);
    layout.edited(edit).shared_cell();  // throws where there is none
    const std::string id = layout.document().free_variant_id();
    return {layout.document().with_variant(id, name, layout.variant()).edited(id, edit), "New variant " + id,
        {{"variant", id}}};
}

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
        list.push_back({"wait at border", "an arm stays out of a watched volume while it has to be empty",
            {of(cell::Field::Type::device, "volume", "id of the watched volume"),
                of(cell::Field::Type::device, "arm", "id of the arm")},
            [](const cell::Layout& layout, const cell::Values& v) {
                inspection::Cache cache;
                return cell::changed(layout, wait_at_border(layout, v.text("volume"), v.text("arm"), cache));
            }});
        list.push_back({"point to variant", "what a study found becomes a variant, like the one looked at",
            {text("study", "id of the study"),
                of(cell::Field::Type::anything, "values", "one for each that it varies, see study show --json"),
                text("name", "name of the variant").lacking()},
            take_point});
        return list;
    }();
    return all;
}

}  // namespace escarp::study
