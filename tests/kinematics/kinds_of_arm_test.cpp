#include <catch2/catch.hpp>

#include <cell/read/arm_on_travel.h>

#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::kinematics;
using cell::json;
using escarp::tests::Draw;
using escarp::tests::random_joints;

namespace {

const ArmModel& catalogue_arm(const std::string& id) {
    static const auto cell = tests::catalogue_cell();
    for (const ArmModel& m : cell->arm_models)
        if (m.id == id) return m;
    throw std::runtime_error("no arm " + id);
}

/// Solutions feed back to the pose, and the joint values that made it are among those at its free joints' values.
void check_round_trips(const ArmModel& arm, int poses, unsigned seed) {
    INFO(arm.id);
    const auto solver = make_joint_solver(arm);
    REQUIRE(solver->closed_form());
    INFO(solver->name());
    Draw draw(seed);
    std::vector<JointSolution> found;
    double worst = 0, worst_angle = 0, farthest = 0;
    int without = 0, outside = 0;
    for (int i = 0; i < poses; ++i) {
        const JointVector q = random_joints(arm, draw);
        const Frame pose = arm.flange_frame(q);
        solver->held(pose, q, found);
        double nearest = 1e300;
        bool within = false;
        for (const JointSolution& s : found) {
            const geometry::FrameGap gap = geometry::gap(arm.flange_frame(s.q), pose);
            worst = std::max(worst, gap.distance), worst_angle = std::max(worst_angle, gap.angle);
            double apart = 0;
            for (int j = 0; j < q.size(); ++j) {
                const double d = s.q[j] - q[j];
                apart = std::max(apart,
                    std::abs(
                        arm.mechanism.joints[j].type == JointType::hinge ? std::remainder(d, 2 * geometry::pi) : d));
            }
            if (apart < nearest) nearest = apart, within = s.within_limits;
        }
        without += found.empty();
        outside += !within;
        farthest = std::max(farthest, nearest);
    }
    CHECK(without == 0);
    CHECK(outside == 0);
    CHECK(worst < 1e-9);
    CHECK(worst_angle < 1e-9);
    CHECK(farthest < 1e-5);
}

}  // namespace

TEST_CASE("forward and inverse agree to 1e-9 for every kind of arm, over 100,000 random poses each") {
    for (const char* id :
        {"offset850", "seven800", "scara400", "scara650", "pallet2100", "gantry2", "gantry3", "gantry4"})
        check_round_trips(catalogue_arm(id), tests::rounds(100000), 61);
}

TEST_CASE("the same on a travel axis") {
    cell::Travel travel;
    travel.length = 3, travel.turn = 0.7;
    for (const char* id : {"six900", "offset850", "seven800", "scara650", "pallet2100"}) {
        const ArmModel arm = cell::arm_on_travel(catalogue_arm(id), travel);
        check_round_trips(arm, tests::rounds(20000), 62);
        CHECK(make_joint_solver(arm)->free_joints().front() == 0);
    }
}

TEST_CASE("which closed form is found follows from the mechanism alone") {
    const auto name = [](const char* id) { return std::string(make_joint_solver(catalogue_arm(id))->name()); };
    CHECK(name("six900") == "closed form, spherical wrist");
    CHECK(name("offset850") == "closed form, offset wrist");
    CHECK(name("seven800") == "closed form, seven axes");
    CHECK(name("scara400") == "closed form, parallel hinges");
    CHECK(name("pallet2100") == "closed form, level flange");
    CHECK(name("gantry4") == "closed form, slides");
    // A gantry under a SCARA head, a slide that moves nothing new: free; one that adds a direction: not.
    CHECK(make_joint_solver(catalogue_arm("gantry3"))->free_joints().empty());
}

TEST_CASE("a SCARA with its slide first, in the middle or last has the same solutions") {
    const ArmModel& arm = catalogue_arm("scara400");
    ArmModel first = arm;  // slide, hinge, hinge, hinge: the same motion, links in another order
    auto& m = first.mechanism;
    std::vector<Joint> joints{
        arm.mechanism.joints[2], arm.mechanism.joints[0], arm.mechanism.joints[1], arm.mechanism.joints[3]};
    joints[0].at = Frame::Identity();
    joints[3].at.translation() += arm.mechanism.joints[2].at.translation();
    for (int j = 0; j < 4; ++j) joints[j].parent = j, joints[j].child = j + 1;
    m.joints = joints;
    Draw draw(9);
    const auto a = make_joint_solver(arm), b = make_joint_solver(first);
    std::vector<JointSolution> one, other;
    for (int i = 0; i < 200; ++i) {
        const Frame pose = arm.flange_frame(random_joints(arm, draw));
        a->solve(pose, arm.ready, one);
        b->solve(pose, JointVector::Zero(4), other);
        REQUIRE(one.size() == other.size());
        for (const JointSolution& s : one) {
            CHECK(s.q[2] == Approx(other.front().q[0]).margin(1e-9));
            CHECK(std::any_of(other.begin(), other.end(), [&](const JointSolution& o) {
                return std::abs(std::remainder(s.q[0] - o.q[1], 2 * geometry::pi)) < 1e-9;
            }));
        }
    }
}

TEST_CASE("an arm that stays level says so when a pose is tilted, and margins leave out what it cannot do at all") {
    const ArmModel& scara = catalogue_arm("scara650");
    const auto solver = make_joint_solver(scara);
    Frame pose = scara.flange_frame(scara.ready);
    CHECK(reach(scara, *solver, pose, Frame::Identity(), scara.ready, &scara.ready).reason == ReachReason::reached);
    pose.linear() = pose.linear() * geometry::rotation(Vector3::UnitX(), 0.1);
    CHECK(reach(scara, *solver, pose, Frame::Identity(), scara.ready, nullptr).reason == ReachReason::orientation);
    const ArmModel& two = catalogue_arm("gantry2");
    const auto two_solver = make_joint_solver(two);
    JointVector q(2);
    q << 0.5, 0.3;
    const Reach r = reach(two, *two_solver, two.flange_frame(q), Frame::Identity(), two.ready, &q, 0.4);
    CHECK(r.margin == Approx(0.3).margin(1e-3));  // 0.3 m of ram above, nothing in y counts
}

TEST_CASE("a follower moves as its leaders say, and the Jacobian knows it") {
    const ArmModel& arm = catalogue_arm("pallet2100");
    REQUIRE(arm.mechanism.size() == 4);
    REQUIRE(arm.mechanism.followers.size() == 2);
    Draw draw(5);
    std::vector<Frame> frames;
    for (int i = 0; i < 200; ++i) {
        const JointVector q = random_joints(arm, draw);
        const Frame at = arm.flange_frame(q);
        CHECK(at.linear().col(2).z() == Approx(-1).margin(1e-12));  // level whatever the drives do
        arm.mechanism.link_frames(q, Frame::Identity(), frames);
        const Jacobian j = jacobian(arm.mechanism, frames, arm.flange_link, at.translation());
        for (int k = 0; k < 4; ++k) {
            constexpr double h = 1e-6;
            JointVector more = q, less = q;
            more[k] += h, less[k] -= h;
            const Vector3 slope =
                (arm.flange_frame(more).translation() - arm.flange_frame(less).translation()) / (2 * h);
            CHECK((slope - j.col(k).head<3>()).norm() < 1e-6);
        }
        // no point of a link moves farther than its lever says
        const geometry::Body& body = arm.mechanism.links[4].bodies.back();
        const JointVector levers = lever_bounds(arm.mechanism, 4, body.at * body.shape.centre(), body.shape.bound());
        const Vector3 tip = body.at * body.shape.support(draw.direction());
        const Jacobian there = jacobian(arm.mechanism, frames, 4, frames[4] * tip);
        for (int k = 0; k < 4; ++k) CHECK(there.col(k).head<3>().norm() <= levers[k] + 1e-9);
    }
}

TEST_CASE("fixed joints become part of what carries them") {
    const json base = {{"id", "m"},
        {"links", {{{"name", "a"}}, {{"name", "b"}, {"bodies", {{{"shape", "box"}, {"size_mm", {10, 10, 10}}}}}},
                      {{"name", "c"}, {"bodies", {{{"shape", "box"}, {"size_mm", {20, 20, 20}}}}}}, {{"name", "d"}}}},
        {"joints", {{{"name", "turn"}, {"type", "hinge"}, {"parent", 0}, {"child", 1}, {"min_deg", -90},
                        {"max_deg", 90}, {"speed_deg_s", 90}, {"acceleration_deg_s2", 90}},
                       {{"name", "plate"}, {"type", "fixed"}, {"parent", 1}, {"child", 2}, {"at_mm", {100, 0, 0}},
                           {"turn_deg", {0, 0, 90}}},
                       {{"name", "lift"}, {"type", "slide"}, {"parent", 2}, {"child", 3}, {"at_mm", {50, 0, 0}},
                           {"min_mm", 0}, {"max_mm", 200}, {"speed_mm_s", 100}, {"acceleration_mm_s2", 100}}}}};
    json tree = {{"escarp", 1}, {"arm_models", {base}},
        {"devices", {{{"id", "x"}, {"name", "X"}, {"kind", "arm"}, {"model", "m"}}}}};
    const auto c = tests::read(tree);
    const ArmModel& arm = c->arm_models.front();
    REQUIRE(arm.mechanism.size() == 2);
    REQUIRE(arm.mechanism.links.size() == 3);
    CHECK(arm.mechanism.links[1].bodies.size() == 2);
    JointVector q(2);
    q << 0.0, 0.1;
    CHECK((arm.flange_frame(q).translation() - Vector3(0.1, 0.05, 0.1)).norm() < 1e-12);
    // Mistakes are named where they are.
    const auto refused = [&](const char* pointer, const json& value, const char* path) {
        json wrong = tree;
        wrong[json::json_pointer(pointer)] = value;
        try {
            tests::read(wrong);
        } catch (const cell::InputError& e) {
            for (const cell::Problem& p : e.problems())
                if (p.where.find(path) != std::string::npos) return true;
            UNSCOPED_INFO(e.what());
        }
        return false;
    };
    CHECK(refused("/arm_models/0/joints/2/parent", 3, "joints"));
    CHECK(refused("/arm_models/0/joints/0/axis", json::array({0, 0, 0}), "joints/0/axis"));
    CHECK(refused("/arm_models/0/joints/0/min_deg", 100, "joints/0/max_deg"));
    CHECK(refused("/arm_models/0/links/1/bodies/0/size_mm", json::array({0, 10, 10}), "bodies"));
}

TEST_CASE("the numeric solver finds a solution for 99.9 % of random reachable poses, and nearly all that there are") {
    const ArmModel& six = catalogue_arm("six900");
    const auto closed = make_joint_solver(six), numeric = numeric_solver(six);
    ArmModel bent = six;  // no closed form: the last axis misses the wrist centre
    bent.mechanism.joints[5].at.translation().y() = 0.04;
    bent.mechanism.joints[3].at.translation().y() = 0.06;
    const auto only = make_joint_solver(bent);
    REQUIRE(!only->closed_form());
    Draw draw(71);
    std::vector<JointSolution> found, all;
    int missed = 0, known = 0, seen = 0;
    constexpr int poses = 2000;
    for (int i = 0; i < poses; ++i) {
        const Frame pose = bent.flange_frame(random_joints(bent, draw));
        only->solve(pose, bent.ready, found);
        missed += std::none_of(found.begin(), found.end(), [](const JointSolution& s) { return s.within_limits; });
        for (const JointSolution& s : found) {
            const geometry::FrameGap gap = geometry::gap(bent.flange_frame(s.q), pose);
            REQUIRE(gap.distance < 1e-9);
            REQUIRE(gap.angle < 1e-9);
        }
    }
    CHECK(missed <= poses / 1000);
    for (int i = 0; i < 300; ++i) {
        const Frame pose = six.flange_frame(random_joints(six, draw));
        closed->solve(pose, six.ready, all);
        numeric->solve(pose, six.ready, found);
        for (const JointSolution& s : all) {
            ++known;
            seen += std::any_of(found.begin(), found.end(),
                [&](const JointSolution& o) { return (o.q - s.q).cwiseAbs().maxCoeff() < 1e-4; });
        }
    }
    CAPTURE(seen, known);
    CHECK(seen >= 0.9 * known);
}
