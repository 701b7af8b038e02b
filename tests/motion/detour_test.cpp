#include <catch2/catch.hpp>

#include <motion/flown_way.h>
#include <simulation/plan.h>

#include "reference/scenes.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;

TEST_CASE(
    "twenty scenes: a way is found, keeps its distance, starts and ends where asked, and is the same every time") {
    for (const tests::Scene& scene : tests::scenes()) {
        INFO(scene.name);
        const kinematics::ArmModel& arm = *scene.arm->model;
        const Room room(arm.mechanism, scene.room.parts, *scene.room.around, scene.room.self_pairs);
        const DetourRequest request{arm, scene.arm->tool_frame, room, scene.from, scene.to, scene.room.need};
        const Detour way = find_way(request);
        REQUIRE(way.motion);
        CHECK((way.motion->position(0) - scene.from).norm() < 1e-9);
        CHECK((way.motion->position(way.motion->duration()) - scene.to).norm() < 1e-6);
        // Dense sampling, the plain way: never nearer than asked for, less the resolution.
        const double need =
            std::min({scene.room.need, 0.9 * room.clearance(scene.from, 1), 0.9 * room.clearance(scene.to, 1)});
        double least = 1;
        for (int i = 0; i <= 400; ++i)
            least = std::min(least, room.clearance(way.motion->position(way.motion->duration() * i / 400), least));
        CHECK(least >= need - 2e-3);
        const Detour again = find_way(request);
        CHECK(again.motion->duration() == way.motion->duration());
        for (double t = 0; t + 2e-4 < way.motion->duration(); t += 2e-3) {
            const JointState s = way.motion->at(t);
            for (int j = 0; j < s.q.size(); ++j) {
                const auto& joint = arm.mechanism.joints[j];
                REQUIRE(std::abs(s.rate[j]) <= joint.speed * 1.001);
                REQUIRE(std::abs(s.acceleration[j]) <= joint.acceleration * 1.005);
                REQUIRE(s.q[j] >= joint.low - 1e-6);
                REQUIRE(s.q[j] <= joint.high + 1e-6);
            }
        }
    }
}

TEST_CASE("where no way was found nothing is made up, and what stood in the way is named") {
    const auto all = tests::scenes();
    const auto scene =
        std::find_if(all.begin(), all.end(), [](const tests::Scene& s) { return s.name == "over a wall"; });
    const Room room(scene->arm->model->mechanism, scene->room.parts, *scene->room.around, scene->room.self_pairs);
    const Detour way =
        find_way({*scene->arm->model, scene->arm->tool_frame, room, scene->from, scene->to, scene->room.need, 1, 1, 0});
    CHECK(!way.motion);
    CHECK(!way.direct);
    REQUIRE(way.blocker >= 0);
    CHECK(scene->cell->devices[way.blocker].name == "wall");
}

TEST_CASE("whether lines are free: what dense sampling says, with many bends too") {
    tests::Draw draw(71);
    int free = 0, blocked = 0;
    for (const tests::Scene& scene : tests::scenes()) {
        INFO(scene.name);
        const Room room(scene.arm->model->mechanism, scene.room.parts, *scene.room.around, scene.room.self_pairs);
        for (int i = 0; i < 12; ++i) {
            const auto beside = [&](const JointVector& q) {
                JointVector out = q;
                for (int j = 0; j < q.size(); ++j)
                    out[j] += draw.in(-0.3, 0.3) *
                              (scene.arm->model->mechanism.joints[j].type == kinematics::JointType::hinge ? 1 : 0.1);
                return out;
            };
            std::vector<JointVector> points{beside(i % 2 ? scene.from : scene.to)};
            for (int k = draw.whole(1, 4); k > 0; --k)
                points.push_back(beside(draw.whole(0, 1) ? scene.from : points.back()));
            constexpr double need = 0.012;
            double least = 1;
            for (std::size_t p = 0; p + 1 < points.size(); ++p)
                for (int k = 0; k <= 300; ++k)
                    least = std::min(least, room.clearance(points[p] + (points[p + 1] - points[p]) * k / 300, least));
            const bool says = room.free(points, need);
            if (says) REQUIRE(least >= need - 1.1e-3);
            else REQUIRE(least < need + 2.5e-3);  // sampling may miss the nearest by a little
            if (points.size() == 2) CHECK(room.free(points[0], points[1], need) == says);
            ++(says ? free : blocked);
        }
    }
    CHECK(free > 30);
    CHECK(blocked > 30);
}

TEST_CASE("the estimate of a flown way: its time and where it passes are those of the real flight") {
    tests::Draw draw(72);
    for (const tests::Scene& scene : tests::scenes()) {
        INFO(scene.name);
        const kinematics::ArmModel& arm = *scene.arm->model;
        for (int i = 0; i < 6; ++i) {
            std::vector<JointVector> way{scene.from, scene.to};
            for (int corners = 1 + i % 3; corners > 0; --corners) {
                JointVector via = 0.5 * (scene.from + scene.to);
                for (int j = 0; j < via.size(); ++j)
                    via[j] +=
                        draw.in(-0.5, 0.5) * (arm.mechanism.joints[j].type == kinematics::JointType::hinge ? 1 : 0.1);
                way.insert(way.end() - 1, via);
            }
            const double cut = draw.in(0.2, way.size() == 3 ? 0.9 : 0.5);
            std::vector<Leg> legs;
            for (std::size_t k = 0; k + 1 < way.size(); ++k) {
                legs.push_back(joint_leg(way[k], way[k + 1], 1, 1));
                if (k + 2 < way.size()) legs.back().cut = cut;
            }
            const MotionPtr real = fly(arm, scene.arm->tool_frame, legs, {1}).first_run;
            FlownWay flown(arm.mechanism, 1, 1);
            const double time = flown.time(way, cut), window = flown.window();
            CHECK(time + window == Approx(real->duration()).epsilon(0.06));
            std::vector<JointVector> passes;
            flown.passes(window, 20, passes);
            REQUIRE(passes.size() == 21);
            CHECK((passes.front() - scene.from).norm() < 1e-9);
            CHECK((passes.back() - scene.to).norm() < 1e-6);
            // Every estimated point lies near the real flight's path.
            double farthest = 0;
            for (const JointVector& p : passes) {
                double nearest = 1e9;
                for (int k = 0; k <= 400; ++k)
                    nearest = std::min(nearest, (real->position(real->duration() * k / 400) - p).norm());
                farthest = std::max(farthest, nearest);
            }
            CHECK(farthest < 0.03);
        }
    }
}
