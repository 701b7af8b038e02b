// Cameras and distance sensors, and sensors that look now and then.

#include <catch2/catch.hpp>
#include <cmath>

#include <inspection/inspect.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;
using tests::device;

namespace {

/// Blocks of 60 x 60 x 50 ride by at 200 mm/s; the belt's middle is the origin, its top 800 mm high.
json passing_by(json sensor, double every = 3) {
    json tree = tests::belt_cell(every, 200, 2000, 20);
    sensor.update({{"id", "s"}, {"name", "s"}, {"host", "belt"}});
    tree["devices"].push_back(std::move(sensor));
    device(tree, "in")["placement"] = {{"x_mm", -900}};
    device(tree, "out")["placement"] = {{"x_mm", 900}};
    tree["horizon_s"] = 60;
    return tree;
}
struct Seen {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const Run> run;
    const SignalRecord& signal(const char* name) const {
        const SignalRecord* s = run->trace.signal(std::string("s.") + name);
        REQUIRE(s);
        return *s;
    }
    Vector3 part(int nth, Ticks t) const {
        Frame at;
        REQUIRE(run->trace.part_frame(*cell, nth, t, at));
        return at.translation();
    }
};
Seen look(const json& tree) {
    PlanCache plans;
    Seen s{tests::read(tree), nullptr};
    RunOptions options;
    options.stop_when_steady = false;
    s.run = run(*s.cell, plans, options);
    return s;
}
json camera(double every, double latency) {
    return {{"kind", "camera"}, {"near_mm", 200}, {"depth_mm", 500}, {"angle_x_deg", 40}, {"angle_y_deg", 30},
        {"every_s", every}, {"latency_s", latency}, {"placement", {{"x_mm", 0}, {"z_mm", 600}}}};
}

}  // namespace

TEST_CASE("a camera sees a part whose origin is in its pyramid, at its next picture, and tells so later") {
    for (const auto& [every, latency] : {std::pair{0.1, 0.0}, {0.25, 0.17}, {0.04, 0.5}}) {
        const Seen s = look(passing_by(camera(every, latency)));
        const SignalRecord& sees = s.signal("sees");
        // 600 mm below the camera the field is 600 tan(20 deg) to either side of its axis.
        const double half = 0.6 * std::tan(20 * geometry::pi / 180);
        int checked = 0;
        for (const auto& [when, on] : sees.changes) {
            if (when == 0) continue;
            const Ticks taken = when - ticks(latency);
            REQUIRE(taken % ticks(every) == 0);
            // At that picture some part is within, or none; at the picture before it was the other way.
            const auto within = [&](Ticks t) {
                for (std::size_t p = 0; p < s.run->trace.parts.size(); ++p) {
                    Frame at;
                    if (s.run->trace.part_frame(*s.cell, static_cast<int>(p), t, at) &&
                        std::abs(at.translation().x()) <= half + 1e-7)
                        return true;
                }
                return false;
            };
            REQUIRE(within(taken) == (on != 0));
            REQUIRE(within(taken - ticks(every)) == (on == 0));
            ++checked;
        }
        REQUIRE(checked > 20);
    }
}

TEST_CASE("a camera knows types, leaves out what is hidden, and judges a share as rejects") {
    json tree = passing_by(camera(0.05, 0.1));
    json other = tree["part_types"][0];
    other["id"] = "other", other["name"] = "other";
    tree["part_types"].push_back(other);
    device(tree, "s")["knows"] = {"other"};
    REQUIRE(look(tree).signal("sees").changes.size() == 1);  // never on
    device(tree, "in")
        .update({{"mix", {{{"part_type", "block60"}, {"share", 1}}, {{"part_type", "other"}, {"share", 1}}}},
            {"mixed", "in turn"}});
    const std::size_t half = look(tree).signal("sees").changes.size();
    device(tree, "s").erase("knows");
    const std::size_t all = look(tree).signal("sees").changes.size();
    REQUIRE(half > 8);
    REQUIRE(std::abs(static_cast<double>(all) - 2.0 * static_cast<double>(half)) < 4);
    // A roof between.
    tree["devices"].push_back({{"id", "roof"}, {"name", "roof"}, {"kind", "structure"}, {"length_mm", 700},
        {"width_mm", 500}, {"height_mm", 20}, {"placement", {{"x_mm", 0}, {"y_mm", 0}, {"z_mm", 1000}}}});
    REQUIRE(look(tree).signal("sees").changes.size() == all);
    device(tree, "s")["hides"] = true;
    REQUIRE(look(tree).signal("sees").changes.size() == 1);

    json judged = passing_by(camera(0.05, 0.1), 1);
    judged["horizon_s"] = 1500;
    device(judged, "s")["reject_pct"] = 30;
    const Seen s = look(judged);
    int rejects = 0, parts = 0;
    for (const PartRecord& p : s.run->trace.parts) {
        if (p.results.empty()) continue;
        REQUIRE(p.results.size() == 1);
        ++parts, rejects += p.results.front().second == "reject";
    }
    REQUIRE(parts > 1300);
    REQUIRE(rejects == Approx(0.3 * parts).margin(4 * std::sqrt(0.21 * parts)));
}

TEST_CASE("a distance sensor tells how far it is to what comes, and near once it is") {
    // At the belt's end it looks back along it, 30 mm above its top.
    json tree = passing_by({{"kind", "distance_sensor"}, {"range_mm", 900}, {"near_mm", 300}, {"every_s", 0.05},
        {"beam_height_mm", 30}, {"placement", {{"x_mm", 725}, {"turn_deg", 180}}}});
    const Seen s = look(tree);
    const SignalRecord& distance = s.signal("distance");
    const SignalRecord& near = s.signal("near");
    int checked = 0;
    for (const auto& [when, value] : distance.changes) {
        if (when < second || value > 890 || value < 1) continue;  // below 1: a block is under it
        double least = 0.9;
        for (std::size_t p = 0; p < s.run->trace.parts.size(); ++p) {
            Frame at;
            if (!s.run->trace.part_frame(*s.cell, static_cast<int>(p), when, at)) continue;
            const double gap = 0.725 - (at.translation().x() + 0.03);  // from the middle of its head
            if (gap > 0) least = std::min(least, gap);
        }
        REQUIRE(value == Approx(1e3 * least).margin(0.05));
        REQUIRE((near.at(when) != 0) == (value < 300));
        ++checked;
    }
    REQUIRE(checked > 200);
    // What always stands there is what it measures when nothing comes.
    device(tree, "in")["interval_s"] = 1000;
    tree["devices"].push_back({{"id", "wall"}, {"name", "wall"}, {"kind", "structure"}, {"length_mm", 20},
        {"width_mm", 400}, {"height_mm", 1200}, {"placement", {{"x_mm", 300}, {"y_mm", 0}}}});
    REQUIRE(look(tree).signal("distance").changes.front().second == Approx(415).margin(0.05));
}

TEST_CASE("a beam that looks now and then misses what passes between, and is on at whole intervals") {
    const json beam = {
        {"kind", "beam"}, {"span_mm", 260}, {"beam_height_mm", 30}, {"update_s", 0.2}, {"placement", {{"x_mm", 0}}}};
    const Seen s = look(passing_by(beam));
    for (const auto& [when, on] : s.signal("made").changes) REQUIRE(when % (second / 5) == 0);
    REQUIRE(s.signal("made").changes.size() > 20);
    json slow = beam;
    slow["update_s"] = 0.7;  // a block is in it for 0.3 s
    const std::size_t seen = look(passing_by(slow)).signal("made").changes.size();
    REQUIRE(seen > 4);
    REQUIRE(seen < s.signal("made").changes.size());
}

TEST_CASE("the noise of a camera against what a grip bears: the share of picks that miss") {
    const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/tests/cases/everything.escarp");
    json tree = json::parse(d.text());
    json& puck = tree["part_types"][0];
    for (json& one : device(tree, "arm")["task"])
        if (one["do"] == "pick") one["seen_by"] = "camera";
    const auto missed = [&](double noise, double tolerance) -> std::string {
        device(tree, "camera")["noise_mm"] = noise;
        puck["grips"][0]["tolerance_mm"] = tolerance;
        inspection::Cache cache;
        const cell::Document own = cell::Document::parse(tree.dump());
        const auto e = study::evaluate(simulation::layout(own, own.baseline()), cache, {});
        for (const inspection::Finding& f : e->inspection->findings)
            if (f.id.rfind("sight:", 0) == 0) return f.title;
        return {};
    };
    // exp(-t^2 / (2 s^2)) of the picks: 1 mm against 2 mm: 13.5 %; against 6 mm: 1.5e-8, nothing to tell.
    REQUIRE(missed(1, 2).find("13.5 %") != std::string::npos);
    REQUIRE(missed(1, 6).empty());
    REQUIRE(missed(0, 2).empty());
    // By drawing many times.
    cell::Draws draws(5, "a", "b");
    int out = 0;
    constexpr int all = 200000;
    for (int i = 0; i < all; ++i) {
        const double u = draws.next(), v = draws.next();
        const double r = std::sqrt(-2 * std::log(1 - u));
        const double x = r * std::cos(2 * geometry::pi * v), y = r * std::sin(2 * geometry::pi * v);
        out += x * x + y * y > 4;
    }
    REQUIRE(static_cast<double>(out) / all == Approx(0.1353).margin(0.003));
}

TEST_CASE("a part of several bodies is there from the first of them to the last") {
    // A tray with a rim: the beam looks over its plate, along its rims, without a gap in between.
    json tree = passing_by({{"kind", "beam"}, {"span_mm", 260}, {"beam_height_mm", 30}, {"placement", {{"x_mm", 0}}}});
    tree["part_types"][0]["bodies"] = {{{"shape", "box"}, {"size_mm", {10, 80, 50}}, {"at_mm", {-75, 0, 0}}},
        {{"shape", "box"}, {"size_mm", {160, 8, 50}}, {"at_mm", {0, 36, 0}}},
        {{"shape", "box"}, {"size_mm", {10, 80, 50}}, {"at_mm", {75, 0, 0}}}};
    const Seen s = look(tree);
    const auto& changes = s.signal("made").changes;
    int passed = 0;
    for (std::size_t i = 1; i + 1 < changes.size(); i += 2) {
        REQUIRE(changes[i].second != 0);
        REQUIRE(seconds(changes[i + 1].first - changes[i].first) == Approx(0.16 / 0.2).margin(1e-4));
        ++passed;
    }
    REQUIRE(passed > 10);
}

TEST_CASE("a cell in which a camera judges by chance is not said to recur") {
    PlanCache plans;
    json tree = passing_by(camera(0.1, 0), 2);
    tree["horizon_s"] = 400;
    REQUIRE(run(*tests::read(tree), plans, {})->steady);
    device(tree, "s")["reject_pct"] = 20;
    REQUIRE_FALSE(run(*tests::read(tree), plans, {})->steady);
}

TEST_CASE("a camera that never sees a part says why, and its way out lets it see them") {
    json unknown = passing_by(camera(0.1, 0.1));
    json other = unknown["part_types"][0];
    other["id"] = "other", other["name"] = "other";
    unknown["part_types"].push_back(other);
    device(unknown, "s")["knows"] = {"other"};
    json hidden = passing_by(camera(0.1, 0.1));
    hidden["devices"].push_back({{"id", "roof"}, {"name", "roof"}, {"kind", "structure"}, {"length_mm", 700},
        {"width_mm", 500}, {"height_mm", 20}, {"placement", {{"z_mm", 1000}}}});
    device(hidden, "s")["hides"] = true;
    json seldom = passing_by(camera(0.1, 0.1), 6);
    device(seldom, "s").update({{"every_s", 6}, {"angle_x_deg", 10}});
    device(seldom, "in")["interval_s"] = 6;
    json too_high = passing_by(camera(0.1, 0.1));
    device(too_high, "s")["depth_mm"] = 380;
    json too_low = passing_by(camera(0.1, 0.1));
    device(too_low, "s")["near_mm"] = 615;
    json beside = passing_by(camera(0.1, 0.1));
    device(beside, "s")["placement"]["y_mm"] = 400;
    json turned = beside;
    device(turned, "belt")["placement"] = {{"turn_deg", 60}, {"x_mm", 500}};
    const std::pair<json, const char*> cases[] = {{unknown, "none of a type that it knows"},
        {hidden, "something hides each of them"}, {seldom, "it looks every 6 s"}, {too_high, "20 mm farther off"},
        {too_low, "15 mm nearer"}, {beside, "beside its field of view"}, {turned, "beside its field of view"}};
    for (const auto& [tree, words] : cases) {
        INFO(words);
        const auto document = cell::Document::parse(tree.dump());
        const auto told = [](const cell::Document& d) -> std::optional<inspection::Finding> {
            const auto e = tests::evaluated(d, d.baseline());
            for (const inspection::Finding& f : e->inspection->findings)
                if (f.id == "sensor:s") return f;
            return std::nullopt;
        };
        const auto f = told(document);
        REQUIRE(f);
        INFO(f->text);
        CHECK_THAT(f->text, Catch::Contains(words));
        REQUIRE(f->ways_out.size() == 1);
        CHECK_FALSE(told(document.edited(document.baseline(), f->ways_out.front().edit)));
    }
}
