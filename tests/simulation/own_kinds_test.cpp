// A kind of step and a kind of device that the program does not know, each added from the outside in one class and one
// line.

#include <catch2/catch.hpp>

#include <simulation/step.h>
#include <simulation/watching.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;
using simulation::Kernel;
using simulation::Outcome;
using simulation::TaskRunner;

namespace {

// [example: a step]
/// Sets a signal of the arm, and stays a while.
class PulseStep final : public simulation::StepKind {
public:
    std::string id() const override { return "pulse"; }
    std::string label() const override { return "Pulse"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::of(cell::Field::Type::own_signal, "signal", "signal"),
            cell::field::number("time_s", "for", 0.1, 60).usually(0.5).at_first(2.0)};
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.signal = r.signal();
        s.time = r.values().number("time_s");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "Pulse " + cell.full_name(cell.signals[s.signal]);
    }
    json fresh(const cell::Cell&, const cell::Device& owner) const override {
        json keys = fresh_of(fields());
        keys["signal"] = owner.id + "." + owner.signals.front().name;
        return keys;
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step& s) const override {
        k.set_signal(s.signal, true);
        return runner.take_time(k, s.time);
    }
};

// [end]

/// Waits for ever, and cannot say for whom.
class RestStep final : public simulation::StepKind {
public:
    std::string id() const override { return "rest"; }
    std::string label() const override { return "Rest"; }
    const cell::Fields& fields() const override {
        static const cell::Fields none;
        return none;
    }
    void read(const cell::StepReader&, cell::Step&) const override {}
    std::string words(const cell::Cell&, const cell::Step&) const override { return "Rest"; }
    Outcome begin(TaskRunner&, Kernel&, const cell::Step&) const override { return Outcome::must_wait; }
};

// [example: a device kind]
/// Blinks: its signal "lit" changes every so often.
class Lamp final : public simulation::Kind {
public:
    struct Rate final : cell::Parameters {
        double every = 0;
    };
    class Blinking final : public simulation::Behaves<Blinking> {
    public:
        using Acts::Acts;
        void start(Kernel& k) override { k.at(every(), *this, 0); }
        void event(Kernel& k, int, int) override {
            k.set_signal(signal(0), lit_ = !lit_);
            k.at(k.now() + every(), *this, 0);
        }

    private:
        simulation::Ticks every() const {
            return simulation::ticks(static_cast<const Rate&>(*device_.parameters).every);
        }
        bool lit_ = false;
    };
    std::string id() const override { return "lamp"; }
    std::string label() const override { return "Lamp"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{
            cell::field::number("every_s", "changes every", 0.1, 60).usually(1).at_first(1.0)};
        return all;
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto rate = std::make_shared<Rate>();
        rate->every = cell::Values(r, fields()).number("every_s");
        d.parameters = std::move(rate);
        d.signals = {{"lit"}};
        d.bodies.push_back(cell::standing_cylinder("pole", 0.05, 1.2, {0, 0, 0}));
    }
    std::unique_ptr<simulation::Behaviour> behaviour(
        const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Blinking>(d, index);
    }
};

// [end]

// [example: a sensor kind]
/// A bar between two posts: made while a part that is higher passes below.
class HeightGate final : public simulation::Kind {
public:
    struct Bar final : cell::Parameters {
        double half = 0, height = 0;  ///< m
    };
    std::string id() const override { return "height_gate"; }
    std::string label() const override { return "Height gate"; }
    const cell::Fields& fields() const override {
        static const cell::Fields all{cell::field::number("width_mm", "between the posts", 50, 5000).at_first(400.0),
            cell::field::number("height_mm", "height of the bar", 1, 3000).at_first(900.0)};
        return all;
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const cell::Values values(r, fields());
        auto bar = std::make_shared<Bar>();
        bar->half = 0.5 * values.number("width_mm"), bar->height = values.number("height_mm");
        for (const double side : {-1.0, 1.0})
            d.bodies.push_back(
                cell::standing_box("post", {0.03, 0.03, bar->height}, {0, side * (bar->half + 0.015), 0}));
        d.signals = {{"made"}, cell::Signal::input_on("enable")};
        d.parameters = std::move(bar);
    }
    std::unique_ptr<simulation::Behaviour> behaviour(
        const cell::Device& d, int index, const cell::Cell&) const override {
        const Bar& bar = static_cast<const Bar&>(*d.parameters);
        const auto end = [&](double y) { return geometry::Vector3(d.world * geometry::Vector3(0, y, bar.height)); };
        return simulation::watching(d, index,
            {geometry::Convex::segment(end(-bar.half), end(bar.half)), 0.5 * (end(-bar.half) + end(bar.half)),
                bar.half});
    }
};
// [end]

const cell::Kinds& kinds() {
    static const cell::Kinds all = [] {
        cell::Kinds made;
        simulation::add_standard_kinds(made);
        made.add(std::make_unique<PulseStep>());
        made.add(std::make_unique<RestStep>());
        made.add(std::make_unique<Lamp>());
        made.add(std::make_unique<HeightGate>());
        return made;
    }();
    return all;
}

json cell_with_both() {
    return {{"escarp", 1}, {"horizon_s", 30}, {"arm_models", cell::catalogue_arms()},
        {"devices",
            {{{"id", "lamp"}, {"name", "Lamp"}, {"kind", "lamp"}, {"every_s", 3}, {"placement", {{"x_mm", 2000}}}},
                {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"own_signals", {"ready"}},
                    {"task", {{{"id", "s1"}, {"do", "wait"}, {"signal", "lamp.lit"}},
                                 {{"id", "s2"}, {"do", "pulse"}, {"signal", "arm.ready"}, {"time_s", 1.5}},
                                 {{"id", "s3"}, {"do", "wait"}, {"signal", "lamp.lit"}, {"is", false}}}}}}}};
}

}  // namespace

TEST_CASE("a step kind and a device kind from the outside are read, run, described, and refused with the place") {
    const cell::Document d = cell::Document::parse(cell_with_both().dump());
    const cell::Layout layout(d, "A", kinds());
    CHECK(cell::describe(layout.cell(), layout.cell().devices[1].task.steps[1]) == "Pulse arm.ready");
    inspection::Cache cache;
    const auto e = study::evaluate(layout, cache);
    const auto* ready = e->run->trace.signal("arm.ready");
    const auto* lit = e->run->trace.signal("lamp.lit");
    REQUIRE(ready);
    REQUIRE(lit);
    CHECK(lit->at(simulation::ticks(3.5)));
    CHECK_FALSE(lit->at(simulation::ticks(6.5)));
    CHECK_FALSE(ready->at(simulation::ticks(2.9)));
    CHECK(ready->at(simulation::ticks(3.1)));
    REQUIRE(e->run->steady);
    CHECK(*e->figures.cycle_s == Approx(6.0));  // as the lamp says

    json wrong = cell_with_both();
    wrong["devices"][1]["task"][1]["time_s"] = 100;
    const cell::Document w = cell::Document::parse(wrong.dump());
    CHECK_THROWS_WITH(cell::Layout(w, "A", kinds()).cell(),
        Catch::Contains("devices/arm/task/s2/time_s") && Catch::Contains("from 0.1 to 60 s"));
    // Without them it says what it knows.
    CHECK_THROWS_WITH(simulation::layout(d, "A").cell(), Catch::Contains("\"lamp\" is not a kind of device"));
}

TEST_CASE("a sensor kind from the outside sees what is high enough, and nothing else") {
    const auto made = [](double height_mm) {
        json tree = {{"escarp", 1}, {"horizon_s", 60}, {"part_types", cell::catalogue_part_types()},
            {"devices", {{{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", 2000},
                             {"width_mm", 200}, {"height_mm", 800}, {"speed_mm_s", 200}, {"to", "out"}},
                            {{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "belt"}, {"interval_s", 4},
                                {"part_type", "block60"}, {"to", "belt"}},
                            {{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "belt"}},
                            {{"id", "gate"}, {"name", "Gate"}, {"kind", "height_gate"}, {"width_mm", 300},
                                {"height_mm", height_mm}}}}};
        inspection::Cache cache;
        const auto e = study::evaluate(cell::Layout(cell::Document::parse(tree.dump()), "A", kinds()), cache);
        const auto* signal = e->run->trace.signal("gate.made");
        REQUIRE(signal);
        return signal->changes.size();
    };
    constexpr double top = 800 + 50;  // the belt, and a block on it
    CHECK(made(top - 5) > 10);
    CHECK(made(top + 5) == 1);  // its value at the start
}

TEST_CASE("a step that waits for nobody in particular is a standstill that says who waits") {
    json tree = cell_with_both();
    tree["devices"].erase(0);
    tree["devices"][0]["task"] = {{{"id", "s1"}, {"do", "rest"}}};
    inspection::Cache cache;
    const auto e = study::evaluate(cell::Layout(cell::Document::parse(tree.dump()), "A", kinds()), cache);
    REQUIRE(e->run->stuck);
    const auto& all = e->inspection->findings;
    const auto found = std::find_if(all.begin(), all.end(), [](const auto& f) { return f.id == "deadlock"; });
    REQUIRE(found != all.end());
    CHECK(found->text.find("Arm waits.") != std::string::npos);
}

TEST_CASE("a step kind from the outside can be added like any other") {
    const cell::Document d = cell::Document::parse(cell_with_both().dump());
    const cell::Layout layout(d, "A", kinds());
    std::string id;
    const cell::Layout more = layout.edited(cell::add_step(layout, "arm", "pulse", "", &id));
    const cell::Step& made = more.cell().devices[1].task.steps.back();
    CHECK(made.id == id);
    CHECK(made.time.mean() == 2.0);
    CHECK(made.signal == more.cell().signal("arm.ready"));
    for (const auto& offer : cell::offerings(kinds()))
        if (offer.kind == "lamp") CHECK_NOTHROW(layout.edited(cell::add_device(layout, offer, "", nullptr)).cell());
}
