#include "arm_on_travel.h"

#include <cell/model/device_kind.h>
#include <cell/model/tables.h>

namespace escarp::cell {

Travel read_travel(const Reader& r) {
    Travel t;
    const Values v(r, travel_fields());
    t.length = v.number("length_mm");
    t.width = v.number("width_mm");
    t.height = v.number("height_mm");
    t.speed = v.number("speed_mm_s");
    t.acceleration = v.number("acceleration_mm_s2");
    t.jerk = v.has("jerk_mm_s3") ? v.number("jerk_mm_s3") : 0.0;
    t.turn = v.number("arm_turn_deg");
    t.ready = v.number("ready_mm", 500 * t.length);
    if (t.ready > t.length) r.problem("ready_mm", "The carriage cannot stand beyond the end of its travel.");
    return t;
}

kinematics::ArmModel arm_on_travel(const kinematics::ArmModel& arm, const Travel& t) {
    kinematics::ArmModel out = arm;
    kinematics::Mechanism& m = out.mechanism;
    const geometry::Box3 foot = geometry::bounds(arm.mechanism.links.front().bodies, Frame::Identity());
    const double carriage = foot.empty() ? t.width : std::max(t.width, foot.high.x() - foot.low.x() + 0.04),
                 plate = 0.2 * t.height;
    const double rail = t.length + carriage;
    kinematics::Link base{"rail", {standing_box("rail", {rail, t.width, t.height - plate}, Vector3::Zero())}};
    m.links.insert(m.links.begin(), std::move(base));
    geometry::Body top = standing_box("carriage", {carriage, t.width, 0.9 * plate}, {0, 0, -0.9 * plate});
    const geometry::Matrix3 back = geometry::rotation(Vector3::UnitZ(), -t.turn);
    Frame turned = Frame::Identity();
    turned.linear() = back;
    top.at = turned * top.at;  // the carriage keeps to the rail, the arm may stand across it
    m.links[1].name = "carriage";
    m.links[1].bodies.push_back(std::move(top));
    for (kinematics::Joint& j : m.joints) ++j.parent, ++j.child;
    for (kinematics::Follower& f : m.followers) {
        ++f.joint.parent, ++f.joint.child;
        JointVector ratios(f.ratios.size() + 1);
        ratios << 0.0, f.ratios;
        f.ratios = ratios;
    }
    for (int& code : m.order) ++code;
    if (!m.order.empty()) m.order.insert(m.order.begin(), 0);
    kinematics::Joint slide;
    slide.name = "Travel";
    slide.type = kinematics::JointType::slide;
    slide.parent = 0, slide.child = 1;
    slide.at = geometry::make_frame({-0.5 * t.length, 0, t.height}, {0, 0, t.turn});
    slide.axis = back * Vector3::UnitX();
    slide.low = 0, slide.high = t.length;
    slide.speed = t.speed, slide.acceleration = t.acceleration, slide.jerk = t.jerk;
    m.joints.insert(m.joints.begin(), slide);
    ++out.flange_link;
    out.ready.resize(arm.ready.size() + 1);
    out.ready << t.ready, arm.ready;
    return out;
}

}  // namespace escarp::cell
