// Waiting for a signal, and setting one of one's own.

#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

class WaitStep final : public StepKind {
public:
    std::string id() const override { return "wait"; }
    std::string label() const override { return "Wait for a signal"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(cell::Field::Type::signal, "signal", "signal"),
            cell::field::flag("is", "until it is", true).as_said({"on", "off"})};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.signal = r.signal();
        s.is = r.values().flag("is");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        const cell::Signal& signal = cell.signals[s.signal];
        return "Wait: " + cell.devices[signal.device].name + (s.is ? " " : " not ") + signal.name;
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device&) const override {
        for (const cell::Device& d : cell.devices)
            if (!d.signals.empty()) return {{"signal", d.id + "." + d.signals.front()}};
        throw cell::InputError("step", "No device publishes a signal yet: place a beam or a fixture first.");
    }
    Outcome begin(TaskRunner&, Kernel& k, const cell::Step& s) const override {
        return k.signal(s.signal) == s.is ? Outcome::done : Outcome::must_wait;
    }
    Waiting waiting(const cell::Cell& cell, const cell::Step& s) const override {
        return {cell.signals[s.signal].device, WaitFor::signal};
    }
};

class SetStep final : public StepKind {
public:
    std::string id() const override { return "set"; }
    std::string label() const override { return "Set a signal"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(cell::Field::Type::own_signal, "signal", "signal"),
            cell::field::flag("to", "to", true).as_said({"on", "off"})};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.signal = r.signal();
        s.is = r.values().flag("to");
        if (s.signal >= 0 && &r.cell().devices[r.cell().signals[s.signal].device] != &r.owner())
            r.problem("signal", "A device sets only its own signals; \"" + r.owner().id +
                                    ".\" and one of its \"own_signals\" is expected.");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "Set " + cell.signals[s.signal].name + (s.is ? " on" : " off");
    }
    cell::json fresh(const cell::Cell&, const cell::Device& owner) const override {
        if (owner.signals.empty())
            throw cell::InputError("step", "\"" + owner.name + "\" has no signal of its own yet: name one first.");
        return {{"signal", owner.id + "." + owner.signals.front()}, {"to", true}};
    }
    Outcome begin(TaskRunner&, Kernel& k, const cell::Step& s) const override {
        k.set_signal(s.signal, s.is);
        return Outcome::done;
    }
};

}  // namespace

std::unique_ptr<StepKind> wait_step() { return std::make_unique<WaitStep>(); }
std::unique_ptr<StepKind> set_step() { return std::make_unique<SetStep>(); }

}  // namespace escarp::simulation
