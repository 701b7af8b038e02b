#include <catch2/catch.hpp>

#include <kinematics/reach.h>

#include "reference/sampled_reach.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::kinematics;
using escarp::tests::Draw;

namespace {

const ArmModel* named(const cell::Cell& cell, const std::string& id) {
    const auto found =
        std::find_if(cell.arm_models.begin(), cell.arm_models.end(), [&](const ArmModel& m) { return m.id == id; });
    REQUIRE(found != cell.arm_models.end());
    return &*found;
}

Frame shifted(Frame f, const Vector3& by) {
    f.translation() += by;
    return f;
}

}  // namespace

TEST_CASE("the reach margin is the least shift that changes the answer, within 1 mm") {
    const auto cell = tests::catalogue_cell();
    Draw draw(41);
    int inside = 0, outside = 0;
    for (int i = 0; i < 160; ++i) {
        const ArmModel& arm = cell->arm_models[i % 3];
        const auto solver = make_joint_solver(arm);
        Frame pose = Frame::Identity();
        const double far = arm_length(arm) * draw.in(0.3, 1.25), turn = draw.in(-2.8, 2.8);
        pose.translation() = Vector3(far * std::cos(turn), far * std::sin(turn), draw.in(0.1, 0.7));
        pose.linear() = straight_down(turn);
        const Reach r = reach(arm, *solver, pose, Frame::Identity(), arm.ready, nullptr);
        const bool reached = solver->reachable(pose, arm.ready);
        REQUIRE((r.margin >= 0) == reached);
        REQUIRE((r.reason == ReachReason::reached) == reached);
        const double size = std::abs(r.margin);
        if (size >= 0.2) continue;
        reached ? ++inside : ++outside;
        // Along the direction named, the answer changes there; no random direction changes it earlier.
        REQUIRE(solver->reachable(shifted(pose, (size + 1e-3) * r.direction), arm.ready) != reached);
        if (size > 2e-3)
            for (int k = 0; k < 400; ++k)
                REQUIRE(solver->reachable(shifted(pose, (size - 1e-3) * draw.direction()), arm.ready) == reached);
    }
    CHECK(inside > 15);
    CHECK(outside > 15);
}

namespace {

/// The margins of random poses of every six-axis model against a search in 2,000 directions: never overstated, and lost
/// where they say.
void compare_with_search(int poses) {
    const auto cell = tests::catalogue_cell();
    const std::vector<Vector3> directions = tests::even_directions(2000);
    Draw draw(4711);
    int found = 0;
    for (const ArmModel& arm : cell->arm_models) {
        if (arm.mechanism.size() != 6 || !arm.mechanism.followers.empty()) continue;
        const auto solver = make_joint_solver(arm);
        for (int i = 0; i < poses;) {
            Frame pose = Frame::Identity();
            const double far = arm_length(arm) * draw.in(0.15, 1.25), turn = draw.in(-geometry::pi, geometry::pi);
            pose.translation() = Vector3(far * std::cos(turn), far * std::sin(turn), draw.in(-0.1, 0.9));
            pose.linear() = i % 3 == 2 ? geometry::rotation(draw.direction(), draw.in(-geometry::pi, geometry::pi))
                                       : straight_down(draw.in(-geometry::pi, geometry::pi));
            if (!solver->reachable(pose, arm.ready)) continue;
            ++i;
            const Reach r = reach(arm, *solver, pose, Frame::Identity(), arm.ready, nullptr);
            const double searched = tests::sampled_margin(*solver, pose, arm.ready, directions, r.margin, 4e-3);
            INFO(arm.id << " pose " << i << " at " << pose.translation().transpose() << " margin " << r.margin
                        << " searched " << searched);
            CHECK(searched >= r.margin - 1e-3);
            if (r.margin >= 0.2) continue;
            ++found;
            bool lost = false;  // some place just beyond is not reached: a gap may be thinner than a millimetre
            for (double beyond = 2e-5; beyond < 1e-3 && !lost; beyond += 2e-5)
                lost = !solver->reachable(shifted(pose, (r.margin + beyond) * r.direction), arm.ready);
            CHECK(lost);
        }
    }
    CHECK(found > poses);
}

}  // namespace

TEST_CASE("the reach margin of six-axis arms is that of a search in 2,000 directions, within 1 mm") {
    compare_with_search(tests::rounds(15));
}
TEST_CASE("the same on 200 poses of every model", "[.][thorough]") { compare_with_search(200); }

TEST_CASE("a dead sector at the end of joint 1 is seen in the reach margin") {
    const auto cell = tests::catalogue_cell();
    const ArmModel* arm = named(*cell, "six900");
    const auto solver = make_joint_solver(*arm);
    const Frame tool = geometry::make_frame({0, 0, 0.12});
    const Frame pose =
        geometry::make_frame({-0.3872, 0.0333, 0.4157}, {geometry::pi, 0, 60.3 * geometry::pi / 180}) * tool.inverse();
    CHECK(reach(*arm, *solver, pose, tool, arm->ready, nullptr).margin == Approx(0.0996).margin(1e-3));
}

TEST_CASE("the tightest joint is judged by shares of ranges: hinges and slides compare") {
    const auto cell = tests::catalogue_cell();
    const ArmModel* arm = named(*cell, "gantry4");
    JointVector q(4);
    q << 0.4, 0.6, 0.4, 175 * geometry::pi / 180;  // the hinge has 10 degrees of 370 to go, the slides 400 mm and more
    const LimitMargin m = limit_margin(arm->mechanism, q);
    CHECK(m.joint == 3);
    CHECK(m.inside == Approx(10 * geometry::pi / 180));
    CHECK(m.share == Approx(10.0 / 370));
}

TEST_CASE("the reason for a pose out of reach is named") {
    const auto cell = tests::catalogue_cell();
    const ArmModel& arm = cell->arm_models[1];
    const auto solver = make_joint_solver(arm);
    const auto ask = [&](double x, double z) {
        Frame pose = Frame::Identity();
        pose.translation() = Vector3(x, 0, z);
        pose.linear() = straight_down();
        return reach(arm, *solver, pose, Frame::Identity(), arm.ready, nullptr);
    };
    CHECK(ask(0.5, 0.3).reason == ReachReason::reached);
    CHECK(ask(1.05, 0.3).reason == ReachReason::too_far);
    CHECK(ask(0.08, 0.3).reason != ReachReason::reached);
    CHECK(ask(0.08, 0.3).reason != ReachReason::too_far);
}

TEST_CASE("the reach field says of each place what the solver says") {
    const auto cell = tests::catalogue_cell();
    const ArmModel& arm = cell->arm_models[0];
    const auto solver = make_joint_solver(arm);
    const Frame tool = geometry::make_frame({0, 0, 0.12});
    const ReachField field = reach_field(arm, *solver, tool, 0.3, 0.05);
    int inside = 0;
    for (int row = 0; row < field.size; ++row)
        for (int column = 0; column < field.size; ++column) {
            Frame pose = Frame::Identity();
            pose.translation() = Vector3(field.origin + column * field.cell, field.origin + row * field.cell, 0.3);
            bool any = false;
            for (int k = 0; k < 16; ++k) {
                pose.linear() =
                    straight_down(std::atan2(pose.translation().y(), pose.translation().x()) + k * geometry::pi / 8);
                any = any || solver->reachable(pose * tool.inverse(), arm.ready);
            }
            if (field.at(column, row)) REQUIRE(any);
            inside += field.at(column, row);
        }
    CHECK(inside > 200);
    CHECK(!field.at(-1, 0));
}

TEST_CASE("a field has a bounded number of cells, however long the arm or fine the cell asked for") {
    const auto cell = tests::catalogue_cell();
    const ArmModel* arm = named(*cell, "six900");
    const auto solver = make_joint_solver(*arm);
    const ReachField field = reach_field(*arm, *solver, Frame::Identity(), 0.3, 1e-6);
    CHECK(field.size <= 401);
    CHECK(field.size * field.cell >= 2 * reach_bound(*arm));
    CHECK(reach_field(*arm, *solver, Frame::Identity(), 0.3, 0.025).cell == 0.025);
}
