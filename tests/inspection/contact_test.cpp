// Contacts: none is missed, none is invented. Only what must touch is left out.

#include <catch2/catch.hpp>

#include <inspection/contact_rules.h>

#include "reference/sampled_contacts.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using cell::json;
using inspection::Severity;

namespace {

std::vector<std::string> hits(const study::Evaluation& e) {
    std::vector<std::string> out;
    for (const auto& f : e.inspection->findings)
        if (f.id.rfind("clearance:", 0) == 0 && f.severity == Severity::stop) out.push_back(f.title);
    return out;
}

bool tells(const std::vector<std::string>& all, const std::string& title) {
    return std::find(all.begin(), all.end(), title) != all.end();
}

json arm_with_tool(const char* model, json placement, json task) {
    return {{"id", "a"}, {"name", "A"}, {"kind", "arm"}, {"model", model}, {"tool", "t"}, {"detours", false},
        {"placement", std::move(placement)}, {"task", std::move(task)}};
}

/// An arm between a supply of two parts, a fixture and a collection; `more`: what is in the way.
json pick_and_place(double part_mm, double pitch_mm, double exchange_s, std::vector<json> more) {
    json tree = tests::block_and_tool(part_mm, 0.3, 1000);
    json& devices = tree["devices"];
    devices.push_back({{"id", "in"}, {"name", "In"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "p"},
        {"columns", 2}, {"rows", 1}, {"pitch_x_mm", pitch_mm}, {"pitch_y_mm", pitch_mm}, {"plate_mm", 20},
        {"exchange_s", exchange_s}, {"placement", {{"x_mm", 450}, {"y_mm", -250}, {"z_mm", 500}}}});
    devices.push_back({{"id", "fix"}, {"name", "Fix"}, {"kind", "fixture"}, {"length_mm", 160}, {"width_mm", 160},
        {"height_mm", 520}, {"process_s", 0.5}, {"placement", {{"x_mm", 520}, {"y_mm", 60}}}});
    devices.push_back({{"id", "out"}, {"name", "Out"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 2},
        {"rows", 1}, {"pitch_x_mm", pitch_mm}, {"pitch_y_mm", pitch_mm}, {"plate_mm", 20}, {"exchange_s", 1},
        {"placement", {{"x_mm", 350}, {"y_mm", 400}, {"z_mm", 500}}}});
    for (json& one : more) devices.push_back(std::move(one));
    json arm = arm_with_tool("six900", json::object(),
        {{{"id", "s1"}, {"do", "pick"}, {"from", "in"}}, {{"id", "s2"}, {"do", "place"}, {"in", "fix"}},
            {{"id", "s3"}, {"do", "pick"}, {"from", "fix"}}, {{"id", "s4"}, {"do", "place"}, {"in", "out"}}});
    arm["host"] = "ped";
    devices.push_back(std::move(arm));
    return tree;
}

std::shared_ptr<const study::Evaluation> evaluated(const json& tree) {
    const cell::Document d = cell::Document::parse(tree.dump());
    return tests::evaluated(d, d.baseline());
}

}  // namespace

TEST_CASE("contacts that were missed once are found, with the bodies' names") {
    const auto of = [](const char* name) { return hits(*tests::evaluated(tests::past_case(name), "A")); };
    CHECK(tells(of("missed-part-wider-than-chute"), "part held by A hits O rim"));
    CHECK(tells(of("missed-held-part-dragged-through-fixture-wall"), "part held by A hits F wall"));
    const auto skirt = of("missed-link-overlaps-part-being-picked");
    CHECK(tells(skirt, "A z hits P on I"));
    CHECK(tells(skirt, "A z hits part held by A"));
    CHECK(tells(of("missed-first-link-vs-post-of-host"), "A first arm hits MACH post"));
}

TEST_CASE("contacts that were invented once are none: a riding part is judged from where its ride begins") {
    for (const char* name :
        {"wrong-contact-part-on-bend", "wrong-contact-part-before-its-release", "wrong-contact-part-before-handover"}) {
        INFO(name);
        const auto e = tests::evaluated(tests::past_case(name), "A");
        CHECK(hits(*e).empty());
        const auto sampled = tests::ContactSampler(*e->cell, *e->run, 2e-3).look();
        CHECK(*e->figures.clearance_m == Approx(sampled.least).margin(1.5e-3));
    }
}

TEST_CASE("a supply that is full again at once does not touch the part that was just gripped") {
    const auto e = evaluated(pick_and_place(60, 100, 0, {}));
    REQUIRE(e->run->steady);
    CHECK(hits(*e).empty());
}

TEST_CASE("an ordinary pick and place touches nothing, parts side by side in their nests included") {
    for (const double pitch : {60.0, 62.0, 100.0}) CHECK(hits(*evaluated(pick_and_place(60, pitch, 2, {}))).empty());
}

TEST_CASE("without approach and retreat tool and part still come together on purpose") {
    json tree = pick_and_place(60, 100, 2, {});
    for (json& step : tree["devices"].back()["task"]) step["approach_mm"] = 0, step["retreat_mm"] = 0;
    // The moves drag the part over its seat: that is told; that the tool touches what it grips is not.
    tree["devices"][1]["columns"] = tree["devices"][3]["columns"] = 1;
    for (const std::string& hit : hits(*evaluated(tree))) CHECK(hit.rfind("part held by A hits ", 0) == 0);
}

TEST_CASE("a part may sink into its seat to the depth of the seat, and no deeper") {
    const auto depth = [](double top, double seat) {
        const geometry::Bodies block{cell::standing_box("block", {0.2, 0.2, top}, {0, 0, 0}),
            cell::standing_box("beside", {0.02, 0.02, 1}, {0.05, 0, 0})};
        return inspection::seat_depths(block, geometry::Frame::Identity(), geometry::make_frame({0, 0, seat}));
    };
    CHECK(depth(0.5, 0.5)[0] == Approx(inspection::touching).margin(1e-4));
    CHECK(depth(0.5, 0.48)[0] == Approx(0.02 + inspection::touching).margin(1e-4));
    CHECK(depth(0.5, 0.48)[1] == Approx(inspection::touching));
    // A fixture with a pocket 20 mm deep takes its part; one that lies 15 mm to the side of it does not fit in.
    json tree = pick_and_place(60, 100, 2, {});
    for (json& d : tree["devices"])
        if (d["id"] == "fix") d["bodies"] = {{{"shape", "box"}, {"size_mm", {160, 160, 540}}}};
    CHECK(hits(*evaluated(tree)).empty());
    for (json& d : tree["devices"])
        if (d["id"] == "fix")
            d["bodies"].push_back(
                {{"shape", "box"}, {"name", "rib"}, {"size_mm", {10, 100, 560}}, {"at_mm", {25, 0, 0}}});
    CHECK(tells(hits(*evaluated(tree)), "part held by A hits Fix rib"));
}

TEST_CASE("what the base stands on is told from what else belongs to the same device") {
    const auto c = tests::read({{"escarp", 1}, {"arm_models", cell::catalogue_arms()},
        {"devices", {{{"id", "m"}, {"name", "M"}, {"kind", "solid"},
                         {"bodies", {{{"shape", "box"}, {"size_mm", {900, 900, 400}}},
                                        {{"shape", "box"}, {"size_mm", {40, 40, 300}}, {"at_mm", {300, 0, 400}}},
                                        {{"shape", "box"}, {"size_mm", {300, 300, 420}}}}}},
                        {{"id", "a"}, {"name", "A"}, {"kind", "arm"}, {"model", "six600"}, {"host", "m"},
                            {"placement", {{"z_mm", -280}}}}}}});
    REQUIRE(c->devices[1].world.translation().z() == Approx(0.42));
    CHECK(simulation::standing_ground(*c, 1, 0) == std::vector<char>{1, 0, 1});
    CHECK(simulation::standing_ground(*c, 0, 1).empty());
}

TEST_CASE("a base link that stands in a post of its own host is told") {
    json tree = pick_and_place(60, 100, 2, {});
    tree["devices"][0] = {{"id", "ped"}, {"name", "Ped"}, {"kind", "solid"},
        {"bodies", {{{"shape", "box"}, {"name", "block"}, {"size_mm", {300, 300, 500}}},
                       {{"shape", "box"}, {"name", "stud"}, {"size_mm", {20, 20, 560}}, {"at_mm", {60, 0, 0}}}}}};
    tree["devices"].back()["placement"] = {{"z_mm", -60}};
    const auto e = evaluated(tree);
    const auto& all = e->inspection->findings;
    CHECK(std::any_of(all.begin(), all.end(), [](const auto& f) { return f.id == "overlap:ped:a"; }));
}

TEST_CASE("a contact is told at its first instant, where the bodies touch") {
    const auto e = tests::evaluated(tests::past_case("missed-first-link-vs-post-of-host"), "A");
    const auto& least = e->inspection->clearance;
    REQUIRE(least.distance == 0);
    // At no earlier instant of a fine look do they touch; at the one named they do.
    const cell::Device &arm = e->cell->devices[1], &host = e->cell->devices[0];
    const auto touch = [&](double t) {
        std::vector<geometry::Frame> frames;
        arm.arm->model->mechanism.link_frames(
            e->run->trace.joints(*e->cell, 1, static_cast<simulation::Ticks>(std::llround(t * 1e9))), arm.world,
            frames);
        double least_gap = 1e300;
        for (std::size_t l = 1; l < frames.size(); ++l)
            for (const geometry::Body& b : arm.arm->model->mechanism.links[l].bodies)
                least_gap = std::min(least_gap, geometry::separation(b.shape, frames[l] * b.at, host.bodies[1].shape,
                                                    host.world * host.bodies[1].at)
                                                    .distance);
        return least_gap <= 0;
    };
    CHECK(touch(least.when_s + 2e-5));
    for (double t = 0; t < least.when_s - 2e-5; t += 1e-4) REQUIRE(!touch(t));
    CHECK((least.on_a - least.on_b).norm() < 1e-9);
    CHECK(geometry::separation(host.bodies[1].shape, host.world * host.bodies[1].at, geometry::Convex::sphere(1e-3),
              geometry::make_frame(least.on_a))
              .distance < 1e-3);
}

TEST_CASE(
    "random bodies in the way of random picks and places: contact or not, and the least clearance, are those of dense "
    "sampling") {
    constexpr double step = 2e-3,
                     sure = 2e-3;  // s; m: what lies nearer to the border may go either way between two samples
    tests::Draw draw(2025);
    int touching = 0, clear = 0;
    for (int round = 0; round < tests::rounds(40, 8); ++round) {
        std::vector<json> more;
        for (int i = 0; i < 3; ++i) {
            const double far = draw.in(250, 750), turn = draw.in(-1.2, 1.4), height = draw.in(100, 700);
            json body = draw.whole(0, 1)
                            ? json{{"shape", "box"}, {"size_mm", {draw.in(20, 150), draw.in(20, 150), height}}}
                            : json{{"shape", "cylinder"}, {"diameter_mm", draw.in(20, 120)}, {"height_mm", height}};
            more.push_back({{"id", "x" + std::to_string(i)}, {"name", "X" + std::to_string(i)}, {"kind", "solid"},
                {"bodies", {body}},
                {"placement", {{"x_mm", far * std::cos(turn)}, {"y_mm", far * std::sin(turn)},
                                  {"z_mm", draw.in(300, 800)}, {"turn_deg", draw.in(0, 180)}}}});
        }
        // A post on the pedestal, or a rim on the fixture.
        json tree = pick_and_place(draw.in(50, 110), draw.in(112, 160), draw.whole(0, 1) * 2.0, std::move(more));
        for (json& d : tree["devices"]) {
            if (d["id"] == "fix" && draw.whole(0, 1))
                d["bodies"] = {{{"shape", "box"}, {"size_mm", {160, 160, 520}}},
                    {{"shape", "box"}, {"name", "rim"}, {"size_mm", {10, 160, draw.in(530, 600)}},
                        {"at_mm", {draw.in(-75, 75), 0, 0}}}};
            if (d["id"] == "ped" && draw.whole(0, 1))
                d = {{"id", "ped"}, {"name", "Ped"}, {"kind", "solid"},
                    {"bodies", {{{"shape", "box"}, {"size_mm", {300, 300, 500}}},
                                   {{"shape", "box"}, {"name", "post"}, {"size_mm", {30, 30, draw.in(600, 1200)}},
                                       {"at_mm", {draw.in(-220, 220), -200, 0}}}}}};
        }
        tree["devices"].back()["placement"] = {{"z_mm",
            tree["devices"][0].contains("bodies") ? 500 - 1e3 * tests::read(tree)->devices[0].extent().high.z() : 0.0}};
        const auto e = evaluated(tree);
        if (!e->run->steady) continue;  // a pose out of reach
        INFO("round " << round);
        const auto sampled = tests::ContactSampler(*e->cell, *e->run, step).look();
        std::map<std::string, double> found;  // by "arm:other": distance
        for (const auto& f : e->inspection->findings)
            if (f.id.rfind("clearance:", 0) == 0) found[f.id.substr(10)] = f.severity == Severity::stop ? 0.0 : 1.0;
        for (const auto& [pair, depth] : sampled.deepest) {
            if (depth < sure) continue;
            INFO(pair << " overlap by " << depth);
            CHECK((found.count(pair) && found[pair] == 0));
            ++touching;
        }
        for (const auto& [pair, distance] : found) {
            if (distance > 0) continue;
            const auto deep = sampled.deepest.find(pair);
            const auto near = sampled.nearest.find(pair);
            INFO(pair << " is said to touch");
            CHECK(((deep != sampled.deepest.end() && deep->second > -sure) ||
                   (near != sampled.nearest.end() && near->second < 5e-3)));
        }
        REQUIRE(e->figures.clearance_m);
        const double found_least = *e->figures.clearance_m;
        if (found_least > 0) {
            ++clear;
            CHECK(found_least <= sampled.least + 5e-4);
            CHECK(found_least >= sampled.least - 5e-3);  // at 2 m/s and more between two samples
        }
    }
    CHECK(touching > tests::rounds(8));
    CHECK(clear > tests::rounds(3) - 1);
}
