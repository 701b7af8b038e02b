#include <catch2/catch.hpp>

#include <inspection/clearance_time.h>
#include <study/figures.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {
std::shared_ptr<const study::Evaluation> evaluated_demo(const json& more, inspection::Cache& cache) {
    json tree = json::parse(tests::demo().text());
    for (json& d : tree["devices"])
        if (d["kind"] == "arm") d["detours"] = false;  // the way round keeps the arm's own distance
    for (const auto& [key, value] : more.items()) {
        if (key != "own") tree[key] = value;
        else
            for (json& d : tree["devices"])
                if (d["id"] == value[0]) d["safety_distance_mm"] = value[1];
    }
    return study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "B"), cache);
}
const inspection::Finding* near_pass(const study::Evaluation& e) {
    for (const inspection::Finding& f : e.inspection->findings)
        if (f.id == "clearance:arm1:arm2") return &f;
    return nullptr;
}
}  // namespace

TEST_CASE("the most particular safety distance counts, and the finding says whose it is") {
    inspection::Cache cache;
    const auto usual = evaluated_demo(json::object(), cache);
    REQUIRE(near_pass(*usual));  // 14 mm of the cell's 30
    CHECK(near_pass(*usual)->text.find("30 mm.") != std::string::npos);
    const auto wider = evaluated_demo({{"own", {"arm2", 45}}}, cache);
    REQUIRE(near_pass(*wider));
    CHECK(near_pass(*wider)->text.find("45 mm (Arm 2's own)") != std::string::npos);
    CHECK_FALSE(near_pass(*evaluated_demo({{"own", {"arm2", 10}}}, cache)));
    // The pair's own before a device's, narrower or wider.
    const auto pair = [&](double mm, double own) {
        return evaluated_demo(
            {{"own", {"arm2", own}}, {"excluded_pairs", {{{"a", "arm2"}, {"b", "arm1"}, {"distance_mm", mm}}}}}, cache);
    };
    CHECK_FALSE(near_pass(*pair(10, 45)));
    const auto told = pair(60, 10);
    REQUIRE(near_pass(*told));
    CHECK(near_pass(*told)->text.find("60 mm (the pair's own)") != std::string::npos);
    // The figure is the same distance, whoever judges it.
    for (const auto& e : {wider, told})
        CHECK(*e->figures.clearance_m == Approx(*usual->figures.clearance_m).margin(5e-4));
}

TEST_CASE("a pair left out while a condition holds is judged exactly when it does not") {
    inspection::Cache cache;
    const auto usual = evaluated_demo(json::object(), cache);
    const auto with = [&](const std::string& words) {
        return evaluated_demo({{"excluded_pairs", {{{"a", "arm1"}, {"b", "arm2"}, {"while", words}}}}}, cache);
    };
    const auto none = with("arm1.at_tester and not arm1.at_tester");
    REQUIRE(near_pass(*none));
    CHECK(near_pass(*none)->when_s == near_pass(*usual)->when_s);
    const auto& findings = none->inspection->findings;
    CHECK(std::any_of(findings.begin(), findings.end(),
        [](const inspection::Finding& f) { return f.id == "never-left-out:arm1:arm2"; }));
    CHECK_FALSE(near_pass(*with("arm1.at_tester or not arm1.at_tester")));
    // Stretch by stretch: as far as without it where the condition does not hold, nothing where it does.
    const auto half = with("tester.busy");
    const int arm1 = usual->cell->device("arm1"), arm2 = usual->cell->device("arm2");
    const int signal = usual->cell->signal("tester.busy");
    const int bins = 300;
    const auto all = inspection::clearance_over_time(*usual->cell, *usual->run, cache, 0, 60, bins, arm1, arm2);
    const auto some = inspection::clearance_over_time(*half->cell, *half->run, cache, 0, 60, bins, arm1, arm2);
    int judged = 0, left_out = 0;
    for (int i = 0; i < bins; ++i) {
        const auto& record = half->run->trace.signals[static_cast<std::size_t>(signal)];
        const auto from = simulation::ticks(60.0 * i / bins), to = simulation::ticks(60.0 * (i + 1) / bins);
        const bool changes = std::any_of(record.changes.begin(), record.changes.end(),
            [&](const auto& c) { return c.first >= from - 1000 && c.first <= to + 1000; });
        if (changes) continue;
        const auto& bin = some.bins[static_cast<std::size_t>(i)];
        if (record.at(from) != 0) {
            ++left_out;
            CHECK(bin.device_a < 0);
        } else if (all.bins[static_cast<std::size_t>(i)].device_a >= 0) {
            ++judged;
            CHECK(bin.distance == Approx(all.bins[static_cast<std::size_t>(i)].distance).margin(5e-4));
        }
    }
    CHECK(judged > 20);
    CHECK(left_out > 20);
    // A condition that cannot be read says where.
    try {
        with("tester.bussy");
        FAIL("taken");
    } catch (const cell::InputError& e) {
        CHECK(e.problems().front().where.find("excluded_pairs") != std::string::npos);
        CHECK(e.problems().front().where.find("while") != std::string::npos);
    }
}
