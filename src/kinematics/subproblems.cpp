#include "subproblems.h"

namespace escarp::kinematics {

std::vector<Axis> axes_at_zero(const ArmModel& model, const std::vector<int>& chain) {
    std::vector<Frame> frames;
    model.mechanism.link_frames(JointVector::Zero(model.mechanism.size()), Frame::Identity(), frames);
    std::vector<Axis> axes;
    for (const int code : chain) {
        const Joint& joint = model.mechanism.connection(code);
        const Frame& child = frames[joint.child];
        axes.push_back({child.linear() * joint.axis, child.translation()});
    }
    return axes;
}

bool plain_chain(const ArmModel& model, int count, JointType type) {
    const Mechanism& m = model.mechanism;
    const std::vector<int> chain = m.chain(model.flange_link);
    if (m.size() != count || static_cast<int>(chain.size()) != count) return false;
    for (int i = 0; i < count; ++i)
        if (chain[i] != i || m.joints[i].type != type) return false;
    return true;
}

std::optional<Vector3> crossing(const Axis& a, const Axis& b, double tolerance) {
    const Vector3 across = a.direction.cross(b.direction);
    if (across.norm() < 1e-6) return std::nullopt;
    const Vector3 between = b.point - a.point;
    if (std::abs(between.dot(across.normalized())) > tolerance) return std::nullopt;
    const double along = between.cross(b.direction).dot(across) / across.squaredNorm();
    return Vector3(a.point + along * a.direction);
}

}  // namespace escarp::kinematics
