#include <catch2/catch.hpp>

#include <cell/edits/handling.h>
#include <inspection/clearance_time.h>
#include <simulation/plan.h>
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

TEST_CASE("single bodies are left out, and have distances of their own") {
    inspection::Cache cache;
    const auto with = [&](const json& rows, double cells = 30) {
        return evaluated_demo({{"excluded_pairs", rows}, {"safety_distance_mm", cells}}, cache);
    };
    const auto of_arms = [](const study::Evaluation& e) {
        std::vector<inspection::LeastClearance> all;
        for (const inspection::LeastClearance& c : e.inspection->close_pairs)
            if (e.cell->devices[c.device_a].id == "arm1" && e.cell->devices[c.device_b].id == "arm2") all.push_back(c);
        return all;
    };
    const auto bodies = [](const std::string& a, const std::string& b, const json& more = json::object()) {
        json row = {{"a", "arm1"}, {"a_body", a}, {"b", "arm2"}, {"b_body", b}};
        row.update(more);
        return row;
    };
    constexpr double within = 160;  // mm
    // One after the other they are left out: the next ones are farther apart, until none is within.
    std::map<std::pair<std::string, std::string>, double> found;
    json left_out = json::array();
    for (double before = 0;;) {
        const auto e = with(left_out, within);
        const auto pairs = of_arms(*e);
        if (pairs.empty()) break;
        REQUIRE(pairs.size() == 1);
        const auto& c = pairs.front();
        CHECK(c.distance >= before - 5e-4);
        before = c.distance;
        const auto names = cell::body_names(*e->cell, c.device_a);
        CHECK(std::find(names.begin(), names.end(), c.own_a) != names.end());
        REQUIRE(found.emplace(std::pair(c.own_a, c.own_b), 1e3 * c.distance).second);
        left_out.push_back(bodies(c.own_a, c.own_b));
    }
    REQUIRE(found.size() >= 4);
    // The other way round: each pair of bodies with that as a distance of its own, all else with none.
    json own = json::array();
    std::size_t expected = 0;
    const auto plain = with(json::array());
    for (const std::string& a : cell::body_names(*plain->cell, plain->cell->device("arm1")))
        for (const std::string& b : cell::body_names(*plain->cell, plain->cell->device("arm2")))
            own.push_back(bodies(a, b, {{"distance_mm", within}})), ++expected;
    const auto each = with(own, 0);
    std::size_t told = 0;
    for (const auto& c : of_arms(*each)) {
        INFO(c.own_a << " and " << c.own_b);
        REQUIRE(found.count({c.own_a, c.own_b}));
        CHECK(1e3 * c.distance == Approx(found[std::pair(c.own_a, c.own_b)]).margin(0.5));
        CHECK(c.row >= 0);
        ++told;
    }
    CHECK(told == found.size());
    CHECK(expected > found.size());

    // The most particular holds: two bodies before the pair, the pair before what a body keeps of all else.
    const auto nearest =
        std::min_element(found.begin(), found.end(), [](const auto& x, const auto& y) { return x.second < y.second; });
    const auto& [a, b] = nearest->first;
    const json pair = {{"a", "arm2"}, {"b", "arm1"}, {"distance_mm", 5}};
    const auto words = [&](const study::Evaluation& e) {
        for (const inspection::Finding& f : e.inspection->findings)
            if (f.id.starts_with("clearance:arm1:arm2")) return f.text;
        return std::string();
    };
    CHECK(words(*with(json::array({pair}))).empty());
    CHECK(words(*with(json::array({pair, bodies(a, b, {{"distance_mm", 50}})}))).find("50 mm (these bodies' own)") !=
          std::string::npos);
    const json body = {{"a", "arm1"}, {"a_body", a}, {"distance_mm", 70}};
    CHECK(words(*with(json::array({pair, body}))).empty());
    CHECK(words(*with(json::array({body}), 0)).find("70 mm (Arm 1 " + a + "'s own)") != std::string::npos);
    // A body of everything: it is named nowhere any more.
    const auto of_body = with(json::array({json{{"a", "arm1"}, {"a_body", a}}}), within);
    for (const auto& c : of_body->inspection->close_pairs)
        CHECK_FALSE((c.device_a == plain->cell->device("arm1") && c.own_a == a));
    // A device of everything, unless a pair says something else.
    for (const auto& c : of_arms(*with(json::array({json{{"a", "arm1"}}}), within))) FAIL(c.body_a);
    CHECK(of_arms(
              *with(json::array({json{{"a", "arm1"}}, json{{"a", "arm1"}, {"b", "arm2"}, {"distance_mm", within}}}), 0))
              .size() == 1);
    // While a condition holds: always is as if it were left out, never as if nothing were said.
    const double first = nearest->second;
    const auto at_times = [&, tool = a, other = b](const char* when) {
        return of_arms(*with(json::array({bodies(tool, other, {{"while", when}})}), within));
    };
    CHECK(1e3 * at_times("tester.busy and not tester.busy").front().distance == Approx(first).margin(0.5));
    CHECK(1e3 * at_times("tester.busy or not tester.busy").front().distance > first + 0.5);
    // A body that is not there is told, and refused where it is asked for.
    const auto none = with(json::array({bodies("third hand", b)}));
    CHECK(std::any_of(none->inspection->findings.begin(), none->inspection->findings.end(),
        [](const auto& f) { return f.id == "no-body:arm1:arm2:third hand"; }));
    CHECK_THROWS_AS(cell::leave_out(none->layout, {"arm1", "arm2", "fourth hand", ""}, ""), cell::InputError);
    CHECK_THROWS_AS(with(json::array({json{{"a", "arm1"}, {"b", "arm1"}}})), cell::InputError);
    CHECK_THROWS_AS(with(json::array({json{{"a", "arm1"}, {"b_body", "tool"}}})), cell::InputError);
}

TEST_CASE("ways round lead past what is judged with another distance, or left out at times only") {
    const auto room = [](const json& rows) {
        json tree = json::parse(tests::demo().text());
        tree["excluded_pairs"] = rows;
        const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
        const int arm = layout.cell().device("arm1"), tester = layout.cell().device("tester");
        int bodies = 0;
        const auto room = simulation::room_of(layout.cell(), arm, {});
        for (const motion::Obstacle& o : room.around->obstacles()) bodies += o.owner == tester;
        return bodies;
    };
    const json pair = {{"a", "arm1"}, {"b", "tester"}};
    const auto more = [&](const json& keys) {
        json row = pair;
        row.update(keys);
        return json::array({row});
    };
    const int all = room(json::array());
    REQUIRE(all > 0);
    CHECK(room(more(json::object())) == 0);
    CHECK(room(more({{"distance_mm", 10}})) == all);
    CHECK(room(more({{"while", "tester.busy"}})) == all);
    CHECK(room(more({{"a_body", "tool"}})) == all);
}
