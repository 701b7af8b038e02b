#include <catch2/catch.hpp>

#include <motion/motion.h>

#include <motion/chain.h>

#include "reference/dense_timing.h"
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
        const double v = std::exp(draw.in(-3, 3)), a = std::exp(draw.in(-3, 3)),
                     j = i % 3 ? std::exp(draw.in(-2, 5)) : 0.0;
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
        const auto& arm = cell->arm_models[i % 3];
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
                const auto& joint = arm.mechanism.joints[j];
                REQUIRE(std::abs(s.rate[j]) <= speed * joint.speed * (1 + 1e-9));
                REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * (1 + 1e-9));
                tightest = std::max({tightest, std::abs(s.rate[j]) / (speed * joint.speed),
                    std::abs(s.acceleration[j]) / joint.acceleration});
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
        const auto& device = cell->devices[i % 3];
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
            REQUIRE((tool.translation() - from.translation() - along * way).norm() < 1e-6);
            REQUIRE(along >= before - 1e-6);
            before = along;
            for (int j = 0; j < 6; ++j) {
                const auto& joint = arm.mechanism.joints[j];
                REQUIRE(std::abs(s.rate[j]) <= speed * joint.speed * 1.001);
                REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * 1.001);
                used = std::max({used, std::abs(s.rate[j]) / (speed * joint.speed),
                    std::abs(s.acceleration[j]) / joint.acceleration});
            }
            if (k > 0 && k < samples) {
                const double h = 1e-5;
                const Vector3 v = ((arm.flange_frame(m->position(t + h)) * device.arm->tool_frame).translation() -
                                      (arm.flange_frame(m->position(t - h)) * device.arm->tool_frame).translation()) /
                                  (2 * h);
                REQUIRE(v.norm() <= speed * arm.line_speed * 1.01);
                used = std::max(used, v.norm() / (speed * arm.line_speed));
                const JointVector rate = (m->position(t + h) - m->position(t - h)) / (2 * h);
                REQUIRE((rate - s.rate).norm() < 0.02 + 0.05 * s.rate.norm());
            }
            const JointVector bound = m->rate_bound(t * 0.9, t);
            REQUIRE((s.rate.cwiseAbs().array() <= bound.array() + 1e-6).all());
        }
        CHECK(used > 0.1);  // jerk limits keep short moves far below the others
        CHECK((m->position(m->duration()) - m->position(m->duration() - 1e-9)).norm() < 1e-6);
    }
    CHECK(made > 70);
}

TEST_CASE("without jerk limits a straight move is within 0.5 % of a dense numerical optimum") {
    const auto cell = tests::catalogue_cell();
    Draw draw(56);
    int made = 0;
    for (int i = 0; i < 40; ++i) {
        const auto& device = cell->devices[i % 3];
        kinematics::ArmModel arm = *device.arm->model;
        for (kinematics::Joint& j : arm.mechanism.joints) j.jerk = 0;
        if (i % 2) arm.line_speed = 3, arm.line_acceleration = 30;  // then the joints decide
        JointVector q = arm.ready;
        for (int j = 0; j < 6; ++j) q[j] += draw.in(-0.3, 0.3);
        const Frame from = arm.flange_frame(q) * device.arm->tool_frame;
        Frame to = from;
        to.translation() += draw.vector(0.3);
        const auto result = straight_move({arm, *device.arm->solver, device.arm->tool_frame, from, to, q, 1.0});
        if (!std::holds_alternative<MotionPtr>(result)) continue;
        ++made;
        const double length = (to.translation() - from.translation()).norm();
        JointVector last = q;
        const auto path = [&](double s) {
            Frame tool = from;
            tool.translation() += s * (to.translation() - from.translation());
            last = device.arm->solver->nearest(tool * device.arm->tool_frame.inverse(), last)->q;
            return last;
        };
        const double best = tests::dense_duration(
                         arm.mechanism, path, arm.line_speed / length, arm.line_acceleration / length, 1.0, 3000),
                     ours = std::get<MotionPtr>(result)->duration();
        CAPTURE(i, ours, best);
        CHECK(ours <= best * 1.005);
        CHECK(ours >= best * 0.995);
    }
    CHECK(made > 20);
}

TEST_CASE("every generated motion keeps velocity and acceleration limits when differentiated at 0.1 ms") {
    const auto cell = tests::catalogue_cell();
    Draw draw(57);
    int joint_moves = 0, straight_moves = 0;
    double roughest = 0;
    const auto check = [&](const kinematics::ArmModel& arm, const Motion& m) {
        constexpr double h = 1e-4;
        JointVector a = m.position(0), b = m.position(h), jerk_before;
        for (double t = 2 * h; t <= m.duration(); t += h) {
            const JointVector c = m.position(t);
            for (int j = 0; j < a.size(); ++j) {
                const auto& joint = arm.mechanism.joints[j];
                REQUIRE(std::abs(c[j] - b[j]) / h <= joint.speed * 1.0005);
                REQUIRE(std::abs(c[j] - 2 * b[j] + a[j]) / (h * h) <= joint.acceleration * 1.002 + 1e-5);
            }
            a = b;
            b = c;
        }
        // jerk over 4 ms: what a drive feels
        constexpr double w = 4e-3;
        for (double t = 0; t + 3 * w <= m.duration(); t += w)
            for (int j = 0; j < a.size(); ++j) {
                const auto& joint = arm.mechanism.joints[j];
                const double jerk = (m.position(t + 3 * w)[j] - 3 * m.position(t + 2 * w)[j] +
                                        3 * m.position(t + w)[j] - m.position(t)[j]) /
                                    (w * w * w);
                roughest = std::max(roughest, std::abs(jerk) / joint.jerk);
            }
    };
    for (int i = 0; i < 60; ++i) {
        const auto& device = cell->devices[static_cast<std::size_t>(i) % cell->devices.size()];
        const kinematics::ArmModel& arm = *device.arm->model;
        JointVector q = arm.ready, p = arm.ready;
        for (int j = 0; j < q.size(); ++j) {
            const auto& joint = arm.mechanism.joints[j];
            const double some = 0.1 * (joint.high - joint.low);
            q[j] = std::clamp(q[j] + draw.in(-some, some), joint.low, joint.high);
            p[j] = std::clamp(p[j] + draw.in(-some, some), joint.low, joint.high);
        }
        if (!arm.mechanism.followers_within(q) || !arm.mechanism.followers_within(p)) continue;
        check(arm, *joint_move(arm.mechanism, q, p, 1.0));
        ++joint_moves;
        const Frame from = arm.flange_frame(q) * device.arm->tool_frame;
        Frame to = from;
        to.translation() = (arm.flange_frame(p) * device.arm->tool_frame).translation();
        const auto straight = straight_move({arm, *device.arm->solver, device.arm->tool_frame, from, to, q, 1.0});
        if (!std::holds_alternative<MotionPtr>(straight)) continue;
        check(arm, *std::get<MotionPtr>(straight));
        ++straight_moves;
    }
    CAPTURE(joint_moves, straight_moves, roughest);
    CHECK(joint_moves > 40);
    CHECK(straight_moves > 15);
    CHECK(roughest < 1.5);
}

TEST_CASE("fly-by: the corner is kept, no limit is exceeded, and time is saved") {
    const auto cell = tests::catalogue_cell();
    const auto& device = cell->devices[1];
    const kinematics::ArmModel& arm = *device.arm->model;
    const Frame tool = device.arm->tool_frame;
    Draw draw(58);
    const auto tool_at = [&](const JointVector& q) { return Vector3((arm.flange_frame(q) * tool).translation()); };
    double saved = 0;
    for (int i = 0; i < 30; ++i) {
        std::vector<JointVector> stops;
        for (int k = 0; k < 4; ++k) {
            JointVector q = arm.ready;
            for (int j = 0; j < 6; ++j) q[j] += draw.in(-0.6, 0.6);
            stops.push_back(q);
        }
        std::vector<Leg> legs;
        double stopping = 0;
        const double corner = draw.in(0.005, 0.1);
        for (int k = 0; k < 3; ++k) {
            legs.push_back(joint_leg(stops[k], stops[static_cast<std::size_t>(k) + 1], 0.8, 0.9));
            legs.back().corner = corner;
            stopping +=
                joint_move(arm.mechanism, stops[k], stops[static_cast<std::size_t>(k) + 1], 0.8, 0.9)->duration();
        }
        const Flight flight = fly(arm, tool, legs);
        REQUIRE(flight.legs.size() == 3);
        double duration = 0;
        std::vector<double> ends;
        for (const MotionPtr& leg : flight.legs) ends.push_back(duration += leg->duration());
        const auto position = [&](double t) {
            std::size_t leg = 0;
            while (leg < 2 && t > ends[leg]) ++leg;
            return flight.legs[leg]->position(t - (leg ? ends[leg - 1] : 0.0));
        };
        CHECK((position(0) - stops.front()).norm() < 1e-12);
        CHECK((position(duration) - stops.back()).norm() < 1e-9);
        CHECK(duration <= stopping * 1.0001);
        saved += stopping - duration;
        for (int k = 1; k < 3; ++k)
            CHECK((tool_at(position(ends[static_cast<std::size_t>(k) - 1])) - tool_at(stops[k])).norm() <=
                  corner * 1.001);
        constexpr double h = 1e-4;
        for (double t = h; t + h <= duration; t += h) {
            const JointVector a = position(t - h), b = position(t), c = position(t + h);
            for (int j = 0; j < 6; ++j) {
                const auto& joint = arm.mechanism.joints[j];
                REQUIRE(std::abs(c[j] - b[j]) / h <= 0.8 * joint.speed * 1.001);
                REQUIRE(std::abs(c[j] - 2 * b[j] + a[j]) / (h * h) <= 0.9 * joint.acceleration * 1.005 + 1e-5);
            }
        }
        constexpr double w = 4e-3;  // jerk limits hold round corners too
        for (double t = 0; t + 3 * w <= duration; t += w)
            for (int j = 0; j < 6; ++j)
                REQUIRE(std::abs(position(t + 3 * w)[j] - 3 * position(t + 2 * w)[j] + 3 * position(t + w)[j] -
                                 position(t)[j]) /
                            (w * w * w) <=
                        arm.mechanism.joints[j].jerk * 1.01);
    }
    CHECK(saved > 2);
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
        (device.arm->solver->reachable(middle * device.arm->tool_frame.inverse(), arm.ready) ? low : high) =
            0.5 * (low + high);
    }
    CHECK(failure.at == Approx(low).margin(2e-3));
}
