// Filling lines against a clock that ticks: an arm fills trays that a stop holds, stations take them over, fail, are
// repaired and change over. And: a run that keeps nothing of what was goes on as one that keeps all.

#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "reference/fixed_step.h"
#include "support/cells.h"
#include "support/instants.h"
#include "support/random_cells.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

struct Line {
    tests::Draw draw;
    json devices = json::array();

    json& add(const std::string& id, const char* kind, double x, double y, json more) {
        json d = {{"id", id}, {"name", id}, {"kind", kind}, {"placement", {{"x_mm", x}, {"y_mm", y}}}};
        d.update(more);
        devices.push_back(std::move(d));
        return devices.back();
    }
    double round(double low, double high) { return std::round(draw.in(low, high)); }
    void belt(const std::string& id, double x, double y, const std::string& to) {
        add(id, "conveyor", x, y,
            {{"length_mm", 2400}, {"width_mm", 260}, {"height_mm", 300}, {"speed_mm_s", round(120, 400)},
                {"gap_mm", draw.whole(1, 4) * 10}, {"to", to}});
    }
    void infeed(const std::string& id, const std::string& on, const char* part, double every) {
        add(id, "infeed", -1150, 0, {{"host", on}, {"to", on}, {"part_type", part}, {"interval_s", every}});
    }
    void station(const std::string& id, double x, const std::string& to) {
        json& d = add(id, "fixture", x, -450,
            {{"process_s", draw.in(1, 6)}, {"to", to}, {"length_mm", 260}, {"width_mm", 240}, {"height_mm", 300}});
        if (draw.whole(0, 1))
            d["fails_after_s"] = draw.in(8, 30), d["repair_s"] = draw.in(3, 12),
            d["fails_by"] = draw.whole(0, 1) ? "the clock" : "working time";
        if (draw.whole(0, 1)) d["change_overs"] = {{{"time_s", draw.in(1, 5)}}};
    }
    static json part(const char* id, json body, json seats) {
        json p = {{"id", id}, {"name", id}, {"mass_kg", 0.05}, {"bodies", {std::move(body)}}};
        if (!seats.is_null()) p["seats"] = std::move(seats);
        return p;
    }

    /// Plugs ride to the arm; trays of one or two types ride to a stop, are filled and go on.
    json tree() {
        const int stations = draw.whole(0, 2);
        belt("p", -300, 450, "");
        belt("t", 0, -450, stations ? "m0" : "out");
        infeed("ip", "p", "plug", draw.in(0.9, 3));
        infeed("it", "t", "tray", draw.in(4, 14));
        if (draw.whole(0, 1)) infeed("is", "t", "strip", draw.in(5, 16));
        add("s", "stop", round(700, 1050), 0, {{"host", "t"}, {"inputs", {{{"id", "open"}, {"from", "s.full"}}}}});
        if (stations > 0) station("m0", 1350, stations > 1 ? "m1" : "out");
        if (stations > 1) station("m1", 1650, "out");
        if (stations > 0)
            add("out", "outfeed", 2100, -450,
                {{"shape", "bin"}, {"length_mm", 300}, {"width_mm", 300}, {"height_mm", 200}});
        else add("out", "outfeed", 1150, 0, {{"host", "t"}, {"shape", "hood"}});
        const auto deal = [&](const char* what, const char* key, const char* with) {
            return json{{"id", what}, {"do", what}, {key, with}, {"approach_mm", 70}, {"retreat_mm", 70}};
        };
        json place = deal("place", "in", "s");
        place["on_carrier"] = true;
        add("arm", "arm", 800, 0,
            {{"model", "six900"}, {"tool", "cup"}, {"detours", false}, {"speed_pct", draw.whole(4, 10) * 10},
                {"task", {deal("pick", "from", "p"), place}}});
        const json cup = {{"id", "cup"}, {"name", "cup"}, {"mass_kg", 0.2}, {"close_s", draw.in(0.05, 0.3)},
            {"open_s", draw.in(0.05, 0.3)}, {"tool_frame", {{"at_mm", {0, 0, 80}}}},
            {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 20}, {"height_mm", 80}}}}};
        const auto seats = [](int columns, int rows) {
            return json{
                {"columns", columns}, {"rows", rows}, {"pitch_x_mm", 60}, {"pitch_y_mm", 60}, {"height_mm", 12}};
        };
        return {{"escarp", 1}, {"horizon_s", 150}, {"arm_models", cell::catalogue_arms()}, {"tool_models", {cup}},
            {"part_types", {part("plug", {{"shape", "cylinder"}, {"diameter_mm", 30}, {"height_mm", 40}}, nullptr),
                               part("tray", {{"shape", "box"}, {"size_mm", {200, 140, 20}}}, seats(3, 2)),
                               part("strip", {{"shape", "box"}, {"size_mm", {130, 80, 20}}}, seats(2, 1))}},
            {"devices", devices}};
    }
};

}  // namespace

TEST_CASE("trays that are filled at a stop, stations that fail and change over agree with a clock that ticks") {
    constexpr double horizon = 150;
    PlanCache plans;
    int differ = 0;
    std::size_t filled = 0;
    for (unsigned seed = 1; seed <= tests::rounds(200); ++seed) {
        const json tree = Line{tests::Draw(seed)}.tree();
        const auto cell = tests::read(tree);
        RunOptions o;
        o.horizon_s = horizon;
        o.stop_when_steady = false;
        const auto exact = run(*cell, plans, o);
        std::vector<double> out;
        for (const Departure& d : exact->trace.departures) out.push_back(seconds(d.when));
        filled += out.size();
        const double tolerance = 0.05, until = horizon - 1;
        bool agree = false;
        for (const double dt : {2e-3, 2e-4})
            if (!agree)
                agree = tests::apart(out, tests::FixedStep(*cell, plans, tree, dt).run(horizon).departures, until) <
                        tolerance;
        if (agree) continue;
        // Where two come at one instant the clock and the kernel may let another one be first; such cells are few.
        ++differ;
        UNSCOPED_INFO("seed " << seed);
    }
    CHECK(filled > tests::rounds(200) * 20);
    CHECK(differ <= 4);
}

TEST_CASE("a run that keeps nothing of what was goes on as one that keeps all") {
    PlanCache plans;
    for (unsigned seed = 1; seed <= 60; ++seed) {
        const json tree = seed % 2 ? Line{tests::Draw(seed)}.tree() : tests::RandomCell(seed).tree();
        const auto cell = tests::read(tree);
        RunOptions o;
        o.stop_when_steady = seed % 3 != 0;
        const auto whole = run(*cell, plans, o);
        o.history = History::none;
        const auto bare = run(*cell, plans, o);
        INFO("seed " << seed);
        CHECK(bare->trace.blocks.empty());
        CHECK(bare->trace.end == whole->trace.end);
        CHECK(bare->stuck == whole->stuck);
        REQUIRE(bare->trace.departures.size() == whole->trace.departures.size());
        for (std::size_t i = 0; i < whole->trace.departures.size(); ++i) {
            CHECK(bare->trace.departures[i].when == whole->trace.departures[i].when);
            CHECK(bare->trace.departures[i].part == whole->trace.departures[i].part);
        }
        CHECK(bare->trace.rounds == whole->trace.rounds);
        CHECK(bare->trace.conditions == whole->trace.conditions);
        CHECK(bare->steady.has_value() == whole->steady.has_value());
        if (whole->steady) CHECK(bare->steady->period == whole->steady->period);
        for (std::size_t i = 0; i < whole->trace.signals.size(); ++i)
            CHECK(bare->trace.signals[i].changes.back().second == whole->trace.signals[i].changes.back().second);
        CHECK(bare->trace.faults.size() == whole->trace.faults.size());
    }
}
