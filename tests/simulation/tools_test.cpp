// Arms with several tools: each holds a part of its own.

#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

/// An arm with so many cups in a row along x, `apart` from one another, the first at the flange's middle.
json cups_cell(int cups, double apart, json devices, json task) {
    const json part = {{"id", "p"}, {"name", "p"}, {"mass_kg", 0.2},
        {"bodies", {{{"shape", "box"}, {"size_mm", {40, 40, 30}}}}},
        {"grips", {{{"id", "top"}, {"at_mm", {0, 0, 30}}, {"turn_deg", {180, 0, 0}}}}}};
    const json cup = {{"id", "cup"}, {"name", "cup"}, {"mass_kg", 0.2}, {"close_s", 0.2}, {"open_s", 0.1},
        {"tool_frame", {{"at_mm", {0, 0, 80}}}},
        {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 20}, {"height_mm", 80}}}}};
    json arm = {{"id", "arm"}, {"name", "arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "cup"},
        {"more_tools", json::array()}, {"task", std::move(task)}};
    for (int i = 1; i < cups; ++i) arm["more_tools"].push_back({{"tool", "cup"}, {"at_mm", {apart * i, 0, 0}}});
    devices.push_back(std::move(arm));
    return {{"escarp", 1}, {"horizon_s", 200}, {"arm_models", cell::catalogue_arms()}, {"tool_models", {cup}},
        {"part_types", {part}}, {"devices", std::move(devices)}};
}
json tray(const std::string& id, const std::string& use, double x, double y, int columns, double pitch) {
    return {{"id", id}, {"name", id}, {"kind", "tray"}, {"use", use}, {"part_type", "p"}, {"columns", columns},
        {"rows", 1}, {"pitch_x_mm", pitch}, {"pitch_y_mm", 100}, {"exchange_s", 1},
        {"placement", {{"x_mm", x}, {"y_mm", y}}}};
}
json work(const char* what, const std::string& at, bool together) {
    static int n = 0;
    return {{"id", "s" + std::to_string(++n)}, {"do", what}, {std::string(what) == "pick" ? "from" : "in", at},
        {"together", together}};
}
json take_tool(const char* tool) {
    static int n = 0;
    return {{"id", "u" + std::to_string(++n)}, {"do", "use"}, {"tool", tool}, {"time_s", 0}};
}

std::shared_ptr<const Run> go(const cell::Cell& c) {
    PlanCache plans;
    return run(c, plans, {});
}

}  // namespace

TEST_CASE("cups in a row take a row of parts in one go and put it down in one go") {
    for (const int cups : {1, 2, 3}) {
        // The flange's x points along the row where the tool hangs down: turned by 180 about x.
        const auto c = tests::read(
            cups_cell(cups, 60, {tray("from", "supply", 450, 0, 6, 60), tray("to", "collect", 0, 450, 6, 60)},
                {work("pick", "from", true), work("place", "to", true)}));
        const auto r = go(*c);
        const int arm = c->device("arm");
        INFO(cups);
        REQUIRE(r->trace.faults.empty());
        int grips = 0;
        std::size_t most = 0;
        for (const Block& b : r->trace.blocks) grips += b.device == arm && b.kind == BlockKind::grip;
        for (const MotionRecord& m : r->trace.motions[arm]) most = std::max(most, m.also.size() + (m.held >= 0));
        REQUIRE(most == static_cast<std::size_t>(cups));
        // Six parts a tray: so many visits.
        const std::size_t taken = std::count_if(r->trace.parts.begin(), r->trace.parts.end(), [&](const PartRecord& p) {
            return std::any_of(p.places.begin(), p.places.end(),
                [&](const Place& q) { return q.kind == Place::Kind::held && q.device == arm; });
        });
        REQUIRE(taken >= static_cast<std::size_t>(cups * (grips - 1)));
        REQUIRE(taken <= static_cast<std::size_t>(cups * grips));
        for (const PartRecord& p : r->trace.parts)
            for (std::size_t i = 1; i < p.places.size(); ++i) {  // nothing jumps when it changes hands
                const Place &before = p.places[i - 1], &after = p.places[i];
                if (after.kind == Place::Kind::gone) continue;
                const int part = static_cast<int>(&p - r->trace.parts.data());
                Frame was, is;
                r->trace.part_frame(*c, part, after.from - 1, was);
                r->trace.part_frame(*c, part, after.from, is);
                REQUIRE((was.translation() - is.translation()).norm() < 1e-5);
                REQUIRE(before.from <= after.from);
            }
    }
}

TEST_CASE("cups in a row load the nests of a fixture in one go and empty them in one go") {
    const json nests = {{"id", "m"}, {"name", "m"}, {"kind", "fixture"}, {"process_s", 2}, {"length_mm", 200},
        {"width_mm", 200}, {"height_mm", 200}, {"columns", 2}, {"pitch_x_mm", 60},
        {"placement", {{"x_mm", 0}, {"y_mm", 500}}}};
    const json devices = {tray("from", "supply", 480, 0, 4, 60), tray("to", "collect", -480, 0, 4, 60), nests};
    json task = {
        work("pick", "from", true), work("place", "m", true), work("pick", "m", true), work("place", "to", true)};
    task[2]["at_least"] = 2;  // both are done at one instant, but one is done first
    const auto c = tests::read(cups_cell(2, 60, devices, task));
    const auto r = go(*c);
    REQUIRE(r->trace.faults.empty());
    REQUIRE(r->steady);
    REQUIRE(r->steady->parts == 4);  // of one tray
    // Both are loaded at one instant and worked on together; both are taken at one instant.
    const int m = c->device("m");
    std::map<Ticks, int> begun, ended;
    for (const Block& b : r->trace.blocks)
        if (b.device == m && b.kind == BlockKind::process && b.to != never) ++begun[b.from], ++ended[b.to];
    REQUIRE(begun.size() > 4);
    for (const auto& [when, count] : begun) REQUIRE(count == 2);
    REQUIRE(ended.size() == begun.size());
}

TEST_CASE("a double gripper brings one and takes the other in one visit, and the cycle is shorter for it") {
    const json station = {{"id", "m"}, {"name", "m"}, {"kind", "fixture"}, {"process_s", 3}, {"length_mm", 200},
        {"width_mm", 200}, {"height_mm", 200}, {"placement", {{"x_mm", 0}, {"y_mm", 500}}}};
    const json devices = {tray("from", "supply", 480, 0, 2, 150), tray("to", "collect", -480, 0, 2, 150), station};
    json with_two = {work("pick", "from", false), take_tool("cup#2"), work("pick", "m", false), take_tool("cup"),
        work("place", "m", false), take_tool("cup#2"), work("place", "to", false), take_tool("cup")};
    // A first part has to be in the station before one can be exchanged for another.
    json tree = cups_cell(2, 120, devices, with_two);
    tests::device(tree, "arm")["first"] = {work("pick", "from", false), work("place", "m", false)};
    const auto two = tests::read(tree);
    const auto one = tests::read(cups_cell(1, 120, devices,
        {work("pick", "from", false), work("place", "m", false), work("pick", "m", false),
            work("place", "to", false)}));
    const auto quick = go(*two), slow = go(*one);
    REQUIRE(quick->trace.faults.empty());
    REQUIRE(quick->steady);
    REQUIRE(slow->steady);
    const auto cycle = [](const Run& r) { return seconds(r.steady->period) / r.steady->parts; };
    REQUIRE(cycle(*quick) < cycle(*slow) - 0.5);
    // Both tools hold something at once, on the way to the station from the tray and within it.
    const int arm = two->device("arm");
    const auto both = std::any_of(quick->trace.motions[arm].begin(), quick->trace.motions[arm].end(),
        [](const MotionRecord& m) { return m.held >= 0 && m.also.size() == 1; });
    REQUIRE(both);
    // With two tools the station is always worked in: its cycle is the process and the exchange.
    const auto shares =
        quick->trace.shares(two->device("m"), quick->steady->from, quick->steady->from + quick->steady->period);
    const auto before =
        slow->trace.shares(one->device("m"), slow->steady->from, slow->steady->from + slow->steady->period);
    REQUIRE(shares.at(Condition::busy) > before.at(Condition::busy));
}

TEST_CASE("what an arm holds in all its tools counts for its payload") {
    const json devices = {tray("from", "supply", 450, 0, 6, 60), tray("to", "collect", 0, 450, 6, 60)};
    json tree = cups_cell(3, 60, devices, {work("pick", "from", true), work("place", "to", true)});
    tree["part_types"][0]["mass_kg"] = 3;
    inspection::Cache cache;
    const auto found = [&](const json& cell) {
        const cell::Document d = cell::Document::parse(cell.dump());
        const auto e = study::evaluate(simulation::layout(d, d.baseline()), cache, {});
        for (const inspection::Finding& f : e->inspection->findings)
            if (f.id == "payload:arm:together") return true;
        return false;
    };
    REQUIRE(found(tree));
    tree["part_types"][0]["mass_kg"] = 0.3;
    REQUIRE_FALSE(found(tree));
}
