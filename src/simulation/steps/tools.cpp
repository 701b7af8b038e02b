// What is done with the tool where the arm stands: opening and closing it, something of its own, taking another one.

#include <geometry/indices.h>
#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

class GripperStep final : public StepKind {
public:
    std::string id() const override { return "gripper"; }
    ArmUse arm_use() const override { return ArmUse::moves; }
    std::string label() const override { return "Open or close the tool"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::choice("to", "tool", {"close", "open"}).at_first("close")};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.is = r.values().choice("to") == "close";
        r.needs_tool();
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override {
        return s.is ? "Close the tool" : "Open the tool";
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        return runner.take_time(k, s.is ? runner.driver().arm().tool->close_s : runner.driver().arm().tool->open_s);
    }
};

class ActStep final : public StepKind {
public:
    std::string id() const override { return "act"; }
    ArmUse arm_use() const override { return ArmUse::moves; }
    std::string label() const override { return "Tool action"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            of(cell::Field::Type::text, "label", "does").usually("Tool action").at_first("Tool action"),
            number("time_s", "takes", 0, 1e5).varying().at_first(0.5)};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.label = r.values().text("label");
        s.time = r.values().spread("time_s");
        r.needs_tool();
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override { return s.label; }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        return runner.take_time(k, s.time);
    }
};

class UseStep final : public StepKind {
public:
    std::string id() const override { return "use"; }
    ArmUse arm_use() const override { return ArmUse::moves; }
    std::string label() const override { return "Use another tool"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{of(cell::Field::Type::tool, "tool", "tool"),
            number("time_s", "takes", 0, 1e4).varying().usually(0).at_first(0.5)};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.time = r.values().spread("time_s");
        const std::string id = r.values().text("tool");
        if (r.owner().arm)
            for (const int i : indices(r.owner().arm->tools))
                if (r.owner().arm->tools[i].id == id) s.tool = i;
        if (s.tool < 0)
            r.problem("tool", "\"" + r.owner().name + "\" carries no tool \"" + id +
                                  "\"; it is expected as its \"tool\" or among its \"more_tools\".");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        for (const cell::Device& d : cell.devices)  // a step of a shared block means the tool of whoever does it
            if (d.arm && s.path.rfind("devices/" + d.id + "/", 0) == 0 && s.tool >= 0 && d.arm->tools.size() > 2)
                return "Use tool " + std::to_string(s.tool + 1);
        return "Use another tool";
    }
    cell::json fresh(const cell::Cell&, const cell::Device& owner) const override {
        if (!owner.arm || owner.arm->tools.size() < 2)
            throw cell::InputError(
                "step", "\"" + owner.name + "\" has one tool at most: mount a second one on its card first.");
        return {{"tool", owner.arm->tools[1].id}, {"time_s", 0.5}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        runner.driver().use_tool(s.tool);
        return runner.take_time(k, s.time);
    }
};

}  // namespace

std::unique_ptr<StepKind> gripper_step() { return std::make_unique<GripperStep>(); }
std::unique_ptr<StepKind> act_step() { return std::make_unique<ActStep>(); }
std::unique_ptr<StepKind> use_step() { return std::make_unique<UseStep>(); }

}  // namespace escarp::simulation
