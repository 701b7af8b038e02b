#include "step_walk.h"

#include <cell/model/tables.h>

namespace escarp::cell {
namespace {

bool is_expression(const Field& f) { return f.type == Field::Type::condition || f.type == Field::Type::formula; }

void add_list(std::vector<StepList>& all, json& owner, json& holder, const char* key, const std::string& path) {
    if (holder.contains(key) && holder[key].is_array()) all.push_back({&owner, &holder[key], path + "/" + key});
}

std::string id_of(const json& element) { return element.is_object() ? element.value("id", "") : std::string(); }

}  // namespace

std::vector<StepList> step_lists(json& tree) {
    std::vector<StepList> all;
    if (tree.contains("devices"))
        for (json& d : tree["devices"]) {
            const Path at = at_device(id_of(d));
            for (const char* key : {"first", "task"}) add_list(all, d, d, key, at);
            if (d.contains("side_tasks") && d["side_tasks"].is_array())
                for (json& side : d["side_tasks"])
                    for (const char* key : {"first", "steps"})
                        add_list(all, d, side, key, at / "side_tasks" / id_of(side));
        }
    if (tree.contains("blocks"))
        for (json& b : tree["blocks"]) add_list(all, b, b, "steps", Path("blocks") / id_of(b));
    return all;
}

void each_step(const Kinds& kinds, json& steps, const std::function<void(json&)>& act) {
    if (!steps.is_array()) return;
    for (json& s : steps) {
        if (!s.is_object()) continue;
        act(s);
        const StepKind* kind = kinds.find_step(s.value("do", ""));
        if (!kind) continue;
        for (const std::string& key : kind->lists())
            if (s.contains(key)) each_step(kinds, s[key], act);
    }
}

void each_step(const Kinds& kinds, json& tree, const std::function<void(json&, json&)>& act) {
    for (const StepList& list : step_lists(tree))
        each_step(kinds, *list.steps, [&](json& step) { act(*list.owner, step); });
}

void each_expression(const Kinds& kinds, json& tree, const std::function<void(json&, json&, const std::string&)>& act) {
    each_step(kinds, tree, [&](json& owner, json& step) {
        const StepKind* kind = kinds.find_step(step.value("do", ""));
        if (!kind) return;
        for (const Field& f : kind->fields())
            if (is_expression(f) && step.contains(f.key) && step[f.key].is_string()) act(owner, step, f.key);
    });
    if (!tree.contains("devices")) return;
    for (json& d : tree["devices"]) {
        if (!d.contains("inputs") || !d["inputs"].is_array()) continue;
        for (json& input : d["inputs"])
            if (input.is_object() && input.contains("from") && input["from"].is_string()) act(d, input, "from");
    }
}

bool expression_names(const std::string& text, const std::function<bool(const std::string&)>& is) {
    bool found = false;
    Expression::renamed(text, [&](const std::string& name) {
        found = found || is(name);
        return name;
    });
    return found;
}

bool names_device(const Kinds& kinds, const json& step, const std::string& device) {
    const auto is = [&](const std::string& name) { return name == device || name.rfind(device + ".", 0) == 0; };
    const StepKind* kind = kinds.find_step(step.value("do", ""));
    if (!kind) return false;
    for (const Field& f : kind->fields()) {
        if (!step.contains(f.key) || !step[f.key].is_string() || f.type == Field::Type::text) continue;
        const std::string text = step[f.key];
        if (is_expression(f) ? expression_names(text, is) : is(text)) return true;
    }
    return false;
}

}  // namespace escarp::cell
