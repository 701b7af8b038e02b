#include "by_hand.h"

#include <kinematics/reach.h>

namespace escarp::cell {

Brought bring_tool(const Device& d, const kinematics::JointVector& now, const Frame& tool, bool leaps) {
    const Arm& arm = *d.arm;
    const Frame flange = d.world.inverse() * tool * arm.tool_frame.inverse();
    Brought out;
    const auto found = arm.solver->nearest(flange, now);
    if (!found) {
        out.can_orient = arm.solver->can_orient(flange.linear() * arm.tool_frame.linear());
        return out;
    }
    if (found->within_limits) {
        out.q = found->q;
        return out;
    }
    const auto [joint, margin, share] = kinematics::limit_margin(arm.model->mechanism, found->q);
    out.joint = joint, out.beyond = -margin;
    if (!leaps) return out;
    std::vector<kinematics::JointSolution> all;
    arm.solver->solve(flange, now, all);
    const auto within =
        std::find_if(all.begin(), all.end(), [](const kinematics::JointSolution& s) { return s.within_limits; });
    if (within != all.end()) out.q = within->q;
    return out;
}

std::vector<int> postures_of(const Arm& arm) {
    std::vector<int> out;
    if (!arm.solver->closed_form()) return out;
    // In the ready posture two branches may be one (a straight wrist, an outstretched elbow): a little beside it they
    // are not.
    kinematics::JointVector q = arm.ready;
    for (int j = 0; j < q.size(); ++j)
        q[j] +=
            (j % 2 ? 0.07 : -0.09) * (arm.model->mechanism.joints[j].type == kinematics::JointType::hinge ? 1 : 0.1);
    std::vector<kinematics::JointSolution> all;
    arm.solver->held(arm.model->flange_frame(q), q, all);
    for (const kinematics::JointSolution& s : all)
        if (std::find(out.begin(), out.end(), s.posture) == out.end()) out.push_back(s.posture);
    std::sort(out.begin(), out.end());
    return out;
}

std::optional<int> posture_at(const Arm& arm, const kinematics::JointVector& q) {
    if (!arm.solver->closed_form()) return std::nullopt;
    std::vector<kinematics::JointSolution> all;
    arm.solver->held(arm.model->flange_frame(q), q, all);
    for (const kinematics::JointSolution& s : all)
        if ((s.q - q).cwiseAbs().maxCoeff() < 1e-6) return s.posture;
    return std::nullopt;
}

}  // namespace escarp::cell
