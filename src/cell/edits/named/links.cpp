// Connections with something outside.

#include <cell/edits/named/named_edit.h>
#include <cell/model/tables.h>
#include <cell/text/names.h>

namespace escarp::cell {
namespace {

/// What of a link can be said, without its id.
Fields link_values() {
    Fields all;
    for (const Field& f : outside_link_fields())
        if (f.key != "id") all.push_back(Field(f).lacking());
    return all;
}

json said_of(const Values& v) {
    json link = json::object();
    for (const Field& f : outside_link_fields())
        if (f.key != "id" && v.has(f.key)) link[f.key] = v.reader().raw(f.key);
    return link;
}

Change for_all(const Layout& layout, const Edit& edit, json made = {}) {
    return {layout.document().edited(layout.document().baseline(), edit), edit.name, std::move(made)};
}

}  // namespace

void add_link_edits(std::vector<NamedEdit>& all) {
    all.push_back({"add link", "a connection with a controller; it is switched on by hand", link_values(),
        [](const Layout& l, const Values& v) {
            json link = said_of(v);
            if (!link.contains("name")) link["name"] = "Controller";
            const std::string id = free_id(l.document().tree(), link["name"].get<std::string>());
            link["id"] = id;
            Edit edit{"New link", {}};
            if (!find(l.document().tree(), "/links"))
                edit.operations.push_back(Operation::set("/links", json::array()));
            edit.operations.push_back(Operation::add("/links", link));
            return for_all(l, edit, {{"link", id}});
        }});
    Fields changes{field::text("link", "id of the link")};
    for (Field& f : link_values()) changes.push_back(std::move(f));
    all.push_back({"change link", "what is said of it; the rest stays", changes, [](const Layout& l, const Values& v) {
                       Edit edit{"Change a link", {}};
                       const json said = said_of(v);
                       for (const auto& [key, value] : said.items())
                           edit.operations.push_back(Operation::set(Path("links") / v.text("link") / key, value));
                       return for_all(l, edit);
                   }});
    all.push_back(
        {"remove link", "a connection", {field::text("link", "id of the link")}, [](const Layout& l, const Values& v) {
             return for_all(l, {"Remove a link", {Operation::remove(Path("links") / v.text("link"))}});
         }});
}

}  // namespace escarp::cell
