#include "mechanism.h"

#include <algorithm>
#include <cassert>

namespace escarp::kinematics {
namespace {

Frame moved(const Joint& joint, double value) {
    Frame f = joint.at;
    if (joint.type == JointType::hinge) f.linear() = f.linear() * geometry::rotation(joint.axis, value);
    else f.translation() += f.linear() * (joint.axis * value);
    return f;
}

int joint_of_child(const Mechanism& m, int link) {
    for (int j = 0; j < m.size(); ++j)
        if (m.joints[j].child == link) return j;
    return -1;
}

}  // namespace

void Mechanism::link_frames(const JointVector& q, const Frame& base, std::vector<Frame>& out) const {
    assert(q.size() == size());
    out.resize(links.size(), Frame::Identity());
    out[0] = base;
    for (int j = 0; j < size(); ++j) out[joints[j].child] = out[joints[j].parent] * moved(joints[j], q[j]);
}

std::vector<int> Mechanism::chain(int link) const {
    std::vector<int> path;
    for (int j = joint_of_child(*this, link); j >= 0; j = joint_of_child(*this, joints[j].parent)) path.push_back(j);
    std::reverse(path.begin(), path.end());
    return path;
}

bool Mechanism::within_limits(const JointVector& q, double tolerance) const {
    for (int j = 0; j < size(); ++j)
        if (q[j] < joints[j].low - tolerance || q[j] > joints[j].high + tolerance) return false;
    return true;
}

Jacobian jacobian(const Mechanism& m, const std::vector<Frame>& links, int link, const Vector3& point) {
    Jacobian columns = Jacobian::Zero(6, m.size());
    for (const int j : m.chain(link)) {
        const Frame& child = links[m.joints[j].child];
        const Vector3 axis = child.linear() * m.joints[j].axis;
        if (m.joints[j].type == JointType::slide) {
            columns.col(j).head<3>() = axis;
        } else {
            columns.col(j).head<3>() = axis.cross(point - child.translation());
            columns.col(j).tail<3>() = axis;
        }
    }
    return columns;
}

JointVector lever_bounds(const Mechanism& m, int link, const Vector3& centre, double radius) {
    JointVector levers = JointVector::Zero(m.size());
    // Walk inwards; `far` bounds the distance from the present link's origin to the ball's farthest point.
    double far = centre.norm() + radius;
    Vector3 seen = centre;  // the ball's centre in the present link, while that is still fixed there
    bool fixed = true;
    for (int j = joint_of_child(m, link); j >= 0; j = joint_of_child(m, m.joints[j].parent)) {
        const Joint& joint = m.joints[j];
        if (joint.type == JointType::slide) {
            levers[j] = 1.0;
            far += std::max(std::abs(joint.low), std::abs(joint.high));
        } else {
            levers[j] = fixed ? joint.axis.cross(seen).norm() + radius : far;
        }
        far += joint.at.translation().norm();
        fixed = false;
    }
    return levers;
}

Frame ArmModel::flange_frame(const JointVector& q) const {
    std::vector<Frame> frames;
    mechanism.link_frames(q, Frame::Identity(), frames);
    return frames[flange_link] * flange;
}

}  // namespace escarp::kinematics
