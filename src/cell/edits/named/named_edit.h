#pragma once
// Every edit under its name, with a table of what it has to be told: the window's actions, as a line of text.

#include <functional>

#include <cell/model/field.h>
#include <cell/read/layout.h>

namespace escarp::cell {

/// What came of an edit.
struct Change {
    Document document;
    std::string name;  ///< as the undo list says it
    json made;         ///< ids of what is new, by what it is; null: nothing is
};

struct NamedEdit {
    std::string name, help;
    Fields arguments;
    /// `layout`: what is looked at. Throws InputError.
    std::function<Change(const Layout& layout, const Values& arguments)> act;
};

/// In the order in which help lists them. A new one is a line in one of the files in edits/.
const std::vector<NamedEdit>& named_edits();
/// Does what `{"do": name, ...}` says. Throws InputError for a name or a key that there is none of, with the likely
/// one, and for values that do not fit.
Change carry_out(const Layout& layout, const json& said);
/// The same among others, for a layer that has more to offer.
Change carry_out(const Layout& layout, const json& said, const std::vector<NamedEdit>& all);

/// An edit of the layout, carried out.
Change changed(const Layout& layout, const Edit& edit, json made = {});

void add_device_edits(std::vector<NamedEdit>& all);
void add_task_edits(std::vector<NamedEdit>& all);
void add_handling_edits(std::vector<NamedEdit>& all);
void add_signal_edits(std::vector<NamedEdit>& all);
void add_variant_edits(std::vector<NamedEdit>& all);
void add_list_edits(std::vector<NamedEdit>& all);
void add_study_edits(std::vector<NamedEdit>& all);
void add_link_edits(std::vector<NamedEdit>& all);

}  // namespace escarp::cell
