// Several tasks side by side, on any device; conditions, numbers, loops, time-outs; inputs and what they take.

#include <catch2/catch.hpp>

#include <cell/edits/signal_edits.h>
#include <simulation/kernel.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

json step(const char* id, const char* what, json more = json::object()) {
    json s{{"id", id}, {"do", what}};
    s.update(more);
    return s;
}
json dwell(const char* id, double s) { return step(id, "delay", {{"time_s", s}}); }
json set(const char* id, const char* signal, bool to) { return step(id, "set", {{"signal", signal}, {"to", to}}); }
json add(const char* id, const char* signal, const char* by) {
    return step(id, "add", {{"signal", signal}, {"by", by}});
}

/// A box on the floor that does something: no arm, no parts.
json station(const char* id, json more) {
    json d{{"id", id}, {"name", id}, {"kind", "structure"}, {"own_signals", {"on"}}, {"own_numbers", {{{"id", "n"}}}}};
    d.update(more);
    return d;
}

json cell_of(std::vector<json> devices) {
    json tree{{"escarp", 1}, {"horizon_s", 60}, {"devices", json::array()}};
    double x = 0;
    for (json& d : devices) {
        d["placement"] = {{"x_mm", x += 1000}};
        for (const char* key : {"length_mm", "width_mm", "height_mm"})
            if (!d.contains(key)) d[key] = 300;
        tree["devices"].push_back(d);
    }
    return tree;
}

struct Ran {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const Run> run;
    double at(const std::string& signal, double s) const { return run->trace.signal(signal)->at(ticks(s)); }
    /// Instants at which it took a value.
    std::vector<double> when(const std::string& signal, double value) const {
        std::vector<double> out;
        for (const auto& [t, v] : run->trace.signal(signal)->changes)
            if (v == value) out.push_back(seconds(t));
        return out;
    }
};

Ran ran(const json& tree, double horizon = 20) {
    PlanCache plans;
    Ran r{tests::read(tree), nullptr};
    RunOptions o;
    o.horizon_s = horizon;
    o.stop_when_steady = false;
    r.run = run(*r.cell, plans, o);
    return r;
}

std::string refusal(const json& tree) {
    try {
        tests::read(tree);
    } catch (const cell::InputError& e) {
        std::string all;
        for (const auto& p : e.problems()) all += p.where + ": " + p.message + "\n";
        return all;
    }
    return {};
}

}  // namespace

TEST_CASE("a device without an arm does a task: what comes once before it, then its round, over and over") {
    const Ran r = ran(cell_of({station(
        "a", {{"first", {add("f", "a.n", "10"), dwell("g", 2)}}, {"task", {add("s", "a.n", "1"), dwell("d", 1)}}})}));
    CHECK(r.at("a.n", 1) == 10);
    CHECK(r.at("a.n", 2.5) == 11);
    CHECK(r.at("a.n", 3.5) == 12);
    CHECK(r.at("a.n", 12.5) == 21);
    CHECK(r.run->trace.faults.empty());
}

TEST_CASE("side tasks run beside the main one; started ones run once and are waited for") {
    const Ran r = ran(cell_of({station(
        "a", {{"task", {step("t", "start_task", {{"task", "once"}}), dwell("d", 1),
                           step("j", "join", {{"task", "once"}}), add("s", "a.n", "1")}},
                 {"side_tasks", {{{"id", "blink"}, {"steps", {set("b1", "a.on", true), dwell("b2", 0.5),
                                                                 set("b3", "a.on", false), dwell("b4", 0.5)}}},
                                    {{"id", "once"}, {"starts", "when asked"}, {"steps", {dwell("o", 3)}}}}}})}));
    CHECK(r.when("a.n", 1) == std::vector<double>{3});  // the longer of 1 s and 3 s
    CHECK(r.when("a.n", 2) == std::vector<double>{6});
    for (int i = 0; i < 10; ++i) {
        CHECK(r.at("a.on", i + 0.25) == 1);
        CHECK(r.at("a.on", i + 0.75) == 0);
    }
    // Blocks say which task they are of.
    for (const Block& b : r.run->trace.blocks) {
        const double length = seconds(b.to - b.from);
        if (b.to != never && b.kind == BlockKind::dwell) CHECK(b.task == (length > 2 ? 2 : length > 0.9 ? 0 : 1));
    }
}

TEST_CASE("a side task that runs from the beginning is not begun twice where the main task starts it as well") {
    const json side{{"id", "x"}, {"steps", {add("s", "a.n", "1"), dwell("d", 1)}}};
    const Ran r = ran(cell_of({station("a", {{"task", {step("t", "start_task", {{"task", "x"}}), dwell("m", 100)}},
                                                {"side_tasks", json::array({side})}})}));
    for (double t = 0.5; t < 15; t += 1) CHECK(r.at("a.n", t) == std::floor(t) + 1);
}

TEST_CASE("a side task is ended: after its present step, or at once where it waits") {
    const json side = {{{"id", "w"}, {"steps", {add("w1", "a.n", "1"), step("w2", "wait", {{"condition", "off"}})}}},
        {{"id", "d"}, {"steps", {set("d1", "a.on", true), dwell("d2", 2), set("d3", "a.on", false), dwell("d4", 2)}}}};
    const Ran r = ran(cell_of({station("a",
        {{"task", {dwell("m1", 1), step("m2", "end_task", {{"task", "w"}}), step("m3", "end_task", {{"task", "d"}}),
                      step("m4", "join", {{"task", "d"}, {"and", "w"}}), dwell("m5", 100)}},
            {"side_tasks", side}})}));
    CHECK(r.at("a.n", 19) == 1);
    CHECK(r.at("a.on", 19) == 1);  // its dwell of 2 s was the last that it did
    double waited = 0;
    for (const Block& b : r.run->trace.blocks)
        if (b.task == 0 && b.kind == BlockKind::wait) waited += seconds(std::min(b.to, r.run->trace.end) - b.from);
    CHECK(waited == Approx(1));
}

TEST_CASE("while, for every seat, if a condition holds: as often and whichever way as said") {
    json tray{{"id", "kit"}, {"name", "Kit"}, {"kind", "tray"}, {"columns", 3}, {"rows", 2}, {"pitch_x_mm", 50},
        {"pitch_y_mm", 50}, {"plate_mm", 10}, {"use", "keep"}, {"exchange_s", 1}};
    tray.erase("width_mm");
    json tree = cell_of({station("a",
        {{"own_numbers", {{{"id", "n"}}, {{"id", "m"}}, {{"id", "k"}}}},
            {"first", {step("w", "while", {{"condition", "n < 5"}, {"steps", {add("s", "a.n", "1"), dwell("d", 0.1)}}}),
                          step("e", "every_seat", {{"of", "kit"}, {"steps", {add("x", "a.m", "2")}}}),
                          step("i", "if_condition",
                              {{"condition", "m = 12 and n = 5"}, {"then", {add("t", "a.k", "1")}},
                                  {"else", {add("u", "a.k", "100")}}}),
                          step("q", "number", {{"signal", "a.n"}, {"to", "m - n - 1"}})}},
            {"task", {dwell("z", 5)}}})});
    tree["devices"].push_back(tray);
    const Ran r = ran(tree);
    CHECK(r.at("a.m", 1) == 12);
    CHECK(r.at("a.k", 1) == 1);
    CHECK(r.at("a.n", 0.45) == 5);
    CHECK(r.at("a.n", 1) == 6);
}

TEST_CASE("a wait that is too long does what is said for that, one that is not does not") {
    for (const double patience : {1.0, 3.0}) {
        INFO(patience);
        const Ran r = ran(cell_of({station("a", {{"task", {step("w", "wait",
                                                               {{"condition", "b.on"}, {"at_most_s", patience},
                                                                   {"late", {add("l", "a.n", "1"), dwell("r", 1)}}}),
                                                              dwell("d", 50)}}}),
            station("b", {{"task", {dwell("x", 2), set("y", "b.on", true), dwell("z", 50)}}})}));
        CHECK(r.at("a.n", 19) == (patience < 2 ? 1 : 0));
        const auto& blocks = r.run->trace.blocks;
        const auto wait =
            std::find_if(blocks.begin(), blocks.end(), [](const Block& b) { return b.kind == BlockKind::wait; });
        REQUIRE(wait != blocks.end());
        CHECK(seconds(wait->to - wait->from) == Approx(std::min(patience, 2.0)));
    }
}

TEST_CASE("an input follows its source at once; what listens to it goes on; nothing connected keeps its start value") {
    json tree = cell_of(
        {station("a", {{"task", {set("s", "a.on", true), dwell("d", 1), set("t", "a.on", false), dwell("e", 1)}}}),
            station("b", {{"inputs", {{{"id", "go"}, {"from", "a.on and not b.on"}}, {{"id", "loose"}},
                                         {{"id", "sum"}, {"type", "number"}, {"from", "a.n + b.n + 1"}}}},
                             {"task", {step("w", "wait", {{"condition", "go and sum = 1 and not loose"}}),
                                          add("x", "b.n", "1"), step("v", "wait", {{"condition", "not go"}})}}})});
    const Ran r = ran(tree);
    for (double t = 0.5; t < 18; t += 1) CHECK(r.at("b.go", t) == (std::fmod(t, 2) < 1 ? 1 : 0));
    CHECK(r.at("b.n", 19) == 1);  // afterwards the sum is 2
    CHECK(r.at("b.sum", 19) == 2);
    CHECK(r.at("b.loose", 19) == 0);
}

TEST_CASE("a signal that is forced stays, and what listens to it follows") {
    const auto cell = tests::read(cell_of({station("a", {{"task", {set("s", "a.on", false), dwell("d", 1)}}}),
        station("b", {{"inputs", {{{"id", "go"}, {"from", "a.on"}}}},
                         {"task", {step("w", "wait", {{"condition", "go"}}), add("x", "b.n", "1"), dwell("y", 1)}}})}));
    PlanCache plans;
    Kernel k(*cell, plans);
    k.force(cell->signal("a.on"), 1);
    k.start();
    k.advance(ticks(4.5));
    CHECK(k.on(cell->signal("a.on")));
    CHECK(k.value(cell->signal("b.n")) == 5);
}

TEST_CASE("a loop that takes no time is named; the rest of the cell runs to its end") {
    const Ran r = ran(cell_of(
        {station("a", {{"task", {step("w", "while", {{"condition", "n < 1"}, {"steps", {add("s", "a.n", "0")}}})}}}),
            station("b", {{"task", {add("x", "b.n", "1"), dwell("y", 1)}}})}));
    REQUIRE(r.run->trace.faults.size() == 1);
    CHECK(r.run->trace.faults.front().kind == Fault::Kind::goes_round);
    CHECK(r.at("b.n", 19.5) == 20);
}

TEST_CASE("mistakes in signals and tasks are told with their place") {
    const auto told = [](json more) { return refusal(cell_of({station("a", std::move(more))})); };
    CHECK(told({{"task", {step("p", "gripper", {{"to", "open"}})}}}).find("devices/a/task/p/do: Only an arm") == 0);
    CHECK(told({{"task", {step("p", "wait", {{"condition", "on and"}})}}})
              .find("devices/a/task/p/condition: A signal, a number") == 0);
    CHECK(told({{"task", {step("p", "wait", {{"condition", "b.on"}})}}}).find("A device's id") != std::string::npos);
    CHECK(told({{"task", {step("p", "wait", {{"condition", "a.of"}})}}}).find("(on, n)") != std::string::npos);
    CHECK(told({{"task", {step("p", "wait", {{"signal", "a.n"}})}}}).find("a.n > 0") != std::string::npos);
    CHECK(told({{"task", {step("p", "wait", {{"signal", "a.on"}, {"condition", "a.on"}})}}}).find("not both") !=
          std::string::npos);
    CHECK(told({{"task", {step("p", "add", {{"signal", "a.on"}})}}}).find("own_numbers") != std::string::npos);
    CHECK(told({{"task", {step("p", "start_task", {{"task", "x"}})}}}).find("no side task") != std::string::npos);
    CHECK(told({{"inputs", {{{"id", "go"}, {"from", "a.go"}}}}}).find("devices/a/inputs/go/from") == 0);
    CHECK(told({{"inputs", {{{"id", "on"}}}}}).find("is an output") != std::string::npos);
    CHECK(told({{"starts_on", {"n"}}}).find("starts_on") != std::string::npos);
    CHECK(told({{"own_numbers", {{{"id", "on"}}}}}).find("Two signals") != std::string::npos);
    CHECK(told({{"side_tasks", {{{"id", "x"}, {"steps", json::array()}}, {{"id", "x"}, {"steps", json::array()}}}}})
              .find("Two side tasks") != std::string::npos);
    // An arm is moved by its main task only.
    json tree = tests::demo().resolved("A");
    for (json& d : tree["devices"])
        if (d["id"] == "arm1") d["side_tasks"] = {{{"id", "x"}, {"steps", {step("g", "gripper", {{"to", "open"}})}}}};
    CHECK(refusal(tree).find("main task only") != std::string::npos);
}

TEST_CASE("signals are connected, renamed and removed by edits, and a removed device leaves no connection behind") {
    const cell::Document d = cell::Document::parse(cell_of(
        {station("a", {{"task", {set("s", "a.on", true), dwell("d", 1)}}}),
            station("b",
                {{"task", {step("w", "wait", {{"condition", "go and on"}}), dwell("y", 1)}},
                    {"inputs", {{{"id", "go"}}}}})}).dump());
    const auto after = [](const cell::Document& of, const std::function<cell::Edit(const cell::Layout&)>& make) {
        return of.edited("A", make(layout(of, "A")));
    };
    using cell::Layout;
    const cell::Document wired =
        after(d, [](const Layout& l) { return cell::connect_input(l, "b", "go", "a.on and a.n < 3"); });
    CHECK(*cell::find(wired.tree(), "/devices/b/inputs/go/from") == "a.on and a.n < 3");
    CHECK_THROWS_AS(
        after(d, [](const Layout& l) { return cell::connect_input(l, "b", "go", "a.n"); }), cell::InputError);
    CHECK_THROWS_AS(
        after(d, [](const Layout& l) { return cell::connect_input(l, "b", "stop", "a.on"); }), cell::InputError);
    const cell::Document renamed =
        after(wired, [](const Layout& l) { return cell::rename_signal(l, "a", "on", "ready"); });
    CHECK(*cell::find(renamed.tree(), "/devices/b/inputs/go/from") == "a.ready and a.n < 3");
    CHECK(*cell::find(renamed.tree(), "/devices/a/task/s/signal") == "a.ready");
    CHECK(*cell::find(renamed.tree(), "/devices/b/task/w/condition") == "go and on");  // b's own
    const cell::Document own = after(wired, [](const Layout& l) { return cell::rename_signal(l, "b", "go", "start"); });
    CHECK(*cell::find(own.tree(), "/devices/b/task/w/condition") == "start and on");
    CHECK_THROWS_AS(after(wired, [](const Layout& l) { return cell::remove_signal(l, "a", "on"); }), cell::InputError);
    CHECK_THROWS_AS(after(wired, [](const Layout& l) { return cell::remove_signal(l, "b", "go"); }), cell::InputError);
    const cell::Document loose = after(wired, [](const Layout& l) { return cell::connect_input(l, "b", "go", ""); });
    CHECK(!cell::find(loose.tree(), "/devices/b/inputs/go/from"));
    const cell::Document gone = after(wired, [](const Layout& l) { return cell::remove_device(l, "a"); });
    CHECK(!cell::find(gone.tree(), "/devices/b/inputs/go/from"));
    CHECK(layout(gone, "A").cell().devices.size() == 1);
}
