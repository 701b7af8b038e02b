#pragma once
// How joint values and joint solutions are said.

#include <QCoreApplication>
#include <QString>

#include <cell/read/by_hand.h>

namespace escarp::desktop {

inline constexpr int slider_steps = 2000;  ///< of a joint's slider, from one limit to the other

/// Radians or metres per degree or mm, by the joint's type.
inline double joint_unit(const kinematics::Joint& joint) {
    return joint.type == kinematics::JointType::hinge ? geometry::degree : 1e-3;
}
inline QString joint_sign(const kinematics::Joint& joint) {
    return joint.type == kinematics::JointType::hinge ? QStringLiteral("\u00b0") : QStringLiteral("mm");
}

/// The branch of a closed form, in words; see JointSolution::posture.
inline QString posture_name(int posture) {
    const auto tr = [](const char* text) { return QCoreApplication::translate("posture", text); };
    return tr("%1, %2, %3")
        .arg(posture & 1 ? tr("back") : tr("forward"), posture & 2 ? tr("elbow B") : tr("elbow A"),
            posture & 4 ? tr("over") : tr("plain"));
}

}  // namespace escarp::desktop
