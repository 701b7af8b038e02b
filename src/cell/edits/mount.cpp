#include "mount.h"

#include <cell/model/catalogue.h>
#include <cell/read/joint_lists.h>

#include "build_model.h"

namespace escarp::cell {
namespace {

const json& device_of(const json& tree, const std::string& id) {
    const json* d = id.empty() ? nullptr : find(tree, at_device(id));
    if (!d || d->value("kind", "") != "arm") throw InputError("devices/" + id, "There is no arm with this id.");
    return *d;
}

}  // namespace

std::vector<std::pair<std::string, std::string>> tools_to_mount(const json& tree) {
    std::vector<std::pair<std::string, std::string>> out;
    for (const json& list : {tree.value("tool_models", json::array()), catalogue_tools()})
        for (const json& t : list) {
            const std::string id = t.value("id", "");
            if (std::none_of(out.begin(), out.end(), [&](const auto& known) { return known.first == id; }))
                out.emplace_back(id, t.value("name", id));
        }
    return out;
}

Edit mount_tool(const Layout& layout, const std::string& arm, std::size_t place, const std::string& tool) {
    const json& tree = layout.tree();
    const json& d = device_of(tree, arm);
    const Path path = at_device(arm);
    Edit edit{"Change tools of " + d.value("name", arm), {}};
    if (!tool.empty() && !(tree.contains("tool_models") && find(tree, Path("tool_models") / tool))) {
        if (!tree.contains("tool_models")) edit.operations.push_back(Operation::set("/tool_models", json::array()));
        for (const json& t : catalogue_tools())
            if (t["id"] == tool) edit.operations.push_back(Operation::add("/tool_models", t));
    }
    if (place == 0) {
        edit.operations.push_back(
            tool.empty() ? Operation::set(path / "tool", "") : Operation::set(path / "tool", tool));
        return edit;
    }
    json more = d.value("more_tools", json::array());
    const std::size_t at = place - 1;
    if (at < more.size() && tool.empty()) more.erase(at);
    else if (at < more.size()) more[at]["tool"] = tool;
    else if (!tool.empty()) more.push_back({{"tool", tool}});
    edit.operations.push_back(
        more.empty() ? Operation::remove(path / "more_tools") : Operation::set(path / "more_tools", more));
    return edit;
}

Edit put_on_travel(const Layout& layout, const std::string& arm, bool on) {
    const json& tree = layout.tree();
    const json& d = device_of(tree, arm);
    const Path path = at_device(arm);
    Edit edit{(on ? "Put on a travel axis: " : "Take off its travel axis: ") + d.value("name", arm), {}};
    if (d.contains("travel") == on) return edit;
    const auto cell = layout.shared_cell();
    const auto model = std::find_if(
        cell->arm_models.begin(), cell->arm_models.end(), [&](const auto& m) { return m.id == d.value("model", ""); });
    if (model == cell->arm_models.end()) throw InputError("devices/" + arm, "The arm has no model.");
    const json travel = {{"length_mm", 2000}, {"width_mm", 400}, {"height_mm", 300}, {"speed_mm_s", 1500},
        {"acceleration_mm_s2", 2500}, {"ready_mm", 1000}};
    edit.operations.push_back(on ? Operation::set(path / "travel", travel) : Operation::remove(path / "travel"));
    carry_joint_lists(
        d, path, {*model, *model, on ? Carried::Travel::gets : Carried::Travel::loses, 1000}, edit.operations);
    return edit;
}

}  // namespace escarp::cell
