// Doors, lifts and turntables that share space with an arm: they wait before they set off.

#include <catch2/catch.hpp>

#include <inspection/orders.h>
#include <inspection/timeline.h>
#include <simulation/run.h>
#include <study/interlock.h>
#include <study/zone_findings.h>

#include "support/cells.h"
#include "support/occupied.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using inspection::Zone;
using simulation::BlockKind;
using simulation::seconds;
using simulation::Ticks;

namespace {


/// An arm that swings from one side of a door's leaf, which rises, to the other and back; the door opens and closes by
/// a task of its own.
json arm_and_door(double stays_open_s = 3) {
    return {{"escarp", 1}, {"horizon_s", 40}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()},
        {"devices", {{{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six600"}, {"detours", false},
                         {"poses", {{{"id", "left"}, {"joints_deg", {60, 60, 0, 0, 0, 0}}},
                                       {{"id", "right"}, {"joints_deg", {-60, 60, 0, 0, 0, 0}}}}},
                         {"ready_deg", {-60, 60, 0, 0, 0, 0}},
                         {"task", {{{"do", "move"}, {"id", "l"}, {"pose", "left"}, {"speed_pct", 30}},
                                      {{"do", "delay"}, {"id", "a"}, {"time_s", 0.3}},
                                      {{"do", "move"}, {"id", "r"}, {"pose", "right"}, {"speed_pct", 30}},
                                      {{"do", "delay"}, {"id", "b"}, {"time_s", 0.7}}}}},
                        {{"id", "door"}, {"name", "Door"}, {"kind", "door"}, {"leaf", "rises"}, {"length_mm", 3000},
                            {"width_mm", 100}, {"height_mm", 2500}, {"open_s", 2}, {"close_s", 2},
                            {"own_signals", {"wanted"}}, {"inputs", {{{"id", "open"}, {"from", "door.wanted"}}}},
                            {"task", {{{"do", "set"}, {"id", "s"}, {"signal", "door.wanted"}, {"to", true}},
                                         {{"do", "delay"}, {"id", "d"}, {"time_s", stays_open_s}},
                                         {{"do", "set"}, {"id", "t"}, {"signal", "door.wanted"}, {"to", false}},
                                         {{"do", "delay"}, {"id", "e"}, {"time_s", 3}}}},
                            {"placement", {{"x_mm", 450}, {"turn_deg", 90}}}}}}};
}

/// An arm that takes blocks off a lift at its top and puts them on a table; the lift is loaded low by a belt, and goes
/// up and down by a clock.
json arm_and_lift() {
    json tree = {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"part_types", cell::catalogue_part_types()}};
    tree["devices"] = {{{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", 1000}, {"width_mm", 200},
                           {"height_mm", 300}, {"speed_mm_s", 250}, {"to", "lift"},
                           {"placement", {{"x_mm", 1150}, {"turn_deg", 180}}}},
        {{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "belt"}, {"interval_s", 4},
            {"part_type", "block60"}, {"to", "belt"}},
        {{"id", "lift"}, {"name", "Lift"}, {"kind", "lift"}, {"travel_mm", 200}, {"go_s", 1.0}, {"back_s", 1.0},
            {"length_mm", 200}, {"width_mm", 200}, {"height_mm", 300}, {"placement", {{"x_mm", 520}}}},
        {{"id", "out"}, {"name", "Out"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 4}, {"rows", 4},
            {"pitch_x_mm", 90}, {"pitch_y_mm", 90}, {"plate_mm", 300}, {"placement", {{"x_mm", 0}, {"y_mm", 520}}}},
        {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw60"},
            {"task",
                {{{"do", "pick"}, {"id", "p"}, {"from", "lift"}}, {{"do", "place"}, {"id", "q"}, {"in", "out"}}}}}};
    return tree;
}

int waits_for(const study::Evaluation& e, const char* who, int arbiter) {
    int count = 0;
    for (const simulation::Block& b : e.run->trace.blocks)
        count += b.device == e.cell->device(who) && b.kind == BlockKind::wait && b.other == arbiter &&
                 b.waits_for == simulation::WaitFor::zone;
    return count;
}

}  // namespace

TEST_CASE("a door and an arm are kept apart: each waits for the other, and the door gives back before it is open") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(arm_and_door());
    const auto before = tests::looked_at(bare, cache, true);
    REQUIRE(before->zones->all.size() == 1);
    CHECK(before->zones->all[0].together);
    const auto told = [](const study::Evaluation& e) {
        for (const auto& f : e.inspection->findings)
            if (f.id == "zone:arm:door:1") return static_cast<int>(f.ways_out.size());
        return -1;
    };
    CHECK(told(*before) >= 4);
    const cell::Edit edit = study::keep_apart(bare, "Zone 1", "first come", cache);
    const json lock = edit.operations[0].value;
    CHECK(lock["one_arm"] == "arm");
    CHECK(lock["other_arm"] == "door");
    CHECK(lock["starts_inside"] == "second");  // its leaf is down
    const cell::Layout with = bare.edited(edit);
    const auto e = tests::looked_at(with, cache, true);
    CHECK(told(*e) == -1);
    REQUIRE(e->zones->all.size() == 1);
    const Zone& z = e->zones->all[0];
    const int arbiter = e->cell->device("interlock"), door = e->cell->device("door");
    CHECK(z.kept_by == arbiter);
    CHECK_FALSE(z.together);
    for (const auto& f : e->inspection->findings) CHECK(f.severity != inspection::Severity::stop);
    CHECK(waits_for(*e, "arm", arbiter) > 2);
    // By brute force: at no instant is some point of both in it.
    const inspection::Timeline timeline(*e->cell, *e->run, nullptr);
    tests::Draw draw(4);
    int seen[2] = {};
    const geometry::Volume space = z.space.unpacked();
    for (Ticks t = 0; t < timeline.end(); t += simulation::ticks(0.01)) {
        int who = 0, nth = 0;
        for (const auto& mover : timeline.movers()) {
            const bool is = tests::occupies(timeline, mover, t, space, draw, 40);
            seen[nth++] += is, who += is;
        }
        CHECK(who <= 1);
    }
    CHECK(seen[0] > 10);
    CHECK(seen[1] > 5);
    // It gives back on its way up, and asks before it sets off.
    int back = 0;
    for (const simulation::Block& b : e->run->trace.blocks) {
        if (b.device != arbiter || b.kind != BlockKind::held || b.other != door || b.to == simulation::never) continue;
        const auto& motions = e->run->trace.motions[static_cast<std::size_t>(door)];
        const auto* under_way = &motions.front();
        for (const auto& m : motions)
            if (m.from < b.to) under_way = &m;
        CHECK(b.to < under_way->from + simulation::ticks(under_way->motion->duration()));
        ++back;
    }
    CHECK(back > 2);
    // Where it is to close while the arm is there, it waits.
    int waits = 0;
    for (const double stays_open_s : {2.2, 2.4, 2.6, 2.8, 3.0, 3.2}) {
        const cell::Layout other = tests::layout_of(arm_and_door(stays_open_s));
        const auto kept = tests::looked_at(other.edited(study::keep_apart(other, "Zone 1", "first come", cache)), cache);
        for (const Zone& zone : kept->zones->all) {
            INFO("open for " << stays_open_s << " s, " << zone.name << " " << zone.id << " litres " << zone.litres
                             << ", " << zone.uncovered.arbiter << " mover " << zone.uncovered.mover << " from "
                             << seconds(zone.uncovered.enters) << " to " << seconds(zone.uncovered.leaves));
            CHECK(zone.kept_by >= 0);
        }
        waits += waits_for(*kept, "door", kept->cell->device("interlock"));
    }
    CHECK(waits > 0);
    // No order of events locks it up; in turn, neither.
    for (const char* rule : {"first come", "in turn"}) {
        const auto by_rule = bare.edited(study::keep_apart(bare, "Zone 1", rule, cache));
        CHECK(inspection::explore_orders(by_rule.cell(), cache)->verdict == inspection::Orders::Verdict::goes_on);
    }
}

TEST_CASE("a door that does not want to go any more while it waits gives its place up") {
    json tree = arm_and_door();
    // The arm stays in the way for 20 s; the door is to close for 1 s of that.
    tests::device(tree, "arm")["task"] = {{{"do", "wait"}, {"id", "w"}, {"signal", "door.opened"}, {"is", true}},
        {{"do", "move"}, {"id", "l"}, {"pose", "middle"}}, {{"do", "delay"}, {"id", "a"}, {"time_s", 20}},
        {{"do", "move"}, {"id", "r"}, {"pose", "right"}}};
    tests::device(tree, "arm")["poses"].push_back({{"id", "middle"}, {"joints_deg", {0, 60, 0, 0, 0, 0}}});
    tests::device(tree, "door")["task"] = {{{"do", "set"}, {"id", "s"}, {"signal", "door.wanted"}, {"to", true}},
        {{"do", "delay"}, {"id", "d"}, {"time_s", 8}},
        {{"do", "set"}, {"id", "t"}, {"signal", "door.wanted"}, {"to", false}},
        {{"do", "delay"}, {"id", "e"}, {"time_s", 1}},
        {{"do", "set"}, {"id", "u"}, {"signal", "door.wanted"}, {"to", true}},
        {{"do", "delay"}, {"id", "f"}, {"time_s", 60}}};
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(tree);
    const auto e = tests::looked_at(bare.edited(study::keep_apart(bare, "Zone 1", "first come", cache)), cache);
    const int door = e->cell->device("door");
    const auto asks = [&](double s) {
        return e->run->trace.signal("interlock.second_asks")->at(simulation::ticks(s)) != 0;
    };
    CHECK_FALSE(asks(7.9));
    CHECK(asks(8.5));
    CHECK_FALSE(asks(9.5));
    int waits = 0;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.device == door && b.kind == BlockKind::wait && b.waits_for == simulation::WaitFor::zone &&
            seconds(b.from) < 60) {  // in the first round
            CHECK(seconds(b.from) == Approx(8));
            CHECK(seconds(b.to) == Approx(9));
            ++waits;
        }
    CHECK(waits == 1);
    // It has moved once only.
    const auto& motions = e->run->trace.motions[static_cast<std::size_t>(door)];
    CHECK(std::count_if(motions.begin(), motions.end(), [](const auto& m) { return m.motion->duration() > 0; }) == 1);
}

TEST_CASE("a lift that stands where an arm takes from it is in nobody's way; while it moves it is kept apart") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(arm_and_lift());
    const auto before = tests::looked_at(bare, cache);
    REQUIRE(before->run->trace.faults.empty());
    const int lift = before->cell->device("lift");
    const auto shared = std::find_if(before->zones->all.begin(), before->zones->all.end(),
        [&](const Zone& z) { return z.sides[0].device == lift || z.sides[1].device == lift; });
    REQUIRE(shared != before->zones->all.end());
    const int side = shared->sides[0].device == lift ? 0 : 1;
    const auto& motions = before->run->trace.motions[static_cast<std::size_t>(lift)];
    for (const inspection::ZoneVisit& v : shared->sides[side].visits) {
        // Each visit begins in one of its motions, not while it stands at the top.
        const bool moves = std::any_of(motions.begin(), motions.end(), [&](const auto& m) {
            return m.motion->duration() > 0 && v.enters >= m.from &&
                   v.enters <= m.from + simulation::ticks(m.motion->duration());
        });
        CHECK(moves);
    }
    const cell::Edit edit = study::keep_apart(bare, shared->id, "first come", cache);
    const auto e = tests::looked_at(bare.edited(edit), cache);
    CHECK(e->run->trace.faults.empty());
    CHECK_FALSE(e->run->stuck);
    CHECK(e->run->trace.rounds[static_cast<std::size_t>(e->cell->device("arm"))].size() > 5);
    for (const Zone& z : e->zones->all) {
        CHECK(z.kept_by >= 0);
        CHECK_FALSE(z.together);
    }
    CHECK(inspection::explore_orders(*e->cell, cache)->verdict != inspection::Orders::Verdict::locks_up);
}

TEST_CASE("what cannot wait on its way is refused by name; so is a device that does not move") {
    json tree = arm_and_door();
    tree["devices"].push_back({{"id", "lock"}, {"name", "Lock"}, {"kind", "interlock"}, {"one_arm", "arm"},
        {"other_arm", "door"}, {"points", {{{"of", "second"}, {"does", "asks"}, {"place", 2}}}}});
    CHECK_NOTHROW(tests::read(tree));
    tree["devices"].push_back({{"id", "post"}, {"name", "Post"}, {"kind", "structure"}, {"shape", "box"},
        {"length_mm", 100}, {"width_mm", 100}, {"height_mm", 100}});
    tests::device(tree, "lock")["other_arm"] = "post";
    try {
        tests::read(tree);
        FAIL("it was read");
    } catch (const cell::InputError& e) {
        CHECK(e.problems().front().where.find("other_arm") != std::string::npos);
        CHECK(e.problems().front().message.find("door, clamp, lift or table") != std::string::npos);
    }
}
