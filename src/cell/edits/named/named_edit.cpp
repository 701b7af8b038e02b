#include "named_edit.h"

#include <algorithm>

namespace escarp::cell {

const std::vector<NamedEdit>& named_edits() {
    static const std::vector<NamedEdit> all = [] {
        std::vector<NamedEdit> list;
        add_device_edits(list);
        add_task_edits(list);
        add_handling_edits(list);
        add_signal_edits(list);
        add_variant_edits(list);
        add_list_edits(list);
        add_study_edits(list);
        add_link_edits(list);
        return list;
    }();
    return all;
}

Change carry_out(const Layout& layout, const json& said) { return carry_out(layout, said, named_edits()); }

Change carry_out(const Layout& layout, const json& said, const std::vector<NamedEdit>& all) {
    if (!said.is_object() || !said.contains("do") || !said["do"].is_string())
        throw InputError("do", "The name of an edit is expected: {\"do\": \"add device\", ...}.");
    const std::string name = said["do"];
    const auto found = std::find_if(all.begin(), all.end(), [&](const NamedEdit& e) { return e.name == name; });
    if (found == all.end()) {
        std::string known;
        for (const NamedEdit& e : all) known += (known.empty() ? "" : ", ") + e.name;
        throw InputError("do", "There is no edit \"" + name + "\"; there are " + known + ".");
    }
    std::vector<Problem> problems;
    KeyLedger ledger(true);
    const Reader reader(said, "", problems, &ledger);
    reader.knows({"do"});
    const Values values(reader, found->arguments);
    for (const Field& f : found->arguments) reader.knows({f.key.c_str()});  // whatever the edit then does with them
    values.check();
    if (!ledger.complete()) {
        const std::vector<Problem> unknown = ledger.unknown_keys();
        problems.insert(problems.end(), unknown.begin(), unknown.end());
    }
    if (!problems.empty()) throw InputError(std::move(problems));
    try {
        Change change = found->act(layout, values);
        if (!problems.empty()) throw InputError(std::move(problems));
        return change;
    } catch (const InputError& e) {  // where nothing nearer is said, it is the edit
        std::vector<Problem> all = e.problems();
        for (Problem& p : all)
            if (p.where.empty()) p.where = name;
        throw InputError(std::move(all));
    }
}

Change changed(const Layout& layout, const Edit& edit, json made) {
    return {layout.document().edited(layout.variant(), edit), edit.name, std::move(made)};
}

}  // namespace escarp::cell
