#include "content_key.h"

namespace escarp::cell {

std::uint64_t motion_key(const kinematics::ArmModel& model, const geometry::Frame& tool_frame) {
    ContentKey key;
    for (const kinematics::Joint& j : model.mechanism.joints)
        key.add(static_cast<int>(j.type))
            .add(j.parent)
            .add(j.child)
            .add(j.at)
            .add(j.axis)
            .add(j.low)
            .add(j.high)
            .add(j.speed)
            .add(j.acceleration)
            .add(j.jerk);
    for (const kinematics::Follower& f : model.mechanism.followers)
        key.add(static_cast<int>(f.joint.type))
            .add(f.joint.parent)
            .add(f.joint.child)
            .add(f.joint.at)
            .add(f.joint.axis)
            .add(f.joint.low)
            .add(f.joint.high)
            .add(f.ratios)
            .add(f.offset);
    key.add(model.flange_link).add(model.flange).add(model.ready).add(tool_frame);
    key.add(model.line_speed).add(model.line_acceleration).add(model.turn_speed).add(model.turn_acceleration);
    if (model.settle > 0) key.add(model.settle);
    return key.value();
}

ContentKey& add_shape(ContentKey& key, const geometry::Convex& shape) {
    key.add(static_cast<int>(shape.core())).add(shape.half()).add(shape.radius()).add(shape.points().size());
    for (const geometry::Vector3& p : shape.points()) key.add(p);
    return key;
}

void add_bodies(ContentKey& key, const geometry::Bodies& bodies) {
    for (const geometry::Body& b : bodies) add_shape(key, b.shape).add(b.at);
    key.add(bodies.size());
}

}  // namespace escarp::cell
