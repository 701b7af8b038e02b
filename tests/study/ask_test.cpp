#include <catch2/catch.hpp>

#include <atomic>
#include <cmath>
#include <filesystem>
#include <set>

#include <inspection/people.h>
#include <study/ask.h>
#include <study/gains.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using study::Answered;

namespace {

cell::Layout demo(const std::string& variant = "B") { return simulation::layout(tests::demo(), variant); }

cell::Study sweep(const std::string& at, double from, double to, int steps) {
    cell::Study s;
    s.id = "s";
    s.vary = {{at, from, to, steps}};
    s.look_at = {"cycle_s"};
    return s;
}

Answered asked(const cell::Layout& layout, const cell::Study& study, study::AskOptions options = {}) {
    inspection::Cache cache;
    return study::ask(layout, study, cache, options);
}

/// Everything that was found, to the last bit.
std::string bits(const Answered& a) {
    json out = json::array();
    for (const study::Tried& t : a.tried) out.push_back({t.point, t.found.runs, t.refused, t.lacks});
    out.push_back({a.now.found.runs, a.best, a.front});
    return out.dump();
}

cell::Study small_search() {
    cell::Study s;
    s.id = "q";
    s.asks = cell::Study::Asks::search;
    s.vary = {{"/devices/pedestal1/placement/x_mm", 1400, 1700}, {"/devices/tester/placement/y_mm", 620, 760}};
    s.look_at = {"cycle_s", "clearance_mm"};
    s.tries = 40, s.starts = 3;
    return s;
}

}  // namespace

TEST_CASE("a sweep: every point is what the same edit makes of the cell") {
    cell::Study s = sweep("/devices/pedestal1/placement/x_mm", 1400, 1700, 4);
    s.look_at = {"cycle_s", "clearance_mm", "reach_margin_mm", "travel_m"};
    s.keep = {{"reach_margin_mm", 100.0, std::nullopt}};
    const Answered a = asked(demo(), s);
    REQUIRE(a.tried.size() == 4);
    inspection::Cache cache;
    for (const study::Tried& t : a.tried) {
        const auto e = study::evaluate(demo().edited(study::edit_of(demo(), s, t.point)), cache);
        CHECK(t.figure("cycle_s") == *e->figures.cycle_s);
        CHECK(t.figure("clearance_mm") == 1e3 * *e->figures.clearance_m);
        CHECK(t.figure("reach_margin_mm") == 1e3 * *e->figures.least_margin_m);
        CHECK(t.figure("travel_m") == *e->figures.travel_m);
        CHECK(t.keeps == (*e->figures.least_margin_m >= 0.1));
    }
    REQUIRE(a.best >= 0);
    for (const study::Tried& t : a.tried)
        if (t.keeps) CHECK(t.figure("cycle_s") >= a.tried[a.best].figure("cycle_s"));
    CHECK(std::any_of(a.tried.begin(), a.tried.end(), [](const study::Tried& t) { return !t.keeps; }));
    CHECK(study::in_words(a).find("points do not keep what is demanded") != std::string::npos);
    CHECK(a.now.figure("cycle_s") == *study::evaluate(demo(), cache)->figures.cycle_s);
    // None of the front is beaten, everything else is.
    for (std::size_t i = 0; i < a.tried.size(); ++i) {
        if (!a.tried[i].keeps) continue;
        const bool in_front = std::find(a.front.begin(), a.front.end(), static_cast<int>(i)) != a.front.end();
        bool beaten = false;
        for (const study::Tried& o : a.tried)
            beaten = beaten || (o.keeps && o.figure("cycle_s") <= a.tried[i].figure("cycle_s") &&
                                   o.figure("clearance_mm") >= a.tried[i].figure("clearance_mm") &&
                                   o.figure("reach_margin_mm") >= a.tried[i].figure("reach_margin_mm") &&
                                   o.figure("travel_m") <= a.tried[i].figure("travel_m") &&
                                   (o.figure("cycle_s") < a.tried[i].figure("cycle_s") ||
                                       o.figure("clearance_mm") > a.tried[i].figure("clearance_mm") ||
                                       o.figure("reach_margin_mm") > a.tried[i].figure("reach_margin_mm") ||
                                       o.figure("travel_m") < a.tried[i].figure("travel_m")));
        CHECK(in_front == !beaten);
    }
}

TEST_CASE("every figure can be asked for alone, and is the same as in company") {
    cell::Study all = sweep("/devices/pedestal1/placement/x_mm", 1450, 1650, 2);
    all.look_at.clear();
    for (const study::Measure& m : study::measures()) all.look_at.push_back(m.id);
    const Answered together = asked(demo(), all);
    for (const study::Measure& m : study::measures()) {
        cell::Study one = all;
        one.look_at = {m.id};
        const Answered alone = asked(demo(), one);
        for (std::size_t i = 0; i < 2; ++i) {
            INFO(m.id);
            CHECK(alone.tried[i].found.values(m.id) == together.tried[i].found.values(m.id));
        }
    }
}

TEST_CASE("grids, lists, orders and even points make the points that they say") {
    cell::Study s = sweep("/devices/pedestal1/placement/x_mm", 1000, 2000, 3);
    s.vary.push_back({"/devices/arm1/model", 0, 0, 0, {"six900", "six700"}});
    const auto plan = study::plan_of(demo(), s);
    REQUIRE(plan.size() == 6);
    CHECK(plan[0] == study::Point{1000.0, "six900"});
    CHECK(plan[1] == study::Point{1000.0, "six700"});
    CHECK(plan[5] == study::Point{2000.0, "six700"});
    cell::Study orders;
    orders.vary = {{"/devices/arm1/task", 0, 0, 0, {}, true}};
    const cell::Layout whole = demo();
    REQUIRE(cell::find(whole.tree(), "/devices/arm1/task")->size() == 8);
    CHECK_THROWS_AS(study::plan_of(whole, orders), cell::InputError);
    orders.vary = {{"/tool_models", 0, 0, 0, {}, true}, {"/arm_models", 0, 0, 0, {}, true}};
    std::size_t all = 1;
    for (const char* at : {"/tool_models", "/arm_models"})
        for (std::size_t n = cell::find(whole.tree(), at)->size(); n > 1; --n) all *= n;
    CHECK(study::plan_of(whole, orders).size() == all);
    cell::Study even = sweep("/devices/pedestal1/placement/x_mm", 1000, 2000, 3);
    even.evenly = true, even.points = 31;
    const auto points = study::plan_of(demo(), even);
    REQUIRE(points.size() == 31);
    std::set<double> values;
    for (const study::Point& p : points) values.insert(p[0].get<double>());
    CHECK(values.size() == 31);
    CHECK(*values.begin() == Approx(1031.25));
    cell::Study many = sweep("/devices/pedestal1/placement/x_mm", 0, 1, 10000);
    many.vary.push_back(many.vary[0]);
    CHECK_THROWS_AS(study::plan_of(demo(), many), cell::InputError);
}

TEST_CASE("what was run is found again; shards merged are one run, bit for bit, whatever their order or repeats") {
    cell::Study s = sweep("/devices/marker/process_s", 1, 3, 5);
    s.look_at = {"cycle_s", "inside_s"};
    s.repetitions = 6;
    const cell::Layout layout = demo("D");
    tests::Folder folder;
    study::AskOptions options;
    study::Results whole(folder / "whole.results");
    options.results = &whole;
    const Answered once = asked(layout, s, options);
    CHECK(once.runs == 36);
    CHECK(once.tried[0].found.runs.size() == 6);
    const Answered again = asked(layout, s, options);
    CHECK(again.runs == 0);
    CHECK(again.kept_runs == 36);
    CHECK(bits(again) == bits(once));
    CHECK(bits(asked(layout, s)) == bits(once));
    for (const std::size_t shards : {2u, 3u, 8u}) {
        for (std::size_t i = 0; i < shards; ++i) {
            study::Results own(folder / (std::to_string(shards) + "-" + std::to_string(i)));
            study::AskOptions mine;
            mine.results = &own, mine.shard = i, mine.shards = shards;
            asked(layout, s, mine);
        }
        study::Results merged(folder / ("merged" + std::to_string(shards)));
        study::AskOptions shown;
        shown.results = &merged, shown.only_found = true;
        // One is lost: that is seen, and only that is run again.
        for (std::size_t i = shards; i-- > 1;)
            merged.merge(folder / (std::to_string(shards) + "-" + std::to_string(i)));
        CHECK(merged.merge(folder / (std::to_string(shards) + "-1")) == 0);
        CHECK_FALSE(asked(layout, s, shown).whole);
        merged.merge(folder / (std::to_string(shards) + "-0"));
        const Answered all = asked(layout, s, shown);
        CHECK(all.whole);
        CHECK(all.runs == 0);
        CHECK(bits(all) == bits(once));
    }
}

TEST_CASE("a search goes on to the same bits from wherever it was stopped, and in shards") {
    const cell::Layout layout = demo();
    const cell::Study s = small_search();
    const std::string whole = bits(asked(layout, s));
    tests::Folder folder;
    tests::Draw draw(3);
    study::Results results(folder / "stopped.results");
    std::string found;
    for (int stops = 0; found.empty();) {
        study::AskOptions options;
        options.results = &results;
        motion::StopFlag stop{false};
        options.how.stop = &stop;
        std::atomic<int> left = draw.whole(1, 12);
        options.progress = [&](double, const study::Tried&) {
            if (--left == 0 && stops < 4) stop = true;
        };
        try {
            found = bits(asked(layout, s, options));
        } catch (const inspection::Cancelled&) {
            ++stops;
            results.write();
        }
    }
    CHECK(found == whole);
    for (std::size_t i = 0; i < 2; ++i) {
        study::Results own(folder / std::to_string(i));
        study::AskOptions mine;
        mine.results = &own, mine.shard = i, mine.shards = 2;
        asked(layout, s, mine);
    }
    study::Results merged(folder / "merged");
    merged.merge(folder / "1");
    merged.merge(folder / "0");
    study::AskOptions shown;
    shown.results = &merged, shown.only_found = true;
    CHECK(bits(asked(layout, s, shown)) == whole);
}

TEST_CASE("a search finds the place that a dense scan finds") {
    const cell::Layout layout = demo();
    cell::Study dense = sweep("/devices/pedestal1/placement/x_mm", 1400, 1700, 61);
    cell::Study search = dense;
    search.asks = cell::Study::Asks::search;
    search.tries = 60, search.starts = 2;
    const Answered scan = asked(layout, dense), found = asked(layout, search);
    REQUIRE(scan.best >= 0);
    REQUIRE(found.best >= 0);
    CHECK(found.tried[found.best].figure("cycle_s") <= 1.005 * scan.tried[scan.best].figure("cycle_s"));
    CHECK(std::abs(found.tried[found.best].point[0].get<double>() - scan.tried[scan.best].point[0].get<double>()) <= 5);
    for (const study::Tried& t : found.tried) {
        CHECK(t.point[0].get<double>() >= 1400);
        CHECK(t.point[0].get<double>() <= 1700);
    }
}

namespace {

/// An arm that brings parts from one tray to another, both at the same distance from the plane x = 0, across which its
/// own build is the same: whatever holds with its base at x holds at -x.
json two_at_equal_distance() {
    json cell = tests::demo().resolved("A");
    const json arm = tests::device(cell, "arm1"), pedestal = tests::device(cell, "pedestal1");
    const auto tray = [](const char* id, const char* use, double x) {
        return json{{"id", id}, {"name", id}, {"kind", "tray"}, {"use", use}, {"part_type", "housing"},
            {"placement", {{"x_mm", x}, {"y_mm", 620}, {"z_mm", 600}}}, {"pitch_x_mm", 200}, {"pitch_y_mm", 200},
            {"exchange_s", 0.6}};
    };
    cell["studies"] = json::array();
    cell["devices"] = {tray("left", "supply", -480), tray("right", "collect", 480), pedestal, arm};
    json& base = cell["devices"][2]["placement"];
    base["x_mm"] = 60, base["y_mm"] = 0;
    json& mover = cell["devices"][3];
    mover["placement"]["turn_deg"] = 90;
    mover["task"] = {{{"id", "take"}, {"do", "pick"}, {"from", "left"}, {"approach_mm", 120}},
        {{"id", "bring"}, {"do", "place"}, {"in", "right"}, {"approach_mm", 120}}};
    return cell;
}

}  // namespace

TEST_CASE("a search finds the place that follows from symmetry") {
    json tree = two_at_equal_distance();
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const std::string x = "/devices/pedestal1/placement/x_mm";
    cell::Study scan = sweep(x, -120, 120, 49);
    scan.look_at = {"cycle_s", "reach_margin_mm"};
    const Answered all = asked(layout, scan);
    for (std::size_t i = 0; i < all.tried.size(); ++i) {
        const study::Tried &here = all.tried[i], &there = all.tried[all.tried.size() - 1 - i];
        CHECK(here.figure("cycle_s") == Approx(there.figure("cycle_s")).margin(2e-4));
        CHECK(here.figure("reach_margin_mm") == Approx(there.figure("reach_margin_mm")).margin(0.5));
    }
    // Off the middle on purpose: neither the middle of the range nor where it stands now is the answer.
    cell::Study search = sweep(x, -110, 150, 2);
    search.asks = cell::Study::Asks::search;
    search.tries = 60, search.starts = 2;
    const auto found = [&](const char* figure) {
        search.look_at = {figure};
        const Answered a = asked(layout, search);
        REQUIRE(a.best >= 0);
        return std::pair(a.tried[a.best].point[0].get<double>(), a.tried[a.best].figure(figure));
    };
    // Both trays are equally far from the middle: that is where the least margin of the two is greatest.
    const auto [middle, margin] = found("reach_margin_mm");
    CHECK(std::abs(middle) <= 5);
    CHECK(margin >= all.tried[24].figure("reach_margin_mm") - 0.5);
    // The least cycle comes twice, to either side.
    const auto [either, cycle] = found("cycle_s");
    const double best = all.tried[all.best].point[0].get<double>();
    CHECK(std::abs(std::abs(either) - std::abs(best)) <= 5);
    CHECK(cycle <= 1.005 * all.tried[all.best].figure("cycle_s"));
}

TEST_CASE("what cannot be asked is refused with the place; what makes no cell is told and the rest goes on") {
    const auto refused = [](cell::Study s, const std::string& where, const std::string& words) {
        try {
            asked(demo(), s);
            FAIL("not refused");
        } catch (const cell::InputError& e) {
            CHECK(e.problems().front().where == where);
            CHECK(e.problems().front().message.find(words) != std::string::npos);
        }
    };
    refused(sweep("/devices/pedestal9/placement/x_mm", 0, 1, 3), "vary/0/at", "is not in the cell");
    refused(sweep("/devices/arm1/model", 0, 1, 3), "vary/0/at", "is no number");
    cell::Study s = sweep("/devices/tester/process_s", 1, 2, 3);
    s.look_at = {"cycel_s"};
    refused(s, "look_at", "is not a figure; there are cycle_s");
    s.look_at.clear();
    s.keep = {{"reach", 1.0, std::nullopt}};
    refused(s, "keep/0/figure", "is not a figure");
    s.keep.clear();
    s.repetitions = 100'000;
    refused(s, "repetitions", "That makes 300000 runs");
    s.repetitions = 1;
    s.vary.clear();
    refused(s, "vary", "Something to vary");
    refused(sweep("/devices/tester/process_s", -20, -10, 3), "vary", "None of these values makes a cell");
    const Answered some = asked(demo(), sweep("/devices/infeed_belt/speed_mm_s", -100, 200, 4));
    CHECK_FALSE(some.tried[0].refused.empty());
    CHECK(some.tried[3].keeps);
    CHECK(some.best >= 0);
}

TEST_CASE("shared zones and the distance to people are figures too; what takes long is looked for only where asked") {
    const cell::Layout layout = demo();
    study::Results results("");
    study::AskOptions kept;
    kept.results = &results;
    cell::Study s = sweep("/devices/pedestal1/placement/x_mm", 1480, 1500, 2);
    s.look_at = {"cycle_s", "clearance_mm"};
    const Answered plain = asked(layout, s, kept);
    CHECK_FALSE(plain.tried[0].has("zones_open"));
    s.look_at = {"cycle_s", "zones_open"};
    const Answered with = asked(layout, s, kept);
    CHECK(with.runs == 3);  // the cell as it is, too
    CHECK(with.tried[1].figure("zones_open") == 1);
    CHECK(with.tried[1].has("clearance_mm"));  // what was known before stays known
    CHECK(asked(layout, s, kept).runs == 0);
    s.look_at = {"clearance_mm"};
    CHECK(asked(layout, s, kept).runs == 0);

    // Nobody is kept away by what is not there; a light curtain in front of Arm 1 has so much to spare as its finding
    // says, and moving it outward gives that much more.
    s.look_at = {"people_spare_mm"};
    CHECK(asked(layout, s, kept).now.has("people_spare_mm"));  // the demo's guard
    const cell::Layout open = layout.edited({"", {cell::Operation::remove("/devices/guard")}});
    CHECK_FALSE(asked(open, s, kept).now.has("people_spare_mm"));
    json tree = open.tree();
    tree["devices"].push_back({{"id", "curtain"}, {"name", "Curtain"}, {"kind", "light_curtain"},
        {"placement", {{"x_mm", 1500}, {"y_mm", -1500}}}, {"length_mm", 2000}, {"height_mm", 1500},
        {"detection_mm", 30}, {"response_s", 0.08}});
    const auto spare = [&](double y) {
        tests::device(tree, "curtain")["placement"]["y_mm"] = y;
        inspection::Cache cache;
        return study::one_run(tests::read(tree), study::measures_of({"people_spare_mm"}, ""), 0, cache)
            .figures.at("people_spare_mm");
    };
    const double here = spare(-1500);
    CHECK(spare(-1600) == Approx(here + 100).margin(1));
    inspection::Cache cache;
    const auto e = study::judge(tests::read(tree), cache, {});
    double least = 1e300;
    for (const auto& g : inspection::judge_guards(*e.cell, *e.run, cache)) least = std::min(least, -g.missing());
    CHECK(spare(-1600) == Approx(1e3 * least).margin(1e-6));
}

TEST_CASE("results: another version, something else, a damaged file and a full disk are told; nothing is mixed up") {
    tests::Folder folder;
    const auto says = [](const std::string& file, const std::string& words) {
        try {
            study::Results r(file);
            FAIL("taken");
        } catch (const cell::InputError& e) {
            CHECK(e.problems().front().message.find(words) != std::string::npos);
        }
    };
    says(folder.write("text", std::string(4096, 'x')), "not a file of results");
    says(folder / "no/such/folder/r", "cannot be opened");
    study::Outcome o;
    o.looked = 1, o.run.figures = {{"cycle_s", 1.0 / 3}, {"inside_s", 1e-300}};
    {
        study::Results r(folder / "r");
        r.keep({"c", "p", 7}, o);
        r.keep({"c", "p", 8}, o);
        CHECK(r.find({"c", "p", 7})->run.figures == o.run.figures);
        CHECK_FALSE(r.find({"c", "p", 9}));
        CHECK_FALSE(r.find({"d", "p", 7}));
    }
    study::Results r(folder / "r");
    CHECK(r.count("c") == 2);
    CHECK(r.find({"c", "p", 8})->run.figures == o.run.figures);
    // Figures that are not the same are not merged.
    o.run.figures["cycle_s"] = 0.4;
    {
        study::Results other(folder / "other");
        other.keep({"c", "p", 7}, o);
        other.keep({"c", "new", 0}, o);
    }
    CHECK_THROWS_AS(r.merge(folder / "other"), cell::InputError);
    CHECK(r.count() == 2);
    CHECK_THROWS_AS(r.merge(folder / "not there"), cell::InputError);
    CHECK_FALSE(std::filesystem::exists(folder / "not there"));
    // A cell is known by what figures depend on, and by nothing else.
    const cell::Layout layout = simulation::layout(tests::demo(), "A");
    const cell::Layout renamed =
        layout.edited({"", {cell::Operation::set("/name", "Another name"), cell::Operation::remove("/studies")}});
    CHECK(renamed.tree() != layout.tree());
    CHECK(renamed.content() == layout.content());
    const cell::Layout slower = renamed.edited({"", {cell::Operation::set("/devices/tester/process_s", 6.6)}});
    CHECK(slower.content() != layout.content());
}

TEST_CASE("what a second is worth where chance has a say comes with what it may be out by") {
    const cell::Layout layout =
        simulation::layout(tests::demo(), "D").edited({"", {cell::Operation::set("/horizon_s", 600)}});
    inspection::Cache cache;
    const study::Gains g = study::gains(layout, cache);
    const auto of = [&](const std::string& at) -> const study::Gain& {
        return *std::find_if(g.all.begin(), g.all.end(), [&](const study::Gain& one) { return one.at == at; });
    };
    // The plain way: ten runs with the same draws before and after, paired.
    const auto cycle = study::measures_of({"cycle_s"}, "");
    const cell::Layout quicker = layout.edited({"", {cell::Operation::set("/devices/marker/process_s", 1.4)}});
    std::vector<double> falls;
    for (std::size_t i = 0; i < 10; ++i)
        falls.push_back(study::one_run(layout.shared_cell(), cycle, i, cache).figures.at("cycle_s") -
                        study::one_run(quicker.shared_cell(), cycle, i, cache).figures.at("cycle_s"));
    const study::Estimate plain = study::estimate(falls);
    const study::Gain& marker = of("/devices/marker/process_s");
    CHECK(*marker.shorter_s == Approx(plain.mean).margin(1e-6));
    CHECK(marker.shorter_out_s == Approx(*plain.half_width()).margin(1e-6));
    // Some are told from nothing, some are not, and those that are stand first.
    CHECK(g.all.front().told());
    CHECK(std::any_of(g.all.begin(), g.all.end(), [](const study::Gain& one) { return !one.told(); }));
    CHECK(std::is_partitioned(g.all.begin(), g.all.end(), [](const study::Gain& one) { return one.told(); }));
}

TEST_CASE("what a second is worth is what the cycle falls by when it is taken away") {
    const cell::Document d = tests::demo();
    inspection::Cache cache;
    const cell::Layout layout = simulation::layout(d, "A");
    const study::Gains g = study::gains(layout, cache);
    const double base = *study::evaluate(layout, cache)->figures.cycle_s;
    CHECK(g.cycle_s == base);
    const auto of = [&](const std::string& at) -> const study::Gain& {
        return *std::find_if(g.all.begin(), g.all.end(), [&](const study::Gain& one) { return one.at == at; });
    };
    const auto cycle_with = [&](const std::string& at, double value) {
        return *study::evaluate(layout.edited({"", {cell::Operation::set(at, value)}}), cache)->figures.cycle_s;
    };
    for (const std::string at :
        {"/devices/marker/process_s", "/devices/tester/process_s", "/tool_models/jaw120/close_s"}) {
        const double now = *cell::find(layout.tree(), at);
        CHECK(*of(at).shorter_s == Approx(base - cycle_with(at, now - 0.1)).margin(1e-6));
        CHECK(of(at).quicker_s == Approx(base - cycle_with(at, now / 1.1)).margin(1e-6));
        CHECK(of(at).takes_s == now);
    }
    const std::string belt = "/devices/infeed_belt/speed_mm_s";
    CHECK(of(belt).quicker_s == Approx(base - cycle_with(belt, 165)).margin(1e-6));
    CHECK_FALSE(of(belt).shorter_s);
    // A step whose whole time is on the longest chain, in every part: a tenth of a second is a tenth of a second.
    const auto most = std::max_element(g.all.begin(), g.all.end(), [](const auto& a, const auto& b) {
        return a.shorter_s.value_or(-1) * (a.step >= 0) < b.shorter_s.value_or(-1) * (b.step >= 0);
    });
    CHECK(most->words.find("Arm 2: ") == 0);
    CHECK(*most->shorter_s == Approx(0.1).margin(1e-3));
    CHECK(std::is_sorted(g.all.begin(), g.all.end(), [](const auto& a, const auto& b) {
        return std::max(a.shorter_s.value_or(0), a.quicker_s) > std::max(b.shorter_s.value_or(0), b.quicker_s);
    }));
    REQUIRE(g.next);
    CHECK(g.next->after_s > 0.1);
    CHECK(g.next->cycle_s < base);
    json stuck = d.resolved("A");
    tests::device(stuck, "infeed")["interval_s"] = 100000;
    const cell::Document none = cell::Document::parse(stuck.dump());
    CHECK_THROWS_AS(study::gains(simulation::layout(none, none.baseline()), cache), cell::InputError);
}

TEST_CASE("a sensitivity: what has no say moves nothing, what has one does") {
    cell::Study s = sweep("/devices/marker/process_s", 1, 4, 2);
    s.asks = cell::Study::Asks::sensitivity;
    s.vary.push_back({"/devices/cabinet/height_mm", 700, 1500});
    s.points = 4;
    const Answered a = asked(demo("A"), s);
    REQUIRE(a.tried.size() == 12);
    REQUIRE(a.influences.size() == 2);
    CHECK(a.influences[0].strength > 0.5);
    CHECK(a.influences[1].strength == Approx(0).margin(1e-9));
    CHECK(study::in_words(a).find("hangs most on Marker process time") != std::string::npos);
}
