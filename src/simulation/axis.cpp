#include "axis.h"

#include <cell/content_key.h>

namespace escarp::simulation {
namespace {

constexpr double at_once = 1e4;  ///< times the speed: the acceleration of what goes evenly, 1/s

void set_limits(kinematics::Joint& joint, double travel, double takes, bool evenly) {
    if (evenly) {
        joint.speed = travel / takes, joint.acceleration = at_once * joint.speed;
        return;
    }
    // Six equal sixths: jerk up and down, full speed for two of them, jerk down and up.
    joint.speed = 1.5 * travel / takes;
    joint.acceleration = 9 * travel / (takes * takes);
    joint.jerk = 54 * travel / (takes * takes * takes);
}

}  // namespace

cell::Arm make_axis(const cell::Device& device, AxisMake make) {
    auto model = std::make_shared<kinematics::ArmModel>();
    model->id = device.id, model->name = device.name;
    model->mechanism.links = {{"frame", {}}, {"moving part", std::move(make.bodies)}};
    kinematics::Joint joint;
    joint.name = "axis";
    joint.type = make.type, joint.child = 1, joint.at = make.at, joint.axis = make.axis;
    joint.low = make.low, joint.high = make.high;
    set_limits(joint, make.travel, make.takes, make.evenly);
    model->mechanism.joints = {joint};
    model->flange_link = 1;
    model->ready = kinematics::JointVector::Constant(1, make.start);
    cell::Arm arm;
    const auto use = [&arm](const std::shared_ptr<const kinematics::ArmModel>& made) {
        arm.made = made, arm.model = made.get(), arm.ready = made->ready;
        arm.model_key = cell::motion_key(*made, arm.tool_frame);
    };
    auto back = std::make_shared<kinematics::ArmModel>(*model);
    set_limits(back->mechanism.joints.front(), make.travel, make.takes_back, make.evenly);
    use(back);
    const cell::Arm slower = arm;
    use(model);
    arm.others = {slower};
    return arm;
}

void AxisDrive::start(Kernel& k) {
    value_ = device_.axis->ready[0];
    k.start_motion(index_, {k.now(), k.plans().still(*device_.axis, joint(value_)), -1, -1});
}

Ticks AxisDrive::go(Kernel& k, double to, const std::vector<int>& carried) {
    const cell::Arm& axis = device_.axis->with_tool(to < value_ ? 1 : 0);
    MotionRecord m{k.now(), k.plans().joint_move(axis, joint(value_), joint(to), 1), -1, -1};
    block_ = m.block = k.begin({index_, BlockKind::move, -1, 0, never, -1, carried.empty() ? -1 : carried.front()});
    const Frame stands = device_.world * device_.axis->model->flange_frame(joint(value_));
    for (const int part : carried) {
        Frame at;
        k.trace().part_frame(k.cell(), part, k.now(), at);
        k.hold(part, index_, stands.inverse() * at);
        if (m.held < 0) m.held = part;
        else m.also.push_back({part, 0});
        for (const int on_it : k.load(part))
            if (on_it >= 0) m.also.push_back({on_it, 0});
    }
    value_ = to;
    const Ticks takes = std::max<Ticks>(1, ticks(m.motion->duration()));
    k.start_motion(index_, std::move(m));
    return k.now() + takes;
}

void AxisDrive::arrived(Kernel& k, double now) {
    k.end(block_);
    block_ = -1;
    value_ = now;
    k.start_motion(index_, {k.now(), k.plans().still(*device_.axis, joint(value_)), -1, -1});
}

}  // namespace escarp::simulation
