#include <catch2/catch.hpp>

#include <simulation/plan.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::simulation;

namespace {

const cell::Arm& arm_of(const std::shared_ptr<const cell::Cell>& c, std::size_t i) { return *c->devices[i].arm; }

Frame down(double x, double y, double z, double turn = 0) {
    return geometry::make_frame({x, y, z}, {geometry::pi, 0, turn});
}

}  // namespace

TEST_CASE("a pose plan comes straight in, stands at the pose and goes straight out, on one branch") {
    const auto c = tests::catalogue_cell();
    PlanCache plans;
    tests::Draw draw(91);
    int good = 0;
    for (int i = 0; i < 60; ++i) {
        const cell::Arm& arm = arm_of(c, static_cast<std::size_t>(i % 3));
        const double size = arm.model->id == "six600"   ? 0.6
                            : arm.model->id == "six900" ? 0.9
                                                        : 1.4,
                     far = size * draw.in(0.45, 0.8), around = draw.in(-2, 2);
        const Frame tool = down(far * std::cos(around), far * std::sin(around), draw.in(0.1, 0.25), draw.in(-3, 3));
        const PoseRequest request{arm, tool, draw.in(0.02, 0.12), draw.in(0.02, 0.12), draw.in(0.2, 1), -1};
        const auto plan = plans.pose(request);
        if (!plan->good) continue;
        ++good;
        const auto at = [&](const JointVector& q) { return Frame(arm.model->flange_frame(q) * arm.tool_frame); };
        CHECK(geometry::gap(at(plan->pose), tool).distance < 1e-6);
        CHECK(
            geometry::gap(at(plan->approach), tool * geometry::make_frame({0, 0, -request.approach})).distance < 1e-6);
        CHECK(geometry::gap(at(plan->retreat), tool * geometry::make_frame({0, 0, -request.retreat})).distance < 1e-6);
        CHECK((plan->in->position(0) - plan->approach).norm() < 1e-9);
        CHECK((plan->in->position(plan->in->duration()) - plan->pose).norm() < 1e-9);
        CHECK((plan->out->position(0) - plan->pose).norm() < 1e-5);
        CHECK(arm.model->mechanism.within_limits(plan->pose));
        CHECK((plan->approach - plan->pose).cwiseAbs().maxCoeff() < 1.5);  // no flip of the wrist on the way
    }
    CHECK(good > 30);
}

TEST_CASE("the same request is answered from what is kept, bit for bit, and a fresh cache says the same") {
    const auto c = tests::catalogue_cell();
    PlanCache plans, fresh;
    const PoseRequest request{arm_of(c, 1), down(0.5, 0.2, 0.2), 0.1, 0.1, 1, -1};
    const auto first = plans.pose(request);
    const std::size_t made = plans.computed();
    CHECK(plans.pose(request) == first);
    CHECK(plans.computed() == made);
    const auto other = fresh.pose(request);
    CHECK(other->pose == first->pose);
    CHECK(other->in->duration() == first->in->duration());
    CHECK(plans.joint_move(request.arm, first->pose, first->approach, 0.5) ==
          plans.joint_move(request.arm, first->pose, first->approach, 0.5));
    CHECK(plans.joint_move(request.arm, first->pose, first->approach, 0.5) !=
          plans.joint_move(request.arm, first->pose, first->approach, 0.6));
}

TEST_CASE("a posture that is asked for is taken, or the plan fails") {
    const auto c = tests::catalogue_cell();
    const cell::Arm& arm = arm_of(c, 1);
    PlanCache plans;
    std::vector<kinematics::JointSolution> all;
    const Frame tool = down(0.5, 0.2, 0.2);
    arm.solver->solve(tool * arm.tool_frame.inverse(), arm.ready, all);
    int taken = 0;
    for (int posture = 0; posture < 8; ++posture) {
        const auto plan = plans.pose({arm, tool, 0.05, 0.05, 1, posture});
        const bool possible =
            std::any_of(all.begin(), all.end(), [&](const auto& s) { return s.posture == posture && s.within_limits; });
        if (!possible) CHECK(!plan->good);
        if (!plan->good) continue;
        CHECK(plan->posture == posture);
        ++taken;
    }
    CHECK(taken >= 2);
    const auto free = plans.pose({arm, tool, 0.05, 0.05, 1, -1});
    REQUIRE(free->good);
    for (int posture = 0; posture < 8; ++posture) {  // the free choice is the one nearest to the ready posture
        const auto plan = plans.pose({arm, tool, 0.05, 0.05, 1, posture});
        const auto effort = [&](const JointVector& q) {
            double sum = 0;
            for (int j = 0; j < 6; ++j) sum += std::abs(q[j] - arm.ready[j]) / arm.model->mechanism.joints[j].speed;
            return sum;
        };
        if (plan->good) CHECK(effort(free->pose) <= effort(plan->pose) + 1e-9);
    }
}

TEST_CASE("a pose in reach whose approach is not fails as a line, with the place") {
    const auto c = tests::catalogue_cell();
    const cell::Arm& arm = arm_of(c, 1);
    PlanCache plans;
    const auto plan =
        plans.pose({arm, down(0.80, 0, 0.2), 0.9, 0.05, 1, -1});  // backing off 0.9 m upwards leaves the reach
    CHECK(!plan->good);
    CHECK(plan->failure == Fault::Kind::line_fails);
    CHECK(plan->failed_at > 0);
    CHECK(plan->failed_at < 1);
    CHECK(plans.pose({arm, down(2, 0, 0.2), 0.1, 0.1, 1, -1})->failure == Fault::Kind::out_of_reach);
}
