// What is bounded: findings that are listed, what a run keeps, how long odd cells take.
#include <catch2/catch.hpp>

#include <set>

#include "support/cells.h"

using namespace escarp;
using escarp::tests::json;

namespace {

std::shared_ptr<const study::Evaluation> evaluated(
    const cell::Document& d, const study::EvaluateOptions& options = {}) {
    inspection::Cache cache;
    return study::evaluate(simulation::layout(d, d.baseline()), cache, options);
}

}  // namespace

TEST_CASE("a heap of devices on one spot is one finding that counts them; a pair is a finding of its own") {
    const auto e = evaluated(tests::past_case("same100"));
    REQUIRE(e->inspection->findings.size() == 1);
    const inspection::Finding& f = e->inspection->findings.front();
    CHECK(f.title == "Box 0 stands in 99 others");
    CHECK(f.text.find("100 devices overlap in 4950 pairs") != std::string::npos);
    CHECK(f.devices.size() == 100);
    json two = tests::past_case("same100").tree();
    two["devices"].erase(two["devices"].begin() + 2, two["devices"].end());
    const auto pair = evaluated(cell::Document::parse(two.dump()));
    REQUIRE(pair->inspection->findings.size() == 1);
    CHECK(pair->inspection->findings.front().title == "Box 0 stands in Box 1");
}

TEST_CASE("at most 200 findings are listed, the worst of them; the last one counts the rest") {
    json tree = tests::past_case("same100").tree();  // 300 pairs far from each other
    const json box = tree["devices"][0];
    tree["devices"] = json::array();
    for (int i = 0; i < 600; ++i) {
        json one = box;
        one["id"] = "d" + std::to_string(i), one["name"] = "D " + std::to_string(i);
        one["placement"] = {{"x_mm", 1000.0 * (i / 2 % 20)}, {"y_mm", 1000.0 * (i / 40)}};
        tree["devices"].push_back(one);
    }
    const auto e = evaluated(cell::Document::parse(tree.dump()));
    REQUIRE(e->inspection->findings.size() == 200);
    CHECK(e->inspection->findings.back().title == "101 more findings");
    CHECK(e->inspection->findings.back().text.find("101 watch") != std::string::npos);
}

TEST_CASE("a run keeps a bounded amount, ends earlier for it, and says so") {
    const auto e = evaluated(tests::past_case("z-delay1ms"));
    CHECK(e->run->cut);
    CHECK(simulation::seconds(e->run->trace.end) < 900);
    CHECK(simulation::seconds(e->run->trace.end) > 50);
    std::size_t bytes = e->run->trace.blocks.size() * sizeof(simulation::Block);
    for (const auto& motions : e->run->trace.motions) bytes += motions.size() * sizeof(simulation::MotionRecord);
    for (const auto& part : e->run->trace.parts) bytes += sizeof part + part.places.size() * sizeof(simulation::Place);
    CHECK(bytes < (100u << 20));
    CHECK(std::any_of(
        e->inspection->findings.begin(), e->inspection->findings.end(), [](const auto& f) { return f.id == "cut"; }));
}

TEST_CASE("a run and its checks stop where they are when they are told to") {
    inspection::StopFlag stop{true};
    study::EvaluateOptions options;
    options.stop = &stop;
    CHECK_THROWS_AS(evaluated(tests::past_case("z-delay1ms"), options), inspection::Cancelled);
    CHECK_THROWS_AS(evaluated(tests::past_case("belts600"), options), inspection::Cancelled);
}

TEST_CASE("the state of a very large cell is not looked at every time, and the run ends") {
    const auto e = evaluated(tests::past_case("belts600"));
    CHECK(e->run->trace.end > 0);
    CHECK(e->run->trace.departures.size() > 1000);
}
