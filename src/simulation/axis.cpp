#include "axis.h"

#include <cell/text/content_key.h>

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

AxisDrive::AxisDrive(const cell::Device& device, int index, const cell::Cell& cell)
    : device_(device),
      index_(index),
      checkpoints_(std::make_shared<const std::vector<Checkpoint>>(checkpoints_of(cell, index))) {}

void AxisDrive::start(Kernel& k) {
    value_ = device_.axis->ready[0];
    k.start_motion(index_, {k.now(), k.plans().still(*device_.axis, joint(value_)), -1, -1});
}

bool AxisDrive::may_go(Kernel& k, int place) {
    if (checkpoints_->empty()) return true;
    if (wants_ != place) stays(k);
    wants_ = place;
    const int waited_at = std::exchange(waits_at_, -1);
    for (const Checkpoint& c : *checkpoints_) {
        if (!c.asks || c.place != place || k.behaviour(c.arbiter).arbiter()->may(index_)) continue;
        if (!k.behaviour(c.arbiter).arbiter()->asked(index_)) {
            asked_.push_back(c.arbiter);
            if (k.changing(c.arbiter).arbiter()->ask(k, index_, c.visit)) continue;
        }
        waits_at_ = c.arbiter;
        break;
    }
    if (waited_at >= 0 && waits_at_ != waited_at) k.end(wait_);
    if (waits_at_ < 0) {
        wants_ = 0;
        asked_.clear();
        return true;
    }
    if (waits_at_ != waited_at) {
        Block b;
        b.device = index_;
        b.kind = BlockKind::wait;
        b.other = waits_at_;
        b.waits_for = WaitFor::zone;
        wait_ = k.begin(b);
    }
    return false;
}

bool AxisDrive::stays(Kernel& k) {
    if (wants_ == 0) return false;
    wants_ = 0, waits_at_ = -1;
    k.end(wait_);
    for (const int arbiter : std::exchange(asked_, {})) k.changing(arbiter).arbiter()->give_back(k, index_);
    return true;
}

void AxisDrive::go(Kernel& k, const Actor& actor, int there, double to, int place, const std::vector<int>& carried) {
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
    const double duration = m.motion->duration();
    const Ticks takes = std::max<Ticks>(1, ticks(duration));
    k.start_motion(index_, std::move(m));
    for (std::size_t i = 0; i < checkpoints_->size(); ++i)
        if (const Checkpoint& c = (*checkpoints_)[i]; !c.asks && c.place == place)
            to_leave_.push_back(
                k.at(k.now() + std::min(takes, ticks(c.share * duration)), actor, first_left - static_cast<int>(i)));
    k.at(k.now() + takes, actor, there);
}

bool AxisDrive::left(Kernel& k, int what) {
    if (what > first_left) return false;
    std::erase_if(to_leave_, [&](const EventKey& e) { return e.what == what; });
    k.set_cause(block_);
    k.changing((*checkpoints_)[first_left - what].arbiter).arbiter()->give_back(k, index_);
    return true;
}

std::string AxisDrive::words(const Kernel& k, int what) const {
    if (what > first_left) return {};
    const Checkpoint& c = (*checkpoints_)[first_left - what];
    return "gives " + k.cell().devices[c.arbiter].name + " back";
}

void AxisDrive::arrived(Kernel& k, double now) {
    for (const EventKey& e : std::exchange(to_leave_, {})) {  // where durations are free it may be there before that
        k.cancel(e);
        left(k, e.what);
    }
    k.end(block_);
    block_ = -1;
    value_ = now;
    k.start_motion(index_, {k.now(), k.plans().still(*device_.axis, joint(value_)), -1, -1});
}

}  // namespace escarp::simulation
