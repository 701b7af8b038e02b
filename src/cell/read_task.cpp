#include "read_task.h"

#include "read_model.h"

#include <algorithm>
#include <set>

namespace escarp::cell {
namespace {

constexpr int most_steps = 2000, deepest = 8;

struct TaskReader {
    const Cell& cell;
    const Device& owner;
    const std::vector<Reader>& blocks;
    std::set<std::string> ids = {};
    std::vector<std::string> inside = {};  ///< ids of the blocks being read
    std::string prefix = {};               ///< of the ids of steps in blocks
    bool on = true;                        ///< the groups round the present step are enabled
    int count = 0;

    int seated_device(const Reader& r, const std::string& key) const {
        const std::string id = r.text(key);
        const int device = cell.device(id);
        if (device < 0) r.problem(key, "\"" + id + "\" is not the id of a device.");
        else if (cell.devices[device].seats.empty())
            r.problem(key, "\"" + cell.devices[device].name +
                               "\" has no place for a part; a conveyor, a fixture or an outfeed is expected.");
        return device;
    }

    void read_signal(const Reader& r, Step& s) const {
        s.signal = r.text("signal");
        const std::size_t dot = s.signal.find('.');
        const int device = cell.device(s.signal.substr(0, dot));
        if (dot == std::string::npos || device < 0) {
            r.problem("signal", "\"" + s.signal +
                                    "\" is not a signal; a device's id, a dot and the signal's name are expected, such "
                                    "as \"beam1.made\".");
            return;
        }
        const Device& d = cell.devices[device];
        if (std::find(d.signals.begin(), d.signals.end(), s.signal.substr(dot + 1)) != d.signals.end()) return;
        std::string known;
        for (const std::string& name : d.signals) known += (known.empty() ? "" : ", ") + name;
        r.problem("signal", "\"" + d.name + "\" has no signal \"" + s.signal.substr(dot + 1) + "\"; it has " +
                                (known.empty() ? "none" : known) + ".");
    }

    void read_motion(const Reader& r, Step& s) const {
        s.speed = r.number("speed_pct", {1, 100}, 100);
        if (s.kind == StepKind::move) {  // one speed, whichever way it goes; files of old call it "straight_speed_pct"
                                         // on straight moves
            const bool old = s.straight && r.has("straight_speed_pct");
            if (old && r.has("speed_pct"))
                r.problem("straight_speed_pct", "A move has one speed; keep \"speed_pct\" and take this away.");
            s.straight_speed = old ? r.number("straight_speed_pct", {1, 100}) : s.speed;
        } else {
            s.straight_speed = r.number("straight_speed_pct", {1, 100}, 100);
        }
        s.acceleration = r.number("acceleration_pct", {1, 100}, 100);
        s.corner = r.number("corner_mm", {0, 2000}, 0);
        s.detour = r.flag("detour", true);
        if (owner.arm) {
            s.speed *= owner.arm->speed, s.straight_speed *= owner.arm->speed,
                s.acceleration *= owner.arm->acceleration;
            const std::vector<int> free = owner.arm->solver->free_joints();
            for (const char* key : {"held_deg", "held_mm"}) {
                if (!r.has(key)) continue;
                if (free.empty()) {
                    r.problem(key, "\"" + owner.name + "\" has no free joint that could be held.");
                    continue;
                }
                const kinematics::Joint& joint = owner.arm->model->mechanism.joints[free.front()];
                if ((joint.type == kinematics::JointType::hinge) != (std::string(key) == "held_deg")) {
                    r.problem(key, "The free joint " + joint.name + " is a " +
                                       (joint.type == kinematics::JointType::hinge ? "hinge; \"held_deg\""
                                                                                   : "slide; \"held_mm\"") +
                                       " is expected.");
                    continue;
                }
                s.held = r.number(key, {-1e5, 1e5});
                if (*s.held < joint.low - 1e-9 || *s.held > joint.high + 1e-9)
                    r.problem(key, "Joint " + joint.name + " cannot be held outside its limits.");
            }
        }
        if (s.kind != StepKind::move) {
            s.approach = r.number("approach_mm", {0, 2000}, 80);
            s.retreat = r.number("retreat_mm", {0, 2000}, 80);
            s.turn = r.number("turn_deg", {-360, 360}, 0);
        }
        s.posture = r.whole("posture", -1, 7, -1);
        if (!owner.arm) r.problem("do", "Only an arm can do this step.");
        else if (!owner.arm->tool && s.kind != StepKind::move)
            r.problem("do", "\"" + owner.name + "\" carries no tool; set its \"tool\" first.");
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
        const std::string what = r.choice(
            "do", {"wait", "set", "pick", "place", "move", "delay", "if", "repeat", "gripper", "use", "act", "block"});
        if (what == "wait") {
            s.kind = StepKind::wait;
            read_signal(r, s);
            s.is = r.flag("is", true);
        } else if (what == "set") {
            s.kind = StepKind::set;
            read_signal(r, s);
            s.is = r.flag("to", true);
            if (s.signal.substr(0, s.signal.find('.')) != owner.id)
                r.problem("signal", "A device sets only its own signals; \"" + owner.id +
                                        ".\" and one of its \"own_signals\" is expected.");
        } else if (what == "pick") {
            s.kind = StepKind::pick;
            s.device = seated_device(r, "from");
            s.grip = r.text("grip", "");
            read_motion(r, s);
        } else if (what == "place") {
            s.kind = StepKind::place;
            s.device = seated_device(r, "in");
            read_motion(r, s);
        } else if (what == "move") {
            s.kind = StepKind::move;
            s.pose = r.text("pose");
            s.straight = r.choice("by", {"joint", "straight"}, "joint") == "straight";
            read_motion(r, s);
            if (owner.arm && !owner.pose(s.pose))
                r.problem("pose", "\"" + owner.name + "\" has no pose with the id \"" + s.pose + "\".");
        } else if (what == "delay") {
            s.kind = StepKind::delay;
            s.time_s = r.number("time_s", {0, 1e5});
        } else if (what == "if") {
            s.kind = StepKind::if_part;
            s.result = r.choice("part", {"reject", "good"});
            s.then = inner(r, "then", depth);
            s.otherwise = inner(r, "else", depth);
            for (Step& e : s.otherwise) e.in_else = true;
        } else if (what == "gripper") {
            s.kind = StepKind::gripper;
            s.is = r.choice("to", {"close", "open"}) == "close";
            if (!owner.arm || !owner.arm->tool)
                r.problem("do", "\"" + owner.name + "\" carries no tool; set its \"tool\" first.");
        } else if (what == "use") {
            s.kind = StepKind::use;
            s.time_s = r.number("time_s", {0, 1e4}, 0);
            read_tool(r, s);
        } else if (what == "act") {
            s.kind = StepKind::act;
            s.label = r.text("label", "Tool action");
            s.time_s = r.number("time_s", {0, 1e5});
            if (!owner.arm || !owner.arm->tool)
                r.problem("do", "\"" + owner.name + "\" carries no tool; set its \"tool\" first.");
        } else if (what == "block") {
            s.kind = StepKind::block;
            read_block(r, s, depth);
        } else {
            s.kind = StepKind::repeat;
            s.times = r.whole("times", 1, 100000);
            s.then = inner(r, "steps", depth);
        }
        on = outer;
        return s;
    }

    void read_tool(const Reader& r, Step& s) const {
        const std::string id = r.text("tool");
        s.tool = -1;
        if (owner.arm)
            for (std::size_t i = 0; i < owner.arm->tools.size(); ++i)
                if (owner.arm->tools[i].model->id == id) s.tool = static_cast<int>(i);
        if (s.tool < 0)
            r.problem("tool", "\"" + owner.name + "\" carries no tool \"" + id +
                                  "\"; it is expected as its \"tool\" or among its \"more_tools\".");
        s.tool = std::max(0, s.tool);
    }

    void read_block(const Reader& r, Step& s, int depth) {
        s.label = r.text("block");
        const auto found =
            std::find_if(blocks.begin(), blocks.end(), [&](const Reader& b) { return b.text("id", "") == s.label; });
        if (found == blocks.end())
            return r.problem("block", "\"" + s.label + "\" is not the id of a block of steps of this file.");
        if (std::find(inside.begin(), inside.end(), s.label) != inside.end())
            return r.problem("block", "The block \"" + s.label + "\" would use itself.");
        const std::string outer = prefix;
        inside.push_back(s.label);
        prefix = s.id + ".";
        s.then = inner(*found, "steps", depth);
        prefix = outer;
        inside.pop_back();
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

std::vector<Step> read_task(
    const Reader& device_reader, const Cell& cell, const Device& owner, const std::vector<Reader>& blocks) {
    TaskReader reader{cell, owner, blocks};
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
