#include <catch2/catch.hpp>

#include <simulation/plan.h>

#include "reference/scenes.h"

using namespace escarp;
using namespace escarp::motion;

TEST_CASE("twenty scenes: a way is found, keeps its distance, starts and ends where asked, and is the same every time") {
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
        const double need = std::min({scene.room.need, 0.9 * room.clearance(scene.from, 1), 0.9 * room.clearance(scene.to, 1)});
        double least = 1;
        for (int i = 0; i <= 400; ++i) least = std::min(least, room.clearance(way.motion->position(way.motion->duration() * i / 400), least));
        CHECK(least >= need - 2e-3);
        const Detour again = find_way(request);
        CHECK(again.motion->duration() == way.motion->duration());
        for (double t = 0; t + 2e-4 < way.motion->duration(); t += 2e-3) {
            const JointState s = way.motion->at(t);
            for (int j = 0; j < s.q.size(); ++j) {
                const auto& joint = arm.mechanism.joints[static_cast<std::size_t>(j)];
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
    const auto scene = std::find_if(all.begin(), all.end(), [](const tests::Scene& s) { return s.name == "over a wall"; });
    const Room room(scene->arm->model->mechanism, scene->room.parts, *scene->room.around, scene->room.self_pairs);
    const Detour way = find_way({*scene->arm->model, scene->arm->tool_frame, room, scene->from, scene->to, scene->room.need, 1, 1, 0});
    CHECK(!way.motion);
    CHECK(!way.direct);
    REQUIRE(way.blocker >= 0);
    CHECK(scene->cell->devices[static_cast<std::size_t>(way.blocker)].name == "wall");
}
