#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "reference/fixed_step.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/random_cells.h"

using namespace escarp;
using namespace escarp::simulation;

namespace {

std::shared_ptr<const Run> run_tree(
    const cell::json& tree, double horizon = 0, std::shared_ptr<const cell::Cell>* cell_out = nullptr) {
    static PlanCache plans;
    const auto cell = tests::read(tree);
    if (cell_out) *cell_out = cell;
    RunOptions o;
    o.horizon_s = horizon;
    return run(*cell, plans, o);
}

}  // namespace

TEST_CASE("the event kernel agrees with the plain fixed-step simulator on the demo cell") {
    const cell::Document d = tests::demo();
    PlanCache plans;
    for (const char* variant : {"A", "B"}) {
        cell::json tree = d.resolved(variant);
        for (cell::json& device : tree["devices"]) device["detours"] = false;  // the plain simulator knows none
        const auto cell = tests::read(tree);
        RunOptions o;
        o.horizon_s = 150;
        o.stop_when_steady = false;
        const auto events = run(*cell, plans, o);
        tests::FixedStep plain(*cell, plans, tree, 2e-4);
        const tests::FixedStepResult ticks = plain.run(150);
        REQUIRE(events->trace.departures.size() > 8);
        const std::size_t n = std::min(ticks.departures.size(), events->trace.departures.size());
        CHECK(std::max(ticks.departures.size(), events->trace.departures.size()) - n <= 1);
        for (std::size_t i = 0; i < n; ++i)
            CHECK(seconds(events->trace.departures[i].when) == Approx(ticks.departures[i]).margin(0.05));
        const auto& edges = ticks.edges.at("b1");
        const auto& changes = events->trace.signal("b1.made")->changes;
        const std::size_t m = std::min(edges.size(), changes.size() - 1);
        REQUIRE(m > 10);
        for (std::size_t i = 0; i < m; ++i) CHECK(seconds(changes[i + 1].first) == Approx(edges[i]).margin(0.05));
    }
}

TEST_CASE("a belt carries at its speed: departures and queue by hand") {
    // 2000 mm belt at 200 mm/s, parts 60 mm long, one every 5 s: the first leaves after (2000 - 60) / 200 = 9.7 s.
    const auto r = run_tree(tests::belt_cell(5, 200, 2000, 20), 100);
    REQUIRE(r->trace.departures.size() > 5);
    for (std::size_t i = 0; i < 5; ++i)
        CHECK(seconds(r->trace.departures[i].when) == Approx(9.7 + 5.0 * static_cast<double>(i)).margin(1e-8));
    REQUIRE(r->steady);
    CHECK(seconds(r->steady->period) / r->steady->parts == Approx(5.0).margin(1e-9));
}

TEST_CASE("an infeed faster than its belt is held back by the gap, and says so") {
    // Parts 60 mm with a gap of 40 mm at 100 mm/s: one per second at most, whatever the interval.
    std::shared_ptr<const cell::Cell> cell;
    const auto r = run_tree(tests::belt_cell(0.25, 100, 1000, 40), 100, &cell);
    REQUIRE(r->steady);
    CHECK(seconds(r->steady->period) / r->steady->parts == Approx(1.0).margin(1e-8));
    const auto shares = r->trace.shares(cell->device("in"), r->steady->from, r->steady->from + r->steady->period);
    CHECK(shares.at(Condition::blocked) == Approx(0.75).margin(1e-6));
}

TEST_CASE("parts queue at a belt's end at their gap and wait there") {
    cell::json tree = tests::belt_cell(2, 500, 1500, 30);
    tree["devices"][0].erase("to");
    tree["devices"].erase(2);
    std::shared_ptr<const cell::Cell> cell;
    const auto r = run_tree(tree, 100, &cell);
    CHECK(r->stuck);
    CHECK(r->waits.size() == 1);  // the infeed waits for the belt
    std::vector<double> x;
    for (std::size_t p = 0; p < r->trace.parts.size(); ++p) {
        Frame at;
        REQUIRE(r->trace.part_frame(*cell, static_cast<int>(p), r->trace.end, at));
        x.push_back(at.translation().x());
        CHECK(at.translation().z() == Approx(0.8));
    }
    CHECK(x.front() == Approx(0.75 - 0.03).margin(1e-9));
    for (std::size_t i = 1; i < x.size(); ++i) CHECK(x[i - 1] - x[i] == Approx(0.09).margin(1e-9));
    CHECK(x.size() == 17);  // floor((1500 - 60) / 90) + 1, both end parts whole on the belt
}

TEST_CASE("a beam is made exactly while a part crosses its line") {
    cell::json tree = tests::belt_cell(4, 200, 2000, 20);
    tree["devices"].push_back({{"id", "b"}, {"name", "B"}, {"kind", "beam"}, {"host", "belt"},
        {"placement", {{"x_mm", 100}}}, {"span_mm", 240}, {"beam_height_mm", 25}});
    tree["devices"].push_back({{"id", "high"}, {"name", "High"}, {"kind", "beam"}, {"host", "belt"},
        {"placement", {{"x_mm", 100}}}, {"span_mm", 240}, {"beam_height_mm", 55}});
    tree["devices"].push_back(
        {{"id", "slow"}, {"name", "Slow"}, {"kind", "beam"}, {"host", "belt"}, {"placement", {{"x_mm", 100}}},
            {"span_mm", 240}, {"beam_height_mm", 25}, {"on_delay_s", 0.1}, {"off_delay_s", 0.2}});
    const auto r = run_tree(tree, 60);
    // The front edge starts at 60 mm of 2000 and reaches the line at 1000 + 100 mm after (1100 - 60) / 200 s.
    const auto& changes = r->trace.signal("b.made")->changes;
    REQUIRE(changes.size() > 4);
    CHECK(seconds(changes[1].first) == Approx(1040.0 / 200).margin(1e-6));
    CHECK(seconds(changes[2].first) == Approx(1100.0 / 200).margin(1e-6));
    CHECK(seconds(changes[3].first) == Approx(1040.0 / 200 + 4).margin(1e-6));
    CHECK(r->trace.signal("high.made")->changes.size() == 1);  // parts are 50 mm tall
    const auto& slow = r->trace.signal("slow.made")->changes;
    CHECK(seconds(slow[1].first) == Approx(1040.0 / 200 + 0.1).margin(1e-6));
    CHECK(seconds(slow[2].first) == Approx(1100.0 / 200 + 0.2).margin(1e-6));
}

TEST_CASE("what comes in goes out or is still there, and every part is in one place at a time") {
    for (const char* v : {"A", "B", "C"}) {
        const auto cell = tests::read(tests::demo().resolved(v));
        PlanCache plans;
        const auto r = run(*cell, plans);
        std::size_t inside = 0;
        for (std::size_t p = 0; p < r->trace.parts.size(); ++p) {
            const auto& places = r->trace.parts[p].places;
            for (std::size_t i = 1; i < places.size(); ++i) REQUIRE(places[i - 1].from <= places[i].from);
            Frame at;
            inside += r->trace.part_frame(*cell, static_cast<int>(p), r->trace.end, at);
        }
        CHECK(r->trace.parts.size() == r->trace.departures.size() + inside);
    }
}

TEST_CASE("an arm is never in two blocks at once, its joints never jump, and a part never jumps in the tool") {
    const auto cell = tests::read(tests::demo().resolved("A"));
    PlanCache plans;
    const auto r = run(*cell, plans);
    for (const char* id : {"arm1", "arm2"}) {
        const int arm = cell->device(id);
        Ticks end = 0;
        for (const Block& b : r->trace.blocks) {
            if (b.device != arm) continue;
            REQUIRE(b.from == end);  // no gaps either: it works or waits
            if (b.to == never) break;
            end = b.to;
        }
        for (const MotionRecord& m : r->trace.motions[arm]) {
            const JointVector before = r->trace.joints(*cell, arm, std::max<Ticks>(0, m.from - 1)),
                              now = r->trace.joints(*cell, arm, m.from);
            REQUIRE((before - now).cwiseAbs().maxCoeff() < 1e-6);
        }
    }
    for (std::size_t p = 0; p < r->trace.parts.size(); ++p) {
        const auto& places = r->trace.parts[p].places;
        for (std::size_t i = 1; i < places.size(); ++i) {
            if (places[i].kind == Place::Kind::gone || places[i].from == 0) continue;
            if (i + 1 < places.size() && places[i + 1].from == places[i].from)
                continue;  // let go into a chute: gone at once
            Frame before, now;
            REQUIRE(r->trace.part_frame(*cell, static_cast<int>(p), places[i].from - 1, before));
            REQUIRE(r->trace.part_frame(*cell, static_cast<int>(p), places[i].from, now));
            REQUIRE((before.translation() - now.translation()).norm() < 1e-4);
        }
    }
}

TEST_CASE("in the steady state the trace repeats") {
    cell::json tree = tests::demo().resolved("B");
    const auto cell = tests::read(tree);
    PlanCache plans;
    RunOptions o;
    o.at_least_s = 400;
    const auto r = run(*cell, plans, o);
    REQUIRE(r->steady);
    const Ticks period = r->steady->period;
    std::vector<const Block*> first, second;
    for (const Block& b : r->trace.blocks) {
        if (b.from > r->steady->from && b.from <= r->steady->from + period) first.push_back(&b);
        if (b.from > r->steady->from + period && b.from <= r->steady->from + 2 * period) second.push_back(&b);
    }
    REQUIRE(first.size() == second.size());
    for (std::size_t i = 0; i < first.size(); ++i) {
        REQUIRE(first[i]->from + period == second[i]->from);
        REQUIRE(first[i]->device == second[i]->device);
        REQUIRE(first[i]->step == second[i]->step);
    }
    const int arm = cell->device("arm2");
    for (int k = 0; k < 50; ++k) {
        const Ticks t = r->steady->from + period * k / 50;
        REQUIRE((r->trace.joints(*cell, arm, t) - r->trace.joints(*cell, arm, t + period)).norm() < 1e-12);
    }
}

TEST_CASE("the fixture's rules: each nest, all nests, every n-th a reject") {
    const cell::Document d = tests::demo();
    const cell::json together =
        d.edited("A", {"", {cell::Operation::set("/devices/tester/starts", "all nests")}}).resolved("A");
    std::shared_ptr<const cell::Cell> cell;
    const auto r = run_tree(together, 120, &cell);
    std::map<Ticks, int> starts;
    for (const Block& b : r->trace.blocks)
        if (b.device == cell->device("tester")) ++starts[b.from];
    REQUIRE(starts.size() > 3);
    for (const auto& [t, n] : starts) CHECK(n == 2);
    int good = 0, reject = 0;
    for (const PartRecord& p : r->trace.parts)
        for (const auto& [t, verdict] : p.results) (verdict == "reject" ? reject : good)++;
    CHECK(reject == (good + reject) / 8);
}

TEST_CASE("random rejects come from the device's own seed: another device does not change them") {
    cell::json tree = tests::demo().resolved("A");
    tree["devices"][5].erase("reject_every");
    tree["devices"][5]["reject_pct"] = 30;
    const auto verdicts = [](const cell::json& t) {
        std::vector<std::string> all;
        const auto r = run_tree(t, 200);
        for (const PartRecord& p : r->trace.parts)
            for (const auto& [when, v] : p.results) all.push_back(v);
        return all;
    };
    const auto one = verdicts(tree);
    REQUIRE(one.size() > 10);
    CHECK(std::count(one.begin(), one.end(), "reject") > 0);
    tree["devices"].push_back({{"id", "more"}, {"name", "More"}, {"kind", "fixture"}, {"length_mm", 100},
        {"width_mm", 100}, {"height_mm", 100}, {"process_s", 1}, {"reject_pct", 50}, {"placement", {{"x_mm", 9000}}}});
    CHECK(verdicts(tree) == one);
    tree["seed"] = 2;
    CHECK(verdicts(tree) != one);
}

TEST_CASE("tasks that cannot go on are named: nothing held, held already, no time taken, standstill") {
    const cell::Document d = tests::demo();
    const auto with_task = [&](cell::json task) {
        cell::json tree = d.resolved("A");
        tree["devices"][4]["task"] = std::move(task);
        return run_tree(tree, 60);
    };
    const auto first = [](const std::shared_ptr<const Run>& r) {
        return r->trace.faults.empty() ? -1 : static_cast<int>(r->trace.faults.front().kind);
    };
    CHECK(first(with_task({{{"id", "a"}, {"do", "place"}, {"in", "tester"}}})) ==
          static_cast<int>(Fault::Kind::holds_nothing));
    CHECK(
        first(with_task({{{"id", "a"}, {"do", "pick"}, {"from", "infeed_belt"}},
            {{"id", "b"}, {"do", "pick"}, {"from", "infeed_belt"}}})) == static_cast<int>(Fault::Kind::holds_already));
    CHECK(first(with_task({{{"id", "a"}, {"do", "wait"}, {"signal", "tester.free"}}})) ==
          static_cast<int>(Fault::Kind::goes_round));
    const auto stuck = with_task({{{"id", "a"}, {"do", "wait"}, {"signal", "tester.busy"}}});
    CHECK(stuck->stuck);
    CHECK(stuck->waits.size() >= 2);
}

TEST_CASE("where a task has stopped and the rest repeats, that is the steady state: the rest goes on like it") {
    int found_ones = 0;
    for (unsigned seed = 1; seed <= 200 && found_ones < 3; ++seed) {
        INFO("seed " << seed);
        const auto cell = tests::read(tests::RandomCell(seed).tree());
        PlanCache plans;
        const auto found = run(*cell, plans);
        if (found->trace.faults.empty() || !found->steady || found->steady->parts == 0) continue;
        ++found_ones;
        RunOptions o;
        o.stop_when_steady = false;
        o.horizon_s = 5 * cell->horizon;
        const auto all = run(*cell, plans, o);
        const Steady& steady = *found->steady;
        std::vector<Ticks> left;
        for (const Departure& d : all->trace.departures)
            if (d.when > steady.from) left.push_back(d.when);
        REQUIRE(left.size() > 2 * static_cast<std::size_t>(steady.parts));
        for (std::size_t i = 0; i + steady.parts < left.size(); ++i)
            REQUIRE(left[i + steady.parts] - left[i] == steady.period);
    }
    CHECK(found_ones == 3);
}

TEST_CASE("repeat, dwell and if do what they say") {
    cell::json tree = tests::demo().resolved("A");
    tree["devices"][4]["task"] = {
        {{"id", "r"}, {"do", "repeat"}, {"times", 3}, {"steps", {{{"id", "d"}, {"do", "delay"}, {"time_s", 0.5}}}}},
        {{"id", "e"}, {"do", "delay"}, {"time_s", 2.0}}};
    const auto r = run_tree(tree, 20);
    std::vector<double> lengths;
    for (const Block& b : r->trace.blocks)
        if (b.device == 4 && b.to != never) lengths.push_back(seconds(b.to - b.from));
    REQUIRE(lengths.size() >= 8);
    for (std::size_t i = 0; i < 8; ++i) CHECK(lengths[i] == Approx(i % 4 == 3 ? 2.0 : 0.5));
}
