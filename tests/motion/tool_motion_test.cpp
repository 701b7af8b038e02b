#include <catch2/catch.hpp>

#include <kinematics/point_motion.h>
#include <motion/chain.h>
#include <motion/path.h>
#include <motion/tool_motion.h>
#include <simulation/plan.h>

#include "reference/dense_acceleration.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::motion;
using kinematics::ArmModel;
using tests::Draw;

namespace {

JointVector posture(Draw& draw, const ArmModel& arm, double share = 0.8) {
    JointVector q(arm.mechanism.size());
    for (int j = 0; j < q.size(); ++j) {
        const kinematics::Joint& joint = arm.mechanism.joints[j];
        q[j] = 0.5 * (joint.low + joint.high) + share * draw.in(-0.5, 0.5) * std::min(joint.high - joint.low, 5.0);
    }
    return q;
}

/// Joint moves, straight moves and flown chains, some of them slowed.
MotionPtr any_motion(Draw& draw, const ArmModel& arm, const kinematics::JointSolver& solver, const Frame& tool) {
    const JointVector from = posture(draw, arm), to = posture(draw, arm);
    const double speed = draw.in(0.02, 1), acceleration = draw.in(0.1, 1);
    MotionPtr motion = joint_move(arm.mechanism, from, to, speed, acceleration);
    const int sort = draw.whole(0, 3);
    if (sort == 1) {
        Frame end = arm.flange_frame(from) * tool;
        end.translation() += 0.15 * draw.direction();
        auto line = straight_move({arm, solver, tool, arm.flange_frame(from) * tool, end, from, speed, acceleration});
        if (auto* made = std::get_if<MotionPtr>(&line)) motion = *made;
    } else if (sort == 2) {
        Leg one = joint_leg(from, to, speed, acceleration),
            two = joint_leg(to, posture(draw, arm), speed, acceleration);
        one.corner = 0.05;
        motion = fly(arm, tool, {one, two}).legs[draw.whole(0, 1)];
    } else if (sort == 3) {
        motion = slowed(motion, draw.in(1, 3));
    }
    return motion;
}

}  // namespace

TEST_CASE("place, velocity and acceleration of a carried point are those of differences, on every catalogue arm") {
    const auto cell = tests::catalogue_cell();
    Draw draw(5);
    for (const ArmModel& arm : cell->arm_models)
        for (int i = 0; i < 20; ++i) {
            const MotionPtr m = joint_move(arm.mechanism, posture(draw, arm), posture(draw, arm), draw.in(0.3, 1));
            const double t = m->duration() * draw.in(0.1, 0.9), h = 1e-4;
            const JointState s = m->at(t);
            const Vector3 point = draw.vector(0.3);
            const auto place = [&](double at) {
                std::vector<Frame> frames;
                arm.mechanism.link_frames(m->position(at), Frame::Identity(), frames);
                return Vector3(frames[arm.flange_link] * point);
            };
            const kinematics::PointMotion moves =
                kinematics::point_motion(arm.mechanism, arm.flange_link, point, s.q, s.rate, s.acceleration);
            CHECK((moves.place - place(t)).norm() < 1e-12);
            CHECK(
                (moves.velocity - (place(t + h) - place(t - h)) / (2 * h)).norm() < 1e-4 * (1 + moves.velocity.norm()));
            // Where the acceleration jumps in between, differences say something else.
            const std::vector<double> breaks = m->breaks();
            if (std::none_of(breaks.begin(), breaks.end(), [&](double b) { return std::abs(b - t) < 2 * h; }))
                CHECK((moves.acceleration - (place(t + h) - 2 * place(t) + place(t - h)) / (h * h)).norm() <
                      2e-3 * (1 + moves.acceleration.norm()));
        }
}

TEST_CASE("between its breaks a motion is smooth") {
    const auto cell = tests::catalogue_cell();
    Draw draw(6);
    for (int i = 0; i < 60; ++i) {
        const ArmModel& arm = cell->arm_models[static_cast<std::size_t>(i) % cell->arm_models.size()];
        const auto solver = kinematics::make_joint_solver(arm);
        const MotionPtr m = any_motion(draw, arm, *solver, Frame::Identity());
        const std::vector<double> breaks = m->breaks();
        REQUIRE(std::is_sorted(breaks.begin(), breaks.end()));
        CHECK(breaks.front() == 0);
        CHECK(breaks.back() == Approx(m->duration()).margin(1e-12));
        for (std::size_t k = 0; k + 1 < breaks.size(); ++k) {
            const double length = breaks[k + 1] - breaks[k];
            if (length < 1e-5) continue;
            // The acceleration in the middle of a short stretch is the mean of its ends': no jump lies between.
            const double from = breaks[k] + draw.in(0.01, 0.9) * length, h = std::min(0.02 * length, 1e-5);
            const JointVector a = m->at(from).acceleration, b = m->at(from + h).acceleration,
                              c = m->at(from + 2 * h).acceleration;
            REQUIRE((b - 0.5 * (a + c)).norm() < 1e-3 * (1 + b.norm()));
        }
    }
}

TEST_CASE("the greatest acceleration of the tool is that of looking very often, within 0.1 %, on 500 random motions") {
    const auto cell = tests::catalogue_cell();
    Draw draw(7);
    std::vector<std::shared_ptr<const kinematics::JointSolver>> solvers;
    for (const ArmModel& arm : cell->arm_models) solvers.push_back(kinematics::make_joint_solver(arm));
    int moved = 0;
    for (int i = 0; i < tests::rounds(500); ++i) {
        const std::size_t which = static_cast<std::size_t>(i) % cell->arm_models.size();
        const ArmModel& arm = cell->arm_models[which];
        const Frame tool = geometry::make_frame(draw.vector(0.15));
        const MotionPtr m = any_motion(draw, arm, *solvers[which], tool);
        const double found = greatest_tool_acceleration(arm, tool, *m);
        const Vector3 point = (arm.flange * tool).translation();
        const double dense = tests::dense_greatest(*m, 4000, [&](double t) {
            const JointState s = m->at(t);
            return kinematics::point_motion(arm.mechanism, arm.flange_link, point, s.q, s.rate, s.acceleration)
                .acceleration.norm();
        });
        INFO(arm.id << ", motion " << i);
        REQUIRE(found >= dense * (1 - 1e-3));
        REQUIRE(found <= dense * (1 + 1e-3) + 1e-9);
        moved += m->duration() > 0;
    }
    CHECK(moved > tests::rounds(480));
}

TEST_CASE("the jerk limits of the joints that have one count, whatever the others have") {
    const cell::Document d = tests::past_case("mixed-jerk-limits");
    const auto e = tests::evaluated(d, d.baseline());
    const ArmModel& arm = *e->cell->devices.front().arm->model;
    const auto& motions = e->run->trace.motions.front();
    REQUIRE(motions.size() > 2);
    CHECK(motions[1].motion->duration() == Approx(1.170).margin(1e-3));
    // No joint with a limit exceeds it, in joint moves and along lines.
    const auto roughest = [&](const Motion& m) {
        double worst = 0;
        for (double t = 1e-3; t < m.duration(); t += 1e-3)
            for (int j = 0; j < arm.mechanism.size(); ++j)
                if (arm.mechanism.joints[j].jerk > 0)
                    worst = std::max(worst, std::abs(m.at(t).acceleration[j] - m.at(t - 1e-3).acceleration[j]) / 1e-3 /
                                                arm.mechanism.joints[j].jerk);
        return worst;
    };
    CHECK(roughest(*motions[1].motion) < 1.001);
    const auto cell = tests::catalogue_cell();
    for (const ArmModel& whole : cell->arm_models) {
        if (whole.id != "six900") continue;
        ArmModel mixed = whole;
        for (const std::size_t j : {1u, 3u, 5u}) mixed.mechanism.joints[j].jerk = 0;
        const auto solver = kinematics::make_joint_solver(mixed);
        Frame end = mixed.flange_frame(mixed.ready);
        const Frame start = end;
        end.translation() += Vector3(0.05, 0.2, -0.1);
        const auto line = straight_move({mixed, *solver, Frame::Identity(), start, end, mixed.ready});
        REQUIRE(std::holds_alternative<MotionPtr>(line));
        const Motion& m = *std::get<MotionPtr>(line);
        for (double t = 4e-3; t < m.duration(); t += 4e-3)
            for (const int j : {0, 2, 4})
                REQUIRE(std::abs(m.at(t).acceleration[j] - m.at(t - 4e-3).acceleration[j]) / 4e-3 <
                        1.1 * mixed.mechanism.joints[j].jerk);
    }
}

TEST_CASE("a grip that a slow move's short ramps would tear is found, and gentle carry slows down to what it holds") {
    cell::Document d = tests::past_case("grip-acceleration-missed");
    const auto of = [&] { return tests::evaluated(d, d.baseline()); };
    const auto found = [](const study::Evaluation& e) {
        const auto& all = e.inspection->findings;
        return std::any_of(all.begin(), all.end(), [](const auto& f) { return f.id.rfind("hold:a:p", 0) == 0; });
    };
    CHECK(found(*of()));
    const double hasty = *of()->figures.cycle_s;
    d = d.edited(d.baseline(), {"", {cell::Operation::set("/devices/a/gentle_carry", true)}});
    const auto gentle = of();
    CHECK(!found(*gentle));
    CHECK(*gentle->figures.cycle_s > hasty);
    const cell::Device& arm = gentle->cell->devices.back();
    const double bearable = *simulation::bearable_acceleration(*arm.arm->tool, 4.4);
    double most = 0;
    for (const auto& m : gentle->run->trace.motions.back())
        if (m.held >= 0)
            most = std::max(most, greatest_tool_acceleration(*arm.arm->model, arm.arm->tool_frame, *m.motion));
    CHECK(most == Approx(bearable).epsilon(2e-3));
}
