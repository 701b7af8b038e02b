#include <catch2/catch.hpp>
#include <map>
#include <set>

#include <cell/text/numbers.h>
#include <inspection/orders.h>
#include <inspection/timeline.h>
#include <simulation/kernel.h>
#include <study/interlock.h>
#include <study/named_edits.h>
#include <study/zone_findings.h>

#include "support/cells.h"
#include "support/occupied.h"
#include "support/random.h"
#include "support/random_cells.h"

using namespace escarp;
using cell::json;
using inspection::Zone;
using simulation::seconds;
using simulation::Ticks;

namespace {

/// The demo without its handshake; Arm 1 goes so that it runs into the other.
json free_arms() {
    json tree = json::parse(tests::demo().text());
    for (json& d : tree["devices"]) {
        if (d["kind"] != "arm") continue;
        json kept = json::array();
        for (const json& s : d["task"])
            if (s["do"] != "set" && s.value("signal", "").find("at_tester") == std::string::npos) kept.push_back(s);
        if (d["id"] == "arm1")
            for (json& s : kept)
                if (s["do"] == "pick" || s["do"] == "place" || s["do"] == "move") s["speed_pct"] = 75;
        d["task"] = kept;
    }
    return tree;
}
}  // namespace

TEST_CASE("arms that run into each other are kept apart by an interlock, at a price that is said before") {
    inspection::Cache cache;
    for (const char* variant : {"A", "B"}) {
        const cell::Layout bare = tests::layout_of(free_arms(), variant);
        const auto before = tests::looked_at(bare, cache);
        REQUIRE(before->zones->all.size() == 1);
        CHECK(before->zones->all[0].together);
        CHECK(before->zones->all[0].nearest.distance == Approx(0).margin(1e-3));  // they hit each other
        const study::KeptApart price = study::price_of_keeping_apart(bare, "Zone 1", cache);
        REQUIRE(price.best == "first come");
        REQUIRE(price.rules.size() == 4);
        for (std::size_t i = 0; i < price.rules.size(); ++i) {
            INFO(variant << " " << price.rules[i].rule);
            const auto e = tests::looked_at(bare.edited(price.edits[i]), cache);
            CHECK(e->figures.cycle_s == price.rules[i].cycle_s);
            CHECK(e->run->stuck == price.rules[i].stuck);
            REQUIRE(e->zones->all.size() == 1);
            const Zone& z = e->zones->all[0];
            CHECK(z.kept_by == e->cell->device(price.device));
            CHECK_FALSE(z.together);
            for (const auto& pair : e->inspection->close_pairs)
                CHECK_FALSE(
                    (pair.device_a == z.sides[0].device && pair.device_b == z.sides[1].device && pair.distance <= 0));
            if (price.rules[i].stuck) continue;
            CHECK(*price.rules[i].cycle_s >= *price.without_s - 1e-9);
            // By brute force: at no instant is some point of both in it.
            const inspection::Timeline timeline(*e->cell, *e->run, nullptr);
            tests::Draw draw(4);
            const geometry::Volume space = z.space.unpacked();
            for (Ticks t = 0; t < timeline.end(); t += simulation::ticks(0.013)) {
                int who = 0;
                for (const auto& mover : timeline.movers())
                    who += tests::occupies(timeline, mover, t, space, draw, 4);
                CHECK(who <= 1);
            }
        }
    }
}

TEST_CASE("an interlock that never makes anybody wait costs nothing, to the nanosecond") {
    json tree = free_arms();
    tree["horizon_s"] = 40;
    // The second arm rests: its tester part is never fetched.
    for (json& d : tree["devices"])
        if (d["id"] == "arm2") d["task"] = json::array({{{"id", "t"}, {"do", "delay"}, {"time_s", 1}}});
    inspection::Cache cache;
    const cell::Layout moving = tests::layout_of(free_arms()), resting = tests::layout_of(tree);
    const auto without = study::without_interlocks(moving, cache, true);
    cell::Edit edit = study::keep_apart(moving, *without, "arm1:arm2:1", "first come");
    json& points = edit.operations[0].value["points"];
    for (auto p = points.begin(); p != points.end();) p = (*p)["of"] == "second" ? points.erase(p) : p + 1;
    const auto free = study::evaluate(resting, cache), locked = study::evaluate(resting.edited(edit), cache);
    const int arm = free->cell->device("arm1");
    REQUIRE(free->run->trace.motions[arm].size() == locked->run->trace.motions[arm].size());
    REQUIRE(free->run->trace.motions[arm].size() > 4);
    for (std::size_t i = 0; i < free->run->trace.motions[arm].size(); ++i)
        CHECK(free->run->trace.motions[arm][i].from == locked->run->trace.motions[arm][i].from);
}

TEST_CASE("random cells whose arms share space: with an interlock nobody is in a zone without leave") {
    int kept = 0, tried = 0;
    inspection::Cache cache;
    for (unsigned seed = 1; seed <= 40; ++seed) {
        json tree = tests::RandomCell(seed).tree();
        tree["horizon_s"] = 60;
        for (json& d : tree["devices"])
            if (!d.contains("host") && d["placement"]["x_mm"].get<double>() > 1300)
                d["placement"]["x_mm"] = d["placement"]["x_mm"].get<double>() - 1700;
        INFO("seed " << seed);
        const cell::Layout l = tests::layout_of(tree);
        const auto before = tests::looked_at(l, cache);
        if (before->zones->all.empty() || !before->run->trace.faults.empty()) continue;
        cell::Layout with = l;
        try {
            for (std::size_t i = 0; i < before->zones->all.size(); ++i)
                with = with.edited(study::keep_apart(
                    with, *study::without_interlocks(l, cache, false), before->zones->all[i].id, "first come"));
        } catch (const cell::InputError&) {
            continue;  // both start inside
        }
        const auto e = tests::looked_at(with, cache);
        CHECK(e->run->trace.faults.empty());
        // Several zones may lock up; what goes on as before, but for waiting, is covered.
        bool goes_on = true;
        for (std::size_t d = 0; d < before->run->trace.rounds.size(); ++d)
            goes_on = goes_on && 2 * e->run->trace.rounds[d].size() >= before->run->trace.rounds[d].size();
        if (!goes_on) continue;
        ++tried;
        for (const Zone& z : e->zones->all) {
            CHECK(z.kept_by >= 0);
            CHECK_FALSE(z.together);
            kept += z.kept_by >= 0;
        }
    }
    CHECK(tried >= 2);
    CHECK(kept >= tried);
}

TEST_CASE("what is wrong with a zone is told with its ways out, and taking one mends it") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(free_arms(), "B");
    const auto told = [](const study::Evaluation& e, const std::string& id) -> const inspection::Finding* {
        for (const auto& f : e.inspection->findings)
            if (f.id == id) return &f;
        return nullptr;
    };
    const auto e = tests::looked_at(bare, cache, true);
    const inspection::Finding* f = told(*e, "zone:arm1:arm2:1");
    REQUIRE(f);
    REQUIRE(f->ways_out.size() == 4);
    // With the safety distance kept it would lock up.
    CHECK(f->ways_out[0].label == "Let them in one at a time, near as they pass: first come");
    const cell::Layout kept = bare.edited(f->ways_out[0].edit);
    const auto after = tests::looked_at(kept, cache, true);
    CHECK(f->ways_out[0].effect.find(cell::fixed(*after->figures.cycle_s, 2)) != std::string::npos);
    CHECK_FALSE(told(*after, "zone:arm1:arm2:1"));
    CHECK_FALSE(told(*after, "uncovered:arm1:arm2:1"));
    // Points that fit no more are told and mended.
    const json points = kept.tree()["devices"].back()["points"];
    json wrong = points;
    for (json& p : wrong)
        if (p["does"] == "asks") p["at_pct"] = 99.0;
    const cell::Layout off = kept.edited({"off", {cell::Operation::set("/devices/interlock/points", wrong)}});
    const auto found = tests::looked_at(off, cache, true);
    const inspection::Finding* uncovered = told(*found, "uncovered:arm1:arm2:1");
    REQUIRE(uncovered);
    REQUIRE(uncovered->ways_out.size() == 1);
    const auto mended = tests::looked_at(off.edited(uncovered->ways_out[0].edit), cache, true);
    CHECK_FALSE(told(*mended, "uncovered:arm1:arm2:1"));
    CHECK(mended->figures.cycle_s == after->figures.cycle_s);
}

TEST_CASE("why does it wait: for the interlock, which the other arm holds; its signals tell the same") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(free_arms(), "B");
    const auto e = tests::looked_at(
        bare.edited(study::keep_apart(bare, *study::without_interlocks(bare, cache, false), "Zone 1", "first come")),
        cache);
    const int lock = e->cell->device("interlock");
    int waits = 0;
    for (const simulation::Block& b : e->run->trace.blocks) {
        if (b.kind != simulation::BlockKind::wait || b.waits_for != simulation::WaitFor::zone) continue;
        ++waits;
        CHECK(b.other == lock);
        const auto signal = [&](const char* name, Ticks t) {
            return e->run->trace.signal(std::string("interlock.") + name)->at(t) != 0;
        };
        const bool first = b.device == e->cell->device("arm1");
        CHECK(signal(first ? "first_asks" : "second_asks", b.from));
        CHECK_FALSE(signal(first ? "first_may" : "second_may", b.from));
        CHECK(signal(first ? "second_may" : "first_may", b.from));
        CHECK(signal(first ? "first_may" : "second_may", b.to));
    }
    CHECK(waits > 3);
}

TEST_CASE("a request point that is moved earlier: asked so much sooner, and kept apart as before") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(free_arms(), "B");
    const cell::Layout with =
        bare.edited(study::keep_apart(bare, *study::without_interlocks(bare, cache, false), "Zone 1", "first come"));
    const auto asked = [](const study::Evaluation& e) {
        for (const auto& [when, value] : e.run->trace.signal("interlock.first_asks")->changes)
            if (value != 0) return when;
        return simulation::never;
    };
    const auto usual = tests::looked_at(with, cache);
    for (const double early_s : {0.05, 0.1}) {
        json tree = with.tree();
        for (json& d : tree["devices"])
            if (d["id"] == "interlock")
                for (json& point : d["points"])
                    if (point["of"] == "first" && point["does"] == "asks") point["early_s"] = early_s;
        tree["variants"] = json::array({{{"id", "A"}, {"name", "A"}}}), tree["baseline"] = "A";
        const auto earlier = tests::looked_at(tests::layout_of(tree), cache, true);
        CHECK(seconds(asked(*usual) - asked(*earlier)) == Approx(early_s).margin(1e-6));
        for (const Zone& z : earlier->zones->all) CHECK(z.kept_by == earlier->cell->device("interlock"));
    }
}

TEST_CASE(
    "an interlock by its named edit; zones and rules that there are none of are refused with those that there are") {
    const cell::Layout bare = tests::layout_of(free_arms());
    const auto change = cell::carry_out(
        bare, {{"do", "keep apart"}, {"zone", "arm1:arm2:1"}, {"rule", "in turn"}}, study::named_edits());
    CHECK(change.made["device"] == "interlock");
    const auto refusal = [&](const json& said) {
        try {
            cell::carry_out(bare, said, study::named_edits());
        } catch (const cell::InputError& e) {
            return e.problems().front().message;
        }
        return std::string();
    };
    CHECK(refusal({{"do", "keep apart"}, {"zone", "arm1:arm3:1"}}).find("arm1:arm2:1") != std::string::npos);
    CHECK(refusal({{"do", "keep apart"}, {"zone", "arm1:arm2:1"}, {"rule", "best"}}).find("in turn") !=
          std::string::npos);
    json tree = free_arms();
    tree["devices"].push_back({{"id", "lock"}, {"name", "Lock"}, {"kind", "interlock"}, {"one_arm", "tester"}});
    CHECK_THROWS_AS(tests::read(tree), cell::InputError);
}

namespace {

/// Two arms that face each other reach over a table by turns to its north and its south: what they do at the two is
/// one zone, and yet does not meet.
json arms_at_a_table(double apart_mm) {
    json tree = {{"escarp", 1}, {"horizon_s", 40}, {"safety_distance_mm", 10}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()},
        {"devices", {{{"id", "table"}, {"name", "Table"}, {"kind", "structure"}, {"shape", "box"}, {"length_mm", 200},
                        {"width_mm", 600}, {"height_mm", 100}}}}};
    for (const bool left : {true, false}) {
        json poses = {{{"id", "home"}, {"name", "Home"}, {"joints_deg", {0, -60, 60, 0, 90, 0}}}}, task = json::array();
        for (const std::string where : {"north", "south"}) {
            poses.push_back({{"id", where}, {"name", where}, {"relative_to", "table"},
                {"at_mm", {left ? 20 : -20, where == "north" ? apart_mm : -apart_mm, 300}}, {"turn_deg", {180, 0, 0}}});
            task.push_back({{"id", "to_" + where}, {"do", "move"}, {"pose", where}});
            task.push_back({{"id", "at_" + where}, {"do", "delay"}, {"time_s", left ? 0.7 : 0.9}});
            task.push_back({{"id", "from_" + where}, {"do", "move"}, {"pose", "home"}});
            task.push_back({{"id", "rest_" + where}, {"do", "delay"}, {"time_s", 0.3}});
        }
        tree["devices"].push_back({{"id", left ? "left" : "right"}, {"name", left ? "Left arm" : "Right arm"},
            {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw120"}, {"poses", poses}, {"task", task},
            {"placement", {{"x_mm", left ? -650 : 650}, {"turn_deg", left ? 0 : 180}}}});
    }
    tree["baseline"] = "A", tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    return tree;
}

}  // namespace

TEST_CASE("both are let in where what they do does not meet, and only there; a change that makes them meet is told") {
    inspection::Cache cache;
    const cell::Layout bare = tests::layout_of(arms_at_a_table(92));
    const auto before = tests::looked_at(bare, cache);
    REQUIRE_FALSE(before->zones->all.empty());
    const study::KeptApart price = study::price_of_keeping_apart(bare, "Zone 1", cache);
    REQUIRE(price.rules.size() == 5);
    REQUIRE(price.rules.back().rule == "both where they do not meet");
    CHECK(price.best == price.rules.back().rule);
    const auto cycle = [](const study::Evaluation& e) {
        const auto& rounds = e.run->trace.rounds[static_cast<std::size_t>(e.cell->device("left"))];
        return rounds.size();
    };
    const auto one = tests::looked_at(bare.edited(price.edits.front()), cache),
               both = tests::looked_at(bare.edited(price.edits.back()), cache);
    CHECK(cycle(*both) > cycle(*one));
    for (const auto& e : {one, both}) {
        for (const Zone& z : e->zones->all) CHECK(z.kept_by == e->cell->device(price.device));
        for (const auto& pair : e->inspection->close_pairs) CHECK(pair.device_a == pair.device_b);
        CHECK(inspection::orders_of(*e->cell, e->layout.tree().dump(), cache, nullptr)->verdict ==
              inspection::Orders::Verdict::goes_on);
    }
    for (const Zone& z : one->zones->all) CHECK_FALSE(z.together);
    // Who is in at once has asked for visits that may be.
    const auto signal = [&](const char* name, Ticks t) {
        return both->run->trace.signal(price.device + "." + name)->at(t);
    };
    const json lock = *cell::find(both->layout.tree(), "/devices/" + price.device);
    std::set<std::pair<int, int>> may;
    for (const json& t : lock["together"]) may.emplace(t["first"].get<int>(), t["second"].get<int>());
    CHECK_FALSE(may.empty());
    CHECK(may.size() <= 2);
    int at_once = 0;
    for (Ticks t = 0; t < simulation::ticks(40.0); t += simulation::ticks(0.01)) {
        if (signal("first_may", t) == 0 || signal("second_may", t) == 0) continue;
        ++at_once;
        CHECK(may.count({static_cast<int>(signal("first_visit", t)), static_cast<int>(signal("second_visit", t))}));
    }
    CHECK(at_once > 20);
    // Were more let in together than do not meet, that is told, and mended by what holds.
    const auto told = [](const study::Evaluation& e) -> const inspection::Finding* {
        for (const auto& f : e.inspection->findings)
            if (f.id == "uncovered:left:right:1") return &f;
        return nullptr;
    };
    CHECK_FALSE(told(*tests::looked_at(both->layout, cache, true)));
    json all = json::array();
    for (const int one_visit : {1, 2})
        for (const int other : {1, 2}) all.push_back({{"first", one_visit}, {"second", other}});
    const cell::Layout loose =
        both->layout.edited({"more", {cell::Operation::set("/devices/" + price.device + "/together", all)}});
    const auto found = tests::looked_at(loose, cache, true);
    const inspection::Finding* f = told(*found);
    REQUIRE(f);
    CHECK(f->title.find("meet in") != std::string::npos);
    REQUIRE(f->ways_out.size() == 1);
    const cell::Layout mended = loose.edited(f->ways_out[0].edit);
    CHECK(*cell::find(mended.tree(), "/devices/" + price.device) == lock);
    CHECK_FALSE(told(*tests::looked_at(mended, cache, true)));
}

TEST_CASE("the twin testers: an interlock in place of the handshake by hand gains 0.26 s a part, and cannot lock up") {
    const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/twin-testers.escarp");
    inspection::Cache cache;
    std::map<std::string, double> cycle;
    for (const char* variant : {"A", "B"}) {
        const cell::Layout l = simulation::layout(d, variant);
        const auto e = tests::looked_at(l, cache, true);
        REQUIRE(e->figures.cycle_s);
        cycle[variant] = *e->figures.cycle_s;
        CHECK(e->run->steady);
        CHECK(study::contacts(*e) == 0);
        REQUIRE(e->zones->all.size() == 1);
        CHECK_FALSE(e->zones->all[0].together);
        CHECK((e->zones->all[0].kept_by >= 0) == (variant == std::string("B")));
        CHECK(inspection::explore_orders(l.cell(), cache)->verdict == inspection::Orders::Verdict::goes_on);
    }
    CHECK(cycle["A"] - cycle["B"] > 0.25);
    CHECK(cycle["A"] > d.tree()["takt_s"].get<double>());
    CHECK(cycle["B"] < d.tree()["takt_s"].get<double>());
    // Where neither waits for the other at all it would be no quicker than by this.
    const cell::Layout l = simulation::layout(d, "B");
    CHECK(cycle["B"] - *study::without_interlocks(l, cache, true)->figures.cycle_s < 0.2);
}
