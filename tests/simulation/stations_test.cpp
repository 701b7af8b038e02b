#include <catch2/catch.hpp>
#include <cmath>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

/// Infeed, belt, a station that takes from it, hands on to a second belt, hood. `more`: keys of the devices.
json line(json infeed, json station, double belt_mm = 1000) {
    const auto box = [](const char* id, double length) {
        return json{
            {"id", id}, {"name", id}, {"mass_kg", 1}, {"bodies", {{{"shape", "box"}, {"size_mm", {length, 20, 20}}}}}};
    };
    json in = {{"id", "in"}, {"name", "in"}, {"kind", "infeed"}, {"host", "b1"}, {"to", "b1"}, {"part_type", "a"},
        {"interval_s", 5}};
    in.update(infeed);
    json fixture = {{"id", "m"}, {"name", "m"}, {"kind", "fixture"}, {"process_s", 2}, {"to", "b2"},
        {"speed_mm_s", 5000}, {"length_mm", 200}, {"width_mm", 200}, {"height_mm", 800},
        {"placement", {{"x_mm", 100 + 0.5 * belt_mm}}}};
    fixture.update(station);
    return {{"escarp", 1}, {"horizon_s", 100000}, {"part_types", {box("a", 20), box("b", 20)}},
        {"devices", {{{"id", "b1"}, {"name", "b1"}, {"kind", "conveyor"}, {"length_mm", belt_mm}, {"width_mm", 100},
                         {"height_mm", 800}, {"speed_mm_s", 5000}, {"gap_mm", 0}, {"to", "m"}},
                        in, fixture,
                        {{"id", "b2"}, {"name", "b2"}, {"kind", "conveyor"}, {"length_mm", 1000}, {"width_mm", 100},
                            {"height_mm", 800}, {"speed_mm_s", 5000}, {"gap_mm", 0}, {"to", "out"},
                            {"placement", {{"x_mm", 700 + 0.5 * belt_mm}}}},
                        {{"id", "out"}, {"name", "out"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "b2"}}}}};
}

struct Long {
    std::shared_ptr<const cell::Cell> cell;
    std::unique_ptr<Kernel> kernel;
    const Trace& trace() const { return kernel->trace(); }
    int index(const char* id) const { return cell->device(id); }
};
Long until(const json& tree, double seconds) {
    static PlanCache plans;
    Long l{tests::read(tree), nullptr};
    l.kernel = std::make_unique<Kernel>(*l.cell, plans);
    l.kernel->start();
    l.kernel->advance(ticks(seconds));
    REQUIRE_FALSE(l.kernel->ended());
    return l;
}
/// When a part came into the cell and when it was through with the station's work.
struct Stay {
    double from, to;
};
std::vector<Stay> stays(const Long& l) {
    std::map<int, double> done;
    for (const Block& b : l.trace().blocks)
        if (b.device == l.index("m") && b.kind == BlockKind::process && b.to != never) done[b.part] = seconds(b.to);
    std::vector<Stay> out;
    for (std::size_t p = 0; p < l.trace().parts.size(); ++p)
        if (done.count(static_cast<int>(p)))
            out.push_back({seconds(l.trace().parts[p].places.front().from), done[static_cast<int>(p)]});
    return out;
}
double mean_stay(const Long& l) {
    double sum = 0;
    const std::vector<Stay> all = stays(l);
    for (const Stay& s : all) sum += s.to - s.from;
    return sum / static_cast<double>(all.size());
}

}  // namespace

TEST_CASE("a station in a line: parts come in, are worked on and go on by themselves") {
    const json tree = line({{"interval_s", 5}}, {{"process_s", 2}});
    const auto c = tests::read(tree);
    PlanCache plans;
    const auto r = run(*c, plans, {});
    REQUIRE(r->steady);
    CHECK(seconds(r->steady->period) / r->steady->parts == Approx(5).margin(1e-6));
    const auto shares = r->trace.shares(c->device("m"), r->steady->from, r->steady->from + r->steady->period);
    CHECK(shares.at(Condition::busy) == Approx(0.4).margin(1e-6));
    const json slow = line({{"interval_s", 1}}, {{"process_s", 2}});
    const auto slow_cell = tests::read(slow);
    const auto s = run(*slow_cell, plans, {});
    REQUIRE(s->steady);
    // In and out take the way over 110 and 500 mm at 5 m/s; the next one comes in when the nest is free.
    CHECK(seconds(s->steady->period) / s->steady->parts == Approx(2 + 0.11 / 5).margin(1e-3));
}

TEST_CASE("D/D/1, D/M/1 and M/G/1: how long a part stays") {
    // Times of 1000 s beside ways of a fraction of a second: travel does not count. 20 mm parts on 100 m: room enough.
    const auto stay = [](const std::string& arrivals, const std::string& service) {
        double sum = 0;
        constexpr int runs = 12;
        for (int seed = 1; seed <= runs; ++seed) {
            json tree = line({{"interval_s", arrivals}}, {{"process_s", service}}, 100000);
            tree["seed"] = seed;
            sum += mean_stay(until(tree, 4e6));
        }
        return sum / runs - 20;  // the way along the belt
    };
    CHECK(stay("uniform 999.9 to 1000.1", "uniform 499.9 to 500.1") == Approx(500).epsilon(0.001));
    // M/M/1: 1 / (mu - lambda).
    CHECK(stay("exponential 1000", "exponential 500") == Approx(1000).epsilon(0.03));
    // Pollaczek and Khinchine: service plus lambda E[S^2] / 2 (1 - rho).
    const auto pk = [](double service, double variance) {
        return service + (variance + service * service) / 1000 / (2 * (1 - service / 1000));
    };
    CHECK(stay("exponential 1000", "uniform 599.99 to 600.01") == Approx(pk(600, 0)).epsilon(0.03));
    CHECK(stay("exponential 1000", "erlang 2, 600") == Approx(pk(600, 600 * 600 / 2.0)).epsilon(0.03));
    CHECK(stay("exponential 1000", "uniform 0 to 1200") == Approx(pk(600, 1200 * 1200 / 12.0)).epsilon(0.03));
}

TEST_CASE(
    "M/M/1 at a million parts, M/D/1 at two hundred thousand: how long they stay, within the interval of independent "
    "runs") {
    constexpr int runs = 20;
    const double share = 1.0 / tests::one_in;
    for (const bool even : {false, true}) {
        const double horizon = (even ? 1e7 : 5e7) * share;
        std::vector<double> means;
        std::size_t parts = 0;
        for (int seed = 1; seed <= runs; ++seed) {
            json tree = line({{"interval_s", "exponential 1000"}},
                {{"process_s", even ? "uniform 499.999 to 500.001" : "exponential 500"}}, 100000);
            tree["seed"] = 100 + seed;
            const Long l = until(tree, horizon);
            means.push_back(mean_stay(l) - 20);
            parts += l.trace().parts.size();
        }
        double mean = 0, square = 0;
        for (const double m : means) mean += m / runs;
        for (const double m : means) square += (m - mean) * (m - mean) / (runs - 1);
        const double error = std::sqrt(square / runs);
        CHECK(parts > (even ? 198'000 : 990'000) * share);
        CHECK(error < 0.006 * mean / std::sqrt(share));
        // Pollaczek and Khinchine; Student's t for 19 degrees of freedom at 99.9 % is 3.88.
        CHECK(std::abs(mean - (even ? 750 : 1000)) < 3.88 * error + 0.05);
    }
}

TEST_CASE("M/M/1/K: the share of the time in which the infeed is held up, and how long parts stay") {
    // Five of 20 mm on the belt, one in work, one that the infeed holds: with 7 in all it is held up.
    constexpr double ratio = 0.8, horizon = 1.2e7;
    constexpr int runs = 12;
    double none = 0, weight = 1, inside = 0;
    for (int n = 0; n <= 7; ++n) none += weight, inside += n * weight, weight *= ratio;
    const double blocked = std::pow(ratio, 7) / none, rate = ratio * (1 - blocked) / 1000;
    std::vector<double> held, stay;
    for (int seed = 1; seed <= runs; ++seed) {
        json tree = line({{"interval_s", "exponential 1250"}}, {{"process_s", "exponential 1000"}}, 100);
        tree["seed"] = 200 + seed;
        const Long l = until(tree, horizon);
        const auto shares = l.trace().shares(l.index("in"), 0, ticks(horizon));
        held.push_back(shares.contains(Condition::blocked) ? shares.at(Condition::blocked) : 0.0);
        stay.push_back(mean_stay(l));
    }
    const auto agrees = [](const std::vector<double>& values, double truth) {
        double mean = 0, square = 0;
        for (const double v : values) mean += v / runs;
        for (const double v : values) square += (v - mean) * (v - mean) / (runs - 1);
        const double error = std::sqrt(square / runs);
        INFO("mean " << mean << " truth " << truth << " error " << error);
        CHECK(error < 0.06 * truth);
        CHECK(std::abs(mean - truth) < 4.44 * error + 0.002 * truth);  // Student's t, 11 degrees, 99.9 %
    };
    agrees(held, blocked);
    // By Little's law; what the infeed holds is not in the cell yet, so that its wait counts apart.
    agrees(stay, (inside / none - blocked) / rate);
}

TEST_CASE("two in a row with a finite buffer between, exponential times: throughput in closed form") {
    // The infeed is the first, which holds its part while there is no room; belt of 100 mm: five parts of 20 mm wait.
    for (const double ratio : {0.5, 1.0, 1.5}) {
        double parts = 0;
        constexpr int runs = 8;
        constexpr double horizon = 8e6;
        for (int seed = 1; seed <= runs; ++seed) {
            json tree = line({{"interval_s", "exponential " + std::to_string(1000 / ratio)}},
                {{"process_s", "exponential 1000"}}, 100);
            tree["seed"] = seed;
            const Long l = until(tree, horizon);
            parts += static_cast<double>(l.trace().departures.size());
        }
        // Birth and death: in service, five on the belt, and one that the infeed holds: 0 to 7.
        double none = 0, weight = 1;
        for (int n = 0; n <= 7; ++n) none += weight, weight *= ratio;
        const double throughput = (1 - 1 / none) / 1000;
        INFO("ratio " << ratio);
        CHECK(parts / runs / horizon == Approx(throughput).epsilon(0.015));
    }
}

TEST_CASE("a station that breaks down is there for MTBF / (MTBF + MTTR) of the time") {
    const auto share_down = [](json more, double horizon) {
        more.update({{"process_s", 1000}, {"fails_after_s", "exponential 9000"}, {"repair_s", "erlang 2, 1000"}});
        const Long l = until(line({{"interval_s", 1}}, more, 100), horizon);
        return l.trace().shares(l.index("m"), 0, ticks(horizon)).at(Condition::down);
    };
    // By the clock, and by working time of a station that is hardly ever without a part.
    CHECK(share_down({{"fails_by", "the clock"}}, 2e7) == Approx(0.1).epsilon(0.08));
    CHECK(share_down(json::object(), 2e7) == Approx(0.1).epsilon(0.08));
}

TEST_CASE(
    "a failure holds up the work it falls into, by just the repair; working time does not count while it stands") {
    // Works 2 of every 5 s: fails after 3 s of work, that is 1 s into its second part.
    const Long l = until(line({{"interval_s", 5}}, {{"fails_after_s", 3}, {"repair_s", 4}}), 40);
    std::vector<std::pair<double, double>> repairs, work;
    for (const Block& b : l.trace().blocks)
        if (b.device == l.index("m"))
            (b.kind == BlockKind::repair ? repairs : work).emplace_back(seconds(b.from), seconds(b.to));
    REQUIRE(repairs.size() >= 2);
    CHECK(repairs[0].second - repairs[0].first == Approx(4).margin(1e-6));
    REQUIRE(work.size() > 3);
    CHECK(repairs[0].first - work[1].first == Approx(1).margin(1e-6));
    CHECK(work[2].first == Approx(repairs[0].second).margin(1e-6));  // the rest of it
    CHECK(work[2].second - work[2].first == Approx(1).margin(1e-6));
    CHECK(l.trace().signal("m.down")->at(ticks(repairs[0].first + 1)) == 1);
}

TEST_CASE("a change-over comes between parts of two types, as the table says") {
    const json changes = {{{"from", "a"}, {"to", "b"}, {"time_s", 7}}, {{"time_s", 3}}};
    const json mix = {{{"part_type", "a"}, {"share", 2}}, {{"part_type", "b"}, {"share", 1}}};
    const json tree =
        line({{"interval_s", 0.1}, {"mix", mix}, {"mixed", "in turn"}}, {{"process_s", 2}, {"change_overs", changes}});
    const auto c = tests::read(tree);
    PlanCache plans;
    const auto r = run(*c, plans, {});
    REQUIRE(r->steady);
    // a a (7) b (3): three parts of 2 s and both change-overs, and the ways.
    CHECK(seconds(r->steady->period) / r->steady->parts * 3 == Approx(6 + 10 + 3 * 0.022).margin(0.01));
    json wrong = tree;
    wrong["devices"][2]["change_overs"][0]["from"] = "c";
    CHECK_THROWS_WITH(tests::read(wrong), Catch::Contains("change_overs/0/from") && Catch::Contains("\"c\" is not"));
}

TEST_CASE("an infeed by distance, in batches, by a timetable, and what it mixes") {
    const auto entered = [](json infeed, double horizon) {
        const Long l = until(line(std::move(infeed), {{"process_s", 0.01}}), horizon);
        std::vector<std::pair<double, int>> out;
        for (const PartRecord& p : l.trace().parts) out.emplace_back(seconds(p.places.front().from), p.type);
        return out;
    };
    const auto by_distance = entered({{"releases", "by distance"}, {"spacing_mm", 250}}, 10);
    for (std::size_t i = 1; i < by_distance.size(); ++i)
        CHECK(by_distance[i].first - by_distance[i - 1].first == Approx(0.05).margin(1e-6));
    CHECK(by_distance.size() > 150);
    const auto batches = entered({{"batch", 4}, {"interval_s", 10}}, 25);
    REQUIRE(batches.size() == 12);
    CHECK(batches[3].first == Approx(3 * 0.02 / 5).margin(1e-6));
    CHECK(batches[4].first - batches[3].first == Approx(10).margin(1e-6));
    const json list = {{{"at_s", 1}}, {{"at_s", 1.5}, {"part_type", "b"}}, {{"at_s", 7}}};
    const auto listed = entered({{"releases", "by a timetable"}, {"timetable", list}}, 30);
    REQUIRE(listed.size() == 3);
    CHECK(listed[0] == std::pair(1.0, 0));
    CHECK(listed[1] == std::pair(1.5, 1));
    CHECK(listed[2] == std::pair(7.0, 0));
    const json mix = {{{"part_type", "a"}, {"share", 3}}, {{"part_type", "b"}, {"share", 1}}};
    const auto mixed = entered({{"interval_s", 0.1}, {"mix", mix}}, 1000);
    double second = 0;
    for (const auto& [when, type] : mixed) second += type;
    CHECK(second / static_cast<double>(mixed.size()) == Approx(0.25).margin(0.02));
    json wrong = line({{"releases", "by a timetable"}, {"timetable", {{{"at_s", 5}}, {{"at_s", 4}}}}}, json::object());
    CHECK_THROWS_WITH(tests::read(wrong), Catch::Contains("timetable/1/at_s") && Catch::Contains("rising order"));
    wrong["devices"][1] = {{"id", "in"}, {"name", "in"}, {"kind", "infeed"}, {"host", "b1"}, {"to", "b1"},
        {"part_type", "a"}, {"interval_s", "uniform 5 to"}};
    CHECK_THROWS_WITH(tests::read(wrong), Catch::Contains("interval_s") && Catch::Contains("At letter 13"));
    wrong["devices"][1]["interval_s"] = "exponential 0.01";
    CHECK_THROWS_WITH(tests::read(wrong), Catch::Contains("has a mean of 0.01; from 0.05"));
}

TEST_CASE("scatter: parts lie beside the middle and turned, within what is said, and stay so along the belt") {
    const Long l =
        until(line({{"interval_s", 0.5}, {"scatter_mm", 15}, {"scatter_deg", 20}}, {{"process_s", 0.01}}), 60);
    double widest = 0, most = 0;
    for (std::size_t p = 0; p + 3 < l.trace().parts.size(); ++p) {
        const Place& first = l.trace().parts[p].places.front();
        const Frame here = first.at(), later = first.after(0.1);
        widest = std::max(widest, std::abs(here.translation().y()));
        most = std::max(most, std::abs(geometry::to_triple(here.linear()).z()));
        CHECK(later.translation().y() == Approx(here.translation().y()).margin(1e-12));
    }
    CHECK(widest <= 0.015);
    CHECK(widest > 0.012);
    CHECK(most <= 20 * geometry::pi / 180 + 1e-9);
    CHECK(most > 15 * geometry::pi / 180);
}
