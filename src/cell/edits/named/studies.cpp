// Questions that the file keeps.

#include <cell/edits/named/named_edit.h>
#include <cell/edits/study_edits.h>

namespace escarp::cell {
namespace {

using namespace field;

Field one_study() { return text("study", "id of the study"); }

Change changed_for_all(const Layout& layout, const Edit& edit, json made = {}) {
    return {layout.document().edited(layout.document().baseline(), edit), edit.name, std::move(made)};
}

std::optional<double> bound(const Values& v, const char* key) {
    return v.has(key) ? std::optional(v.number(key)) : std::nullopt;
}

}  // namespace

void add_study_edits(std::vector<NamedEdit>& all) {
    const Field& asks = *find_field(study_fields(), "asks");
    all.push_back({"add study", "a question about the cell", {asks, text("name", "name").lacking()},
        [](const Layout& l, const Values& v) {
            std::string made;
            const std::string kind = v.choice("asks");
            const Edit edit = add_study(l, kind, v.text("name", "New " + kind), &made);
            return changed_for_all(l, edit, {{"study", made}});
        }});
    Fields varied{one_study()};
    for (const Field& f : varied_fields()) varied.push_back(f);
    all.push_back({"vary", "one more number, list of values or order of a list in a study", varied,
        [](const Layout& l, const Values& v) {
            json bounds;
            for (const Field& f : varied_fields())
                if (f.key != "at" && v.has(f.key)) bounds[f.key] = v.reader().raw(f.key);
            return changed_for_all(l, vary(l, v.text("study"), v.text("at"), bounds));
        }});
    all.push_back({"vary no longer", "in a study", {one_study(), *find_field(varied_fields(), "at")},
        [](const Layout& l, const Values& v) {
            return changed_for_all(l, no_longer_vary(l, v.text("study"), v.text("at")));
        }});
    all.push_back({"demand", "of the layouts of a study; without bounds what was demanded is taken back",
        {one_study(), text("figure", "figure"), number("at_least", "at least", -1e9, 1e9).lacking(),
            number("at_most", "at most", -1e9, 1e9).lacking()},
        [](const Layout& l, const Values& v) {
            return changed_for_all(
                l, demand(l, v.text("study"), v.text("figure"), bound(v, "at_least"), bound(v, "at_most")));
        }});
    all.push_back(
        {"remove study", "its results stay beside the cell", {one_study()}, [](const Layout& l, const Values& v) {
             return changed_for_all(l, {"Remove a study", {Operation::remove(Path("studies") / v.text("study"))}});
         }});
}

}  // namespace escarp::cell
