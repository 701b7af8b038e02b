// Lists read from comma-separated values.

#include <cell/edits/list_csv.h>
#include <cell/edits/named/named_edit.h>
#include <cell/model/device_kind.h>

namespace escarp::cell {

void add_list_edits(std::vector<NamedEdit>& all) {
    using namespace field;
    all.push_back({"read list", "of a device, from comma-separated values: a timetable, a mix, change-overs",
        {of(Field::Type::device, "device", "device"), text("key", "key of the list"),
            text("csv", "the lines themselves")},
        [](const Layout& l, const Values& v) {
            const int device = l.cell().device(v.text("device"));
            if (device < 0) throw InputError("device", "\"" + v.text("device") + "\" is not the id of a device.");
            const Device& d = l.cell().devices[device];
            const Field* list = find_field(d.kind->fields(), v.text("key"));
            if (!list || !reads_csv(*list)) {
                std::string there;
                for (const Field& f : d.kind->fields())
                    if (reads_csv(f)) there += (there.empty() ? "" : ", ") + f.key;
                throw InputError("key", "\"" + d.name + "\" has no list \"" + v.text("key") + "\"" +
                                            (there.empty() ? "." : "; it has " + there + "."));
            }
            return changed(l, list_from_csv(l, at_device(d.id) / list->key, *list, v.text("csv")));
        }});
}

}  // namespace escarp::cell
