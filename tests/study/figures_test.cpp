#include <catch2/catch.hpp>

#include "support/cells.h"

using namespace escarp;

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
    const auto cycle_with = [&](const std::string& at, const cell::json& value) { return *tests::evaluated(d.edited("A", {"", {cell::Operation::set(at, value)}}), "A")->figures.cycle_s; };
    bool marker_in_chain = false, tester_in_chain = false;
    for (const auto& link : base->chain) {
        const std::string id = base->cell->devices[static_cast<std::size_t>(base->run->trace.blocks[static_cast<std::size_t>(link.block)].device)].id;
        marker_in_chain = marker_in_chain || id == "marker";
        tester_in_chain = tester_in_chain || id == "tester";
    }
    REQUIRE(marker_in_chain);
    CHECK(cycle_with("/devices/marker/process_s", 1.9) < *base->figures.cycle_s - 0.1);
    if (!tester_in_chain) CHECK(cycle_with("/devices/tester/process_s", 6.3) == Approx(*base->figures.cycle_s).margin(1e-6));
}

TEST_CASE("shares of every device add up to the whole") {
    const auto e = tests::evaluated(tests::demo(), "A");
    REQUIRE(e->figures.shares.size() >= 6);
    for (const study::Share& s : e->figures.shares) CHECK(s.busy + s.waiting + s.starved + s.blocked == Approx(1.0).margin(1e-9));
}

TEST_CASE("cycle, rate and takt say the same thing") {
    const auto e = tests::evaluated(tests::demo(), "B");
    REQUIRE(e->figures.cycle_s);
    CHECK(*e->figures.rate_per_h == Approx(3600 / *e->figures.cycle_s));
    CHECK(*e->figures.takt_met == (*e->figures.cycle_s <= e->cell->takt));
    // By hand from the departures of one period.
    int n = 0;
    for (const auto& d : e->run->trace.departures) n += d.when > e->run->steady->from && d.when <= e->run->steady->from + e->run->steady->period;
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
    tree["devices"].push_back({{"id", "a"}, {"name", "A"}, {"kind", "structure"}, {"length_mm", 1000}, {"width_mm", 1000}, {"height_mm", 100}});
    tree["devices"].push_back({{"id", "b"}, {"name", "B"}, {"kind", "structure"}, {"length_mm", 1000}, {"width_mm", 1000}, {"height_mm", 100}, {"placement", {{"x_mm", 2000}}}});
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
