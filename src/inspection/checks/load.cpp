#include <algorithm>
#include <cmath>
#include <map>

#include <simulation/plan.h>

#include "cache.h"
#include "check.h"

namespace escarp::inspection {
namespace {

double tool_acceleration(const Context& c, const cell::Arm& arm, const motion::MotionPtr& motion) {
    auto& kept = c.cache.kept();
    const std::uint64_t key = cell::ContentKey().add(arm.model_key).add(arm.tool_frame).add(reinterpret_cast<std::uintptr_t>(motion.get())).value();
    const std::lock_guard guard(kept.lock);
    if (kept.pull.size() > 50'000) kept.pull.clear();
    const auto [found, fresh] = kept.pull.try_emplace(key);
    if (fresh) found->second = {simulation::tool_acceleration(arm, *motion), motion};
    return found->second.acceleration;
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
            const double a = tool_acceleration(c, *d.arm, record->motion);
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
            const std::optional<double> bearable = simulation::bearable_acceleration(tool, part.mass);
            if (!bearable || entry.first <= *bearable) continue;
            Finding f;
            f.id = "hold:" + d.id + ":" + part.id;
            f.severity = Severity::stop;
            f.title = d.name + "'s gripper cannot hold " + part.name + " safely";
            const double needed = tool.force * (entry.first + 9.80665) / (*bearable + 9.80665);
            f.text = "It needs " + short_number(needed, 0) + " N at " + short_number(entry.first, 1) + " m/s\u00b2 and has " + short_number(tool.force, 0) + " N" +
                     (*bearable > 0 ? "; up to " + short_number(*bearable, 1) + " m/s\u00b2 it would hold." : "; it would not hold even at rest.");
            if (*bearable > 0) f.ways_out.push_back({"Carry gently", "the moves with a part are slowed until the grip holds", {"Carry gently", {cell::Operation::set("/devices/" + d.id + "/gentle_carry", true)}}});
            f.devices = {d.id};
            f.when_s = entry.second;
            result.findings.push_back(std::move(f));
        }
    }
}

}  // namespace escarp::inspection
