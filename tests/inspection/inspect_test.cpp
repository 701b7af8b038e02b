#include <catch2/catch.hpp>

#include <cell/model/catalogue.h>
#include <exchange/result_json.h>
#include <simulation/arm_parts.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using inspection::Severity;
using json_tree = cell::json;

namespace {

const inspection::Finding* starting(const study::Evaluation& e, const std::string& id) {
    for (const auto& f : e.inspection->findings)
        if (f.id.rfind(id, 0) == 0) return &f;
    return nullptr;
}

cell::Document edited(const cell::Document& d, const std::string& v, const std::string& at, const cell::json& value) {
    return d.edited(v, {"", {cell::Operation::set(at, value)}});
}

}  // namespace

TEST_CASE("the demo's problems are found: C cannot reach, B comes close, A misses the takt") {
    const cell::Document d = tests::demo();
    const auto a = tests::evaluated(d, "A"), b = tests::evaluated(d, "B"), c = tests::evaluated(d, "C");
    CHECK(starting(*a, "takt"));
    CHECK(a->figures.poses_reached == a->figures.poses);
    CHECK(starting(*b, "clearance:arm1:arm2"));
    CHECK(!starting(*b, "takt"));
    const auto* reach = starting(*c, "reach:arm2");
    REQUIRE(reach);
    CHECK(reach->severity == Severity::stop);
    CHECK(c->figures.poses_reached == c->figures.poses - 1);
    CHECK(!c->figures.cycle_s);
}

TEST_CASE("every way out of an unreachable pose does what it says") {
    const cell::Document d = tests::demo();
    const auto c = tests::evaluated(d, "C");
    const auto* finding = starting(*c, "reach:arm2");
    REQUIRE(finding);
    REQUIRE(finding->ways_out.size() >= 2);
    for (const inspection::WayOut& way : finding->ways_out) {
        const auto after = tests::evaluated(d.edited("C", way.edit), "C");
        CHECK(after->figures.poses_reached == after->figures.poses);
        CHECK(after->figures.cycle_s);
        // "... 60 mm in hand": the least margin of what was touched, capped at 60 in the search.
        const std::size_t at = way.effect.find(", ");
        REQUIRE(at != std::string::npos);
        const double promised = std::stod(way.effect.substr(at + 2));
        CHECK(*after->figures.least_margin_m * 1e3 >= promised - 1.5);
    }
}

TEST_CASE("the least clearance is that of looking at the whole run very often") {
    const auto b = tests::evaluated(tests::demo(), "B");
    const auto& least = b->inspection->clearance;
    REQUIRE(least.device_a >= 0);
    const cell::Device &one = b->cell->devices[least.device_a], &two = b->cell->devices[least.device_b];
    REQUIRE((one.arm && two.arm));
    const auto parts_a = simulation::arm_parts(*one.arm), parts_b = simulation::arm_parts(*two.arm);
    double sampled = 1e300, when = 0;
    std::vector<geometry::Frame> fa, fb;
    for (double t = 0; t < 60; t += 0.004) {
        const auto now = static_cast<simulation::Ticks>(t * 1e9);
        one.arm->model->mechanism.link_frames(b->run->trace.joints(*b->cell, least.device_a, now), one.world, fa);
        two.arm->model->mechanism.link_frames(b->run->trace.joints(*b->cell, least.device_b, now), two.world, fb);
        for (const auto& p : parts_a)
            for (const auto& q : parts_b) {
                const double d =
                    geometry::separation(p.shape, fa[p.frame] * p.at, q.shape, fb[q.frame] * q.at, nullptr, sampled)
                        .distance;
                if (d < sampled) sampled = d, when = t;
            }
    }
    CHECK(least.distance <= sampled + 5e-4);
    CHECK(least.distance >= sampled - 2e-3);
    // The same least distance may recur: the instant named is one of them.
    if (std::abs(least.when_s - when) > 0.02) {
        const auto now = static_cast<simulation::Ticks>(least.when_s * 1e9);
        one.arm->model->mechanism.link_frames(b->run->trace.joints(*b->cell, least.device_a, now), one.world, fa);
        two.arm->model->mechanism.link_frames(b->run->trace.joints(*b->cell, least.device_b, now), two.world, fb);
        double then = 1e300;
        for (const auto& p : parts_a)
            for (const auto& q : parts_b)
                then = std::min(
                    then, geometry::separation(p.shape, fa[p.frame] * p.at, q.shape, fb[q.frame] * q.at).distance);
        CHECK(then == Approx(least.distance).margin(1e-4));
    }
}

TEST_CASE("kept results are those of a fresh start: random edits, warm against cold") {
    cell::Document d = tests::demo();
    inspection::Cache warm;
    tests::Draw draw(81);
    const char* movable[] = {"pedestal1", "pedestal2", "tester", "marker", "rejects", "cabinet", "outfeed_belt"};
    for (int i = 0; i < 12; ++i) {
        const std::string at =
            std::string("/devices/") + movable[draw.whole(0, 6)] + "/placement/" + (draw.whole(0, 1) ? "x_mm" : "y_mm");
        const std::string variant(1, static_cast<char>('A' + draw.whole(0, 2)));
        d = edited(d, variant, at, std::round(cell::find(d.resolved(variant), at)->get<double>() + draw.in(-40, 40)));
        const auto kept = exchange::run_json(*study::evaluate(simulation::layout(d, variant), warm));
        const auto fresh = exchange::run_json(*tests::evaluated(d, variant));
        REQUIRE(kept.dump() == fresh.dump());
    }
}

TEST_CASE("something put in the way is hit, named, and excluded on purpose it is not") {
    cell::Document d = tests::demo();
    cell::json post = {{"id", "post"}, {"name", "Post"}, {"kind", "structure"}, {"shape", "box"}, {"length_mm", 60},
        {"width_mm", 60}, {"height_mm", 1500}, {"placement", {{"x_mm", 1750}, {"y_mm", 680}}}};
    d = d.edited("A", {"", {cell::Operation::add("/devices", post)}});
    const auto hit = tests::evaluated(d, "A");
    const auto* f = starting(*hit, "clearance:arm1:post");
    REQUIRE(f);
    CHECK(f->severity == Severity::stop);
    CHECK(f->title.find("hits Post") != std::string::npos);
    CHECK(*hit->figures.clearance_m == 0);
    REQUIRE(f->when_s);
    d = edited(d, "A", "/excluded_pairs", {{{"a", "arm1"}, {"b", "post"}, {"reason", "to be moved"}}});
    CHECK(!starting(*tests::evaluated(d, "A"), "clearance:arm1:post"));
}

TEST_CASE("shifting something away until the safety distance is kept does keep it") {
    cell::Document d = tests::demo();
    d = edited(d, "A", "/safety_distance_mm", 110);
    for (const char* arm : {"arm1", "arm2"}) d = edited(d, "A", std::string("/devices/") + arm + "/detours", false);
    const std::pair<const char*, double> cabinet[] = {
        {"placement/x_mm", 3050.0}, {"placement/y_mm", 450.0}, {"length_mm", 150.0}, {"width_mm", 150.0}};
    for (const auto& [key, value] : cabinet)
        d = edited(d, "A", std::string("/devices/cabinet/") + key, value);  // beside Arm 2's elbow
    const auto before = tests::evaluated(d, "A");
    int tried = 0;
    for (const auto& f : before->inspection->findings)
        for (const auto& way : f.ways_out) {
            if (f.id.rfind("clearance", 0) != 0) continue;
            ++tried;
            const auto after = tests::evaluated(d.edited("A", way.edit), "A");
            const auto* same = starting(*after, f.id);
            if (same) CHECK(same->text != f.text);
        }
    CHECK(tried > 0);
}

TEST_CASE("a part too heavy and a grip too weak are found, with the numbers") {
    const cell::Document d = tests::demo();
    const auto heavy = tests::evaluated(edited(d, "A", "/part_types/housing/mass_kg", 9.0), "A");
    CHECK(starting(*heavy, "payload:arm1"));
    CHECK(starting(*heavy, "hold:arm1"));
    const auto weak = tests::evaluated(edited(d, "A", "/tool_models/jaw120/force_N", 20), "A");
    const auto* f = starting(*weak, "hold:arm1");
    REQUIRE(f);
    CHECK(f->text.find("has 20 N") != std::string::npos);
    CHECK(!starting(*tests::evaluated(d, "A"), "hold"));
}

TEST_CASE("a beam that never switches says why, and its way out works") {
    const cell::Document d = edited(tests::demo(), "A", "/devices/b1/beam_height_mm", 94);
    const auto e = tests::evaluated(d, "A");
    const auto* f = starting(*e, "sensor:b1");
    REQUIRE(f);
    CHECK(f->text.find("4 mm above") != std::string::npos);
    REQUIRE(f->ways_out.size() == 1);
    const auto after = tests::evaluated(d.edited("A", f->ways_out.front().edit), "A");
    CHECK(!starting(*after, "sensor:b1"));
    CHECK(after->figures.cycle_s);
}

TEST_CASE("two that wait for each other are named as a standstill") {
    cell::json task = {{{"id", "w"}, {"do", "wait"}, {"signal", "arm2.at_tester"}}};
    cell::Document d = edited(tests::demo(), "A", "/devices/arm1/task", task);
    const auto e = tests::evaluated(d, "A");
    const auto* f = starting(*e, "deadlock");
    REQUIRE(f);
    CHECK(f->text.find("Arm 1 waits for a signal of Arm 2") != std::string::npos);
    CHECK(f->text.find("Arm 2 waits for a signal of Tester") != std::string::npos);
}

TEST_CASE("a cell whose arms have no closed form still gets its figures, searched for") {
    json_tree tree = tests::demo().tree();
    tree["arm_models"][0]["joints"][5]["at_mm"] = {0, 15, 0};  // the last axis passes beside the wrist centre
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["devices"][7]["task"] = json_tree::array();
    tree["devices"][4]["task"] = {
        {{"id", "p"}, {"do", "pick"}, {"from", "infeed_belt"}, {"approach_mm", 100}, {"retreat_mm", 100}},
        {{"id", "q"}, {"do", "place"}, {"in", "rejects"}, {"approach_mm", 100}, {"retreat_mm", 100}}};
    tree["devices"][9]["placement"] = {{"x_mm", 2000}, {"y_mm", 400}};
    tree["devices"][5]["placement"] = {{"x_mm", 6000}, {"y_mm", 400}};
    const auto e = tests::evaluated(cell::Document::parse(tree.dump()), "A");
    CHECK(!e->cell->devices[4].arm->solver->closed_form());
    CHECK(e->figures.poses_reached == 2);
    CHECK(e->figures.cycle_s);
    CHECK(*e->figures.least_margin_m > 0.05);
}

TEST_CASE("devices that stand in one another are told") {
    const auto e = tests::evaluated(edited(tests::demo(), "A", "/devices/cabinet/placement/x_mm", 2400), "A");
    CHECK(starting(*e, "overlap"));
    CHECK(!starting(*tests::evaluated(tests::demo(), "A"), "overlap"));
}

TEST_CASE(
    "a straight move near a singular position is found with its place, and every way out takes the time it says") {
    const auto document = [](double height) {
        json_tree arms = json_tree::array();
        for (const json_tree& m : cell::catalogue_arms())
            if (m["id"] == "six900") arms.push_back(m);
        // The tool points outward while it goes sideways: half way the wrist is nearly straight at these heights.
        const auto pose = [&](const char* id, double y) {
            return json_tree{
                {"id", id}, {"name", id}, {"relative_to", ""}, {"at_mm", {600, y, height}}, {"turn_deg", {0, 90, 0}}};
        };
        const json_tree arm = {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"},
            {"poses", {pose("left", -300), pose("right", 300)}},
            {"task", {{{"id", "s1"}, {"do", "move"}, {"pose", "left"}},
                         {{"id", "s2"}, {"do", "move"}, {"pose", "right"}, {"by", "straight"}}}}};
        json_tree tree = {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", arms}, {"devices", json_tree::array({arm})}};
        return cell::Document::parse(tree.dump());
    };
    const auto time_of_second = [](const study::Evaluation& e) {
        for (const simulation::Block& b : e.run->trace.blocks)
            if (b.step == 1 && b.to != simulation::never) return simulation::seconds(b.to - b.from);
        return -1.0;
    };
    for (const double height : {750.0, 800.0}) {  // the line cannot be followed; it can, slowly
        const cell::Document d = document(height);
        const auto e = tests::evaluated(d, d.baseline());
        const auto* f = starting(*e, height < 780 ? "task:arm:s2" : "singular:arm:s2");
        REQUIRE(f);
        CHECK(f->when_s.has_value());
        CHECK(f->text.find("%") != std::string::npos);
        REQUIRE(f->ways_out.size() >= 2);
        for (const inspection::WayOut& way : f->ways_out) {
            CAPTURE(height, way.label, way.effect);
            const auto after = tests::evaluated(d.edited(d.baseline(), way.edit), d.baseline());
            CHECK(after->run->trace.faults.empty());
            CHECK(after->figures.poses_reached == after->figures.poses);
            CHECK(time_of_second(*after) == Approx(std::stod(way.effect)).margin(0.02));
            if (height > 780) CHECK(time_of_second(*after) < 0.65 * time_of_second(*e));
        }
    }
    CHECK_FALSE(starting(*tests::evaluated(document(550), "A"), "singular"));
}
