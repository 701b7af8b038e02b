#include "task_runner.h"

namespace escarp::simulation {
namespace {
constexpr int most_steps_at_once = 5000;
}

using cell::Step;
using cell::StepKind;

TaskRunner::TaskRunner(const cell::Device& device, int index) : Behaviour(device, index), q_(device.arm->ready) {}

void TaskRunner::start(Kernel& k) {
    k.start_motion(index_, k.plans().still(arm(), q_), -1, -1);
    go_on(k);
}

const Step* TaskRunner::fetch() {
    if (device_.task.empty()) return nullptr;
    while (true) {
        if (stack_.empty()) stack_.push_back({&device_.task, 0, 0});
        Level& top = stack_.back();
        while (top.next < top.list->size() && !(*top.list)[top.next].enabled) ++top.next;
        if (top.next < top.list->size()) return &(*top.list)[top.next++];
        if (top.left > 0) {
            --top.left;
            top.next = 0;
            if (!top.list->empty()) continue;
        }
        stack_.pop_back();
        if (stack_.empty()) return nullptr;  // a round of the task is over; the caller begins the next
    }
}

void TaskRunner::go_on(Kernel& k) {
    if (busy_tick_ != k.now()) busy_tick_ = k.now(), steps_at_tick_ = 0;
    while (true) {
        step_ = fetch();
        if (!step_ && device_.task.empty()) {
            phase_ = Phase::idle;
            return;
        }
        if (++steps_at_tick_ > most_steps_at_once) {
            stop(k, {index_, step_ ? step_->number : 0, k.now(), Fault::Kind::goes_round});
            return;
        }
        if (!step_) continue;
        const Outcome outcome = begin_step(k);
        if (outcome == Outcome::done) continue;
        if (outcome == Outcome::must_wait) open_wait(k);
        return;
    }
}

void TaskRunner::open_wait(Kernel& k) {
    phase_ = Phase::waiting;
    Block b;
    b.device = index_;
    b.kind = BlockKind::wait;
    b.step = step_->number;
    const std::optional<Waiting> w = waiting();
    b.other = w->other;
    b.waits_for = w->what;
    block_ = k.begin(b);
    k.set_condition(index_, Condition::waiting);
}

bool TaskRunner::poll(Kernel& k) {
    if (phase_ != Phase::waiting) return false;
    const int wait = block_;
    const Outcome outcome = begin_step(k);
    if (outcome == Outcome::must_wait) return false;
    k.end(wait);
    if (outcome == Outcome::done) go_on(k);
    return true;
}

std::optional<Waiting> TaskRunner::waiting() const {
    if (phase_ != Phase::waiting) return std::nullopt;
    if (step_->kind == StepKind::pick) return Waiting{step_->device, WaitFor::part};
    if (step_->kind == StepKind::place) return Waiting{step_->device, WaitFor::room};
    return Waiting{signal_device_, WaitFor::signal};
}

TaskRunner::Outcome TaskRunner::stop(Kernel& k, Fault fault) {
    k.fault(fault);
    phase_ = Phase::stopped;
    k.set_condition(index_, Condition::waiting);
    return Outcome::started;
}

TaskRunner::Outcome TaskRunner::begin_step(Kernel& k) {
    switch (step_->kind) {
        case StepKind::wait:
            signal_device_ = k.cell().device(step_->signal.substr(0, step_->signal.find('.')));
            return k.signal(step_->signal) == step_->is ? Outcome::done : Outcome::must_wait;
        case StepKind::set: k.set_signal(index_, step_->signal.substr(step_->signal.find('.') + 1), step_->is); return Outcome::done;
        case StepKind::pick:
        case StepKind::place: return begin_exchange(k);
        case StepKind::move: return begin_move(k);
        case StepKind::delay: run_time(k, step_->time_s, BlockKind::dwell, Phase::single); return Outcome::started;
        case StepKind::if_part: {
            if (held_ < 0) return stop(k, {index_, step_->number, k.now(), Fault::Kind::holds_nothing});
            const bool rejected = k.trace().result(held_, k.now()) == "reject";
            stack_.push_back({rejected == (step_->result == "reject") ? &step_->then : &step_->otherwise, 0, 0});
            return Outcome::done;
        }
        case StepKind::gripper: run_time(k, step_->is ? arm().tool->close_s : arm().tool->open_s, BlockKind::dwell, Phase::single); return Outcome::started;
        case StepKind::act: run_time(k, step_->time_s, BlockKind::dwell, Phase::single); return Outcome::started;
        case StepKind::use:
            if (held_ >= 0 && step_->tool != tool_) return stop(k, {index_, step_->number, k.now(), Fault::Kind::holds_already});
            tool_ = step_->tool;
            run_time(k, step_->time_s, BlockKind::dwell, Phase::single);
            return Outcome::started;
        case StepKind::block: stack_.push_back({&step_->then, 0, 0}); return Outcome::done;
        case StepKind::repeat: stack_.push_back({&step_->then, 0, step_->times - 1}); return Outcome::done;
    }
    return Outcome::done;
}

TaskRunner::Outcome TaskRunner::begin_exchange(Kernel& k) {
    Behaviour& other = k.behaviour(step_->device);
    const cell::Device& there = k.cell().devices[static_cast<std::size_t>(step_->device)];
    PoseRequest request{arm(), Frame::Identity(), step_->approach, step_->retreat, step_->straight_speed, step_->posture};
    int type = -1;
    if (picking()) {
        if (held_ >= 0) return stop(k, {index_, step_->number, k.now(), Fault::Kind::holds_already});
        const std::optional<Offer> offer = other.offer(k);
        if (!offer) return Outcome::must_wait;
        offer_ = *offer;
        const cell::PartType& part = k.type_of(offer_.part);
        type = k.trace().parts[static_cast<std::size_t>(offer_.part)].type;
        grasp_ = part.grips.front().at;
        for (const cell::Grip& g : part.grips)
            if (g.id == step_->grip) grasp_ = g.at;
        Frame stands;
        k.trace().part_frame(k.cell(), offer_.part, k.now(), stands);
        request.tool = tool_target(device_, stands, step_->turn, grasp_);
        other.claim(k, offer_);
    } else {
        if (held_ < 0) return stop(k, {index_, step_->number, k.now(), Fault::Kind::holds_nothing});
        type = k.trace().parts[static_cast<std::size_t>(held_)].type;
        const std::optional<int> seat = other.room(k, type);
        if (!seat) return Outcome::must_wait;
        offer_ = {*seat, held_};
        const Frame at = there.world * kind_of(there).seat_frame(there, *seat, k.type_of(held_));
        seat_ = at * geometry::make_frame(Vector3::Zero(), {0, 0, step_->turn});
        request.tool = tool_target(device_, at, step_->turn, part_in_tool_.inverse());
        other.reserve(k, *seat, held_);
    }
    plan_ = k.plans().pose(request);
    if (!plan_->good) {
        Fault fault{index_, step_->number, k.now(), plan_->failure, step_->device, offer_.seat, type, plan_->failed_at};
        return stop(k, fault);
    }
    run_motion(k, k.plans().joint_move(arm(), q_, plan_->approach, step_->speed), BlockKind::move, Phase::approach, plan_->approach);
    return Outcome::started;
}

TaskRunner::Outcome TaskRunner::begin_move(Kernel& k) {
    const cell::Pose& pose = *device_.pose(step_->pose);
    JointVector goal = q_;
    if (pose.joints) {
        goal = *pose.joints;
        if (step_->straight) {
            const Frame there = arm().model->flange_frame(goal) * arm().tool_frame;
            double failed_at = 0;
            motion::MotionPtr line = k.plans().straight(arm(), q_, there, step_->straight_speed, &failed_at);
            if (!line) return stop(k, {index_, step_->number, k.now(), Fault::Kind::line_fails, -1, -1, -1, failed_at});
            const JointVector end = line->position(line->duration());
            run_motion(k, std::move(line), BlockKind::straight, Phase::single, end);
            return Outcome::started;
        }
    } else {
        const int host = k.cell().device(pose.relative_to);
        const Frame frame = (host >= 0 ? k.cell().devices[static_cast<std::size_t>(host)].world : Frame::Identity()) * pose.at;
        const Frame target = device_.world.inverse() * frame;
        if (step_->straight) {
            double failed_at = 0;
            motion::MotionPtr line = k.plans().straight(arm(), q_, target, step_->straight_speed, &failed_at);
            if (!line) return stop(k, {index_, step_->number, k.now(), Fault::Kind::line_fails, -1, -1, -1, failed_at});
            const JointVector end = line->position(line->duration());
            run_motion(k, std::move(line), BlockKind::straight, Phase::single, end);
            return Outcome::started;
        }
        const auto plan = k.plans().pose({arm(), target, 0, 0, step_->straight_speed, step_->posture});
        if (!plan->good) return stop(k, {index_, step_->number, k.now(), plan->failure, -1, -1, -1, plan->failed_at});
        goal = plan->pose;
    }
    run_motion(k, k.plans().joint_move(arm(), q_, goal, step_->speed), BlockKind::move, Phase::single, goal);
    return Outcome::started;
}

/// Opens the block of a phase that lasts `length` from now.
void TaskRunner::open_block(Kernel& k, BlockKind kind, Phase phase, double length) {
    Block b;
    b.device = index_;
    b.kind = kind;
    b.step = step_->number;
    b.part = held_ >= 0 || step_->device < 0 ? held_ : offer_.part;
    b.other = step_->device;
    b.seat = step_->device >= 0 ? offer_.seat : -1;
    block_ = k.begin(b);
    phase_ = phase;
    phase_end_ = k.now() + ticks(length);
    k.set_condition(index_, Condition::busy);
    k.at(phase_end_, index_, 0);
}

void TaskRunner::run_motion(Kernel& k, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end) {
    open_block(k, kind, phase, motion->duration());
    k.start_motion(index_, std::move(motion), held_, block_);
    q_ = end;
}

void TaskRunner::run_time(Kernel& k, double time_s, BlockKind kind, Phase phase) {
    open_block(k, kind, phase, time_s);
    k.start_motion(index_, k.plans().still(arm(), q_), held_, block_);
}

void TaskRunner::finish_grip(Kernel& k) {
    Behaviour& other = k.behaviour(step_->device);
    if (picking()) {
        held_ = offer_.part;
        part_in_tool_ = (geometry::make_frame(Vector3::Zero(), {0, 0, step_->turn}) * grasp_).inverse();
        // The trace knows one tool frame per arm: the first tool's.
        k.hold(held_, index_, device_.arm->tool_frame.inverse() * arm().tool_frame * part_in_tool_);
        other.taken(k, offer_);
    } else {
        const int part = held_;
        held_ = -1;
        k.put(part, step_->device, offer_.seat, seat_);
        other.received(k, offer_.seat, part);
    }
}

void TaskRunner::event(Kernel& k, int, int) {
    k.end(block_);
    switch (phase_) {
        case Phase::approach: run_motion(k, plan_->in, BlockKind::straight_in, Phase::in, plan_->pose); return;
        case Phase::in:
            run_time(k, picking() ? arm().tool->close_s : arm().tool->open_s, picking() ? BlockKind::grip : BlockKind::release, Phase::grip);
            return;
        case Phase::grip:
            finish_grip(k);
            run_motion(k, plan_->out, BlockKind::straight_out, Phase::out, plan_->retreat);
            return;
        default: go_on(k); return;
    }
}

void TaskRunner::write_state(StateWriter& w) const {
    w.add(static_cast<int>(phase_));
    w.add(step_ ? step_->number : -1);
    for (const Level& level : stack_) {
        w.add(static_cast<std::int64_t>(level.next));
        w.add(level.left);
    }
    w.add_joints(q_);
    w.add(tool_);
    w.add_part(held_);
    if (phase_ != Phase::waiting && phase_ != Phase::idle) {
        w.add_part(offer_.part);
        w.add(offer_.seat);
        w.add_time(phase_end_);
    }
}

}  // namespace escarp::simulation
