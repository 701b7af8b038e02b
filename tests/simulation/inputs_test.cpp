// What the inputs of the kinds do: a belt stands, an infeed waits, a station holds, a tray is exchanged, a beam is off.

#include <catch2/catch.hpp>

#include <inspection/inspect.h>
#include <simulation/kernel.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;
using tests::device;

namespace {

/// A device without an arm that switches `x.on` as its task says.
json switcher(json task) {
    return {{"id", "x"}, {"name", "Switch"}, {"kind", "structure"}, {"length_mm", 100}, {"width_mm", 100},
        {"height_mm", 100}, {"placement", {{"x_mm", 5000}}}, {"own_signals", {"on"}}, {"task", std::move(task)}};
}
json set(const char* id, bool to) { return {{"id", id}, {"do", "set"}, {"signal", "x.on"}, {"to", to}}; }
json dwell(const char* id, double s) { return {{"id", id}, {"do", "delay"}, {"time_s", s}}; }

void connect(json& tree, const std::string& id, const char* input, const char* from) {
    device(tree, id)["inputs"].push_back({{"id", input}, {"from", from}});
}

struct Ran {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const Run> run;
    double at(const char* signal, double s) const { return run->trace.signal(signal)->at(ticks(s)); }
    std::vector<double> departures() const {
        std::vector<double> all;
        for (const Departure& d : run->trace.departures) all.push_back(seconds(d.when));
        return all;
    }
};
Ran ran(const json& tree, double horizon) {
    PlanCache plans;
    Ran r{tests::read(tree), nullptr};
    RunOptions o;
    o.horizon_s = horizon;
    o.stop_when_steady = false;
    r.run = run(*r.cell, plans, o);
    return r;
}

}  // namespace

TEST_CASE(
    "a belt stands while its input is off: every part comes later by just that time, and nothing is taken off it") {
    // Parts each 2 s, 2 m at 0.5 m/s; the belt stands from 5 s to 8 s.
    json tree = tests::belt_cell(2, 500, 2000, 20);
    tree["devices"].push_back(
        switcher({set("a", true), dwell("b", 5), set("c", false), dwell("d", 3), set("e", true), dwell("f", 1000)}));
    const std::vector<double> free = ran(tree, 40).departures();
    connect(tree, "belt", "run", "x.on");
    const Ran r = ran(tree, 40);
    const std::vector<double> held = r.departures();
    REQUIRE(free.size() > 10);
    REQUIRE(held.size() > 8);
    for (std::size_t i = 0; i < 3; ++i) {
        INFO(i);
        CHECK(held[i] == Approx(free[i] < 5 ? free[i] : free[i] + 3).margin(1e-6));
    }
    // Parts stand where they were.
    geometry::Frame before, after;
    for (std::size_t part = 0; part < 3; ++part) {
        if (!r.run->trace.part_frame(*r.cell, static_cast<int>(part), ticks(5), before)) continue;
        REQUIRE(r.run->trace.part_frame(*r.cell, static_cast<int>(part), ticks(7.9), after));
        CHECK((before.translation() - after.translation()).norm() < 1e-9);
    }
    CHECK(r.at("belt.at_end", 6) == 0);
    for (const double t : {6.0, 7.0, 7.9}) CHECK(r.at("belt.count", t) == r.at("belt.count", 5.5));
}

TEST_CASE("an infeed releases by its interval only while it may; when asked, once for each time its input goes on") {
    json tree = tests::belt_cell(2, 500, 2000, 20);
    tree["devices"].push_back(switcher({set("a", true), dwell("b", 0.5), set("c", false), dwell("d", 4.5)}));
    connect(tree, "in", "release", "x.on");
    CHECK(ran(tree, 19).run->trace.parts.size() == 4);  // at 0, 5, 10, 15: the interval of 2 s is long over each time
    device(tree, "in")["releases"] = "when asked";
    const Ran asked = ran(tree, 19);
    CHECK(asked.run->trace.parts.size() == 4);
    device(tree, "in")["interval_s"] = 7;  // no sooner after each other: asked four times, room for three
    CHECK(ran(tree, 19).run->trace.parts.size() == 3);
    device(tree, "in")["inputs"].clear();
    device(tree, "in").erase("inputs");
    CHECK(ran(tree, 20).run->trace.parts.empty());  // nobody asks
}

TEST_CASE("a beam that is not enabled is not made, whatever stands in it") {
    json tree = tests::belt_cell(2, 500, 2000, 20);
    tree["devices"].push_back({{"id", "beam"}, {"name", "Beam"}, {"kind", "beam"}, {"host", "belt"}, {"span_mm", 240},
        {"beam_height_mm", 30}});
    const Ran always = ran(tree, 30);
    tree["devices"].push_back(switcher({dwell("b", 10), set("a", true), dwell("f", 1000)}));
    connect(tree, "beam", "enable", "x.on");
    const Ran r = ran(tree, 30);
    int made = 0;
    for (double t = 0.05; t < 30; t += 0.1) {
        INFO(t);
        CHECK(r.at("beam.made", t) == (t < 10 ? 0 : always.at("beam.made", t)));
        made += r.at("beam.made", t) != 0;
    }
    CHECK(made >= 10);
}

TEST_CASE("a station begins when it may and gives when it is not held; its count says what is in it") {
    json tree = tests::demo().resolved("A");
    const Ran free = ran(tree, 60);
    tree["devices"].push_back(switcher({dwell("b", 40), set("a", true), dwell("f", 1000)}));
    connect(tree, "tester", "start", "x.on");
    const Ran late = ran(tree, 100);
    const auto first = [](const Ran& r, BlockKind kind, const char* device) {
        for (const Block& b : r.run->trace.blocks)
            if (b.kind == kind && r.cell->devices[b.device].id == device) return seconds(b.from);
        return -1.0;
    };
    CHECK(first(free, BlockKind::process, "tester") < 30);
    CHECK(first(late, BlockKind::process, "tester") == Approx(40));
    device(tree, "tester").erase("inputs");
    connect(tree, "tester", "hold", "not x.on");
    const Ran held = ran(tree, 100);
    CHECK(first(held, BlockKind::process, "tester") == Approx(first(free, BlockKind::process, "tester")));
    for (const Block& b : held.run->trace.blocks)  // nothing is taken from it before
        if (b.kind == BlockKind::grip && b.other >= 0 && held.cell->devices[b.other].id == "tester")
            CHECK(seconds(b.from) > 40);
    for (double t = 1; t < 60; t += 1) {
        const int seats = static_cast<int>(free.cell->devices[free.cell->device("tester")].seats.size());
        CHECK(free.at("tester.count", t) <= seats);
        CHECK((free.at("tester.count", t) < seats || free.at("tester.free", t) == 0));
    }
}

TEST_CASE("a tray is exchanged when its input goes on, once for each time") {
    json tree{{"escarp", 1}, {"horizon_s", 60}, {"part_types", cell::catalogue_part_types()},
        {"devices",
            {{{"id", "t"}, {"name", "T"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "block60"}, {"columns", 2},
                 {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100}, {"exchange_s", 2}, {"plate_mm", 10}},
                switcher({dwell("b", 5), set("a", true), dwell("c", 1), set("d", false), dwell("f", 9)})}}};
    connect(tree, "t", "exchange", "x.on");
    const Ran r = ran(tree, 40);
    std::vector<double> begun;
    for (const Block& b : r.run->trace.blocks)
        if (b.kind == BlockKind::exchange) begun.push_back(seconds(b.from));
    REQUIRE(begun.size() == 3);
    for (std::size_t i = 0; i < 3; ++i) CHECK(begun[i] == Approx(5 + 15 * static_cast<double>(i)));
    CHECK(r.run->trace.parts.size() == 16);
    CHECK(r.at("t.count", 39) == 4);
}
TEST_CASE("a zone sensor is made while any part is in its volume, and counts them") {
    json tree = tests::belt_cell(2, 500, 2000, 20);
    tree["devices"].push_back({{"id", "z"}, {"name", "Z"}, {"kind", "zone_sensor"}, {"host", "belt"},
        {"length_mm", 900}, {"width_mm", 200}, {"height_mm", 50}, {"above_mm", 5}});
    const Ran r = ran(tree, 30);
    const double half = r.cell->part_types[r.cell->part_type("block60")].length / 2;
    int counted = 0;
    for (double t = 0.13; t < 30; t += 0.1) {
        // By hand: along the belt, whose middle is the sensor's.
        int inside = 0;
        for (std::size_t part = 0; part < r.run->trace.parts.size(); ++part) {
            geometry::Frame at;
            if (!r.run->trace.part_frame(*r.cell, static_cast<int>(part), ticks(t), at)) continue;
            inside += std::abs(at.translation().x()) < 0.45 + half;
        }
        INFO(t);
        CHECK(r.at("z.count", t) == inside);
        CHECK(r.at("z.made", t) == (inside > 0));
        counted = std::max(counted, inside);
    }
    CHECK(counted >= 1);
    // A cylinder of that diameter, narrower at its sides, sees the parts no longer than the box.
    for (json& d : tree["devices"])
        if (d["id"] == "z") d["shape"] = "cylinder", d["length_mm"] = 300;
    const Ran round = ran(tree, 30);
    int on = 0, box = 0;
    for (double t = 0.13; t < 30; t += 0.05) on += round.at("z.made", t) != 0, box += r.at("z.made", t) != 0;
    CHECK(on > 10);
    CHECK(on < box);
}

TEST_CASE(
    "a sensor that never switches says why: not enabled, too high, another type; one that is always on says since "
    "when") {
    json tree = tests::belt_cell(2, 500, 2000, 20);
    tree["devices"].push_back({{"id", "z"}, {"name", "Z"}, {"kind", "zone_sensor"}, {"host", "belt"},
        {"length_mm", 100}, {"width_mm", 200}, {"height_mm", 50}, {"above_mm", 5}});
    const auto finding = [](const json& of) {
        inspection::Cache cache;
        const auto cell = tests::read(of);
        PlanCache plans;
        const auto run = simulation::run(*cell, plans);
        const auto found = inspection::inspect(*cell, *run, cache);
        for (const auto& f : found->findings)
            if (f.id == "sensor:z") return f;
        return inspection::Finding{};
    };
    CHECK(finding(tree).id.empty());
    json off = tree;
    connect(off, "z", "enable", "off");
    CHECK(finding(off).text.find("\"enable\" is never on; it takes off") != std::string::npos);
    json high = tree;
    device(high, "z")["above_mm"] = 100;
    const auto above = finding(high);
    REQUIRE(above.ways_out.size() == 1);
    const cell::Document d = cell::Document::parse(high.dump()).edited("A", above.ways_out.front().edit);
    CHECK(finding(d.resolved("A")).id.empty());
    json other = tree;
    json another = cell::catalogue_part_types().front();
    another["id"] = "another";
    other["part_types"].push_back(another);
    device(other, "z")["detects"] = "another";
    const auto type = finding(other);
    CHECK(type.text.find("none of the type") != std::string::npos);
    REQUIRE(type.ways_out.size() == 1);
    // Longer than the gap between two parts, and somebody listens.
    json always = tree;
    device(always, "z")["length_mm"] = 1500;
    CHECK(finding(always).id.empty());  // nobody does
    always["devices"].push_back(switcher({json{{"id", "w"}, {"do", "wait"}, {"signal", "z.made"}}, dwell("d", 1)}));
    CHECK(finding(always).title == "Z is always on");
}
