#include <catch2/catch.hpp>

#include <motion/profile.h>
#include <study/test_cycle.h>
#include <study/which_arm.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

TEST_CASE("the longest chain adds up to the cycle, and each link begins when another ends") {
    for (const char* v : {"A", "B"}) {
        const auto e = tests::evaluated(tests::demo(), v);
        REQUIRE(e->run->steady);
        REQUIRE(!e->chain.empty());
        simulation::Ticks sum = 0;
        for (std::size_t i = 0; i < e->chain.size(); ++i) {
            sum += e->chain[i].to - e->chain[i].from;
            if (i > 0) CHECK(e->chain[i].to == e->chain[i - 1].from);
        }
        CHECK(sum == e->run->steady->period);
        double split = 0;
        for (const auto& [category, s] : e->figures.split_s) split += s;
        CHECK(split == Approx(*e->figures.cycle_s).margin(1e-9));
    }
}

TEST_CASE("shortening the chain shortens the cycle; shortening what is off it does not") {
    const cell::Document d = tests::demo();
    const auto base = tests::evaluated(d, "A");
    const auto cycle_with = [&](const std::string& at, const cell::json& value) {
        return *tests::evaluated(d.edited("A", {"", {cell::Operation::set(at, value)}}), "A")->figures.cycle_s;
    };
    bool marker_in_chain = false, tester_in_chain = false;
    for (const auto& link : base->chain) {
        const std::string id = base->cell->devices[base->run->trace.blocks[link.block].device].id;
        marker_in_chain = marker_in_chain || id == "marker";
        tester_in_chain = tester_in_chain || id == "tester";
    }
    REQUIRE(marker_in_chain);
    CHECK(cycle_with("/devices/marker/process_s", 1.3) < *base->figures.cycle_s - 0.1);
    if (!tester_in_chain)
        CHECK(cycle_with("/devices/tester/process_s", 4.3) == Approx(*base->figures.cycle_s).margin(1e-6));
}

TEST_CASE("shares of every device add up to the whole") {
    const auto e = tests::evaluated(tests::demo(), "A");
    REQUIRE(e->figures.shares.size() >= 6);
    for (const study::Share& s : e->figures.shares)
        CHECK(s.busy + s.waiting + s.starved + s.blocked == Approx(1.0).margin(1e-9));
}

TEST_CASE("cycle, rate and takt say the same thing") {
    const auto e = tests::evaluated(tests::demo(), "B");
    REQUIRE(e->figures.cycle_s);
    CHECK(*e->figures.rate_per_h == Approx(3600 / *e->figures.cycle_s));
    CHECK(*e->figures.takt_met == (*e->figures.cycle_s <= e->cell->takt));
    // By hand from the departures of one period.
    int n = 0;
    for (const auto& d : e->run->trace.departures)
        n += d.when > e->run->steady->from && d.when <= e->run->steady->from + e->run->steady->period;
    CHECK(n == e->run->steady->parts);
}

TEST_CASE("a cell whose state does not recur gives a mean and says so") {
    cell::json tree = tests::demo().tree();
    tree["devices"][5].erase("reject_every");
    tree["devices"][5]["reject_pct"] = 12.5;
    const auto e = tests::evaluated(cell::Document::parse(tree.dump()), "A");
    CHECK(!e->figures.steady);
    REQUIRE(e->figures.cycle_s);
    CHECK(*e->figures.cycle_s == Approx(*tests::evaluated(tests::demo(), "A")->figures.cycle_s).epsilon(0.06));
}

TEST_CASE("floor is the area of the hull of all footprints") {
    cell::json tree = {{"escarp", 1}, {"devices", cell::json::array()}};
    tree["devices"].push_back({{"id", "a"}, {"name", "A"}, {"kind", "structure"}, {"length_mm", 1000},
        {"width_mm", 1000}, {"height_mm", 100}});
    tree["devices"].push_back({{"id", "b"}, {"name", "B"}, {"kind", "structure"}, {"length_mm", 1000},
        {"width_mm", 1000}, {"height_mm", 100}, {"placement", {{"x_mm", 2000}}}});
    CHECK(tests::read(tree)->floor_area() == Approx(3.0).margin(1e-9));
}

TEST_CASE("an empty floor has figures too, and none of them is made up") {
    const auto e = tests::evaluated(cell::Document(), "A");
    CHECK(!e->figures.cycle_s);
    CHECK(!e->figures.clearance_m);
    CHECK(e->figures.poses == 0);
    CHECK(e->figures.floor_m2 == 0);
    CHECK(e->inspection->findings.empty());
}

TEST_CASE("the test cycle is there and back twice the same, and longer for an arm that is told to go slower") {
    const auto cell = tests::catalogue_cell();
    int fit = 0;
    for (const cell::Device& d : cell->devices) {
        const auto quick = study::test_cycle(*d.arm);
        if (!quick) continue;
        ++fit;
        // No arm is quicker than its tool's own limits along the 300 mm alone.
        CHECK(
            *quick >
            2 * motion::Profile(d.arm->model->line_speed / 0.28, d.arm->model->line_acceleration / 0.28, 0).duration() *
                0.8);
        cell::Arm slow = *d.arm;
        slow.speed = 0.3, slow.acceleration = 0.5;
        CHECK(*study::test_cycle(slow) > *quick);
        // Jerk limits leave little steps, but nobody gains by going slower.
        for (const double share : {0.9, 0.75, 0.6}) {
            slow.speed = share, slow.acceleration = 1;
            CHECK(study::test_cycle(slow).value_or(1e9) > 0.95 * *quick);
        }
    }
    CHECK(fit >= 8);
}

TEST_CASE("which arm: the present one reads as the cell does, the others are what their edits bring about") {
    const cell::Document d = tests::demo();
    inspection::Cache cache;
    const auto choices = study::which_arm(simulation::layout(d, "A"), "arm2", cache);
    REQUIRE(choices.size() >= 11);
    REQUIRE(choices.front().present);
    CHECK(*choices.front().here.cycle_s == Approx(*tests::evaluated(d, "A")->figures.cycle_s));
    int reached = 0, short_of = 0;
    for (const study::ArmChoice& c : choices) {
        INFO(c.id);
        CHECK(c.load == Approx(3.0));
        if (c.best) {
            const auto there = tests::evaluated(d.edited("A", c.best->edit), "A");
            const auto& arm = there->cell->devices[there->cell->device("arm2")];
            CHECK(arm.arm->model->id == c.id);
            CHECK(c.best->reached == c.best->poses);
            CHECK(
                (arm.world.translation().head<2>() - geometry::Vector3(c.best_x, c.best_y, 0).head<2>()).norm() < 1e-3);
            if (c.best->cycle_s) CHECK(*there->figures.cycle_s == Approx(*c.best->cycle_s));
            ++reached;
        }
        short_of += c.here.reached < c.here.poses && !c.here.cycle_s;
    }
    CHECK(reached >= 4);
    CHECK(short_of >= 3);
    CHECK_THROWS_AS(study::which_arm(simulation::layout(d, "A"), "tester", cache), cell::InputError);
}

TEST_CASE("the second example runs on a SCARA and an arm on a travel axis, and flies its corners") {
    const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/lens-kitting.escarp");
    const auto e = tests::evaluated(d, "A");
    CHECK(e->figures.poses_reached == e->figures.poses);
    REQUIRE(e->figures.cycle_s);
    const auto& loader = e->cell->devices[e->cell->device("loader")];
    CHECK(loader.arm->solver->free_joints() == std::vector<int>{0});
    double low = 1e9, high = -1e9;
    for (double t = 20; t < 60; t += 0.1) {
        const double at =
            e->run->trace.joints(*e->cell, e->cell->device("loader"), static_cast<simulation::Ticks>(t * 1e9))[0];
        low = std::min(low, at), high = std::max(high, at);
    }
    CHECK(high - low > 0.5);  // it travels
    // The same steps with exact stops take longer.
    json tree = d.tree();
    const auto stop = [](const auto& self, json& steps) -> void {
        for (json& s : steps) {
            s.erase("corner_mm");
            if (s.contains("steps")) self(self, s["steps"]);
        }
    };
    for (json& device : tree["devices"])
        if (device.contains("task")) stop(stop, device["task"]);
    CHECK(*tests::evaluated(cell::Document::parse(tree.dump()), "A")->figures.cycle_s > *e->figures.cycle_s + 0.03);
}

TEST_CASE("an edit that changes no motion plans none anew, in every demo") {
    for (const char* name : {"leak-test", "lens-kitting", "seedling-trays", "twin-testers"}) {
        INFO(name);
        const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/" + name + ".escarp");
        inspection::Cache cache;
        const cell::Layout l = simulation::layout(d, d.baseline());
        study::evaluate(l, cache);
        const std::size_t before = cache.plans.computed();
        REQUIRE(before > 10);
        study::evaluate(l.edited({"", {cell::Operation::set("/takt_s", 77.0)}}), cache);
        CHECK(cache.plans.computed() == before);
    }
}
