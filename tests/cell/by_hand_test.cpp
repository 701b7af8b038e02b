#include <catch2/catch.hpp>

#include <cell/read/by_hand.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using escarp::tests::Draw;
using geometry::Frame;
using geometry::Vector3;
using kinematics::JointVector;

namespace {

Frame tool_of(const cell::Device& d, const JointVector& q) {
    return d.world * d.arm->model->flange_frame(q) * d.arm->tool_frame;
}

}  // namespace

TEST_CASE("a tool taken a little way brings the arm there on the same branch, for every model") {
    const auto cell = tests::catalogue_cell();
    Draw draw(201);
    for (const cell::Device& d : cell->devices) {
        INFO(d.name);
        int brought = 0;
        for (int i = 0; i < 40; ++i) {
            const auto& joints = d.arm->model->mechanism.joints;
            JointVector from = d.arm->ready, to = from;
            for (int j = 0; j < from.size(); ++j) {
                const double span = joints[j].high - joints[j].low;
                from[j] = std::clamp(from[j] + draw.in(-0.05, 0.05) * span, joints[j].low, joints[j].high);
                to[j] = std::clamp(from[j] + draw.in(-0.003, 0.003) * span, joints[j].low, joints[j].high);
            }
            const Frame wanted = tool_of(d, to);
            const cell::Brought there = cell::bring_tool(d, from, wanted, false);
            if (!there.q) continue;  // near a limit
            ++brought;
            const geometry::FrameGap gap = geometry::gap(tool_of(d, *there.q), wanted);
            CHECK(gap.distance < 1e-6);
            CHECK(gap.angle < 1e-6);
            CHECK((*there.q - from).cwiseAbs().maxCoeff() < 0.5);
        }
        CHECK(brought >= 30);
    }
}

TEST_CASE("a tool taken too far stops the arm, and the reason is the true one") {
    const auto cell = tests::catalogue_cell();
    const cell::Device& d = cell->devices[1];
    const Frame here = tool_of(d, d.arm->ready);
    Frame far = here;
    far.translation() += Vector3(5, 0, 0);
    const cell::Brought out = cell::bring_tool(d, d.arm->ready, far, true);
    CHECK(!out.q);
    CHECK(out.joint == -1);
    CHECK(out.can_orient);
    // A SCARA does not tilt its tool.
    const auto scara = std::find_if(
        cell->devices.begin(), cell->devices.end(), [](const cell::Device& one) { return one.id == "scara400"; });
    REQUIRE(scara != cell->devices.end());
    const cell::Brought tilted = cell::bring_tool(*scara, scara->arm->ready,
        tool_of(*scara, scara->arm->ready) * geometry::make_frame(Vector3::Zero(), {0.4, 0, 0}), true);
    CHECK(!tilted.q);
    CHECK(!tilted.can_orient);
    // Along a gantry's first slide past its limit: it is named, and by how much it would be passed.
    const auto gantry = std::find_if(cell->devices.begin(), cell->devices.end(), [](const cell::Device& one) {
        return one.arm->model->mechanism.joints.front().type == kinematics::JointType::slide &&
               one.arm->model->mechanism.size() == 3;
    });
    REQUIRE(gantry != cell->devices.end());
    const kinematics::Joint& slide = gantry->arm->model->mechanism.joints.front();
    JointVector at_limit = gantry->arm->ready;
    at_limit[0] = slide.high - 0.01;
    JointVector past = at_limit;
    past[0] += 0.03;
    const cell::Brought beyond = cell::bring_tool(*gantry, at_limit, tool_of(*gantry, past), true);
    CHECK(!beyond.q);
    CHECK(beyond.joint == 0);
    CHECK(beyond.beyond == Approx(0.02).margin(1e-6));
}

TEST_CASE("the postures offered are those the arm can stand in, and each is told from its joint values") {
    const auto cell = tests::catalogue_cell();
    for (const cell::Device& d : cell->devices) {
        INFO(d.name);
        const std::vector<int> offered = cell::postures_of(*d.arm);
        if (!d.arm->solver->closed_form()) {
            CHECK(offered.empty());
            continue;
        }
        CHECK(!offered.empty());
        CHECK(std::is_sorted(offered.begin(), offered.end()));
        JointVector q = d.arm->ready;
        for (int j = 0; j < q.size(); ++j)
            q[j] += (j % 2 ? 0.05 : -0.04) *
                    (d.arm->model->mechanism.joints[j].type == kinematics::JointType::hinge ? 1 : 0.1);
        std::vector<kinematics::JointSolution> all;
        d.arm->solver->held(d.arm->model->flange_frame(q), q, all);
        for (const kinematics::JointSolution& s : all) {
            CHECK(std::count(offered.begin(), offered.end(), s.posture) == 1);
            CHECK(cell::posture_at(*d.arm, s.q) == s.posture);
        }
    }
}
