#include "read_task.h"

#include <algorithm>
#include <set>

namespace escarp::cell {
namespace {

constexpr int most_steps = 2000, deepest = 8;

struct TaskReader {
    const Cell& cell;
    const Device& owner;
    std::set<std::string> ids = {};
    int count = 0;

    int seated_device(const Reader& r, const std::string& key) const {
        const std::string id = r.text(key);
        const int device = cell.device(id);
        if (device < 0) r.problem(key, "\"" + id + "\" is not the id of a device.");
        else if (cell.devices[static_cast<std::size_t>(device)].seats.empty())
            r.problem(key, "\"" + cell.devices[static_cast<std::size_t>(device)].name + "\" has no place for a part; a conveyor, a fixture or an outfeed is expected.");
        return device;
    }

    void read_signal(const Reader& r, Step& s) const {
        s.signal = r.text("signal");
        const std::size_t dot = s.signal.find('.');
        const int device = cell.device(s.signal.substr(0, dot));
        if (dot == std::string::npos || device < 0) {
            r.problem("signal", "\"" + s.signal + "\" is not a signal; a device's id, a dot and the signal's name are expected, such as \"beam1.made\".");
            return;
        }
        const Device& d = cell.devices[static_cast<std::size_t>(device)];
        if (std::find(d.signals.begin(), d.signals.end(), s.signal.substr(dot + 1)) != d.signals.end()) return;
        std::string known;
        for (const std::string& name : d.signals) known += (known.empty() ? "" : ", ") + name;
        r.problem("signal", "\"" + d.name + "\" has no signal \"" + s.signal.substr(dot + 1) + "\"; it has " + (known.empty() ? "none" : known) + ".");
    }

    void read_motion(const Reader& r, Step& s) const {
        s.speed = r.number("speed_pct", {1, 100}, 100);
        s.straight_speed = r.number("straight_speed_pct", {1, 100}, 100);
        s.approach = r.number("approach_mm", {0, 2000}, 80);
        s.retreat = r.number("retreat_mm", {0, 2000}, 80);
        s.turn = r.number("turn_deg", {-360, 360}, 0);
        s.posture = r.whole("posture", -1, 7, -1);
        if (!owner.arm) r.problem("do", "Only an arm can do this step.");
        else if (!owner.arm->tool && s.kind != StepKind::move) r.problem("do", "\"" + owner.name + "\" carries no tool; set its \"tool\" first.");
    }

    Step read(const Reader& r, int depth) {
        Step s;
        s.id = r.id("id");
        s.path = r.path();
        s.number = count++;
        s.depth = depth;
        if (!ids.insert(s.id).second) r.problem("id", "Two steps of this task have the id \"" + s.id + "\".");
        const std::string what = r.choice("do", {"wait", "set", "pick", "place", "move", "delay", "if", "repeat"});
        if (what == "wait") {
            s.kind = StepKind::wait;
            read_signal(r, s);
            s.is = r.flag("is", true);
        } else if (what == "set") {
            s.kind = StepKind::set;
            read_signal(r, s);
            s.is = r.flag("to", true);
            if (s.signal.substr(0, s.signal.find('.')) != owner.id) r.problem("signal", "A device sets only its own signals; \"" + owner.id + ".\" and one of its \"own_signals\" is expected.");
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
            if (owner.arm && !owner.pose(s.pose)) r.problem("pose", "\"" + owner.name + "\" has no pose with the id \"" + s.pose + "\".");
        } else if (what == "delay") {
            s.kind = StepKind::delay;
            s.time_s = r.number("time_s", {0, 1e5});
        } else if (what == "if") {
            s.kind = StepKind::if_part;
            s.result = r.choice("part", {"reject", "good"});
            s.then = inner(r, "then", depth);
            s.otherwise = inner(r, "else", depth);
            for (Step& e : s.otherwise) e.in_else = true;
        } else {
            s.kind = StepKind::repeat;
            s.times = r.whole("times", 1, 100000);
            s.then = inner(r, "steps", depth);
        }
        return s;
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
    const int n = owner.arm->model->mechanism.size();
    if (r.has("joints_deg")) {
        const std::vector<double> values = r.numbers("joints_deg", static_cast<std::size_t>(n), {-36000, 36000});
        JointVector q(n);
        for (int i = 0; i < n; ++i) q[i] = values[static_cast<std::size_t>(i)];
        if (!owner.arm->model->mechanism.within_limits(q, 1e-6)) r.problem("joints_deg", "A joint of this pose is outside its limits.");
        p.joints = q;
    } else {
        if (!r.has("at_mm")) r.problem("at_mm", "The pose is empty; \"joints_deg\", or \"at_mm\" with \"turn_deg\", is expected.");
        p.relative_to = r.text("relative_to", "floor");
        if (p.relative_to == "floor") p.relative_to.clear();
        p.at = r.frame();
    }
    return p;
}

std::vector<Step> read_task(const Reader& device_reader, const Cell& cell, const Device& owner) {
    TaskReader reader{cell, owner};
    std::vector<Step> task;
    for (const Reader& one : device_reader.list("task", most_steps)) task.push_back(reader.read(one, 0));
    if (!task.empty() && !owner.arm) device_reader.problem("task", "\"" + owner.name + "\" is not an arm and cannot carry out a task.");
    for (const Pose& p : owner.poses)
        if (!p.relative_to.empty() && cell.device(p.relative_to) < 0)
            device_reader.problem("poses/" + p.id + "/relative_to", "\"" + p.relative_to + "\" is not the id of a device.");
    return task;
}

}  // namespace escarp::cell
