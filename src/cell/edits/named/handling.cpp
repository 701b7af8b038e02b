// Parts, tools, pairs left out.

#include <cell/edits/handling.h>
#include <cell/edits/named/named_edit.h>

namespace escarp::cell {
namespace {

using namespace field;
using Type = Field::Type;

Field part() { return of(Type::part_type, "part", "part type"); }
Field tool() { return of(Type::tool_model, "tool", "tool"); }
Field device(const char* key, const char* label) { return of(Type::device, key, label); }

Change made_of(const Layout& layout, const char* what, const std::function<Edit(std::string*)>& make) {
    std::string id;
    const Edit edit = make(&id);
    return changed(layout, edit, {{what, id}});
}

}  // namespace

void add_handling_edits(std::vector<NamedEdit>& all) {
    const auto named = [&](const char* name, const char* help, Fields arguments, auto act) {
        all.push_back({name, help, std::move(arguments), act});
    };
    named("add part", "a new part type of one body",
        {choice("shape", "shape", {"box", "cylinder", "sphere", "capsule"}).usually("box")},
        [](const Layout& l, const Values& v) {
            return made_of(l, "part", [&](std::string* id) { return add_part_type(l, v.choice("shape"), id); });
        });
    named("copy part", "under another name", {part()}, [](const Layout& l, const Values& v) {
        return made_of(l, "part", [&](std::string* id) { return copy_of(l, "part_types", v.text("part"), id); });
    });
    named("remove part", "another takes its place, or what needs it goes too",
        {part(), of(Type::part_type, "instead", "in its place").usually("")}, [](const Layout& l, const Values& v) {
            return changed(l, remove_part_type(l, v.text("part"), v.text("instead")));
        });
    named("rename grip", "of a part; steps that name it follow", {part(), text("grip", "grip"), text("to", "new name")},
        [](const Layout& l, const Values& v) {
            return changed(l, rename_grip(l, v.text("part"), v.text("grip"), v.text("to")));
        });
    named("add tool", "a new tool, on an arm's flange if one is said",
        {choice("what", "sort of tool", {"jaws", "cup", "double", "cups"}), device("arm", "arm").usually("")},
        [](const Layout& l, const Values& v) {
            return made_of(
                l, "tool", [&](std::string* id) { return add_tool(l, v.choice("what"), v.text("arm"), id); });
        });
    named("copy tool", "under another name", {tool()}, [](const Layout& l, const Values& v) {
        return made_of(l, "tool", [&](std::string* id) { return copy_of(l, "tool_models", v.text("tool"), id); });
    });
    named("remove tool", "another takes its place, or arms do without",
        {tool(), of(Type::tool_model, "instead", "in its place").usually("")},
        [](const Layout& l, const Values& v) { return changed(l, remove_tool(l, v.text("tool"), v.text("instead"))); });
    // A pair: two devices, or single bodies of them.
    const auto of_pair = [](Fields more) {
        Fields all{device("a", "device"),
            of(Type::body, "a_body", "that body of it alone: a link, tool, part ...").usually(""),
            device("b", "other device; everything else if not given").usually(""),
            of(Type::body, "b_body", "that body of the other alone").usually("")};
        all.insert(all.end(), more.begin(), more.end());
        return all;
    };
    const auto pair = [](const Values& v) {
        return Pair{v.text("a"), v.text("b"), v.text("a_body"), v.text("b_body")};
    };
    named("leave out", "the clearance of two devices, or of single bodies of them, is not judged",
        of_pair({text("reason", "reason").usually(""), text("while", "only while this condition holds").usually("")}),
        [pair](const Layout& l, const Values& v) {
            return changed(l, leave_out(l, pair(v), v.text("reason"), v.text("while")));
        });
    named("judge with", "their clearance is judged with a safety distance of its own",
        of_pair({number("distance_mm", "safety distance", 0, 1000)}), [pair](const Layout& l, const Values& v) {
            return changed(l, judge_with(l, pair(v), v.number("distance_mm")));
        });
    named("take back", "a pair that was left out is judged again", of_pair({}),
        [pair](const Layout& l, const Values& v) { return changed(l, take_back(l, pair(v))); });
}

}  // namespace escarp::cell
