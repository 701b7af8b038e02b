#include <catch2/catch.hpp>
#include <cmath>
#include <tbb/global_control.h>

#include <cell/edits/compose.h>
#include <study/replicate.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;
using study::Estimate;

namespace {

/// A station fed at random, with a belt of ample room before it.
json queue(const std::string& feed, const std::string& process, double horizon_s) {
    return {{"escarp", 1}, {"horizon_s", horizon_s}, {"part_types", cell::catalogue_part_types()},
        {"devices",
            {{{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", 40000}, {"width_mm", 200},
                 {"height_mm", 800}, {"speed_mm_s", 2000}, {"gap_mm", 5}, {"to", "m"}},
                {{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "belt"}, {"interval_s", feed},
                    {"part_type", "block60"}, {"to", "belt"}},
                {{"id", "m"}, {"name", "M"}, {"kind", "fixture"}, {"process_s", process}, {"to", "b"},
                    {"length_mm", 200}, {"width_mm", 200}, {"height_mm", 800}, {"placement", {{"x_mm", 20200}}}},
                {{"id", "b"}, {"name", "B"}, {"kind", "conveyor"}, {"length_mm", 2000}, {"width_mm", 200},
                    {"height_mm", 800}, {"speed_mm_s", 2000}, {"gap_mm", 5}, {"to", "out"},
                    {"placement", {{"x_mm", 21500}}}},
                {{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "b"}}}}};
}

study::Replicated repeated(const std::shared_ptr<const cell::Cell>& cell, std::size_t count,
    const std::vector<std::string>& figures = {"cycle_s", "inside_s"}) {
    inspection::Cache cache;
    study::ReplicateOptions how;
    how.repetitions = count;
    return study::replicate(cell, study::measures_of(figures, ""), cache, {}, how);
}

}  // namespace

TEST_CASE("one thread or two, all at once or bit by bit: the same runs") {
    const auto cell = tests::read(queue("exponential 10", "normal 6, 2", 2000));
    study::Replicated one, two;
    {
        const tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
        one = repeated(cell, 25);
    }
    two = repeated(cell, 25);
    CHECK(one.runs == two.runs);
    CHECK(repeated(cell, 12).runs == std::vector<study::FigureValues>(one.runs.begin(), one.runs.begin() + 12));
    CHECK(one.runs[0] != one.runs[1]);
    // The first draws as the cell itself does.
    inspection::Cache cache;
    const study::OneRun alone = study::one_run(cell, study::measures_of({"cycle_s"}, ""), 0, cache);
    CHECK(alone.figures.at("cycle_s") == *study::judge(cell, cache).figures.cycle_s);
}

TEST_CASE("a cell whose state does not recur is run once all the same, if nothing in it is random") {
    json two = queue("3.1", "0.5", 120);
    const json other = queue("3.7000001", "0.5", 120);
    for (json d : other["devices"]) {
        d["id"] = d["id"].get<std::string>() + "2", d["name"] = d["name"].get<std::string>() + " 2";
        for (const char* key : {"to", "host"})
            if (d.contains(key)) d[key] = d[key].get<std::string>() + "2";
        if (d["kind"] == "conveyor" || d["kind"] == "fixture") d["placement"]["y_mm"] = 3000;
        two["devices"].push_back(d);
    }
    const auto cell = tests::read(two);
    inspection::Cache cache;
    CHECK_FALSE(study::judge(cell, cache).run->steady);
    const study::Replicated r = repeated(cell, 30);
    CHECK(r.certain);
    REQUIRE(r.runs.size() == 1);
    CHECK(r.runs[0].at("cycle_s") == *study::judge(cell, cache).figures.cycle_s);
}

TEST_CASE("a cell that leaves nothing to chance is run once; a width asked for is reached, and not much overdone") {
    CHECK(repeated(tests::read(queue("10", "6", 600)), 30).runs.size() == 1);
    CHECK(repeated(tests::read(queue("10", "6", 600)), 30).certain);
    inspection::Cache cache;
    study::ReplicateOptions how;
    how.repetitions = 1000, how.until = 0.01;
    const auto wanted = study::measures_of({"cycle_s"}, "");
    const auto cell = tests::read(queue("exponential 10", "6", 3000));
    const study::Replicated r = study::replicate(cell, wanted, cache, {}, how);
    CHECK(r.reached);
    const Estimate e = r.of("cycle_s");
    CHECK(*e.half_width() <= 0.01 * e.mean);
    REQUIRE(r.runs.size() > 10);
    std::vector<double> before = r.values("cycle_s");
    before.resize(before.size() - 10);
    CHECK(*study::estimate(before).half_width() > 0.01 * study::estimate(before).mean);
    how.repetitions = 10, how.until = 1e-4;
    CHECK_FALSE(study::replicate(cell, wanted, cache, {}, how).reached);
}

TEST_CASE("the mean cycle of a random cell is that of its slowest link: feed, or process") {
    // Renewals: parts leave as they come, or as they are done where more come than can be.
    const Estimate fed = repeated(tests::read(queue("exponential 10", "6", 3000)), 200).of("cycle_s");
    CHECK(std::abs(fed.mean - 10) < *fed.half_width(0.999));
    const Estimate bound = repeated(tests::read(queue("4", "uniform 4 to 8", 3000)), 50).of("cycle_s");
    // Entering and leaving the station takes its time, too: that of the same cell with even times.
    inspection::Cache cache;
    const double even = *study::judge(tests::read(queue("4", "6", 3000)), cache).figures.cycle_s;
    CHECK(std::abs(bound.mean - even) < std::max(*bound.half_width(0.999), 0.002 * even));
}

TEST_CASE("M/M/1: about 95 % of the intervals of ten repetitions each hold how long parts stay") {
    // Mean 1 / (mu - lambda) at the station, after a belt that takes no time to speak of.
    constexpr double horizon = 400'000;
    const auto cell = tests::read(queue("exponential 1000", "exponential 500", horizon));
    const auto wanted = study::measures_of({"inside_s"}, "");
    inspection::Cache cache;
    const simulation::Ticks from = study::warm_up_of(cell, cache);
    CHECK(from < simulation::ticks(horizon / 2));
    int held = 0;
    constexpr int intervals = 300, each = 10;
    std::vector<double> all;
    for (int i = 0; i < intervals; ++i) {
        std::vector<double> values;
        for (int j = 0; j < each; ++j)
            values.push_back(study::one_run(cell, wanted, static_cast<std::size_t>(i * each + j + 1), cache, {}, from)
                                 .figures.at("inside_s"));
        const Estimate e = study::estimate(values);
        held += e.low() <= 1000 + 21 && e.high() >= 1000 + 21;
        all.push_back(e.mean);
    }
    INFO(study::estimate(all).mean << " +- " << *study::estimate(all).half_width());
    // Skewed means in samples of ten: 2,000 of them were counted once, (docs/model.md); here with the chance of a few
    // hundred.
    CHECK(held >= 91 * intervals / 100);
    CHECK(held <= 98 * intervals / 100);
}

TEST_CASE("with the same luck a difference is known better, by what the correlation gives") {
    const auto a = repeated(tests::read(queue("exponential 10", "normal 6, 1", 3000)), 40);
    const auto b = repeated(tests::read(queue("exponential 10", "normal 7, 1", 3000)), 40);
    const Estimate paired = study::difference(a, b, "inside_s");
    const std::vector<double> x = a.values("inside_s"), y = b.values("inside_s");
    const Estimate ex = study::estimate(x), ey = study::estimate(y);
    double together = 0;
    for (std::size_t i = 0; i < x.size(); ++i) together += (x[i] - ex.mean) * (y[i] - ey.mean) / 39.0;
    const double alone = ex.deviation * ex.deviation + ey.deviation * ey.deviation;
    CHECK(paired.deviation * paired.deviation == Approx(alone - 2 * together).epsilon(1e-9));
    CHECK(together / (ex.deviation * ey.deviation) > 0.5);
    CHECK(paired.deviation * paired.deviation < 0.6 * alone);
    CHECK(paired.mean > 1);
}

TEST_CASE("ranking: what can be told apart is, what cannot says how many repetitions would") {
    const auto wanted = study::measures_of({"cycle_s"}, "");
    std::vector<study::Replicated> found;
    for (const char* process : {"normal 12, 2", "normal 9, 2", "erlang 20, 9", "9.5"})
        found.push_back(repeated(tests::read(queue("5", process, 3000)), 20));
    std::vector<const study::Replicated*> all;
    for (const auto& r : found) all.push_back(&r);
    const study::Ranking ranking = study::rank(all, *wanted[0]);
    REQUIRE(ranking.places.size() == 4);
    CHECK(ranking.places.back().which == 0);
    CHECK(ranking.places.back().told_apart);
    CHECK(ranking.places[0].which != 0);
    const auto near = std::find_if(
        ranking.places.begin() + 1, ranking.places.end(), [](const auto& p) { return p.which == 1 || p.which == 2; });
    CHECK_FALSE(near->told_apart);
    REQUIRE(near->needed);
    CHECK(*near->needed > 20);
    const std::string words = study::in_words(ranking, *wanted[0], {"slow", "one", "other", "even"});
    CHECK(words.find("cannot be told from") != std::string::npos);
    CHECK(words.find("is better than slow by 3.") != std::string::npos);
}

TEST_CASE(
    "so many runs in all go where the best may still be found, and tell it as surely as many more spread evenly") {
    std::vector<std::shared_ptr<const cell::Cell>> cells;
    for (const char* process : {"normal 9, 2", "normal 9.6, 2", "normal 12, 2", "normal 15, 2"})
        cells.push_back(tests::read(queue("5", process, 1500)));
    cells.push_back(tests::read(queue("9.9", "4", 1500)));
    inspection::Cache cache;
    const auto wanted = study::measures_of({"cycle_s"}, "");
    const auto found = study::share_runs(cells, wanted, 121, cache);
    std::size_t runs = 0;
    for (const auto& r : found) runs += r.runs.size();
    CHECK(runs == 121);
    CHECK(found[4].runs.size() == 1);  // nothing to be learned from running it again
    CHECK(found[0].runs.size() > 30);
    CHECK(found[1].runs.size() > 30);
    CHECK(found[2].runs.size() <= 10);
    CHECK(found[3].runs.size() <= 10);
    std::vector<const study::Replicated*> all;
    for (const auto& r : found) all.push_back(&r);
    CHECK(study::rank(all, *wanted[0]).places[0].which == 0);
    // The runs are those of any repetition.
    CHECK(found[0].runs[3] == repeated(cells[0], 10, {"cycle_s"}).runs[3]);
}

TEST_CASE("a cost: the prices shared among the parts, and the power while one is made") {
    json tree = queue("10", "6", 600);
    tests::device(tree, "m")["price"] = 30000;
    tests::device(tree, "belt")["price"] = 10000;
    tests::device(tree, "belt")["power_W"] = 1800;
    tree["costs"] = {{"parts_per_year", 100000}, {"years", 4}, {"per_kWh", 0.25}};
    const auto r = repeated(tests::read(tree), 1, {"price", "cost_per_part"});
    CHECK(r.of("price").mean == 40000);
    CHECK(r.of("cost_per_part").mean == Approx(40000.0 / 400000 + 1.8 * 10 / 3600 * 0.25));
    tree.erase("costs");
    CHECK(repeated(tests::read(tree), 1, {"cost_per_part"}).of("cost_per_part").count == 0);
}
