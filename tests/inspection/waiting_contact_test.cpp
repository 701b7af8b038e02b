// Contacts and clearances while arms stand: after a retreat, in a wait, waiting for room, for ever, where a pose is out
// of reach. Others, what rides and what else moves come to them meanwhile.

#include <catch2/catch.hpp>

#include <inspection/clearance_time.h>

#include "reference/sampled_contacts.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using cell::json;
using inspection::Severity;

namespace {

std::shared_ptr<const study::Evaluation> past(const char* name) {
    return tests::evaluated(tests::past_case(name), "A");
}

double clearance_mm(const study::Evaluation& e) { return 1e3 * *e.figures.clearance_m; }

/// An arm that takes a part from a supply and then stands: how, is drawn. A belt with parts goes by, another arm swings
/// to and fro, a door may open and close.
json standing_cell(tests::Draw& draw) {
    const double part = draw.in(40, 90);
    json tree = tests::block_and_tool(part, 0.2, 3000);
    tree["horizon_s"] = 24, tree["safety_distance_mm"] = 60;
    json& devices = tree["devices"];
    devices.push_back({{"id", "in"}, {"name", "In"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "p"},
        {"columns", 2}, {"rows", 1}, {"pitch_x_mm", 140}, {"pitch_y_mm", 140}, {"plate_mm", 20},
        {"exchange_s", draw.in(0.5, 3)}, {"placement", {{"x_mm", 450}, {"y_mm", -180}, {"z_mm", 500}}}});
    devices.push_back({{"id", "out"}, {"name", "Out"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 1},
        {"rows", 1}, {"pitch_x_mm", 140}, {"pitch_y_mm", 140}, {"plate_mm", 20}, {"exchange_s", draw.in(2, 9)},
        {"placement", {{"x_mm", 350}, {"y_mm", 330}, {"z_mm", 500}}}});
    // Beside and above the supply, so that what is held may be in the way of what rides.
    devices.push_back({{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", 1600}, {"width_mm", 120},
        {"height_mm", draw.in(500, 640)}, {"speed_mm_s", draw.in(120, 400)}, {"gap_mm", 20}, {"to", "gone"},
        {"placement", {{"x_mm", draw.in(420, 620)}, {"y_mm", draw.in(-420, -250)}, {"turn_deg", draw.in(-10, 10)}}}});
    devices.push_back({{"id", "feed"}, {"name", "Feed"}, {"kind", "infeed"}, {"host", "belt"},
        {"interval_s", draw.in(1.5, 5)}, {"part_type", "p"}, {"to", "belt"}, {"placement", {{"x_mm", -1500}}}});
    devices.push_back({{"id", "gone"}, {"name", "Gone"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "belt"},
        {"placement", {{"x_mm", 1500}}}});
    json task = {{{"id", "s1"}, {"do", "pick"}, {"from", "in"}, {"retreat_mm", draw.in(20, 150)}}};
    switch (draw.whole(0, 4)) {
        case 0: task.push_back({{"id", "w"}, {"do", "wait"}, {"signal", "a.never"}}); break;
        case 1: task.push_back({{"id", "w"}, {"do", "wait"}, {"signal", "belt.moving"}, {"is", false}}); break;
        case 2: task.push_back({{"id", "w"}, {"do", "delay"}, {"time_s", draw.in(1, 6)}}); break;
        case 3: task.push_back({{"id", "m"}, {"do", "move"}, {"pose", "far"}}); break;
        default: break;  // for room: the collection is exchanged slowly
    }
    task.push_back({{"id", "s2"}, {"do", "place"}, {"in", "out"}, {"retreat_mm", draw.whole(0, 1) * draw.in(20, 80)}});
    if (draw.whole(0, 1)) task.push_back({{"id", "d"}, {"do", "delay"}, {"time_s", draw.in(0.2, 2)}});
    devices.push_back({{"id", "a"}, {"name", "A"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "t"}, {"host", "ped"},
        {"detours", false}, {"own_signals", {"never"}}, {"task", task},
        {"poses", {{{"id", "far"}, {"at_mm", {3000, 0, 0}}, {"turn_deg", {180, 0, 0}}}}}});
    if (draw.whole(0, 1)) {
        const auto pose = [&](double side) {
            return json::array({side * draw.in(10, 60), draw.in(0, 40), draw.in(0, 40), 0, draw.in(20, 90), 0});
        };
        devices.push_back({{"id", "b"}, {"name", "B"}, {"kind", "arm"}, {"model", "six600"}, {"detours", false},
            {"placement", {{"x_mm", draw.in(850, 1050)}, {"y_mm", draw.in(-300, 200)}, {"z_mm", 500},
                              {"turn_deg", draw.in(150, 210)}}},
            {"poses", {{{"id", "l"}, {"joints_deg", pose(1)}}, {{"id", "r"}, {"joints_deg", pose(-1)}}}},
            {"task", {{{"id", "l"}, {"do", "move"}, {"pose", "l"}, {"speed_pct", draw.in(10, 60)}},
                         {{"id", "x"}, {"do", "delay"}, {"time_s", draw.in(0.1, 2)}},
                         {{"id", "r"}, {"do", "move"}, {"pose", "r"}, {"speed_pct", draw.in(10, 60)}}}}});
    } else {
        devices.push_back({{"id", "door"}, {"name", "Door"}, {"kind", "door"}, {"length_mm", 400}, {"width_mm", 40},
            {"height_mm", 500}, {"open_s", 0.8}, {"close_s", 0.8},
            {"placement", {{"x_mm", draw.in(500, 800)}, {"y_mm", draw.in(-350, 100)}, {"z_mm", 500},
                              {"turn_deg", draw.in(0, 180)}}},
            {"own_signals", {"wanted"}}, {"inputs", {{{"id", "open"}, {"from", "door.wanted"}}}},
            {"task", {{{"id", "o"}, {"do", "set"}, {"signal", "door.wanted"}, {"to", true}},
                         {{"id", "d"}, {"do", "delay"}, {"time_s", draw.in(2, 5)}},
                         {{"id", "c"}, {"do", "set"}, {"signal", "door.wanted"}, {"to", false}},
                         {{"id", "e"}, {"do", "delay"}, {"time_s", draw.in(2, 5)}}}}});
    }
    return tree;
}

}  // namespace

TEST_CASE("what runs into an arm that stands after its retreat is found") {
    for (const char* name : {"wait-missed-contact", "room-missed-contact", "wait-contact-told-late"}) {
        INFO(name);
        const auto e = past(name);
        CHECK(clearance_mm(*e) == 0);
        const double when = e->inspection->clearance.when_s;
        CHECK(when == Approx(std::string(name) == "room-missed-contact" ? 11.8 : 6.77).margin(0.05));
    }
    CHECK(clearance_mm(*past("wait-hides-near")) == Approx(5.0).margin(0.5));
    CHECK(clearance_mm(*past("wait-after-place")) == Approx(3.0).margin(0.5));
    CHECK(clearance_mm(*past("standing-for-ever")) == Approx(5.0).margin(0.5));
    CHECK(clearance_mm(*past("standing-stopped")) == Approx(11.0).margin(0.5));
    CHECK(clearance_mm(*past("wait-near-said-too-large")) == Approx(5.0).margin(0.5));
}

TEST_CASE("a part that comes to rest beside an arm that stands is near from then on, not before") {
    const auto e = past("contact-instant-early");
    const auto& least = e->inspection->clearance;
    REQUIRE(least.distance == 0);
    CHECK(least.when_s == Approx(3.328).margin(0.03));
    // Until just before, they are apart, in the curve over time as well.
    inspection::Cache cache;
    const auto curve = inspection::clearance_over_time(*e->cell, *e->run, cache, 0, 3.25, 13, -1, -1, 0.5);
    for (const auto& bin : curve.bins) CHECK((bin.device_a < 0 || bin.distance > 0));
}

TEST_CASE(
    "arms that stand and wait anywhere: contacts, least clearance and their instants are those of dense sampling") {
    constexpr double step = 2e-3, sure = 3e-3;
    tests::Draw draw(36);
    int touching = 0, clear = 0, standing = 0;
    for (int round = 0; round < tests::rounds(48, 8); ++round) {
        const cell::Document d = cell::Document::parse(standing_cell(draw).dump());
        const auto e = tests::evaluated(d, d.baseline());
        INFO("round " << round);
        const double end = std::min(20.0, simulation::seconds(e->run->trace.end));
        const auto sampled = tests::ContactSampler(*e->cell, *e->run, step, 0, end).look();
        std::map<std::string, double> found;  // by "arm:other": distance
        for (const auto& f : e->inspection->findings)
            if (f.id.rfind("clearance:", 0) == 0) found[f.id.substr(10)] = f.severity == Severity::stop ? 0.0 : 1.0;
        for (const auto& [pair, depth] : sampled.deepest) {
            if (depth < sure) continue;
            INFO(pair << " overlap by " << depth);
            CHECK((found.count(pair) && found[pair] == 0));
            ++touching;
        }
        REQUIRE(e->figures.clearance_m);
        if (*e->figures.clearance_m > 0) ++clear;
        CHECK(*e->figures.clearance_m <= std::max(0.0, sampled.least) + 5e-4);
        for (const simulation::Block& b : e->run->trace.blocks)
            standing += b.kind == simulation::BlockKind::wait && b.to == simulation::never;
    }
    CHECK(touching > tests::rounds(6, 1));
    CHECK(clear > tests::rounds(6, 1));
    CHECK(standing > tests::rounds(6, 1));
}
