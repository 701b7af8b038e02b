#include <catch2/catch.hpp>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

json body(double x, double y, double z) { return {{{"shape", "box"}, {"size_mm", {x, y, z}}}}; }

json hinge(const char* name, int parent, json at, json axis) {
    return {{"name", name}, {"type", "hinge"}, {"parent", parent}, {"child", parent + 1}, {"at_mm", at}, {"axis", axis},
        {"min_deg", -170}, {"max_deg", 170}, {"speed_deg_s", 90}, {"acceleration_deg_s2", 360}};
}

/// A lift that carries a turntable, and a planar arm of three hinges: mechanisms of the engineer's own, without tools.
json cell_of_own() {
    const json lift = {{"id", "lift"}, {"name", "Lift with turntable"},
        {"links",
            {{{"name", "mast"}, {"bodies", body(100, 100, 1500)}}, {{"name", "car"}, {"bodies", body(400, 400, 40)}},
                {{"name", "table"}, {"bodies", body(300, 300, 20)}}}},
        {"joints", {{{"name", "Up"}, {"type", "slide"}, {"parent", 0}, {"child", 1}, {"at_mm", {300, 0, 200}},
                        {"axis", {0, 0, 1}}, {"min_mm", 0}, {"max_mm", 1000}, {"speed_mm_s", 500},
                        {"acceleration_mm_s2", 1000}},
                       hinge("Round", 1, {0, 0, 40}, {0, 0, 1})}},
        {"ready", {0, 0}}};
    const json planar = {{"id", "planar"}, {"name", "Planar three-hinge"},
        {"links",
            {{{"name", "foot"}, {"bodies", body(100, 100, 50)}}, {{"name", "a"}}, {{"name", "b"}}, {{"name", "c"}}}},
        {"joints", {hinge("A", 0, {0, 0, 60}, {0, 0, 1}), hinge("B", 1, {300, 0, 0}, {0, 0, 1}),
                       hinge("C", 2, {250, 0, 0}, {0, 0, 1})}},
        {"flange", {{"link", 3}, {"at_mm", {80, 0, 0}}}}};
    return {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", {lift, planar}},
        {"devices", {{{"id", "lift"}, {"name", "Lift"}, {"kind", "arm"}, {"model", "lift"},
                         {"poses", {{{"id", "up"}, {"joints", {1000, 90}}}, {{"id", "down"}, {"joints", {0, 0}}}}},
                         {"task", {{{"id", "s1"}, {"do", "move"}, {"pose", "up"}},
                                      {{"id", "s2"}, {"do", "delay"}, {"time_s", 0.5}},
                                      {{"id", "s3"}, {"do", "move"}, {"pose", "down"}}}}},
                        {{"id", "planar"}, {"name", "Planar"}, {"kind", "arm"}, {"model", "planar"},
                            {"placement", {{"x_mm", 2000}}},
                            {"poses", {{{"id", "one"}, {"joints_deg", {20, 40, -30}}},
                                          {{"id", "two"}, {"relative_to", "floor"}, {"at_mm", {2400, -200, 60}},
                                              {"turn_deg", {0, 0, -40}}}}},
                            {"task", {{{"id", "s1"}, {"do", "move"}, {"pose", "one"}},
                                         {{"id", "s2"}, {"do", "move"}, {"pose", "two"}, {"by", "straight"}}}}}}}};
}

}  // namespace

TEST_CASE("mechanisms of the engineer's own have poses and tasks, and move as their joints allow") {
    inspection::Cache cache;
    const cell::Document d = cell::Document::parse(cell_of_own().dump());
    const auto e = study::evaluate(simulation::layout(d, d.baseline()), cache);
    CHECK(e->run->trace.faults.empty());
    std::vector<double> moves;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.device == 0 && b.kind == simulation::BlockKind::move && moves.size() < 2)
            moves.push_back(simulation::seconds(b.to - b.from));
    REQUIRE(moves.size() == 2);
    // 1 m at 0.5 m/s and 1 m/s2: 1/v + v/a = 2.5 s; a quarter turn at 90 deg/s and 360 deg/s2 takes less.
    CHECK(moves[0] == Approx(2.5).margin(1e-6));
    CHECK(moves[1] == Approx(2.5).margin(1e-6));
    // No parts in this cell: the cycle is a round of the tasks, of that which is done least often.
    CHECK(e->figures.per_round);
    REQUIRE(e->figures.cycle_s);
    json alone = cell_of_own();
    alone["devices"].erase(1);
    const cell::Document one = cell::Document::parse(alone.dump());
    const auto lift = study::evaluate(simulation::layout(one, one.baseline()), cache);
    CHECK(lift->figures.steady);
    CHECK(*lift->figures.cycle_s == Approx(2.5 + 0.5 + 2.5).margin(1e-6));
    CHECK(*lift->figures.rate_per_h == Approx(3600 / 5.5).margin(1e-3));
    // the planar arm's tool is where the second pose says
    const auto& planar = e->cell->devices[1];
    bool seen = false;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.device == 1 && b.kind == simulation::BlockKind::straight && b.to != simulation::never && !seen) {
            seen = true;
            const geometry::Frame tool = e->run->trace.tool_frame(*e->cell, 1, b.to);
            CHECK((tool.translation() - geometry::Vector3(2.4, -0.2, 0.06)).norm() < 1e-6);
        }
    CHECK(seen);
    CHECK(std::string(planar.arm->solver->name()) == "closed form, parallel hinges");
    CHECK(std::string(e->cell->devices[0].arm->solver->name()) == "closed form, slides");
}

TEST_CASE("blocks of steps are used by several arms, disabled steps are left out, and a block may not use itself") {
    json tree = cell_of_own();
    tree["blocks"] = {{{"id", "greet"}, {"name", "Greet"},
        {"steps", {{{"id", "a"}, {"do", "delay"}, {"time_s", 0.25}},
                      {{"id", "b"}, {"do", "delay"}, {"time_s", 0.5}, {"enabled", false}}}}}};
    for (int d : {0, 1}) {
        tree["devices"][d]["task"].push_back({{"id", "g1"}, {"do", "block"}, {"block", "greet"}});
        tree["devices"][d]["task"].push_back({{"id", "g2"}, {"do", "block"}, {"block", "greet"}});
    }
    inspection::Cache cache;
    const cell::Document document = cell::Document::parse(tree.dump());
    const auto e = study::evaluate(simulation::layout(document, document.baseline()), cache);
    for (int d : {0, 1}) {
        int quarter = 0, half = 0;
        for (const simulation::Block& b : e->run->trace.blocks)
            if (b.device == d && b.kind == simulation::BlockKind::dwell) {
                const double s = simulation::seconds(b.to - b.from);
                quarter += std::abs(s - 0.25) < 1e-6;
                const auto& step = *cell::all_steps(e->cell->devices[d])[b.step];
                half += !step.enabled;
            }
        CHECK(quarter > 4);
        CHECK(half == 0);
    }
    tree["blocks"][0]["steps"].push_back({{"id", "c"}, {"do", "block"}, {"block", "greet"}});
    CHECK_THROWS_AS(tests::read(tree), cell::InputError);
}

TEST_CASE("a second tool on the flange works at its own frame, and is not changed with a part in hand") {
    json tree = tests::demo().resolved("A");
    json cup = {{"id", "cup"}, {"name", "Cup"}, {"mass_kg", 0.2}, {"tool_frame", {{"at_mm", {0, 80, 60}}}}};
    tree["tool_models"].push_back(cup);
    for (json& d : tree["devices"])
        if (d["id"] == "arm1") {
            d["more_tools"] = {{{"tool", "cup"}}};
            d["poses"] = {
                {{"id", "here"}, {"relative_to", "floor"}, {"at_mm", {1500, 900, 1000}}, {"turn_deg", {180, 0, 0}}}};
            d["task"] = {{{"id", "s1"}, {"do", "move"}, {"pose", "here"}},
                {{"id", "s2"}, {"do", "use"}, {"tool", "cup"}, {"time_s", 0.4}},
                {{"id", "s3"}, {"do", "move"}, {"pose", "here"}}, {{"id", "s4"}, {"do", "use"}, {"tool", "jaw120"}}};
        }
    inspection::Cache cache;
    const auto e = study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
    const int arm = e->cell->device("arm1");
    const auto& d = e->cell->devices[arm];
    REQUIRE(d.arm->tools.size() == 2);
    int moves = 0;
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.device == arm && b.kind == simulation::BlockKind::move && b.to != simulation::never && ++moves <= 2) {
            const auto q = e->run->trace.joints(*e->cell, arm, b.to);
            const geometry::Frame tool =
                d.world * d.arm->model->flange_frame(q) * d.arm->with_tool(moves - 1).tool_frame;
            CHECK((tool.translation() - geometry::Vector3(1.5, 0.9, 1.0)).norm() < 1e-6);
        }
    CHECK(moves >= 2);
}
