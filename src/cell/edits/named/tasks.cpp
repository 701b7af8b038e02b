// Steps of tasks.

#include <cell/edits/compose.h>
#include <cell/edits/named/named_edit.h>
#include <cell/edits/task_edits.h>

namespace escarp::cell {
namespace {

using namespace field;

Field step() { return text("step", "path of a step, /devices/arm1/task/s2"); }

Change made_step(const Layout& layout, const std::function<Edit(std::string*)>& make) {
    std::string id;
    const Edit edit = make(&id);
    return changed(layout, edit, id.empty() ? json() : json{{"step", id}});
}

}  // namespace

void add_task_edits(std::vector<NamedEdit>& all) {
    const auto named = [&](const char* name, const char* help, Fields arguments, auto act) {
        all.push_back({name, help, std::move(arguments), act});
    };
    named("add step", "after another, or at the end of a device's task",
        {of(Field::Type::device, "device", "device"), text("kind", "kind of step"),
            text("after", "path of a step, or of a list of steps").usually(""),
            of(Field::Type::anything, "with", "keys of the step").lacking()},
        [](const Layout& l, const Values& v) {
            std::string id;
            Edit edit = add_step(l, v.text("device"), v.text("kind"), v.text("after"), &id);
            if (v.has("with"))
                for (Operation& op : edit.operations)
                    if (op.kind == Operation::Kind::add && op.value.value("id", "") == id)
                        op.value.update(v.reader().raw("with"));
            return changed(l, edit, {{"step", id}});
        });
    named("add side task", "beside a device's main one",
        {of(Field::Type::device, "device", "device"), text("name", "name").usually("")},
        [](const Layout& l, const Values& v) {
            std::string id;
            const Edit edit = add_side_task(l, v.text("device"), v.text("name"), &id);
            return changed(l, edit, {{"task", id}});
        });
    named("remove step", "with what is inside it", {step()}, [](const Layout& l, const Values& v) {
        return changed(l, {"Remove step", {Operation::remove(v.text("step"))}});
    });
    named("move step", "beside another or into it; or a copy of it",
        {step(), text("beside", "path of a step"), flag("before", "before it", false),
            text("inside", "list of that step").usually(""), flag("copy", "a copy", false)},
        [](const Layout& l, const Values& v) {
            const StepPlace to{v.text("beside"), v.flag("before"), v.text("inside")};
            return made_step(l, [&](std::string* id) { return move_step(l, v.text("step"), to, v.flag("copy"), id); });
        });
    named("make block", "a step under a name that other tasks can use", {step(), text("name", "name")},
        [](const Layout& l, const Values& v) {
            return made_step(l, [&](std::string* id) { return make_block(l, v.text("step"), v.text("name"), id); });
        });
    named("unpack block", "its steps stand in its place", {step()},
        [](const Layout& l, const Values& v) { return changed(l, unpack_block(l, v.text("step"))); });
}

}  // namespace escarp::cell
