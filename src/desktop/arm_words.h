#pragma once
// How joint values and joint solutions are said.

#include <QCoreApplication>
#include <QString>

#include <algorithm>
#include <optional>
#include <cell/cell.h>

namespace escarp::desktop {

/// Radians or metres per degree or mm, by the joint's type.
inline double joint_unit(const kinematics::Joint& joint) { return joint.type == kinematics::JointType::hinge ? geometry::pi / 180 : 1e-3; }
inline QString joint_sign(const kinematics::Joint& joint) { return joint.type == kinematics::JointType::hinge ? QStringLiteral("\u00b0") : QStringLiteral("mm"); }

/// The branches that an arm's closed form has, where it stands ready; none where it is solved numerically.
inline std::vector<int> postures_of(const cell::Arm& arm) {
    std::vector<int> out;
    if (!arm.solver->closed_form()) return out;
    // In the ready posture two branches may be one (a straight wrist, an outstretched elbow): a little beside it they are not.
    kinematics::JointVector q = arm.ready;
    for (int j = 0; j < q.size(); ++j) q[j] += (j % 2 ? 0.07 : -0.09) * (arm.model->mechanism.joints[static_cast<std::size_t>(j)].type == kinematics::JointType::hinge ? 1 : 0.1);
    std::vector<kinematics::JointSolution> all;
    arm.solver->held(arm.model->flange_frame(q), q, all);
    for (const kinematics::JointSolution& s : all)
        if (std::find(out.begin(), out.end(), s.posture) == out.end()) out.push_back(s.posture);
    std::sort(out.begin(), out.end());
    return out;
}

/// The branch in which an arm stands with these joint values; nothing where it has none.
inline std::optional<int> posture_at(const cell::Arm& arm, const kinematics::JointVector& q) {
    if (!arm.solver->closed_form()) return std::nullopt;
    std::vector<kinematics::JointSolution> all;
    arm.solver->held(arm.model->flange_frame(q), q, all);
    for (const kinematics::JointSolution& s : all)
        if ((s.q - q).cwiseAbs().maxCoeff() < 1e-6) return s.posture;
    return std::nullopt;
}

/// The branch of a closed form, in words; see JointSolution::posture.
inline QString posture_name(int posture) {
    const auto tr = [](const char* text) { return QCoreApplication::translate("posture", text); };
    return tr("%1, %2, %3").arg(posture & 1 ? tr("back") : tr("forward"), posture & 2 ? tr("elbow B") : tr("elbow A"), posture & 4 ? tr("over") : tr("plain"));
}

}  // namespace escarp::desktop
