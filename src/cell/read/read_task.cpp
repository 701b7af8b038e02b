#include "read_task.h"

#include <algorithm>
#include <set>

#include <cell/model/tables.h>

#include "read_model.h"

namespace escarp::cell {
namespace {

constexpr int most_steps = 2000, deepest = 8;

struct TaskReader {
    const Kinds& kinds;
    const Cell& cell;
    const Device& owner;
    const std::vector<Reader>& blocks;
    std::set<std::string> ids = {};
    std::vector<std::string> inside = {};  ///< ids of the blocks being read
    std::string prefix = {};               ///< of the ids of steps in blocks
    bool on = true;                        ///< the groups round the present step are enabled
    int count = 0;
    bool main = true;  ///< it is the task that moves the arm

    void fill(const Reader& r, const std::string& key, std::vector<Step>& steps) {
        for (const Reader& one : r.list(key, most_steps)) steps.push_back(read(one, 0));
    }

    Step read(const Reader& r, int depth) {
        Step s;
        s.id = prefix + r.id("id");
        s.shared = !inside.empty();
        const bool outer = on;
        s.enabled = on = on && r.flag("enabled", true);
        s.path = r.path();
        s.number = count++;
        s.depth = depth;
        if (!ids.insert(s.id).second) r.problem("id", "Two steps of this task have the id \"" + s.id + "\".");
        s.kind = kind(r);
        if (s.kind) check_arm(r, *s.kind);
        if (s.kind)
            s.kind->read(StepReader(
                             r, *s.kind, cell, owner, [&](const std::string& key) { return inner(r, key, depth); },
                             [&](const std::string& id) { return block(r, id, s.id, depth); }),
                s);
        on = outer;
        return s;
    }

    void check_arm(const Reader& r, const StepKind& kind) const {
        const StepKind::ArmUse use = kind.arm_use();
        if (use != StepKind::ArmUse::none && !owner.arm)
            r.problem("do", "Only an arm can do this step, and \"" + owner.name + "\" is none.");
        else if (use == StepKind::ArmUse::moves && !main)
            r.problem("do", "An arm is moved by its main task only; in a side task it can wait, set and decide.");
    }

    /// Null, and a problem, where there is none of this word.
    const StepKind* kind(const Reader& r) const {
        const json& word = r.raw("do");
        const StepKind* found = word.is_string() ? kinds.find_step(word.get<std::string>()) : nullptr;
        if (found) return found;
        std::vector<std::string> words;
        for (const auto& known : kinds.steps()) words.push_back(known->id());
        r.choice("do", words);
        return nullptr;
    }

    std::vector<Step> block(const Reader& r, const std::string& id, const std::string& used_by, int depth) {
        const auto found =
            std::find_if(blocks.begin(), blocks.end(), [&](const Reader& b) { return b.text("id", "") == id; });
        if (found == blocks.end()) {
            r.problem("block", "\"" + id + "\" is not the id of a block of steps of this file.");
            return {};
        }
        if (std::find(inside.begin(), inside.end(), id) != inside.end()) {
            r.problem("block", "The block \"" + id + "\" would use itself.");
            return {};
        }
        const std::string outer = prefix;
        inside.push_back(id);
        prefix = used_by + ".";
        std::vector<Step> steps = inner(*found, "steps", depth);
        prefix = outer;
        inside.pop_back();
        return steps;
    }

    std::vector<Step> inner(const Reader& r, const std::string& key, int depth) {
        std::vector<Step> steps;
        if (depth >= deepest) {
            r.problem(key, "Steps are grouped more than " + std::to_string(deepest) + " deep.");
            return steps;
        }
        for (const Reader& one : r.list(key, most_steps)) {
            if (count >= most_steps) {
                r.problem(key, "A task has at most " + std::to_string(most_steps) + " steps.");
                break;
            }
            steps.push_back(read(one, depth + 1));
        }
        return steps;
    }
};

}  // namespace

Pose read_pose(const Reader& r, const Device& owner) {
    Pose p;
    p.id = r.id("id");
    p.name = r.text("name", p.id);
    if (const std::optional<JointVector> q = read_joints(r, "joints", owner.arm->model->mechanism)) {
        if (!owner.arm->model->mechanism.within_limits(*q, 1e-6))
            r.problem(r.has("joints") ? "joints" : "joints_deg", "A joint of this pose is outside its limits.");
        p.joints = q;
    } else {
        if (!r.has("at_mm"))
            r.problem("at_mm",
                "The pose is empty; \"joints_deg\" (\"joints\" where there are slides), or \"at_mm\" with "
                "\"turn_deg\", is expected.");
        p.relative_to = r.text("relative_to", "floor");
        if (p.relative_to == "floor") p.relative_to.clear();
        p.at = r.frame();
    }
    return p;
}

void read_tasks(
    const Reader& r, const Kinds& kinds, const Cell& cell, Device& owner, const std::vector<Reader>& blocks) {
    TaskReader reader{kinds, cell, owner, blocks};
    const Values v(r, device_fields());
    std::set<std::string> ids;
    for (const Reader& one : v.list("side_tasks")) {  // first by name: steps refer to them
        const Values side(one, side_task_fields());
        Task task;
        task.id = side.id();
        task.name = side.text("name", task.id);
        task.when_asked = side.choice("starts") == "when asked";
        if (!ids.insert(task.id).second) one.problem("id", "Two side tasks have the id \"" + task.id + "\".");
        owner.side_tasks.push_back(std::move(task));
    }
    reader.fill(r, "first", owner.task.first);
    reader.fill(r, "task", owner.task.steps);
    reader.main = false;
    std::size_t n = 0;
    for (const Reader& one : v.list("side_tasks")) {
        reader.fill(one, "first", owner.side_tasks[n].first);
        reader.fill(one, "steps", owner.side_tasks[n++].steps);
    }
    for (const Pose& p : owner.poses)
        if (!p.relative_to.empty() && cell.device(p.relative_to) < 0)
            r.problem("poses/" + p.id + "/relative_to", "\"" + p.relative_to + "\" is not the id of a device.");
}

}  // namespace escarp::cell
