#include "read_task.h"

#include "read_model.h"

#include <algorithm>
#include <set>

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
        if (s.kind)
            s.kind->read(StepReader(
                             r, *s.kind, cell, owner, [&](const std::string& key) { return inner(r, key, depth); },
                             [&](const std::string& id) { return block(r, id, s.id, depth); }),
                s);
        on = outer;
        return s;
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

std::vector<Step> read_task(const Reader& device_reader, const Kinds& kinds, const Cell& cell, const Device& owner,
    const std::vector<Reader>& blocks) {
    TaskReader reader{kinds, cell, owner, blocks};
    std::vector<Step> task;
    for (const Reader& one : device_reader.list("task", most_steps)) task.push_back(reader.read(one, 0));
    if (!task.empty() && !owner.arm)
        device_reader.problem("task", "\"" + owner.name + "\" is not an arm and cannot carry out a task.");
    for (const Pose& p : owner.poses)
        if (!p.relative_to.empty() && cell.device(p.relative_to) < 0)
            device_reader.problem(
                "poses/" + p.id + "/relative_to", "\"" + p.relative_to + "\" is not the id of a device.");
    return task;
}

}  // namespace escarp::cell
