#include <catch2/catch.hpp>

#include <motion/meeting.h>

#include "reference/dense_acceleration.h"
#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;
using geometry::Frame;
using geometry::Vector3;

namespace {

/// A place that goes along a line or an arc, the tool pointing down on it.
std::function<Frame(double)> course(const Frame& begins, double curvature) {
    return [=](double way) {
        if (curvature == 0)
            return Frame(begins * geometry::make_frame({way, 0, 0}) *
                         geometry::make_frame(Vector3::Zero(), {geometry::pi, 0, 0}));
        const double angle = curvature * way;
        return Frame(
            begins *
            geometry::make_frame({std::sin(angle) / curvature, (1 - std::cos(angle)) / curvature, 0}, {0, 0, angle}) *
            geometry::make_frame(Vector3::Zero(), {geometry::pi, 0, 0}));
    };
}

}  // namespace

TEST_CASE(
    "meeting a place that travels: with it to a micrometre while at work, within every limit, from rest to rest") {
    const auto cell = tests::catalogue_cell();
    tests::Draw draw(71);
    int met = 0, tried = 0;
    for (const cell::Device& d : cell->devices) {
        const cell::Arm& arm = *d.arm;
        if (!arm.tool) continue;
        const double reach = kinematics::arm_length(*arm.model);
        for (int i = 0; i < 12; ++i) {
            const double turn = draw.in(-geometry::pi, geometry::pi);
            const Vector3 at =
                Vector3(draw.in(0.35, 0.65) * reach, draw.in(-0.3, 0.3) * reach, draw.in(0.0, 0.3) * reach);
            const auto place = course(geometry::make_frame(at, {0, 0, turn}), i % 3 == 0 ? draw.in(-2, 2) : 0.0);
            MeetingRequest r{*arm.model, *arm.solver, arm.tool_frame, place};
            r.way = draw.in(-0.05, 0.05), r.speed = draw.in(0.02, 0.6);
            r.approach = draw.in(0.02, 0.1), r.retreat = draw.in(0.02, 0.1);
            r.work_s = draw.in(0.05, 0.3);
            if (i % 4 == 0) r.bearable_out = draw.in(2, 6);
            std::vector<kinematics::JointSolution> branches;
            arm.solver->solve(place(r.way) * geometry::make_frame({0, 0, -r.approach}) * arm.tool_frame.inverse(),
                arm.ready, branches);
            if (branches.empty() || !branches.front().within_limits) continue;
            r.near = branches.front().q;
            ++tried;
            const auto result = meet(r);
            if (std::holds_alternative<MeetingFailure>(result)) continue;
            ++met;
            const Meeting m = std::get<Meeting>(result);
            INFO(d.name << " " << i << " " << r.speed);
            REQUIRE(m.motion->duration() == Approx(m.in_s + m.work_s + m.out_s).margin(1e-9));
            const auto tool = [&](double t) {
                return Frame(arm.model->flange_frame(m.motion->position(t)) * arm.tool_frame);
            };
            // Beside the place, exactly, from before the work to its end.
            for (int k = 0; k <= 50; ++k) {
                const double t = m.in_s + m.work_s * k / 50;
                const geometry::FrameGap gap = geometry::gap(tool(t), place(r.way + r.speed * t));
                REQUIRE(gap.distance < 2e-6);
                REQUIRE(gap.angle < 2e-5);
            }
            REQUIRE(m.last_way == Approx(r.way + r.speed * (m.in_s + m.work_s)).margin(1e-9));
            // At both ends at rest, above it by approach and retreat.
            REQUIRE((m.motion->position(0) - m.start).cwiseAbs().maxCoeff() < 1e-12);
            REQUIRE(
                geometry::gap(tool(0), place(m.first_way) * geometry::make_frame({0, 0, -r.approach})).distance < 2e-6);
            for (const double t : {0.0, m.motion->duration()})
                REQUIRE(m.motion->at(t).rate.cwiseAbs().maxCoeff() < 1e-6);
            // Every limit, looked at densely; bounds of rates hold; the rate is the slope of the position.
            for (int k = 0; k <= 400; ++k) {
                const double t = m.motion->duration() * k / 400;
                const JointState s = m.motion->at(t);
                for (int j = 0; j < s.q.size(); ++j) {
                    const kinematics::Joint& joint = arm.model->mechanism.joints[j];
                    REQUIRE(std::abs(s.rate[j]) <= joint.speed * 1.0001);
                    REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * 1.02);
                    REQUIRE(s.q[j] >= joint.low - 1e-9);
                    REQUIRE(s.q[j] <= joint.high + 1e-9);
                    REQUIRE(std::abs(s.rate[j]) <= m.motion->rate_bound(t - 1e-4, t + 1e-4)[j] * (1 + 1e-9) + 1e-12);
                    if (k == 0 || k == 400) continue;
                    const double slope = (m.motion->position(t + 1e-6)[j] - m.motion->position(t - 1e-6)[j]) / 2e-6;
                    REQUIRE(slope == Approx(s.rate[j]).margin(1e-4 * joint.speed));
                }
            }
            if (r.bearable_out) {
                const MotionPtr out = slice(m.motion, m.in_s + m.work_s, m.motion->duration());
                REQUIRE(tests::dense_greatest(*out, 200, [&](double t) {
                    return tests::seen_acceleration(
                        *arm.model, arm.tool_frame, *out, std::clamp(t, 2e-4, out->duration() - 2e-4), 1e-4);
                }) <= *r.bearable_out * 1.02);
            }
        }
    }
    REQUIRE(tried > 60);
    REQUIRE(met > 40);
}

TEST_CASE("meeting on a gantry takes as long as the tool's own limits say") {
    const auto cell = tests::catalogue_cell();
    const auto found = std::find_if(cell->devices.begin(), cell->devices.end(), [](const cell::Device& d) {
        return d.name.find("gantry") != std::string::npos && d.arm->model->mechanism.size() == 4;
    });
    REQUIRE(found != cell->devices.end());
    const cell::Arm& arm = *found->arm;
    kinematics::ArmModel model = *arm.model;
    for (kinematics::Joint& j : model.mechanism.joints) j.speed = 100, j.acceleration = 1000, j.jerk = 0;
    const auto solver = kinematics::make_joint_solver(model);
    const Frame there = model.flange_frame(arm.ready) * arm.tool_frame;
    const auto place = [&](double way) {
        Frame f = there;
        f.translation() += Vector3(way - 0.1, 0.05, 0);
        return f;
    };
    MeetingRequest r{model, *solver, arm.tool_frame, place};
    r.speed = 0.3, r.approach = r.retreat = 0.06, r.work_s = 0.2;
    r.near = arm.ready;
    const auto result = meet(r);
    REQUIRE(std::holds_alternative<Meeting>(result));
    const Meeting m = std::get<Meeting>(result);
    // Across the travel T = 2 sqrt(d / a) or 1 / v + v / a of the way, with a the share that is left beside the travel.
    const double a = model.line_acceleration / std::sqrt(2.0), v = model.line_speed / std::pow(2.0, 0.25);
    const double d = 0.06, across = v * v / a > d ? 2 * std::sqrt(d / a) : d / v + v / a;
    const double ramp = 1.5 * r.speed / a;
    REQUIRE(m.in_s == Approx(std::max(across, ramp / 0.8)).margin(1e-9));
    REQUIRE(m.out_s == Approx(m.in_s).margin(1e-9));
    REQUIRE(m.first_way == Approx(0.5 * r.speed * ramp).margin(1e-9));
}

TEST_CASE("what is too fast for an arm is said, and what it cannot reach") {
    const auto cell = tests::catalogue_cell();
    const cell::Arm& arm = *cell->devices.front().arm;
    const Frame begins =
        geometry::make_frame({0.4 * kinematics::arm_length(*arm.model), -0.2, 0.2}, {0, 0, geometry::pi / 2});
    MeetingRequest r{*arm.model, *arm.solver, arm.tool_frame, course(begins, 0)};
    r.approach = r.retreat = 0.05, r.work_s = 0.1, r.speed = 30;
    std::vector<kinematics::JointSolution> branches;
    arm.solver->solve(r.place(0) * arm.tool_frame.inverse(), arm.ready, branches);
    REQUIRE(!branches.empty());
    r.near = branches.front().q;
    const auto fast = meet(r);
    REQUIRE(std::holds_alternative<MeetingFailure>(fast));
    r.speed = 0.2, r.way = 5;
    const auto far = meet(r);
    REQUIRE(std::holds_alternative<MeetingFailure>(far));
    REQUIRE(std::get<MeetingFailure>(far).kind == MeetingFailure::Kind::out_of_reach);
}
