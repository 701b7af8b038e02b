#include "test_cycle.h"

#include <motion/chain.h>

namespace escarp::study {

std::optional<double> test_cycle(const cell::Arm& arm) {
    constexpr double below = 0.05, up = 0.025, half = 0.15, corner = 0.01;
    const kinematics::ArmModel& model = *arm.model;
    const geometry::Frame ready = model.flange_frame(arm.ready) * arm.tool_frame;
    const auto at = [&](double across, double above) {
        geometry::Frame f = ready;
        f.translation() += geometry::Vector3(0, across, above - below);
        return f;
    };
    const geometry::Frame stops[] = {at(-half, 0), at(-half, up), at(half, up), at(half, 0)};
    const auto start = arm.solver->nearest(stops[0] * arm.tool_frame.inverse(), arm.ready);
    if (!start || !start->within_limits) return std::nullopt;
    // Across as an engineer would have it: straight or as a joint move, whichever is quicker.
    std::optional<double> best;
    for (const bool by_joints : {false, true}) {
        std::vector<motion::Leg> legs;
        kinematics::JointVector q = start->q;
        for (int i = 0; i < 3; ++i) {
            if (by_joints && i == 1) {
                const auto end = arm.solver->nearest(stops[i + 1] * arm.tool_frame.inverse(), q);
                if (!end || !end->within_limits) return best;
                legs.push_back(motion::joint_leg(q, end->q, arm.speed, arm.acceleration));
            } else {
                auto leg = motion::straight_leg(
                    {model, *arm.solver, arm.tool_frame, stops[i], stops[i + 1], q, arm.speed, arm.acceleration});
                if (!std::holds_alternative<motion::Leg>(leg)) break;
                legs.push_back(std::move(std::get<motion::Leg>(leg)));
            }
            legs.back().corner = i < 2 ? corner : 0;
            q = legs.back().nodes.back().q;
        }
        if (legs.size() < 3) continue;
        double there = 0;
        for (const motion::MotionPtr& m : motion::fly(model, arm.tool_frame, legs).legs) there += m->duration();
        best = std::min(best.value_or(2 * there), 2 * there);
    }
    return best;
}

}  // namespace escarp::study
