#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include <tbb/parallel_for.h>

#include <motion/tool_motion.h>
#include <simulation/plan.h>

#include "cache.h"
#include "check.h"

namespace escarp::inspection {
namespace {

using simulation::Ticks;

double tool_acceleration(const Context& c, const cell::Arm& arm, const motion::MotionPtr& motion) {
    cell::Kept<double>& kept = c.cache.kept().pull;
    const std::uint64_t key = cell::ContentKey().add(arm.model_key).add(arm.tool_frame).add(motion->serial()).value();
    if (const auto found = kept.find(key)) return *found;
    return kept.keep(key, motion::greatest_tool_acceleration(*arm.model, arm.tool_frame, *motion));
}

/// The worst of what an arm carries: a part type in one of its tools.
struct Carry {
    double acceleration = -1;
    Ticks when = 0;
};

void report_weight(const cell::Device& d, const cell::PartType& part, Ticks when, std::vector<Finding>& out) {
    double tools = 0;
    for (const cell::MountedTool& t : d.arm->tools) tools += t.model->mass;
    if (part.mass + tools <= d.arm->model->payload) return;
    Finding f;
    f.id = "payload:" + d.id + ":" + part.id;
    f.severity = Severity::stop;
    f.title = part.name + " is too heavy for " + d.name;
    f.text = short_number(part.mass, 1) + " kg and " + (d.arm->tools.size() > 1 ? "tools" : "a tool") + " of " +
             short_number(tools, 1) + " kg; the arm carries " + short_number(d.arm->model->payload, 1) + " kg in all.";
    f.devices = {d.id};
    f.when_s = simulation::seconds(when);
    out.push_back(std::move(f));
}

/// Several parts in its tools at once.
void report_all(const cell::Device& d, const std::pair<double, Ticks>& most, std::vector<Finding>& out) {
    double tools = 0;
    for (const cell::MountedTool& t : d.arm->tools) tools += t.model->mass;
    if (most.first == 0 || most.first + tools <= d.arm->model->payload) return;
    Finding f;
    f.id = "payload:" + d.id + ":together";
    f.severity = Severity::stop;
    f.title = d.name + " carries too much at once";
    f.text = "Parts of " + short_number(most.first, 1) + " kg and tools of " + short_number(tools, 1) +
             " kg; the arm carries " + short_number(d.arm->model->payload, 1) + " kg in all.";
    f.devices = {d.id};
    f.when_s = simulation::seconds(most.second);
    out.push_back(std::move(f));
}

void report_grip(const cell::Device& d, const cell::ToolModel& tool, const cell::PartType& part, const Carry& carry,
    std::vector<Finding>& out) {
    const std::optional<double> bearable = simulation::bearable_acceleration(tool, part.mass);
    if (!bearable || carry.acceleration <= *bearable) return;
    Finding f;
    f.id = "hold:" + d.id + ":" + part.id + (d.arm->tools.size() > 1 ? ":" + tool.id : "");
    f.severity = Severity::stop;
    f.title = (d.arm->tools.size() > 1 ? tool.name + " of " + d.name : d.name + "'s gripper") + " cannot hold " +
              part.name + " safely";
    const double needed = tool.force * (carry.acceleration + simulation::gravity) / (*bearable + simulation::gravity);
    f.text = "It needs " + short_number(needed, 0) + " N at " + short_number(carry.acceleration, 1) +
             " m/s\u00b2 and has " + short_number(tool.force, 0) + " N" +
             (*bearable > 0 ? "; up to " + short_number(*bearable, 1) + " m/s\u00b2 it would hold."
                            : "; it would not hold even at rest.");
    if (*bearable > 0)
        f.ways_out.push_back({"Carry gently", "the moves with a part are slowed until the grip holds",
            {"Carry gently", {cell::Operation::set(cell::at_device(d.id) / "gentle_carry", true)}}});
    f.devices = {d.id};
    f.when_s = simulation::seconds(carry.when);
    out.push_back(std::move(f));
}

}  // namespace

/// Payload of the arm, and whether the tool holds what it carries (docs/model.md, "Holding").
void load_check(const Context& c, Inspection& result) {
    for (std::size_t device = 0; device < c.cell.devices.size(); ++device) {
        const cell::Device& d = c.cell.devices[device];
        if (!d.arm || !d.arm->tool) continue;
        std::map<std::tuple<const motion::Motion*, int, int>, const simulation::MotionRecord*>
            carries;                                  // by motion, part type, tool
        std::pair<double, Ticks> most_at_once{0, 0};  // where it holds several
        c.throw_if_stopped();
        for (const simulation::MotionRecord& m : c.run.trace.motions[device]) {
            double all = 0;
            const auto holds = [&](int part, int tool) {
                carries.try_emplace({m.motion.get(), c.run.trace.parts[part].type, tool}, &m);
                all += c.cell.part_types[c.run.trace.parts[part].type].mass;
            };
            if (m.held >= 0) holds(m.held, m.tool);
            for (const simulation::MotionRecord::Also& more : m.also) holds(more.part, more.tool);
            if (!m.also.empty() && all > most_at_once.first) most_at_once = {all, m.from};
        }
        std::vector<std::pair<std::pair<int, int>, Carry>> each;  // with part type and tool
        std::vector<const simulation::MotionRecord*> records;
        for (const auto& [key, record] : carries)
            each.push_back({{std::get<1>(key), std::get<2>(key)}, {}}), records.push_back(record);
        tbb::parallel_for(std::size_t{0}, each.size(), [&](std::size_t i) {
            each[i].second = {
                tool_acceleration(c, d.arm->with_tool(each[i].first.second), records[i]->motion), records[i]->from};
        });
        std::map<std::pair<int, int>, Carry> worst;
        for (const auto& [key, carry] : each) {
            Carry& entry = worst[key];
            if (carry.acceleration > entry.acceleration ||
                (carry.acceleration == entry.acceleration && carry.when < entry.when))
                entry = carry;
        }
        int weighed = -1;
        for (const auto& [key, entry] : worst) {
            const cell::PartType& part = c.cell.part_types[key.first];
            if (key.first != weighed) report_weight(d, part, entry.when, result.findings);
            weighed = key.first;
            report_grip(d, *d.arm->with_tool(key.second).tool, part, entry, result.findings);
        }
        report_all(d, most_at_once, result.findings);
    }
}

}  // namespace escarp::inspection
