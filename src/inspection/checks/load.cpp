#include <algorithm>
#include <cmath>
#include <map>

#include "check.h"

namespace escarp::inspection {
namespace {

constexpr double gravity = 9.80665, safety_factor = 2.0;

/// Greatest acceleration of the tool frame's origin over a motion, from the exact joint states at 64 instants.
double tool_acceleration(const cell::Arm& arm, const motion::Motion& motion) {
    const double duration = motion.duration(), h = 1e-4;
    const auto point = [&](double t) { return Vector3((arm.model->flange_frame(motion.position(t)) * arm.tool_frame).translation()); };
    double most = 0;
    for (int i = 0; i < 64; ++i) {
        const double t = duration * (i + 0.5) / 64;
        if (t - h < 0 || t + h > duration) continue;
        most = std::max(most, ((point(t + h) - 2 * point(t) + point(t - h)) / (h * h)).norm());
    }
    return most;
}

}  // namespace

/// Payload of the arm, and whether the jaws hold: F >= S m (g + a) / (n mu).
void load_check(const Context& c, Inspection& result) {
    for (std::size_t device = 0; device < c.cell.devices.size(); ++device) {
        const cell::Device& d = c.cell.devices[device];
        if (!d.arm || !d.arm->tool) continue;
        std::map<std::pair<const motion::Motion*, int>, const simulation::MotionRecord*> carries;
        for (const simulation::MotionRecord& m : c.run.trace.motions[device])
            if (m.held >= 0) carries.try_emplace({m.motion.get(), c.run.trace.parts[static_cast<std::size_t>(m.held)].type}, &m);
        std::map<int, std::pair<double, double>> worst;  // by part type: acceleration, when
        for (const auto& [key, record] : carries) {
            const double a = tool_acceleration(*d.arm, *key.first);
            auto& entry = worst[key.second];
            if (a >= entry.first) entry = {a, simulation::seconds(record->from)};
        }
        for (const auto& [type, entry] : worst) {
            const cell::PartType& part = c.cell.part_types[static_cast<std::size_t>(type)];
            const cell::ToolModel& tool = *d.arm->tool;
            if (part.mass + tool.mass > d.arm->model->payload) {
                Finding f;
                f.id = "payload:" + d.id + ":" + part.id;
                f.severity = Severity::stop;
                f.title = part.name + " is too heavy for " + d.name;
                f.text = short_number(part.mass, 1) + " kg and a tool of " + short_number(tool.mass, 1) + " kg; the arm carries " + short_number(d.arm->model->payload, 1) + " kg in all.";
                f.devices = {d.id};
                f.when_s = entry.second;
                result.findings.push_back(std::move(f));
            }
            if (tool.force <= 0) continue;
            const double needed = safety_factor * part.mass * (gravity + entry.first) / (tool.faces * tool.friction);
            if (needed <= tool.force) continue;
            Finding f;
            f.id = "hold:" + d.id + ":" + part.id;
            f.severity = Severity::stop;
            f.title = d.name + "'s gripper cannot hold " + part.name + " safely";
            const double bearable = tool.force * tool.faces * tool.friction / (safety_factor * part.mass) - gravity;
            f.text = "It needs " + short_number(needed, 0) + " N at " + short_number(entry.first, 1) + " m/s\u00b2 and has " + short_number(tool.force, 0) + " N" +
                     (bearable > 0 ? "; up to " + short_number(bearable, 1) + " m/s\u00b2 it would hold." : "; it would not hold even at rest.");
            f.devices = {d.id};
            f.when_s = entry.second;
            result.findings.push_back(std::move(f));
        }
    }
}

}  // namespace escarp::inspection
