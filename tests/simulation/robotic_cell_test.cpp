// The robotic cell of two machines: one arm takes parts from the input to the first machine, on to the second and out.
// Of its two one-unit orders the cycles are known (Sethi, Sriskandarajah, Sorger, Blazewicz and Kubiak 1992).

#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

json pick(const char* id, const char* from) {
    return {{"id", id}, {"do", "pick"}, {"from", from}, {"approach_mm", 60}, {"retreat_mm", 60}};
}
json place(const char* id, const char* in) {
    return {{"id", id}, {"do", "place"}, {"in", in}, {"approach_mm", 60}, {"retreat_mm", 60}};
}

/// `forward`: each part goes all the way before the next comes; else backward, with both machines loaded.
json robotic_cell(double first_s, double second_s, bool forward) {
    json tree = {{"escarp", 1}, {"horizon_s", 2000}, {"part_types", cell::catalogue_part_types()},
        {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()}};
    const auto at = [](double angle) { return json{{"x_mm", 550 * std::cos(angle)}, {"y_mm", 550 * std::sin(angle)}}; };
    const auto machine = [&](const char* id, double process, double angle) {
        return json{{"id", id}, {"name", id}, {"kind", "fixture"}, {"process_s", process}, {"length_mm", 150},
            {"width_mm", 150}, {"height_mm", 500}, {"placement", at(angle)}};
    };
    json arm = {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw60"},
        {"placement", {{"z_mm", 300}}}, {"detours", false}};
    const json fill_1[] = {pick("p1", "in"), place("q1", "m1")}, to_2[] = {pick("p2", "m1"), place("q2", "m2")},
               out[] = {pick("p3", "m2"), place("q3", "out")};
    if (forward) {
        arm["task"] = {fill_1[0], fill_1[1], to_2[0], to_2[1], out[0], out[1]};
    } else {
        arm["first"] = {pick("f1", "in"), place("f2", "m1"), pick("f3", "m1"), place("f4", "m2"), pick("f5", "in"),
            place("f6", "m1")};
        arm["task"] = {out[0], out[1], to_2[0], to_2[1], fill_1[0], fill_1[1]};
    }
    tree["devices"] = {{{"id", "in"}, {"name", "in"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "block60"},
                           {"columns", 1}, {"rows", 1}, {"pitch_x_mm", 120}, {"pitch_y_mm", 120}, {"plate_mm", 500},
                           {"exchange_s", 0.001}, {"placement", at(-1.2)}},
        machine("m1", first_s, -0.4), machine("m2", second_s, 0.4),
        {{"id", "out"}, {"name", "out"}, {"kind", "outfeed"}, {"shape", "bin"}, {"length_mm", 200}, {"width_mm", 200},
            {"height_mm", 400}, {"placement", at(1.2)}},
        arm};
    return tree;
}

struct Cycle {
    double period;
    /// By step: seconds of its moves, and of its straight way out alone.
    std::map<std::string, double> works, leaves;
    double work(std::initializer_list<const char*> steps) const {
        double sum = 0;
        for (const char* step : steps) sum += works.at(step);
        return sum;
    }
};

Cycle cycle_of(const json& tree) {
    const auto c = tests::read(tree);
    PlanCache plans;
    const auto r = run(*c, plans, {});
    REQUIRE(r->steady);
    REQUIRE(r->steady->parts == 1);
    Cycle out{seconds(r->steady->period), {}, {}};
    const int arm = c->device("arm");
    std::map<int, std::string> names;
    for (const cell::Step* s : cell::all_steps(c->devices[static_cast<std::size_t>(arm)])) names[s->number] = s->id;
    const Ticks from = r->steady->from, to = from + r->steady->period;
    for (const Block& b : r->trace.blocks) {
        if (b.device != arm || b.kind == BlockKind::wait || b.step < 0) continue;
        const double inside = seconds(std::max<Ticks>(0, std::min(b.to, to) - std::max(b.from, from)));
        out.works[names[b.step]] += inside;
        if (b.kind == BlockKind::straight_out) out.leaves[names[b.step]] += inside;
    }
    return out;
}

}  // namespace

TEST_CASE("the robotic cell of two machines: the cycles of both one-unit orders, and which is the better") {
    for (const auto& [a, b] : {std::pair(0.1, 0.1), {1.0, 6.0}, {6.0, 1.0}, {9.0, 9.0}, {30.0, 2.0}}) {
        INFO("process times " << a << " and " << b);
        const Cycle forward = cycle_of(robotic_cell(a, b, true)), backward = cycle_of(robotic_cell(a, b, false));
        // Forward: the arm stands by while either machine works, from when it has left it.
        const double wait_1 = std::max(0.0, a - forward.leaves.at("q1")),
                     wait_2 = std::max(0.0, b - forward.leaves.at("q2"));
        const double all = forward.work({"p1", "q1", "p2", "q2", "p3", "q3"});
        CHECK(forward.period == Approx(all + wait_1 + wait_2).margin(1e-6));
        // Backward: a machine works while the arm empties and fills the other.
        const double to_second = backward.leaves.at("q2") + backward.work({"p1", "q1"});
        const double w2 = std::max(0.0, b - to_second);
        const double w1 = std::max(0.0, a - (backward.leaves.at("q1") + w2 + backward.work({"p3", "q3"})));
        CHECK(backward.period == Approx(backward.work({"p1", "q1", "p2", "q2", "p3", "q3"}) + w1 + w2).margin(1e-6));
        // With long work it pays to have both machines loaded, with none at all it does not: the ways are longer.
        if (a + b > 9) CHECK(backward.period < forward.period);
        if (a + b < 1) CHECK(backward.period > forward.period);
    }
}
