// Arms that meet what rides by.

#include <catch2/catch.hpp>
#include <cmath>

#include <simulation/kinds/belts/belt.h>
#include <simulation/meeting_plan.h>
#include <simulation/run.h>

#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;
using tests::device;

namespace {

json conveyor(const std::string& id, double y, const std::string& to, double speed, json more = {}) {
    json d = {{"id", id}, {"name", id}, {"kind", "conveyor"}, {"length_mm", 2400}, {"width_mm", 150},
        {"height_mm", 300}, {"speed_mm_s", speed}, {"gap_mm", 20}, {"to", to},
        {"placement", {{"x_mm", 0}, {"y_mm", y}}}};
    if (more.is_object()) d.update(more);
    return d;
}
json hood_at_end(const std::string& id, const std::string& on) {
    return {{"id", id}, {"name", id}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", on},
        {"placement", {{"x_mm", 1150}}}};
}
json exchange(const std::string& what, const std::string& on, double from, double to) {
    return {{"id", what}, {"do", what}, {what == "pick" ? "from" : "in", on}, {"window_from_mm", from},
        {"window_to_mm", to}, {"approach_mm", 60}, {"retreat_mm", 60}, {"detour", false}};
}
/// Parts ride by on one belt, an arm brings them to another.
json two_belts(const std::string& model, double reach_mm, double every, double speed, double speed_out) {
    const json part = {{"id", "p"}, {"name", "p"}, {"mass_kg", 0.2},
        {"bodies", {{{"shape", "box"}, {"size_mm", {40, 40, 30}}}}},
        {"grips", {{{"id", "top"}, {"at_mm", {0, 0, 30}}, {"turn_deg", {180, 0, 0}}}}}};
    const double y = 0.55 * reach_mm;
    json arm = {{"id", "arm"}, {"name", "arm"}, {"kind", "arm"}, {"model", model}, {"tool", "cup"},
        {"task", {exchange("pick", "a", 900, 1500), exchange("place", "b", 1000, 1600)}}};
    const json cup = {{"id", "cup"}, {"name", "cup"}, {"mass_kg", 0.3}, {"close_s", 0.15}, {"open_s", 0.1},
        {"frame", {{"at_mm", {0, 0, 60}}}},
        {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 30}, {"height_mm", 60}}}}};
    return {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", cell::catalogue_arms()}, {"tool_models", {cup}},
        {"part_types", {part}},
        {"devices", {conveyor("a", y, "out_a", speed), conveyor("b", -y, "out_b", speed_out), hood_at_end("out_a", "a"),
                        hood_at_end("out_b", "b"),
                        {{"id", "in"}, {"name", "in"}, {"kind", "infeed"}, {"host", "a"}, {"interval_s", every},
                            {"part_type", "p"}, {"to", "a"}, {"placement", {{"x_mm", -1150}}}},
                        std::move(arm)}}};
}

struct Flow {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const Run> run;
    int arm;
    Frame tool(Ticks t) const { return run->trace.tool_frame(*cell, arm, t); }
    Frame part(int nth, Ticks t) const {
        Frame at = Frame::Identity();
        REQUIRE(run->trace.part_frame(*cell, nth, t, at));
        return at;
    }
    std::vector<Block> blocks(BlockKind kind) const {
        std::vector<Block> all;
        for (const Block& b : run->trace.blocks)
            if (b.device == arm && b.kind == kind && b.to <= run->trace.end) all.push_back(b);
        return all;
    }
};
Flow flow(const json& tree, bool to_the_end = true) {
    PlanCache plans;
    Flow f{tests::read(tree), nullptr, 0};
    f.arm = f.cell->device("arm");
    RunOptions options;
    options.stop_when_steady = !to_the_end;
    f.run = run(*f.cell, plans, options);
    return f;
}

/// Where a frame stands in another one's axes.
geometry::FrameGap apart(const Frame& in_a, const Frame& in_b) { return geometry::gap(in_a, in_b); }

/// What holds whatever happens.
void hold_together(const Flow& f) {
    const Trace& t = f.run->trace;
    // Parts in = parts out + parts inside, and none is ever nowhere.
    std::size_t inside = 0;
    for (const PartRecord& p : t.parts) inside += p.places.back().kind != Place::Kind::gone;
    REQUIRE(t.parts.size() == t.departures.size() + inside);
    // The arm goes on where it was, at the speed it had.
    const auto& motions = t.motions[f.arm];
    for (std::size_t i = 1; i < motions.size(); ++i) {
        const double length = seconds(motions[i].from - motions[i - 1].from);
        const kinematics::JointVector before = motions[i - 1].motion->position(length),
                                      after = motions[i].motion->position(0);
        REQUIRE((before - after).cwiseAbs().maxCoeff() < 1e-6);
        const motion::JointState left = motions[i - 1].motion->at(std::min(length, motions[i - 1].motion->duration()));
        REQUIRE((left.rate - motions[i].motion->at(0).rate).cwiseAbs().maxCoeff() < 1e-3);
    }
    const auto& joints = f.cell->devices[f.arm].arm->model->mechanism.joints;
    for (const MotionRecord& m : motions)
        for (int k = 0; k <= 20; ++k) {
            const motion::JointState s = m.motion->at(m.motion->duration() * k / 20);
            for (int j = 0; j < s.q.size(); ++j) {
                REQUIRE(std::abs(s.rate[j]) <= 1.0001 * joints[j].speed);
                REQUIRE(std::abs(s.acceleration[j]) <= 1.02 * joints[j].acceleration);
            }
        }
}

}  // namespace

TEST_CASE("an arm takes parts from a belt that runs, and puts them on another one, without standing still for it") {
    tests::Draw draw(4);
    int taken = 0, placed = 0;
    for (int i = 0; i < tests::rounds(16, 6); ++i) {
        const bool scara = i % 2;
        json tree = two_belts(
            scara ? "scara650" : "six900", scara ? 650 : 900, draw.in(0.9, 4), draw.in(60, 350), draw.in(60, 350));
        if (i % 4 == 2) device(tree, "in")["interval_s"] = "exponential 2.5";
        if (i % 5 == 3) device(tree, "in").update({{"scatter_mm", 12}, {"scatter_deg", 25}});
        if (i % 8 == 5) device(tree, "arm")["gentle_carry"] = true;
        const Flow f = flow(tree);
        INFO(i);
        hold_together(f);
        const cell::Device& a = f.cell->devices[f.cell->device("a")];
        const cell::Device& b = f.cell->devices[f.cell->device("b")];
        for (const Block& g : f.blocks(BlockKind::grip)) {
            // The tool stays at one place of the part all the while it closes, and so does the part with it afterwards.
            const Frame first = f.part(g.part, g.from).inverse() * f.tool(g.from);
            for (const double share : {0.3, 0.7, 1.0}) {
                const Ticks t = g.from + static_cast<Ticks>(share * static_cast<double>(g.to - g.from));
                REQUIRE(apart(first, f.part(g.part, t).inverse() * f.tool(t)).distance < 3e-6);
            }
            const Place* then = f.run->trace.parts[g.part].place(g.to);
            REQUIRE(then->kind == Place::Kind::held);
            REQUIRE((f.tool(g.to).translation() - f.part(g.part, g.to) * geometry::Vector3(0, 0, 0.03)).norm() < 3e-6);
            REQUIRE(nearest_way(a, f.part(g.part, g.to).translation()) <= 1.5 + 1e-6);
            ++taken;
        }
        for (const Block& in : f.blocks(BlockKind::straight_in)) {
            const bool picks = in.other == f.cell->device("a");
            REQUIRE(nearest_way(picks ? a : b, f.tool(in.from).translation()) >= (picks ? 0.9 : 1.0) - 1e-5);
        }
        for (const Block& r : f.blocks(BlockKind::release)) {
            // Where the arm lets it go the belt carries it on, without a jump and just as fast.
            const Ticks before = r.to - second / 1000, after = r.to + second / 1000;
            const Frame then = f.part(r.part, before), next = f.part(r.part, after);
            const double speed = belt_of(b).speed;
            REQUIRE((next.translation() - then.translation()).norm() == Approx(0.002 * speed).margin(4e-6));
            REQUIRE(f.run->trace.parts[r.part].place(after)->device == f.cell->device("b"));
            ++placed;
        }
        // No two parts stand in each other on the belts.
        for (Ticks t = second; t < f.run->trace.end; t += second)
            for (const cell::Device* belt : {&a, &b}) {
                std::vector<double> ways;
                for (std::size_t p = 0; p < f.run->trace.parts.size(); ++p) {
                    const Place* place = f.run->trace.parts[p].place(t);
                    if (place && place->kind == Place::Kind::still && place->device == f.cell->device(belt->id))
                        ways.push_back(nearest_way(*belt, f.part(static_cast<int>(p), t).translation()));
                }
                std::sort(ways.begin(), ways.end());
                for (std::size_t k = 1; k < ways.size(); ++k) REQUIRE(ways[k] - ways[k - 1] > 0.04);
            }
    }
    REQUIRE(taken > tests::rounds(150));
    REQUIRE(placed > tests::rounds(150));
}

TEST_CASE("the soonest meeting: none of those a millisecond apart before it could be kept") {
    tests::Draw draw(9);
    int compared = 0;
    for (int i = 0; i < tests::rounds(20, 4); ++i) {
        const auto c =
            tests::read(two_belts(i % 2 ? "scara650" : "six900", i % 2 ? 650 : 900, 2, draw.in(50, 500), 100));
        const cell::Device &arm = c->devices[c->device("arm")], &belt = c->devices[c->device("a")];
        const cell::Step& step = arm.task.steps.front();
        PlanCache plans;
        const Frame grip = c->part_types.front().grip("");
        MeetingSearch s{arm, *arm.arm, belt, step, grip, arm.arm->ready};
        s.work_s = 0.15;
        s.direct = s.travel = [&](const kinematics::JointVector& to) {
            return plans.joint_move(*arm.arm, arm.arm->ready, to, 1);
        };
        const Spot ride{-1, 0, draw.in(0, 1.2), belt_of(belt).speed, 2.4};
        std::optional<motion::MeetingFailure> why;
        const std::optional<Encounter> met = meet_part(plans, s, ride, why);
        INFO(i << " way " << ride.way << " speed " << ride.speed);
        const auto fits = [&](double begins) {
            // The plain way: this instant, its motion, the move to where it begins.
            const double way = ride.way + ride.speed * begins;
            motion::MeetingRequest r{*arm.arm->model, *arm.arm->solver, arm.arm->tool_frame,
                [&](double at) { return Frame(arm.world.inverse() * kind_of(belt).rides_at(belt, at) * grip); }};
            r.way = way, r.speed = ride.speed, r.approach = step.approach, r.retreat = step.retreat, r.work_s = 0.15;
            r.near = plans
                         .pose({*arm.arm, r.place(way) * geometry::make_frame({0, 0, -step.approach}), 0, 0, 1, -1, 1,
                             std::nullopt, &arm.arm->ready})
                         ->pose;
            if (r.near.size() == 0) return false;
            const auto result = motion::meet(r);
            const auto* m = std::get_if<motion::Meeting>(&result);
            return m && m->first_way >= step.window_from && m->last_way <= step.window_to &&
                   plans.joint_move(*arm.arm, arm.arm->ready, m->start, 1)->duration() <= begins;
        };
        if (!met) {
            for (double t = 0; t < 3; t += 0.05) REQUIRE_FALSE(fits(t));
            continue;
        }
        ++compared;
        const double begins = seconds(met->begins);
        REQUIRE(fits(begins + 1e-5));
        for (double t = std::max(0.0, begins - 0.03); t < begins - 0.002; t += 0.001) REQUIRE_FALSE(fits(t));
        for (double t = 0; t < begins - 0.03; t += 0.1) REQUIRE_FALSE(fits(t));
    }
    REQUIRE(compared > tests::rounds(12));
}

TEST_CASE("a gantry meets a part when both have come there: closed form") {
    json tree = two_belts("gantry4", 1000, 100, 200, 200);
    const auto c = tests::read(tree);
    const cell::Device& arm = c->devices[c->device("arm")];
    kinematics::ArmModel model = *arm.arm->model;
    // Along x at 1 m/s and 4 m/s^2, everything else at once.
    for (kinematics::Joint& j : model.mechanism.joints)
        j.speed = 1e3, j.acceleration = 1e6, j.jerk = 0, j.low = -9, j.high = 9;
    const JointVector ready = arm.arm->ready;
    int along = -1;
    for (int j = 0; j < ready.size(); ++j) {
        JointVector moved = ready;
        moved[j] += 0.01;
        if (std::abs((model.flange_frame(moved).translation() - model.flange_frame(ready).translation()).x()) > 0.005)
            along = j;
    }
    REQUIRE(along >= 0);
    model.line_acceleration = 5;  // what limits it on its way into the part's motion
    model.mechanism.joints[along].speed = 1, model.mechanism.joints[along].acceleration = 4;
    cell::Arm own = *arm.arm;
    own.model = &model;
    own.solver = kinematics::make_joint_solver(model);
    own.model_key = 77;
    const cell::Device& belt = c->devices[c->device("a")];
    cell::Step step = arm.task.steps.front();
    step.window_from = 0.01, step.window_to = 2.4;
    const Frame over = arm.world * model.flange_frame(ready) * own.tool_frame;
    // The tool works at the height and the place across at which it stands: only x is left to go.
    Frame on_path = (kind_of(belt).rides_at(belt, 0)).inverse() * over;
    on_path.translation().x() = 0;
    step.approach = step.retreat = 0;
    for (const double behind : {-0.9, -0.6, 0.4}) {
        PlanCache plans;
        MeetingSearch s{arm, own, belt, step, on_path, ready};
        s.work_s = 0.1;
        s.direct = s.travel = [&](const JointVector& to) { return plans.joint_move(own, ready, to, 1); };
        const double stands = (belt.world.inverse() * over.translation()).x() + 1.2;  // along the belt
        const double v = 0.2;
        const Spot ride{-1, 0, stands + behind, v, 2.4};
        std::optional<motion::MeetingFailure> why;
        const auto met = meet_part(plans, s, ride, why);
        REQUIRE(met);
        const double lead = met->plan->met.first_way - (ride.way + v * seconds(met->begins));
        REQUIRE(lead == Approx(0.75 * v * v * std::sqrt(2.0) / model.line_acceleration));
        // It goes d = |behind + v t + lead| in d / 1 + 1 / 4 seconds, towards the part or after it.
        const double d0 = behind + lead, expected = d0 < 0 ? (-d0 + 0.25) / (1 + v) : (d0 + 0.25) / (1 - v);
        REQUIRE(seconds(met->begins) == Approx(expected).margin(1e-5));
    }
}

TEST_CASE("a belt that stops and goes while an arm reaches for its parts: nothing is lost, and they are met anew") {
    json tree = two_belts("six900", 900, 2.2, 180, 200);
    tree["devices"].push_back({{"id", "c"}, {"name", "c"}, {"kind", "structure"}, {"length_mm", 100}, {"width_mm", 100},
        {"height_mm", 100}, {"placement", {{"x_mm", 0}, {"y_mm", 5000}}}, {"own_signals", {"tick"}},
        {"task", {{{"id", "a"}, {"do", "delay"}, {"time_s", 1.37}},
                     {{"id", "b"}, {"do", "set"}, {"signal", "c.tick"}, {"to", true}},
                     {{"id", "c"}, {"do", "delay"}, {"time_s", 0.9}},
                     {{"id", "d"}, {"do", "set"}, {"signal", "c.tick"}, {"to", false}}}}});
    for (const double acceleration : {0.0, 400.0})
        for (const char* belt : {"a", "b"}) {
            json one = tree;
            device(one, belt).update(
                {{"acceleration_mm_s2", acceleration}, {"inputs", {{{"id", "run"}, {"from", "not c.tick"}}}}});
            const Flow f = flow(one);
            INFO(belt << " " << acceleration);
            hold_together(f);
            int taken = 0;
            for (const Block& g : f.blocks(BlockKind::grip)) {
                const Place* then = f.run->trace.parts[g.part].place(g.to);
                if (then->kind != Place::Kind::held || then->device != f.arm) continue;
                ++taken;
                const Frame at_once = f.part(g.part, g.to - 1), after = f.part(g.part, g.to + 1);
                REQUIRE(apart(at_once, after).distance < 4e-6);
            }
            REQUIRE(taken > 5);
            for (const Block& r : f.blocks(BlockKind::release))
                REQUIRE(apart(f.part(r.part, r.to - 1), f.part(r.part, r.to + 1)).distance < 4e-6);
        }
}

TEST_CASE("a belt that goes by a pitch waits while an arm reaches for a part on it") {
    json tree = two_belts("scara650", 650, 1, 250, 200);
    device(tree, "a").update({{"runs", "by a pitch by itself"}, {"pitch_mm", 150}, {"dwell_s", 0.4}});
    const Flow f = flow(tree);
    hold_together(f);
    int taken = 0;
    for (const Block& g : f.blocks(BlockKind::grip)) {
        REQUIRE(apart(f.part(g.part, g.from), f.part(g.part, g.to - 1)).distance < 1e-9);
        taken += f.run->trace.parts[g.part].place(g.to)->kind == Place::Kind::held;
    }
    REQUIRE(taken > 8);
}

TEST_CASE("what a tracking window may be") {
    const auto refused = [](json tree, const std::string& words) {
        try {
            tests::read(tree);
            FAIL("read");
        } catch (const cell::InputError& e) {
            REQUIRE(e.problems().front().where.find("window_to_mm") != std::string::npos);
            REQUIRE(e.problems().front().message.find(words) != std::string::npos);
        }
    };
    json tree = two_belts("six900", 900, 2, 200, 200);
    json& pick = device(tree, "arm")["task"][0];
    pick["window_to_mm"] = 900;
    refused(tree, "ends before it begins");
    pick["window_to_mm"] = 2500;
    refused(tree, "ends behind the end");
    pick["window_to_mm"] = 1500;
    pick["from"] = "out_a";
    refused(tree, "Nothing rides by");
}
