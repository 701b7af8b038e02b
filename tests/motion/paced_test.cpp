#include <catch2/catch.hpp>

#include <motion/chain.h>
#include <motion/paced.h>
#include <motion/tool_motion.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;

TEST_CASE("a motion slowed before a border rests in time on its own path, within its limits, and goes on to its end") {
    const auto cell = tests::catalogue_cell();
    tests::Draw draw(8);
    int braked_ones = 0;
    for (const kinematics::ArmModel& model : cell->arm_models) {
        const auto& joints = model.mechanism.joints;
        for (int i = 0; i < 12; ++i) {
            JointVector from = model.ready, to = model.ready;
            for (int j = 0; j < from.size(); ++j) {
                const auto& joint = joints[static_cast<std::size_t>(j)];
                from[j] = draw.in(joint.low, joint.high), to[j] = draw.in(joint.low, joint.high);
            }
            const Frame tool = geometry::make_frame({0, 0, 0.1});
            const MotionPtr motion = joint_move(model.mechanism, from, to, draw.in(0.3, 1));
            const double border = draw.in(0, motion->duration());
            const auto braking = brake_before(model, tool, *motion, border);
            if (!braking) {
                CHECK(border < 1.5);  // there is room enough later
                continue;
            }
            ++braked_ones;
            CHECK(braking->stops_at() <= border + 1e-9);
            CHECK(braking->from >= 0);
            const MotionPtr stopping = braked(motion, *braking);
            const double takes = restart_time(model, tool, *motion, braking->stops_at());
            const MotionPtr again = restarted(motion, braking->stops_at(), takes);
            // It joins on without a jump, rests, and ends where the motion ends.
            CHECK((stopping->at(0).q - motion->at(braking->from).q).norm() < 1e-9);
            CHECK((stopping->at(0).rate - motion->at(braking->from).rate).norm() < 1e-9);
            CHECK(stopping->at(stopping->duration()).rate.norm() < 1e-9);
            CHECK((again->at(0).q - stopping->at(stopping->duration()).q).norm() < 1e-9);
            CHECK(again->at(0).rate.norm() < 1e-9);
            CHECK((again->position(again->duration()) - motion->position(motion->duration())).norm() < 1e-7);
            const double pull = std::max(0.5, greatest_tool_acceleration(model, tool, *motion));
            for (const MotionPtr& m : {stopping, again}) {
                const double h = 1e-3;
                for (double t = 0; t <= m->duration(); t += 0.004) {
                    const JointState s = m->at(t);
                    for (int j = 0; j < s.q.size(); ++j) {
                        const auto& joint = joints[static_cast<std::size_t>(j)];
                        CHECK(std::abs(s.rate[j]) <= joint.speed * (1 + 1e-6));
                        CHECK(std::abs(s.acceleration[j]) <= joint.acceleration * 1.01);
                        CHECK(std::abs(s.rate[j]) <= m->rate_bound(t - h, t + h)[j] + 1e-9);
                    }
                    if (t < h || t > m->duration() - h) continue;
                    const auto place = [&](double when) -> geometry::Vector3 {
                        return (model.flange_frame(m->position(when)) * tool).translation();
                    };
                    CHECK(((place(t + h) - 2 * place(t) + place(t - h)) / (h * h)).norm() <= 1.05 * pull + 1e-3);
                }
                // On the motion's own path: nearest of many places of it.
                for (double t = 0; t <= m->duration(); t += 0.2) {
                    double nearest = 1e9;
                    for (int k = 0; k <= 4000; ++k)
                        nearest = std::min(
                            nearest, (motion->position(motion->duration() * k / 4000) - m->position(t)).norm());
                    CHECK(nearest < 4e-3);  // the places stand so far apart
                }
            }
        }
    }
    CHECK(braked_ones > 40);
}
