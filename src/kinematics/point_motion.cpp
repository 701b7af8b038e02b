#include "point_motion.h"

namespace escarp::kinematics {

PointMotion point_motion(const Mechanism& mechanism, int link, const Vector3& point, const JointVector& q,
    const JointVector& rate, const JointVector& acceleration) {
    std::vector<Frame> links;
    mechanism.link_frames(q, Frame::Identity(), links);
    return point_motion(mechanism, links, link, point, rate, acceleration);
}

PointMotion point_motion(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& point,
    const JointVector& rate, const JointVector& acceleration) {
    Vector3 velocity = Vector3::Zero(), pull = Vector3::Zero(), spin = Vector3::Zero(),
            twist = Vector3::Zero();  // of the present link's origin; its turning
    Vector3 origin = Vector3::Zero();
    const auto carry = [&](const Vector3& to) {
        const Vector3 r = to - origin;
        pull += twist.cross(r) + spin.cross(spin.cross(r));
        velocity += spin.cross(r);
        origin = to;
    };
    for (const int code : mechanism.chain(link)) {
        const Joint& joint = mechanism.connection(code);
        const Frame& child = links[joint.child];
        const Vector3 axis = child.linear() * joint.axis;
        const auto of = [&](const JointVector& v) {
            return code < mechanism.size() ? v[code] : mechanism.followers[code - mechanism.size()].ratios.dot(v);
        };
        const double fast = of(rate), faster = of(acceleration);
        carry(child.translation());
        if (joint.type == JointType::slide) {
            pull += axis * faster + 2 * fast * spin.cross(axis);
            velocity += axis * fast;
        } else {
            twist += axis * faster + fast * spin.cross(axis);
            spin += axis * fast;
        }
    }
    carry(links[link] * point);
    return {origin, velocity, pull, spin, twist};
}

}  // namespace escarp::kinematics
