#include <catch2/catch.hpp>

#include <motion/clearance.h>
#include <simulation/arm_parts.h>
#include <study/figures.h>

#include "reference/sampled_clearance.h"
#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;
using escarp::tests::Draw;

namespace {

ArmMover random_sweep(const cell::Device& d, Draw& draw, double* duration) {
    JointVector a = d.arm->ready, b = d.arm->ready;
    for (int j = 0; j < 6; ++j) a[j] += draw.in(-0.8, 0.8), b[j] += draw.in(-0.8, 0.8);
    const MotionPtr m = joint_move(d.arm->model->mechanism, a, b, 1.0);
    *duration = m->duration();
    return ArmMover(d.arm->model->mechanism, Frame::Identity(), m, 0, part_set(simulation::arm_parts(*d.arm)));
}

}  // namespace

TEST_CASE("the least clearance of a sweep is that of dense sampling, and never above it") {
    const auto cell = tests::catalogue_cell();
    Draw draw(61);
    for (int i = 0; i < 60; ++i) {
        double duration = 0;
        const ArmMover arm = random_sweep(cell->devices[i % 3], draw, &duration);
        const GlideMover other(geometry::make_frame(Vector3(draw.in(0.3, 0.9), draw.in(-0.6, 0.6), draw.in(0, 0.8))),
            motion::part_set({{0, draw.convex(), Frame::Identity(), {}, 0}}));
        const Clearance exact = least_clearance(arm, other, {0, duration});
        const Clearance sampled = tests::sampled_clearance(arm, other, 0, duration, 3000);
        REQUIRE(exact.distance <= sampled.distance + 2.6e-4);
        REQUIRE(exact.distance >= sampled.distance - 1.5e-3);  // sampling misses a little, 3000 looks not much
        if (exact.distance > 0) CHECK((exact.on_a - exact.on_b).norm() == Approx(exact.distance).margin(1e-5));
    }
}

TEST_CASE("two moving arms: the same, with their own start times") {
    const auto cell = tests::catalogue_cell();
    Draw draw(62);
    for (int i = 0; i < 15; ++i) {
        const auto& d = cell->devices[1];
        JointVector a = d.arm->ready, b = d.arm->ready;
        for (int j = 0; j < 6; ++j) a[j] += draw.in(-0.6, 0.6), b[j] += draw.in(-0.6, 0.6);
        const MotionPtr m = joint_move(d.arm->model->mechanism, a, b, 0.7),
                        n = joint_move(d.arm->model->mechanism, b, a, 0.9);
        const ArmMover one(d.arm->model->mechanism, Frame::Identity(), m, 0, part_set(simulation::arm_parts(*d.arm)));
        const ArmMover two(d.arm->model->mechanism, geometry::make_frame({1.3, 0.1, 0}, {0, 0, 3.0}), n, 0.2,
            part_set(simulation::arm_parts(*d.arm)));
        const double end = std::max(m->duration(), 0.2 + n->duration());
        const Clearance exact = least_clearance(one, two, {0, end});
        const Clearance sampled = tests::sampled_clearance(one, two, 0, end, 800);
        REQUIRE(exact.distance <= sampled.distance + 2.6e-4);
        REQUIRE(exact.distance >= sampled.distance - 4e-3);
    }
}

TEST_CASE("nothing between two looks is missed: a fast ball through a thin gap of time") {
    // 40 m/s past a sheet of 1 mm: the contact lasts 0.5 ms of 10 s.
    const GlideMover ball(geometry::make_frame({-200, 0, 0}),
        motion::part_set({{0, geometry::Convex::sphere(0.02), Frame::Identity(), {}, 0}}), {{40, 0, 0}}, 0);
    const GlideMover sheet(geometry::make_frame({3.2173, 0, 0}),
        motion::part_set({{0, geometry::Convex::box({0.001, 1, 1}), Frame::Identity(), {}, 0}}));
    const Clearance exact = least_clearance(ball, sheet, {0, 10});
    CHECK(exact.distance == 0);
    CHECK(exact.when == Approx((200 + 3.2173) / 40).margin(3e-4));
    CHECK(tests::sampled_clearance(ball, sheet, 0, 10, 500).distance > 0.005);  // what plain looking would have said
    const auto times = contact_times(ball, sheet, 0, 10);
    REQUIRE(times.size() == 1);
    CHECK(times[0].first == Approx((200 + 3.2173 - 0.0105) / 40).margin(1e-5));
    CHECK(times[0].second == Approx((200 + 3.2173 + 0.0105) / 40).margin(2e-4));
}

TEST_CASE("what was seen of a mover is not taken for the same on another base") {
    const auto cell = tests::catalogue_cell();
    Draw draw(64);
    const auto& d = cell->devices[1];
    JointVector a = d.arm->ready, b = d.arm->ready;
    for (int j = 0; j < 6; ++j) a[j] += draw.in(-0.6, 0.6), b[j] += draw.in(-0.6, 0.6);
    const MotionPtr m = joint_move(d.arm->model->mechanism, a, b, 1.0);
    const auto parts = part_set(simulation::arm_parts(*d.arm));
    const GlideMover post(geometry::make_frame({1.6, 0, 0.3}),
        motion::part_set({{0, geometry::Convex::box({0.2, 0.2, 0.6}), Frame::Identity(), {}, 0}}));
    for (const double x : {0.0, 0.25, 0.5}) {  // one after another, with the same motion and the same parts
        const ArmMover arm(d.arm->model->mechanism, geometry::make_frame({x, 0, 0}), m, 0, parts);
        const double found = least_clearance(arm, post, {0, m->duration()}).distance;
        const double sampled = tests::sampled_clearance(arm, post, 0, m->duration(), 2000).distance;
        CHECK(found <= sampled + 2.6e-4);
        CHECK(found >= sampled - 2e-3);
    }
}

TEST_CASE("a capped query agrees wherever the distance is below the cap") {
    const auto cell = tests::catalogue_cell();
    Draw draw(63);
    for (int i = 0; i < 60; ++i) {
        double duration = 0;
        const ArmMover arm = random_sweep(cell->devices[1], draw, &duration);
        const GlideMover other(geometry::make_frame(Vector3(draw.in(0.2, 1.2), draw.in(-0.9, 0.9), draw.in(0, 0.8))),
            motion::part_set({{0, geometry::Convex::box({0.2, 0.2, 0.2}), Frame::Identity(), {}, 0}}));
        const double full = least_clearance(arm, other, {0, duration}).distance;
        const Clearance capped = least_clearance(arm, other, {0, duration, 0.1});
        if (full < 0.0995) REQUIRE(capped.distance == Approx(full).margin(6e-4));
        else REQUIRE(capped.distance >= 0.0995);
    }
}

TEST_CASE("an arm against itself: that of dense sampling over the pairs asked for, and never above it") {
    const auto cell = tests::catalogue_cell();
    Draw draw(64);
    int touched = 0;
    for (int i = 0; i < 60; ++i) {
        const cell::Device& d = cell->devices[i % 5];  // six-axis, offset wrist, seven axes
        const auto& joints = d.arm->model->mechanism.joints;
        JointVector a = d.arm->ready, b = a;
        for (int j = 0; j < a.size(); ++j) {  // folded postures too
            a[j] = draw.in(joints[j].low, joints[j].high);
            b[j] = a[j] + draw.in(-0.7, 0.7);
        }
        const MotionPtr m = joint_move(d.arm->model->mechanism, a, b, 1.0);
        const ArmMover arm(d.arm->model->mechanism, Frame::Identity(), m, 0, part_set(simulation::arm_parts(*d.arm)));
        const int flange = d.arm->model->flange_link;
        const auto link = [&](const Part& p) { return p.tag >= simulation::tool_tag ? flange : p.tag; };
        const auto take = [&](const Part& p, const Part& q) { return std::abs(link(q) - link(p)) >= 3; };
        const Clearance exact = least_self_clearance(arm, {0, m->duration(), 1e300, 2.5e-4, take});
        double sampled = 1e300;
        std::vector<Frame> frames;
        for (int k = 0; k <= 1500; ++k) {
            arm.frames(m->duration() * k / 1500, frames);
            for (std::size_t x = 0; x < arm.parts().size(); ++x)
                for (std::size_t y = x + 1; y < arm.parts().size(); ++y) {
                    const Part &p = arm.parts()[x], &q = arm.parts()[y];
                    if (take(p, q))
                        sampled = std::min(sampled,
                            geometry::separation(p.shape, frames[p.frame] * p.at, q.shape, frames[q.frame] * q.at)
                                .distance);
                }
        }
        REQUIRE(exact.distance <= sampled + 2.6e-4);
        REQUIRE(exact.distance >= sampled - 2.5e-3);
        touched += exact.distance <= 0;
    }
    CHECK(touched > 3);
    CHECK(touched < 57);
}

TEST_CASE("at one instant the clearance is the least of all pairs, near and far") {
    const auto e = study::evaluate(simulation::layout(tests::demo(), "A"), *std::make_unique<inspection::Cache>());
    const cell::Device& arm = e->cell->devices[e->cell->device("arm1")];
    std::vector<Part> around;
    for (const cell::Device& d : e->cell->devices)
        if (!d.arm && d.id != "pedestal1")
            for (const geometry::Body& b : d.bodies) around.push_back({0, b.shape, d.world * b.at, {}, 0});
    const GlideMover others(Frame::Identity(), part_set(around));
    Draw draw(65);
    for (int i = 0; i < 300; ++i) {
        JointVector q = arm.arm->ready;
        for (int j = 0; j < q.size(); ++j) q[j] += draw.in(-1.5, 1.5);
        const ArmMover mover(
            arm.arm->model->mechanism, arm.world, standstill(q), 0, part_set(simulation::arm_parts(*arm.arm)));
        const double plain = tests::sampled_clearance(mover, others, 0, 0, 0).distance;
        const Clearance found = least_clearance(mover, others, {0, 0});
        REQUIRE(found.distance == Approx(plain).margin(2e-6));
        const Clearance capped = least_clearance(mover, others, {0, 0, 0.1});
        if (plain < 0.1) REQUIRE(capped.distance == Approx(plain).margin(2e-6));
        else REQUIRE(capped.part_a == -1);
        const auto links = [](const Part& p, const Part&) { return p.tag >= 3; };
        REQUIRE(least_clearance(mover, others, {0, 0, 1e300, 2.5e-4, links}).distance >= found.distance - 2e-6);
    }
}
