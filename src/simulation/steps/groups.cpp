// Steps that hold others: what depends on the part, what is repeated, what stands under a name.

#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

class IfPartStep final : public StepKind {
public:
    std::string id() const override { return "if"; }
    std::string label() const override { return "If the part is \u2026"; }
    std::vector<std::string> lists() const override { return {"then", "else"}; }
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
        s.then = r.inner("then");
        s.otherwise = r.inner("else");
        for (cell::Step& e : s.otherwise) e.in_else = true;
    }
    std::string words(const cell::Cell&, const cell::Step& s) const override { return "If part is " + s.result; }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        if (runner.driver().held() < 0) return runner.stop(k, Fault::Kind::holds_nothing);
        const bool rejected = k.trace().result(runner.driver().held(), k.now()) == "reject";
        return runner.descend(rejected == (s.result == "reject") ? s.then : s.otherwise);
    }
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

std::unique_ptr<StepKind> if_step() { return std::make_unique<IfPartStep>(); }
std::unique_ptr<StepKind> repeat_step() { return std::make_unique<RepeatStep>(); }
std::unique_ptr<StepKind> block_step() { return std::make_unique<UseOfBlockStep>(); }

}  // namespace escarp::simulation
