#include "task_edits.h"

#include <cell/text/names.h>

namespace escarp::cell {
namespace {

std::string list_of(const std::string& path) { return path.substr(0, path.rfind('/')); }
std::string id_of(const std::string& path) { return path.substr(path.rfind('/') + 1); }
/// "/devices/arm1" or "/blocks/b1": ids of steps are unique in it.
std::string task_of(const std::string& path) {
    std::size_t at = 0;
    for (int k = 0; k < 3 && at != std::string::npos; ++k) at = path.find('/', at + (k > 0));
    return path.substr(0, at);
}

const json& step_at(const json& tree, const std::string& path) {
    const json* step = find(tree, path);
    if (!step || !step->is_object() || !step->contains("do")) throw InputError(path, "There is no such step.");
    return *step;
}

/// Fresh ids for a step and all in it.
class FreshIds {
public:
    explicit FreshIds(const json& tree) : tree_(tree) {}
    void give(json& step) {
        step["id"] = free_id(tree_, "s");
        tree_["ids_given"].push_back({{"id", step["id"]}});
        for (const char* inner : {"then", "else", "steps", "late"})
            if (step.contains(inner))
                for (json& one : step[inner]) give(one);
    }

private:
    json tree_;
};

}  // namespace

Edit move_step(const Layout& layout, const std::string& step_path, const StepPlace& to, bool copy, std::string* id) {
    const json& tree = layout.tree();
    json step = step_at(tree, step_path);
    const json& other = step_at(tree, to.beside);
    if (!copy && (to.beside == step_path || to.beside.rfind(step_path + "/", 0) == 0)) {
        if (to.beside == step_path && to.inside.empty()) return {"Move step", {}};
        throw InputError(step_path, "A step cannot go into itself.");
    }
    if (copy || task_of(step_path) != task_of(to.beside)) FreshIds(layout.document().tree()).give(step);
    if (id) *id = step["id"];
    const std::string list = to.inside.empty() ? list_of(to.beside) : to.beside + "/" + to.inside;
    std::string after = to.before || !to.inside.empty() ? "" : id_of(to.beside);
    if (to.before && to.inside.empty())
        for (const json& one : *find(tree, list)) {
            if (one.value("id", "") == id_of(to.beside)) break;
            if (copy || list != list_of(step_path) || one.value("id", "") != id_of(step_path))
                after = one.value("id", "");
        }
    Edit edit{copy ? "Copy step" : "Move step", {}};
    if (!to.inside.empty() && !other.contains(to.inside))
        edit.operations.push_back(Operation::set(list, json::array()));
    if (!copy) edit.operations.push_back(Operation::remove(step_path));
    edit.operations.push_back(Operation::add(list, step, after));
    return edit;
}

Edit make_block(const Layout& layout, const std::string& step_path, const std::string& name, std::string* id) {
    const json& tree = layout.tree();
    const json step = step_at(tree, step_path);
    if (step.value("do", "") == "block") throw InputError(step_path, "This step is a block already.");
    const std::string block = free_id(layout.document().tree(), name);
    json use = {{"id", free_id(layout.document().tree(), "s")}, {"do", "block"}, {"block", block}};
    if (id) *id = use["id"];
    Edit edit{"Make block " + name, {}};
    if (!tree.contains("blocks")) edit.operations.push_back(Operation::set("/blocks", json::array()));
    edit.operations.push_back(Operation::add("/blocks", {{"id", block}, {"name", name}, {"steps", {step}}}));
    edit.operations.push_back(Operation::add(list_of(step_path), use, id_of(step_path)));
    edit.operations.push_back(Operation::remove(step_path));
    return edit;
}

Edit unpack_block(const Layout& layout, const std::string& step_path) {
    const json& tree = layout.tree();
    const json use = step_at(tree, step_path);
    const json* block = tree.contains("blocks") ? find(tree, Path("blocks") / use.value("block", "-")) : nullptr;
    if (!block) throw InputError(step_path, "This step uses no block.");
    Edit edit{"Unpack block", {}};
    FreshIds fresh(layout.document().tree());
    std::string after = id_of(step_path);
    for (json step : block->value("steps", json::array())) {
        fresh.give(step);
        edit.operations.push_back(Operation::add(list_of(step_path), step, after));
        after = step["id"];
    }
    edit.operations.push_back(Operation::remove(step_path));
    return edit;
}

}  // namespace escarp::cell
