#include <catch2/catch.hpp>

#include <cell/model/cell.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::kinematics;
using escarp::tests::Draw;
using escarp::tests::random_joints;

namespace {

/// Wraps every difference of hinge values to the half turn.
double apart(const JointVector& a, const JointVector& b) {
    double most = 0;
    for (int j = 0; j < a.size(); ++j) most = std::max(most, std::abs(std::remainder(a[j] - b[j], 2 * geometry::pi)));
    return most;
}

/// The same arm with unusual but legal geometry: an offset wrist centre, a reversed third axis, turned frames.
ArmModel odd_arm(ArmModel m) {
    m.mechanism.joints[2].axis = -m.mechanism.joints[2].axis;
    m.mechanism.joints[2].low = -1.3, m.mechanism.joints[2].high = 3.5;
    m.mechanism.joints[1].at.translation().y() += 0.07;
    m.mechanism.joints[0].at = m.mechanism.joints[0].at * geometry::make_frame({0.02, -0.01, 0}, {0, 0, 0.4});
    m.mechanism.joints[4].at.linear() = geometry::rotation(Vector3::UnitY(), 0.3);
    return m;
}

}  // namespace

TEST_CASE("each of up to eight solutions leads back to the pose, over 100,000 random poses, singular ones included") {
    const auto cell = tests::catalogue_cell();
    std::vector<ArmModel> arms(cell->arm_models.begin(), cell->arm_models.begin() + 3);
    arms.push_back(odd_arm(arms[1]));
    Draw draw(31);
    std::vector<JointSolution> found;
    std::size_t solutions = 0;
    for (int i = 0; i < 100000; ++i) {
        const ArmModel& arm = arms[static_cast<std::size_t>(i) % arms.size()];
        static std::vector<std::unique_ptr<JointSolver>> solvers = [&] {
            std::vector<std::unique_ptr<JointSolver>> all;
            for (const ArmModel& a : arms) all.push_back(spherical_wrist_solver(a));
            return all;
        }();
        const JointSolver& solver = *solvers[static_cast<std::size_t>(i) % arms.size()];
        JointVector q = random_joints(arm, draw);
        switch (i % 20) {  // singular: wrist straight, elbow stretched, wrist centre over the first axis
            case 0: q[4] = &arm == &arms.back() ? -0.3 : 0; break;
            case 1: q[2] = -geometry::pi / 2 + std::atan2(0.0, 1.0); break;
            case 2: q[4] = 1e-9; break;
            case 3: q.setZero(); break;
        }
        const Frame pose = arm.flange_frame(q);
        solver.solve(pose, q, found);
        REQUIRE(!found.empty());
        double nearest = 1e300;
        for (const JointSolution& s : found) {
            const geometry::FrameGap gap = geometry::gap(arm.flange_frame(s.q), pose);
            REQUIRE(gap.distance < 1e-9);
            REQUIRE(gap.angle < 1e-9);
            nearest = std::min(nearest, apart(s.q, q));
        }
        if (i % 20 > 3) REQUIRE(nearest < 1e-5);  // at singular positions many joint values give the pose
        solutions += found.size();
    }
    CHECK(solutions > 400000);
}

TEST_CASE("the numeric solver finds nothing that the closed form misses") {
    const auto cell = tests::catalogue_cell();
    const ArmModel& arm = cell->arm_models[1];
    const auto closed = spherical_wrist_solver(arm), numeric = numeric_solver(arm, 16);
    REQUIRE(closed);
    Draw draw(32);
    std::vector<JointSolution> a, b;
    int compared = 0;
    for (int i = 0; i < 150; ++i) {
        const Frame pose = arm.flange_frame(random_joints(arm, draw));
        closed->solve(pose, arm.ready, a);
        numeric->solve(pose, arm.ready, b);
        for (const JointSolution& n : b) {
            double nearest = 1e300;
            for (const JointSolution& s : a) nearest = std::min(nearest, apart(s.q, n.q));
            REQUIRE(nearest < 1e-4);
            ++compared;
        }
    }
    CHECK(compared > 300);
}

TEST_CASE("a pose out of reach has no solution, and limits are told apart from geometry") {
    const auto cell = tests::catalogue_cell();
    const ArmModel& arm = cell->arm_models[0];
    const auto solver = make_joint_solver(arm);
    CHECK(std::string(solver->name()).find("spherical") != std::string::npos);
    std::vector<JointSolution> found;
    Frame far = Frame::Identity();
    far.translation() = Vector3(3, 0, 0.5);
    solver->solve(far, arm.ready, found);
    CHECK(found.empty());
    JointVector q = arm.ready;
    q[0] = 3.1;  // beyond the first joint's limit
    solver->solve(arm.flange_frame(q), arm.ready, found);
    REQUIRE(!found.empty());
    for (const JointSolution& s : found)
        if (std::abs(s.q[0] - 3.1) < 1e-6) CHECK(!s.within_limits);
}

TEST_CASE("an arm that is not of the family is left to the numeric solver") {
    const auto cell = tests::catalogue_cell();
    ArmModel arm = cell->arm_models[0];
    arm.mechanism.joints[5].at.translation().y() = 0.03;  // the last axis no longer meets the wrist centre
    CHECK(!spherical_wrist_solver(arm));
    const auto solver = make_joint_solver(arm);
    std::vector<JointSolution> found;
    const Frame pose = arm.flange_frame(arm.ready);
    solver->solve(pose, arm.ready, found);
    REQUIRE(!found.empty());
    CHECK(geometry::gap(arm.flange_frame(found.front().q), pose).distance < 1e-8);
    CHECK(!solver->closed_form());
    CHECK(solver->reachable(pose, arm.ready));
    Frame far = pose;
    far.translation().x() += 2;
    CHECK(!solver->reachable(far, arm.ready));
}

TEST_CASE("the Jacobian is the derivative of the pose") {
    const auto cell = tests::catalogue_cell();
    Draw draw(33);
    std::vector<Frame> frames;
    for (int i = 0; i < 300; ++i) {
        const ArmModel& arm = cell->arm_models[i % 3];
        const JointVector q = random_joints(arm, draw);
        arm.mechanism.link_frames(q, Frame::Identity(), frames);
        const Frame now = frames[arm.flange_link] * arm.flange;
        const Jacobian j = jacobian(arm.mechanism, frames, arm.flange_link, now.translation());
        constexpr double h = 1e-7;
        for (int k = 0; k < q.size(); ++k) {
            JointVector moved = q;
            moved[k] += h;
            const Frame then = arm.flange_frame(moved);
            REQUIRE(((then.translation() - now.translation()) / h - j.col(k).head<3>()).norm() < 1e-5);
            REQUIRE((geometry::rotation_between(now.linear(), then.linear()) / h - j.col(k).tail<3>()).norm() < 1e-5);
        }
    }
}

TEST_CASE("lever bounds are never smaller than a true distance from an axis") {
    const auto cell = tests::catalogue_cell();
    Draw draw(34);
    std::vector<Frame> frames;
    for (int i = 0; i < 2000; ++i) {
        const ArmModel& arm = cell->arm_models[i % 3];
        const int link = draw.whole(1, 6);
        const Vector3 centre = draw.vector(0.2);
        const double radius = draw.in(0, 0.1);
        const JointVector levers = lever_bounds(arm.mechanism, link, centre, radius);
        arm.mechanism.link_frames(random_joints(arm, draw), Frame::Identity(), frames);
        const Vector3 point = frames[link] * Vector3(centre + radius * draw.direction());
        for (int j = 0; j < 6; ++j) {
            if (j >= link) {
                REQUIRE(levers[j] == 0);
                continue;
            }
            const Frame& f = frames[j + 1];
            const double lever = (f.linear() * arm.mechanism.joints[j].axis).cross(point - f.translation()).norm();
            REQUIRE(lever <= levers[j] + 1e-9);
        }
    }
}

TEST_CASE("travel bounds are never smaller than the way of any point, and below what the levers alone would say") {
    const auto cell = tests::catalogue_cell();
    Draw draw(35);
    std::vector<Frame> before, after;
    double ways = 0, bounds = 0, by_levers = 0;
    for (int i = 0; i < 6000; ++i) {
        const ArmModel& arm = cell->arm_models[static_cast<std::size_t>(i) %
                                               cell->arm_models.size()];  // hinges, slides and joints that follow
        const Mechanism& m = arm.mechanism;
        const int link = draw.whole(0, static_cast<int>(m.links.size()) - 1);
        const Vector3 centre = draw.vector(0.2);
        const double radius = draw.in(0, 0.1), most = draw.in(0.01, 0.6);
        JointVector by(m.size()), moved = random_joints(arm, draw);
        m.link_frames(moved, Frame::Identity(), before);
        for (int j = 0; j < m.size(); ++j) {
            by[j] = draw.whole(0, 3) ? draw.in(0, most) : 0.0;
            moved[j] += draw.in(-1, 1) * by[j];
        }
        m.link_frames(moved, Frame::Identity(), after);
        const Vector3 point = centre + radius * draw.direction();
        const double way = (after[link] * point - before[link] * point).norm();
        const double bound = travel_bound(m, before, link, before[link] * centre, radius, by);
        REQUIRE(way <= bound + 1e-12);
        ways += way, bounds += bound, by_levers += lever_bounds(m, link, centre, radius).dot(by);
    }
    CHECK(bounds < 0.85 * by_levers);
    CHECK(ways < bounds);
}

TEST_CASE("where the rates are known, any point keeps to its straight way and its turn, near enough") {
    const auto cell = tests::catalogue_cell();
    Draw draw(36);
    std::vector<Frame> before, after;
    double ways = 0, offs = 0, rests = 0;
    for (int i = 0; i < 6000; ++i) {
        const ArmModel& arm = cell->arm_models[static_cast<std::size_t>(i) % cell->arm_models.size()];
        const Mechanism& m = arm.mechanism;
        const int link = draw.whole(0, static_cast<int>(m.links.size()) - 1);
        const Vector3 centre = draw.vector(0.2);
        const double radius = draw.in(0, 0.1), half = draw.in(0.001, 0.1), most = draw.in(0.01, 3);
        JointVector rate(m.size()), by(m.size()), bend(m.size()), moved = random_joints(arm, draw);
        m.link_frames(moved, Frame::Identity(), before);
        // To the end of the time, or to somewhere in it.
        const double share = draw.whole(0, 3) ? (draw.whole(0, 1) ? 1 : -1) : draw.in(-1, 1);
        for (int j = 0; j < m.size(); ++j) {
            rate[j] = draw.whole(0, 3) ? draw.in(-1, 1) * most : 0.0;
            bend[j] = draw.whole(0, 1) ? draw.in(0, 0.1) * std::abs(rate[j]) * half : 0.0;
            by[j] = std::abs(rate[j]) * half + bend[j];
            moved[j] += share * rate[j] * half + draw.in(-1, 1) * bend[j];
        }
        m.link_frames(moved, Frame::Identity(), after);
        const Vector3 point = centre + radius * draw.direction();
        const Vector3 way = after[link] * point - before[link] * point;
        const Course c = course(m, before, link, before[link] * centre, radius, rate, by, bend);
        const Vector3 off_centre = before[link].linear() * (point - centre);
        const double off = (way - share * half * (c.velocity + c.turning.cross(off_centre))).norm();
        REQUIRE(off <= c.rest + 1e-12);
        ways += way.norm(), offs += off, rests += c.rest;
    }
    CHECK(rests < 0.25 * ways);
    CHECK(rests < 5 * offs);
}

TEST_CASE("turns settle on the value nearest to the reference within limits") {
    const auto cell = tests::catalogue_cell();
    const ArmModel& arm = cell->arm_models[0];
    JointVector q = arm.ready, reference = arm.ready;
    q[5] = -0.1, reference[5] = 5.9;
    CHECK(settle_turns(arm.mechanism, reference, q));
    CHECK(q[5] == Approx(-0.1 + 2 * geometry::pi));
    q[5] = 0.1, reference[5] = -9.0;
    CHECK(settle_turns(arm.mechanism, reference, q));
    CHECK(q[5] == Approx(0.1 - 2 * geometry::pi));
    q = arm.ready, q[0] = geometry::pi;
    CHECK(!settle_turns(arm.mechanism, arm.ready, q));
}
