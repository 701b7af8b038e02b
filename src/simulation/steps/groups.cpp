// Steps that hold others: what depends on the part, what is repeated, what stands under a name.

#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

void read_branches(const cell::StepReader& r, cell::Step& s) {
    s.then = r.inner("then");
    s.otherwise = r.inner("else");
    for (cell::Step& e : s.otherwise) e.in_else = true;
}

cell::Field condition() {
    return cell::field::of(cell::Field::Type::condition, "condition", "condition")
        .at_first("off")
        .explained("In words: b1.made and not arm2.at_tester and kit.count < 4");
}

class IfPartStep final : public StepKind {
public:
    std::string id() const override { return "if"; }
    std::string label() const override { return "If the part is \u2026"; }
    std::vector<std::string> lists() const override { return {"then", "else"}; }
    ArmUse arm_use() const override { return ArmUse::asks; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{choice("part", "part is", {"reject", "good"}).at_first("reject"),
            of(Type::steps, "then", "then").lacking().at_first(cell::json::array()),
            of(Type::steps, "else", "else").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.result = r.values().choice("part");
        read_branches(r, s);
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override { return "If part is " + s.result; }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        if (runner.driver().held() < 0) return runner.stop(k, Fault::Kind::holds_nothing);
        const bool rejected = k.trace().result(runner.driver().held(), k.now()) == "reject";
        return runner.descend(rejected == (s.result == "reject") ? s.then : s.otherwise);
    }
};

class IfTypeStep final : public StepKind {
public:
    std::string id() const override { return "if_type"; }
    std::string label() const override { return "If the part is of a type \u2026"; }
    std::vector<std::string> lists() const override { return {"then", "else"}; }
    ArmUse arm_use() const override { return ArmUse::asks; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{of(cell::Field::Type::part_type, "part_type", "part type"),
            of(cell::Field::Type::steps, "then", "then").lacking().at_first(cell::json::array()),
            of(cell::Field::Type::steps, "else", "else").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.label = r.values().text("part_type");
        if (r.cell().part_type(s.label) < 0)
            r.problem("part_type", "\"" + s.label + "\" is not the id of a part type of this file.");
        read_branches(r, s);
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        const int type = cell.part_type(s.label);
        return "If part is a " + (type < 0 ? s.label : cell.part_types[type].name);
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device&) const override {
        if (cell.part_types.empty()) throw cell::InputError("step", "There is no part type yet: make one first.");
        return {{"part_type", cell.part_types.front().id}, {"then", cell::json::array()}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        if (runner.driver().held() < 0) return runner.stop(k, Fault::Kind::holds_nothing);
        return runner.descend(k.type_of(runner.driver().held()).id == s.label ? s.then : s.otherwise);
    }
};

class IfConditionStep final : public StepKind {
public:
    std::string id() const override { return "if_condition"; }
    std::string label() const override { return "If a condition holds \u2026"; }
    std::vector<std::string> lists() const override { return {"then", "else"}; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{condition(),
            of(cell::Field::Type::steps, "then", "then").lacking().at_first(cell::json::array()),
            of(cell::Field::Type::steps, "else", "else").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.condition = r.condition("condition");
        read_branches(r, s);
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override { return "If " + s.condition->text(); }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        return runner.descend(k.holds(*s.condition) ? s.then : s.otherwise);
    }
    Listening listens_to(const cell::Step&) const override { return {}; }
};

class WhileStep final : public StepKind {
public:
    std::string id() const override { return "while"; }
    std::string label() const override { return "While a condition holds"; }
    std::vector<std::string> lists() const override { return {"steps"}; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            condition(), of(cell::Field::Type::steps, "steps", "steps").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.condition = r.condition("condition");
        s.then = r.inner("steps");
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override { return "While " + s.condition->text(); }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        return k.holds(*s.condition) ? runner.descend_and_return(s.then) : Outcome::done;
    }
    Listening listens_to(const cell::Step&) const override { return {}; }
};

/// As often as a device has places for parts.
class EverySeatStep final : public StepKind {
public:
    std::string id() const override { return "every_seat"; }
    std::string label() const override { return "For every seat of \u2026"; }
    std::vector<std::string> lists() const override { return {"steps"}; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{of(cell::Field::Type::device, "of", "of"),
            of(cell::Field::Type::steps, "steps", "steps").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.device = r.seated_device("of");
        if (s.device >= 0) s.times = static_cast<int>(r.cell().devices[s.device].seats.size());
        s.then = r.inner("steps");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "For every seat of " + cell.devices[s.device].name + " (" + std::to_string(s.times) + ")";
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device&) const override {
        return {{"of", cell::any_seated(cell, [](const cell::DeviceKind& k) { return !k.moves_parts(); })},
            {"steps", cell::json::array()}};
    }
    Outcome begin(TaskRunner& runner, Kernel&, const cell::Step& s) const override {
        return s.times > 0 ? runner.descend(s.then, s.times - 1) : Outcome::done;
    }
    Listening listens_to(const cell::Step&) const override { return {}; }
};

class RepeatStep final : public StepKind {
public:
    std::string id() const override { return "repeat"; }
    std::string label() const override { return "Repeat"; }
    std::vector<std::string> lists() const override { return {"steps"}; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{whole("times", "times", 1, 100000).at_first(2),
            of(cell::Field::Type::steps, "steps", "steps").lacking().at_first(cell::json::array())};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.times = r.values().whole("times");
        s.then = r.inner("steps");
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override {
        return "Repeat " + std::to_string(s.times) + " times";
    }
    Outcome begin(TaskRunner& runner, Kernel&, const cell::Step& s) const override {
        return runner.descend(s.then, s.times - 1);
    }
};

class UseOfBlockStep final : public StepKind {
public:
    std::string id() const override { return "block"; }
    std::string label() const override { return "Block of steps"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(cell::Field::Type::block, "block", "block")};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.label = r.values().text("block");
        s.then = r.block(s.label);
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        for (const cell::StepBlock& b : cell.blocks)
            if (b.id == s.label) return b.name;
        return s.label;
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device&) const override {
        if (cell.blocks.empty())
            throw cell::InputError(
                "step", "There is no block of steps yet: make one of a step first (\"block\" under the step).");
        return {{"block", cell.blocks.front().id}};
    }
    Outcome begin(TaskRunner& runner, Kernel&, const cell::Step& s) const override { return runner.descend(s.then); }
};

}  // namespace

std::unique_ptr<StepKind> if_type_step() { return std::make_unique<IfTypeStep>(); }
std::unique_ptr<StepKind> if_condition_step() { return std::make_unique<IfConditionStep>(); }
std::unique_ptr<StepKind> while_step() { return std::make_unique<WhileStep>(); }
std::unique_ptr<StepKind> every_seat_step() { return std::make_unique<EverySeatStep>(); }
std::unique_ptr<StepKind> if_step() { return std::make_unique<IfPartStep>(); }
std::unique_ptr<StepKind> repeat_step() { return std::make_unique<RepeatStep>(); }
std::unique_ptr<StepKind> block_step() { return std::make_unique<UseOfBlockStep>(); }

}  // namespace escarp::simulation
