// What the search for least clearances rests on: bounds of accelerations, and of how far a body gets along a direction.
#include <catch2/catch.hpp>

#include <motion/clearance.h>
#include <motion/paced.h>
#include <motion/path.h>
#include <simulation/arm_parts.h>
#include <study/figures.h>

#include "support/cells.h"
#include "support/random.h"
#include "support/random_cells.h"

using namespace escarp;
using namespace escarp::motion;
using escarp::tests::Draw;

namespace {

struct Moving {
    const cell::Device* device;
    MotionPtr motion;
};

/// Every different motion of the arms in the demo's variants and in random cells, and each of them changed in the ways
/// that there are.
std::vector<Moving> motions(std::vector<std::shared_ptr<const study::Evaluation>>& kept) {
    inspection::Cache cache;
    std::vector<Moving> all;
    for (const char* variant : {"A", "B"})
        kept.push_back(study::evaluate(simulation::layout(tests::demo(), variant), cache));
    for (const auto& e : kept)
        for (std::size_t i = 0; i < e->cell->devices.size(); ++i) {
            if (!e->cell->devices[i].arm) continue;
            std::set<std::uint64_t> seen;
            for (const auto& m : e->run->trace.motions[i])
                if (seen.insert(m.motion->serial()).second) all.push_back({&e->cell->devices[i], m.motion});
        }
    for (std::size_t i = 0, count = all.size(); i < count; ++i) {
        const Moving m = all[i];
        if (m.motion->duration() < 0.1) continue;
        all.push_back({m.device, slowed(m.motion, 1.7)});
        all.push_back({m.device, on_clock(m.motion, 1.3)});
        all.push_back({m.device, slice(m.motion, 0.3 * m.motion->duration(), 0.8 * m.motion->duration())});
        all.push_back({m.device, one_after_another({m.motion, standstill(m.motion->position(m.motion->duration()))})});
    }
    Draw draw(91);
    const auto cell = kept.front()->cell;
    const cell::Device& arm = cell->devices[static_cast<std::size_t>(cell->device("arm1"))];
    for (int i = 0; i < 12; ++i) {  // through a corner, flown round
        std::vector<PathNode> nodes(3);
        for (int k = 0; k < 3; ++k) {
            nodes[k].s = k, nodes[k].q = arm.arm->ready, nodes[k].slope = JointVector::Zero(6);
            for (int j = 0; j < 6; ++j) nodes[k].q[j] += draw.in(-0.7, 0.7), nodes[k].slope[j] = draw.in(-0.5, 0.5);
        }
        const auto path = std::make_shared<PathMotion>(arm.arm->model->mechanism, nodes, true);
        all.push_back({&arm, path});
        all.push_back({&arm, std::make_shared<Averaged>(path, arm.arm->model->mechanism)});
    }
    return all;
}

}  // namespace

TEST_CASE("no joint accelerates more between two instants than the bound says") {
    std::vector<std::shared_ptr<const study::Evaluation>> kept;
    Draw draw(92);
    int known = 0, tight = 0;
    for (const Moving& m : motions(kept)) {
        for (int i = 0; i < 30; ++i) {
            const double span = m.motion->duration() * std::pow(2.0, -draw.in(0, 9)),
                         from = draw.in(-0.1, 1.05) * m.motion->duration(), to = from + span;
            const auto bound = m.motion->acceleration_bound(from, to);
            if (!bound) continue;
            ++known;
            const double middle = 0.5 * (from + to), half = 0.5 * (to - from);
            const JointState there = m.motion->at(middle);
            double most = 0;
            for (int k = 0; k <= 40; ++k) {
                const double t = from + (to - from) * k / 40;
                const JointState now = m.motion->at(t);
                const JointVector off = now.q - there.q - (t - middle) * there.rate;
                for (int j = 0; j < off.size(); ++j) {
                    REQUIRE(std::abs(now.acceleration[j]) <= (*bound)[j] * (1 + 1e-6) + 1e-6);
                    REQUIRE(std::abs(off[j]) <= 0.5 * half * half * (*bound)[j] * (1 + 1e-6) + 1e-9);
                }
                most = std::max(most, now.acceleration.cwiseAbs().maxCoeff());
            }
            tight += most > 0.5 * bound->maxCoeff();
        }
    }
    CHECK(known > 2000);
    CHECK(tight > known / 4);  // and it is no idle bound
}

TEST_CASE("no point of a body gets farther along a direction than its drift says") {
    std::vector<std::shared_ptr<const study::Evaluation>> kept;
    Draw draw(93);
    double gained = 0, plain = 0;
    int short_ones = 0;
    for (const Moving& m : motions(kept)) {
        const cell::Arm& arm = *m.device->arm;
        const auto parts = part_set(simulation::arm_parts(arm));
        const ArmMover mover(arm.model->mechanism, m.device->world, m.motion, 0, parts);
        for (int i = 0; i < 20; ++i) {
            const double span = m.motion->duration() * std::pow(2.0, -draw.in(1, 9)),
                         from = draw.in(0, 1) * m.motion->duration(), to = from + span;
            Mover::Look look;
            mover.look(from, to, look);
            mover.look_closer(from, to, look);
            const std::size_t p =
                static_cast<std::size_t>(draw.in(0, 0.999) * static_cast<double>(parts->parts().size()));
            const Part& part = parts->parts()[p];
            const Vector3 along = draw.direction(), centre = look.frames[parts->frame(p)] * parts->centre(p);
            const Frame at = look.frames[part.frame] * part.at;
            const auto farthest = [&](const Frame& where, const Vector3& direction) {
                return direction.dot(where * part.shape.support(where.linear().transpose() * direction)) +
                       part.shape.radius() * direction.norm();
            };
            const Vector3 point =
                at * part.shape.support(at.linear().transpose() * along) + part.shape.radius() * along;
            const kinematics::Drift d = mover.drift(look, p, centre, point, along);
            const double bound = d.straight + d.rest +
                                 std::max(farthest(at, along + d.turning) - (along + d.turning).dot(point),
                                     farthest(at, along - d.turning) - (along - d.turning).dot(point));
            std::vector<Frame> frames;
            for (int k = 0; k <= 30; ++k) {
                mover.frames(from + (to - from) * k / 30, frames);
                REQUIRE(farthest(frames[part.frame] * part.at, along) - along.dot(point) <= bound + 1e-9);
            }
            if (span > 0.02) continue;
            ++short_ones, gained += std::min(bound, mover.travel(look, p, centre)),
                plain += mover.travel(look, p, centre);
        }
    }
    CHECK(short_ones > 500);
    CHECK(gained < 0.6 * plain);  // over short times it is worth its cost
}
