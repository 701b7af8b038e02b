// Waiting for signals, and setting those of one's own.

#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

using Type = cell::Field::Type;

class WaitStep final : public StepKind {
public:
    std::string id() const override { return "wait"; }
    std::string label() const override { return "Wait for a signal"; }
    std::vector<std::string> lists() const override { return {"late"}; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{of(Type::signal, "signal", "signal").lacking().instead_of("condition"),
            flag("is", "until it is", true).as_said({"on", "off"}),
            of(Type::condition, "condition", "or until")
                .usually("")
                .instead_of("signal")
                .explained("In words: b1.made and not arm2.at_tester and kit.count < 4"),
            number("at_most_s", "at most", 0, 1e5)
                .usually(0)
                .explained("Then it does the steps that are said for being late; 0: it waits for ever."),
            of(Type::steps, "late", "when that is over").lacking()};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        const bool in_words = !r.values().text("condition").empty();
        if (in_words) {
            s.condition = r.condition("condition");
            if (r.values().has("signal"))
                r.problem("signal", "A signal or a condition is expected, not both; take one of them away.");
        } else {
            s.signal = r.signal();
            if (s.signal >= 0 && !r.cell().signals[s.signal].on_off())
                r.problem("signal", "This signal is a number; a \"condition\" such as \"" +
                                        r.cell().full_name(r.cell().signals[s.signal]) + " > 0\" is expected.");
        }
        s.is = r.values().flag("is");
        s.patience = r.values().number("at_most_s");
        s.otherwise = r.inner("late");
        for (cell::Step& e : s.otherwise) e.in_else = true;
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        if (s.condition) return "Wait until " + s.condition->text();
        const cell::Signal& signal = cell.signals[s.signal];
        return "Wait: " + cell.devices[signal.device].name + (s.is ? " " : " not ") + signal.name;
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device&) const override {
        for (const cell::Signal& s : cell.signals)
            if (s.on_off() && !s.input()) return {{"signal", cell.full_name(s)}};
        throw cell::InputError("step", "No device publishes a signal yet: place a beam or a fixture first.");
    }
    Outcome begin(TaskRunner&, Kernel& k, const cell::Step& s) const override {
        const bool come = s.condition ? k.holds(*s.condition) : k.on(s.signal) == s.is;
        return come ? Outcome::done : Outcome::must_wait;
    }
    Waiting waiting(const cell::Cell& cell, const cell::Step& s) const override {
        const int first = !s.condition                     ? s.signal
                          : s.condition->signals().empty() ? -1
                                                           : s.condition->signals().front();
        return {first < 0 ? -1 : cell.signals[first].device, WaitFor::signal};
    }
};

class SetStep final : public StepKind {
public:
    std::string id() const override { return "set"; }
    std::string label() const override { return "Set a signal"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(Type::own_signal, "signal", "signal"),
            cell::field::flag("to", "to", true).as_said({"on", "off"})};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.signal = r.own_signal(false);
        s.is = r.values().flag("to");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "Set " + cell.signals[s.signal].name + (s.is ? " on" : " off");
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device& owner) const override {
        for (const cell::Signal& s : owner.signals)
            if (s.on_off() && !s.input()) return {{"signal", cell.full_name(s)}, {"to", true}};
        throw cell::InputError("step", "\"" + owner.name + "\" has no signal of its own yet: name one first.");
    }
    Outcome begin(TaskRunner&, Kernel& k, const cell::Step& s) const override {
        k.set_signal(s.signal, s.is);
        return Outcome::done;
    }
    Listening listens_to(const cell::Step&) const override { return {}; }
};

/// Sets a number of one's own, or adds to it.
class NumberStep final : public StepKind {
public:
    explicit NumberStep(bool adds) : adds_(adds) {}
    std::string id() const override { return adds_ ? "add" : "number"; }
    std::string label() const override { return adds_ ? "Add to a number" : "Set a number"; }
    const cell::Fields& fields() const override { return adds_ ? fields_of<true>() : fields_of<false>(); }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.signal = r.own_signal(true);
        s.value = r.number(key());
        if (!s.value) r.problem(key(), "A number is expected, or a sum such as \"kit.count + 1\".");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        const std::string name = cell.signals[s.signal].name;
        return adds_ ? "Add " + s.value->text() + " to " + name : "Set " + name + " to " + s.value->text();
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device& owner) const override {
        for (const cell::Signal& s : owner.signals)
            if (!s.on_off() && !s.input()) return {{"signal", cell.full_name(s)}, {key(), adds_ ? "1" : "0"}};
        throw cell::InputError("step", "\"" + owner.name + "\" has no number of its own yet: name one first.");
    }
    Outcome begin(TaskRunner&, Kernel& k, const cell::Step& s) const override {
        double value = k.value_of(*s.value) + (adds_ ? k.value(s.signal) : 0);
        if (k.cell().signals[s.signal].type == cell::Signal::Type::whole) value = std::round(value);
        k.set_signal(s.signal, std::clamp(value, -1e12, 1e12));
        return Outcome::done;
    }
    Listening listens_to(const cell::Step&) const override { return {}; }

private:
    std::string key() const { return adds_ ? "by" : "to"; }
    template <bool adds>
    static const cell::Fields& fields_of() {
        static const cell::Fields all{cell::field::of(Type::own_number, "signal", "number"),
            cell::field::of(Type::formula, adds ? "by" : "to", adds ? "what is added" : "to")
                .usually(adds ? "1" : "0")
                .explained("A number, or a sum of numbers and signals: kit.count + 1")};
        return all;
    }
    const bool adds_;
};

}  // namespace

std::unique_ptr<StepKind> wait_step() { return std::make_unique<WaitStep>(); }
std::unique_ptr<StepKind> set_step() { return std::make_unique<SetStep>(); }
std::unique_ptr<StepKind> number_step() { return std::make_unique<NumberStep>(false); }
std::unique_ptr<StepKind> add_step() { return std::make_unique<NumberStep>(true); }

}  // namespace escarp::simulation
