#include <catch2/catch.hpp>

#include <motion/motion.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;
using escarp::tests::Draw;

TEST_CASE("without jerk the duration is the published formula") {
    Draw draw(51);
    for (int i = 0; i < 500; ++i) {
        const double v = std::exp(draw.in(-3, 3)), a = std::exp(draw.in(-3, 3));
        const double expected = v * v <= a ? 1 / v + v / a : 2 * std::sqrt(1 / a);
        REQUIRE(Profile(v, a, 0).duration() == Approx(expected).epsilon(1e-12));
    }
}

TEST_CASE("profiles run from 0 to 1, keep their limits, and velocity and acceleration are derivatives") {
    Draw draw(52);
    for (int i = 0; i < 2000; ++i) {
        const double v = std::exp(draw.in(-3, 3)), a = std::exp(draw.in(-3, 3)), j = i % 3 ? std::exp(draw.in(-2, 5)) : 0.0;
        const Profile p(v, a, j);
        const double T = p.duration();
        REQUIRE(T > 0);
        REQUIRE(p.at(T * (1 - 1e-12)).s == Approx(1.0).margin(1e-9));
        REQUIRE(p.at(T * (1 - 1e-9)).rate == Approx(0.0).margin(1e-6 * (v + a * T)));
        double before = 0;
        for (int k = 1; k < 40; ++k) {
            const double t = T * k / 40, h = T * 1e-6;
            const PathState s = p.at(t), next = p.at(t + h), back = p.at(t - h);
            REQUIRE(s.s >= before);
            before = s.s;
            REQUIRE(s.rate <= v * (1 + 1e-9));
            REQUIRE(std::abs(s.acceleration) <= a * (1 + 1e-9));
            REQUIRE((next.s - back.s) / (2 * h) == Approx(s.rate).margin(1e-4 * v + 1e-6));
            if (j > 0) REQUIRE(std::abs(next.acceleration - s.acceleration) / h <= j * (1 + 1e-3));
            const double from = T * draw.in(0, 1), to = std::min(T, from + T * draw.in(0, 0.5));
            const double bound = p.greatest_rate(from, to);
            for (int m = 0; m <= 5; ++m) REQUIRE(p.at(from + (to - from) * m / 5).rate <= bound + 1e-9);
        }
    }
}

TEST_CASE("the seven-phase profile is time-optimal: no slower than any other that keeps the limits") {
    // With jerk so high that it does not matter the classic trapezoid comes out; with less jerk it is never faster.
    Draw draw(53);
    for (int i = 0; i < 300; ++i) {
        const double v = std::exp(draw.in(-2, 2)), a = std::exp(draw.in(-2, 2));
        const double plain = Profile(v, a, 0).duration();
        REQUIRE(Profile(v, a, 1e9).duration() == Approx(plain).epsilon(1e-3));
        double before = plain;
        for (const double j : {100.0, 30.0, 10.0, 3.0, 1.0}) {
            const double T = Profile(v, a, j).duration();
            REQUIRE(T >= before - 1e-9);
            before = T;
        }
    }
    // Published value: only jerk limits (v, a not reached): T = (32 / j)^(1/3) for a unit path.
    CHECK(Profile(1e6, 1e6, 4.0).duration() == Approx(std::cbrt(32.0 / 4.0)).epsilon(1e-9));
}

TEST_CASE("a joint move keeps every joint's limits and all joints start and stop together") {
    const auto cell = tests::catalogue_cell();
    Draw draw(54);
    for (int i = 0; i < 300; ++i) {
        const auto& arm = cell->arm_models[static_cast<std::size_t>(i % 3)];
        JointVector a(6), b(6);
        for (int j = 0; j < 6; ++j) a[j] = draw.in(-1, 1), b[j] = i % 7 == 0 && j == 2 ? a[j] : draw.in(-1, 1);
        const double speed = draw.in(0.1, 1);
        const MotionPtr m = joint_move(arm.mechanism, a, b, speed);
        REQUIRE((m->position(0) - a).norm() < 1e-12);
        REQUIRE((m->position(m->duration()) - b).norm() < 1e-9);
        double tightest = 0;
        for (int k = 0; k <= 60; ++k) {
            const JointState s = m->at(m->duration() * k / 60);
            for (int j = 0; j < 6; ++j) {
                const auto& joint = arm.mechanism.joints[static_cast<std::size_t>(j)];
                REQUIRE(std::abs(s.rate[j]) <= speed * joint.speed * (1 + 1e-9));
                REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * (1 + 1e-9));
                tightest = std::max({tightest, std::abs(s.rate[j]) / (speed * joint.speed), std::abs(s.acceleration[j]) / joint.acceleration});
            }
            const JointVector share = (m->position(m->duration() * k / 60) - a);
            const double along = share.dot(b - a) / (b - a).squaredNorm();
            REQUIRE((share - along * (b - a)).norm() < 1e-9);
        }
        CHECK(tightest > 0.3);
    }
}

TEST_CASE("a straight move stays on its line and within the limits of tool and joints, and uses them") {
    const auto cell = tests::catalogue_cell();
    Draw draw(55);
    int made = 0;
    for (int i = 0; i < 120; ++i) {
        const auto& device = cell->devices[static_cast<std::size_t>(i % 3)];
        const auto& arm = *device.arm->model;
        JointVector q = arm.ready;
        for (int j = 0; j < 6; ++j) q[j] += draw.in(-0.4, 0.4);
        const Frame from = arm.flange_frame(q) * device.arm->tool_frame;
        Frame to = from;
        to.translation() += draw.vector(0.15);
        if (i % 2) to.linear() = geometry::rotation(draw.direction(), draw.in(0, 0.5)) * from.linear();
        const double speed = draw.in(0.2, 1);
        const auto result = straight_move({arm, *device.arm->solver, device.arm->tool_frame, from, to, q, speed});
        if (!std::holds_alternative<MotionPtr>(result)) continue;
        ++made;
        const MotionPtr m = std::get<MotionPtr>(result);
        const Vector3 way = to.translation() - from.translation();
        double used = 0, before = -1e-9;
        constexpr int samples = 200;
        for (int k = 0; k <= samples; ++k) {
            const double t = m->duration() * k / samples;
            const JointState s = m->at(t);
            const Frame tool = arm.flange_frame(s.q) * device.arm->tool_frame;
            const double along = (tool.translation() - from.translation()).dot(way) / way.squaredNorm();
            REQUIRE((tool.translation() - from.translation() - along * way).norm() < 5e-5);
            REQUIRE(along >= before - 1e-6);
            before = along;
            for (int j = 0; j < 6; ++j) {
                const auto& joint = arm.mechanism.joints[static_cast<std::size_t>(j)];
                REQUIRE(std::abs(s.rate[j]) <= speed * joint.speed * 1.005);
                REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * 1.02);
                used = std::max({used, std::abs(s.rate[j]) / (speed * joint.speed), std::abs(s.acceleration[j]) / joint.acceleration});
            }
            if (k > 0 && k < samples) {
                const double h = 1e-5;
                const Vector3 v = ((arm.flange_frame(m->position(t + h)) * device.arm->tool_frame).translation() - (arm.flange_frame(m->position(t - h)) * device.arm->tool_frame).translation()) / (2 * h);
                REQUIRE(v.norm() <= speed * arm.line_speed * 1.01);
                used = std::max(used, v.norm() / (speed * arm.line_speed));
                const JointVector rate = (m->position(t + h) - m->position(t - h)) / (2 * h);
                REQUIRE((rate - s.rate).norm() < 0.02 + 0.05 * s.rate.norm());
            }
            const JointVector bound = m->rate_bound(t * 0.9, t);
            REQUIRE((s.rate.cwiseAbs().array() <= bound.array() + 1e-6).all());
        }
        CHECK(used > 0.5);
        CHECK((m->position(m->duration()) - m->position(m->duration() - 1e-9)).norm() < 1e-6);
    }
    CHECK(made > 70);
}

TEST_CASE("no straight move is slower than the best of many slower timings of the same line") {
    // A uniform trapezoid over the line, slowed until it keeps all limits, is a valid timing: ours must not lose to it.
    const auto cell = tests::catalogue_cell();
    const auto& device = cell->devices[1];
    const auto& arm = *device.arm->model;
    Draw draw(56);
    for (int i = 0; i < 40; ++i) {
        JointVector q = arm.ready;
        for (int j = 0; j < 6; ++j) q[j] += draw.in(-0.3, 0.3);
        const Frame from = arm.flange_frame(q) * device.arm->tool_frame;
        Frame to = from;
        to.translation() += draw.vector(0.2);
        const auto result = straight_move({arm, *device.arm->solver, device.arm->tool_frame, from, to, q, 1.0});
        if (!std::holds_alternative<MotionPtr>(result)) continue;
        const MotionPtr m = std::get<MotionPtr>(result);
        const double length = (to.translation() - from.translation()).norm();
        const Profile uniform(arm.line_speed / length, arm.line_acceleration / length, 0);
        double slow = 1;
        for (int k = 1; k < 100; ++k) {
            const double t = uniform.duration() * k / 100, h = 1e-4 * uniform.duration();
            const auto at = [&](double when) {
                std::vector<kinematics::JointSolution> all;
                Frame tool = from;
                tool.translation() += uniform.at(when).s * (to.translation() - from.translation());
                device.arm->solver->solve(tool * device.arm->tool_frame.inverse(), q, all);
                JointVector best = all.front().q;
                for (const auto& s : all)
                    if ((s.q - q).norm() < (best - q).norm()) best = s.q;
                return best;
            };
            const JointVector a = at(t - h), b = at(t), c = at(t + h);
            for (int j = 0; j < 6; ++j) {
                slow = std::max(slow, std::abs(c[j] - a[j]) / (2 * h) / arm.mechanism.joints[static_cast<std::size_t>(j)].speed);
                slow = std::max(slow, std::sqrt(std::abs(c[j] - 2 * b[j] + a[j]) / (h * h) / arm.mechanism.joints[static_cast<std::size_t>(j)].acceleration));
            }
        }
        CHECK(m->duration() <= uniform.duration() * slow * 1.06);
    }
}

TEST_CASE("a line that leaves the reach says where") {
    const auto cell = tests::catalogue_cell();
    const auto& device = cell->devices[1];
    const auto& arm = *device.arm->model;
    const Frame from = arm.flange_frame(arm.ready) * device.arm->tool_frame;
    Frame to = from;
    to.translation() += Vector3(1.0, 0, 0);
    const auto result = straight_move({arm, *device.arm->solver, device.arm->tool_frame, from, to, arm.ready, 1.0});
    REQUIRE(std::holds_alternative<StraightFailure>(result));
    const StraightFailure failure = std::get<StraightFailure>(result);
    double low = 0, high = 1;
    while (high - low > 1e-6) {
        Frame middle = from;
        middle.translation() += 0.5 * (low + high) * Vector3(1.0, 0, 0);
        (device.arm->solver->reachable(middle * device.arm->tool_frame.inverse(), arm.ready) ? low : high) = 0.5 * (low + high);
    }
    CHECK(failure.at == Approx(low).margin(2e-3));
}
