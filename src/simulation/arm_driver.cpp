#include "arm_driver.h"

#include "arm_parts.h"
#include "step.h"

namespace escarp::simulation {

using cell::Reach;
using cell::Step;

ArmDriver::ArmDriver(const cell::Device& device, int index) : Behaviour(device, index), q_(device.arm->ready) {}

void ArmDriver::start(Kernel& k) { k.start_motion(index_, {k.now(), k.plans().still(arm(), q_), -1, -1}); }

bool ArmDriver::use_tool(int tool) {
    if (held_ >= 0 && tool != tool_) return false;
    tool_ = tool;
    return true;
}

void ArmDriver::stand(Kernel& k, int block) {
    k.start_motion(index_, {k.now(), k.plans().still(arm(), q_), held_, block, tool_});
}

PoseRequest ArmDriver::request(const Step& step, const JointVector& from) const {
    return {arm(), Frame::Identity(), step.approach, step.retreat, step.straight_speed, step.posture, step.acceleration,
        step.held, &from};
}

std::optional<ArmDriver::Exchange> ArmDriver::possible(const Kernel& k, const Step& step, PoseRequest& request) const {
    const Behaviour& other = k.behaviour(step.device);
    const cell::Device& there = k.cell().devices[step.device];
    Exchange x;
    if (step.kind->reach() == Reach::part) {
        const std::optional<Offer> offer = other.offer(k);
        if (!offer) return std::nullopt;
        x.offer = *offer;
        const cell::PartType& part = k.type_of(x.offer.part);
        x.type = k.trace().parts[x.offer.part].type;
        x.grasp = part.grip(step.grip);
        Frame stands;
        k.trace().part_frame(k.cell(), x.offer.part, k.now(), stands);
        request.tool = tool_target(device_, stands, step.turn, x.grasp);
    } else {
        x.type = k.trace().parts[held_].type;
        const std::optional<int> seat = other.room(k, x.type);
        if (!seat) return std::nullopt;
        x.offer = {*seat, held_};
        const Frame at = there.world * kind_of(there).seat_frame(there, *seat, k.type_of(held_));
        x.seat = at * geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
        request.tool = tool_target(device_, at, step.turn, part_in_tool_.inverse());
    }
    return x;
}

std::optional<ArmDriver::Exchange> ArmDriver::agree(
    Kernel& k, const Step& step, const JointVector& from, std::optional<Fault>& fault) {
    const bool picks = step.kind->reach() == Reach::part;
    if (picks != (held_ < 0)) {
        fault = Fault{index_, step.number, k.now(), picks ? Fault::Kind::holds_already : Fault::Kind::holds_nothing};
        return std::nullopt;
    }
    if (step.meets()) return agree_riding(k, step, from);
    PoseRequest request = this->request(step, from);
    std::optional<Exchange> x = possible(k, step, request);
    if (!x) return std::nullopt;
    Behaviour& other = k.changing(step.device);
    if (picks) other.claim(k, x->offer);
    else other.reserve(k, x->offer.seat, held_);
    x->plan = k.plans().pose(request);
    if (!x->plan->good)
        fault = Fault{
            index_, step.number, k.now(), x->plan->failure, step.device, x->offer.seat, x->type, x->plan->failed_at};
    return x;
}

Outcome ArmDriver::exchange(TaskRunner& task, Kernel& k) {
    task_ = &task;
    std::optional<Fault> fault;
    const std::optional<Exchange> x = agree(k, step(), q_, fault);
    if (fault) return task.stop(k, *fault);
    if (!x) return Outcome::must_wait;
    exchange_ = *x;
    if (exchange_.met) {
        const JointVector& start = exchange_.met->plan->met.start;
        run_motion(k, gently(k, travel(k, step(), q_, start)), BlockKind::move, Phase::approach, start);
        return Outcome::started;
    }
    const PosePlan& plan = *exchange_.plan;
    if (corner(step()) > 0 && !plan.in_leg.nodes.empty() && free(k, step(), q_, plan.approach)) {
        motion::Leg to = motion::joint_leg(q_, plan.approach, step().speed, step().acceleration);
        to.corner = corner(step());
        fly(k,
            {{nullptr, BlockKind::move, Phase::approach, &step(), plan.approach, std::nullopt},
                {nullptr, BlockKind::straight_in, Phase::in, &step(), plan.pose, std::nullopt}},
            {to, plan.in_leg});
        return Outcome::started;
    }
    run_motion(k, travel(k, step(), q_, plan.approach), BlockKind::move, Phase::approach, plan.approach);
    return Outcome::started;
}

/// A move's motion and path; a fault where it cannot be made.
std::optional<ArmDriver::Ahead> ArmDriver::move_leg(
    Kernel& k, const Step& step, const JointVector& from, motion::Leg& leg, std::optional<Fault>& fault) {
    const cell::Pose& pose = *device_.pose(step.pose);
    Frame target;
    JointVector goal = from;
    if (pose.joints) {
        goal = *pose.joints;
        target = arm().model->flange_frame(goal) * arm().tool_frame;
    } else {
        const int host = k.cell().device(pose.relative_to);
        target = device_.world.inverse() * (host >= 0 ? k.cell().devices[host].world : Frame::Identity()) * pose.at;
    }
    if (step.straight) {
        const auto line = k.plans().straight(arm(), from, target, step.straight_speed, step.acceleration);
        if (!line->motion) {
            fault = Fault{index_, step.number, k.now(), Fault::Kind::line_fails, -1, -1, -1, line->failure.at};
            return std::nullopt;
        }
        leg = line->leg;
        return Ahead{line->motion, BlockKind::straight, Phase::single, &step,
            line->motion->position(line->motion->duration()), std::nullopt};
    }
    if (!pose.joints) {
        // Always on the same branch, wherever it comes from: a straight move that follows then always begins alike. (A
        // pick or place knows its straight moves and may take the branch that is soonest reached.)
        const auto plan = k.plans().pose({arm(), target, 0, 0, step.straight_speed, step.posture, step.acceleration,
            step.held, arm().solver->free_joints().empty() ? nullptr : &from});
        if (!plan->good) {
            fault = Fault{index_, step.number, k.now(), plan->failure, -1, -1, -1, plan->failed_at};
            return std::nullopt;
        }
        goal = plan->pose;
    }
    leg = motion::joint_leg(from, goal, step.speed, step.acceleration);
    return Ahead{nullptr, BlockKind::move, Phase::single, &step, goal, std::nullopt};
}

Outcome ArmDriver::move(TaskRunner& task, Kernel& k) {
    task_ = &task;
    motion::Leg leg;
    std::optional<Fault> fault;
    std::optional<Ahead> move = move_leg(k, step(), q_, leg, fault);
    if (fault) return task.stop(k, *fault);
    if (corner(step()) > 0 && (step().straight || free(k, step(), q_, move->end))) {
        leg.corner = corner(step());
        std::vector<Ahead> ahead{*move};
        std::vector<motion::Leg> legs{leg};
        extend(k, ahead, legs);
        if (ahead.size() > 1) {
            fly(k, std::move(ahead), legs);
            return Outcome::started;
        }
    }
    const JointVector end = move->end;
    motion::MotionPtr motion = move->motion ? move->motion : travel(k, step(), q_, end);
    run_motion(k, std::move(motion), move->kind, move->phase, end);
    return Outcome::started;
}

/// While the last leg ends in a corner: the legs of the steps that follow, as far as they are known now.
void ArmDriver::extend(Kernel& k, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs) {
    constexpr std::size_t most = 12;
    while (legs.back().corner > 0 && legs.size() < most) {
        const Step* next = task_->peek();
        const Reach reach = next ? next->kind->reach() : Reach::nowhere;
        if (reach == Reach::pose && extend_by_move(k, *next, ahead, legs)) continue;
        if (reach == Reach::part || reach == Reach::seat) extend_by_exchange(k, *next, ahead, legs);
        break;
    }
    legs.back().corner = 0;
}

bool ArmDriver::extend_by_move(Kernel& k, const Step& next, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs) {
    const JointVector from = ahead.back().end;
    std::optional<Fault> fault;
    motion::Leg leg;
    const std::optional<Ahead> move = move_leg(k, next, from, leg, fault);
    if (fault || leg.nodes.empty() || (!next.straight && !free(k, next, from, move->end))) return false;
    leg.corner = corner(next);
    ahead.push_back(*move);
    legs.push_back(leg);
    task_->pass_over();
    return true;
}

void ArmDriver::extend_by_exchange(
    Kernel& k, const Step& next, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs) {
    const JointVector from = ahead.back().end;
    const bool ready = next.kind->reach() == Reach::part ? held_ < 0 : held_ >= 0;
    // What is claimed now cannot be given back: only where nothing can go wrong any more.
    if (!ready || !known_good(k, next, from)) return;
    std::optional<Fault> fault;
    const std::optional<Exchange> x = agree(k, next, from, fault);
    if (!x || fault) return;
    motion::Leg leg = motion::joint_leg(from, x->plan->approach, next.speed, next.acceleration);
    const bool on = corner(next) > 0 && !x->plan->in_leg.nodes.empty();
    leg.corner = on ? corner(next) : 0;
    ahead.push_back({nullptr, BlockKind::move, Phase::approach, &next, x->plan->approach, *x});
    legs.push_back(leg);
    if (on) {
        ahead.push_back({nullptr, BlockKind::straight_in, Phase::in, &next, x->plan->pose, std::nullopt});
        legs.push_back(x->plan->in_leg);
    }
    task_->pass_over();
}

/// Whether a pick or place could begin at once, its pose be taken and its approach be reached directly.
bool ArmDriver::known_good(Kernel& k, const Step& step, const JointVector& from) {
    if (step.meets()) return false;  // that depends on the instant
    PoseRequest request = this->request(step, from);
    if (!possible(k, step, request)) return false;
    const auto plan = k.plans().pose(request);
    return plan->good && free(k, step, from, plan->approach);
}

void ArmDriver::fly(Kernel& k, std::vector<Ahead> ahead, const std::vector<motion::Leg>& legs) {
    const auto motions = k.plans().fly(arm(), legs);
    for (std::size_t i = 0; i < ahead.size(); ++i)
        ahead[i].motion = (*motions)[i], ahead[i].end = ahead[i].motion->position(ahead[i].motion->duration());
    std::reverse(ahead.begin(), ahead.end());
    ahead_ = std::move(ahead);
    next_leg(k);
}

void ArmDriver::next_leg(Kernel& k) {
    const Ahead leg = std::move(ahead_.back());
    ahead_.pop_back();
    task_->is_at(*leg.step);
    if (leg.exchange) exchange_ = *leg.exchange;
    run_motion(k, leg.motion, leg.kind, leg.phase, leg.end);
}

const ArmRoom& ArmDriver::surroundings(Kernel& k) {
    constexpr std::size_t most = 200;
    cell::ContentKey key;
    key.add(tool_);
    if (held_ >= 0) key.add(k.trace().parts[held_].type).add(part_in_tool_);
    if (const auto found = rooms_.find(key.value()); found != rooms_.end()) return found->second;
    if (rooms_.size() >= most) rooms_.clear();
    return rooms_
        .emplace(key.value(),
            room_of(k.cell(), index_,
                held_ >= 0 ? held_parts(arm(), k.type_of(held_), part_in_tool_) : std::vector<motion::Part>()))
        .first->second;
}

Travel ArmDriver::way_to(Kernel& k, const Step& step, const JointVector& from, const JointVector& to) {
    if (!arm().detours || !step.detour) return {k.plans().joint_move(arm(), from, to, step.speed, step.acceleration)};
    return k.plans().travel(arm(), surroundings(k), from, to, step.speed, step.acceleration, k.stop());
}

motion::MotionPtr ArmDriver::travel(Kernel& k, const Step& step, const JointVector& from, const JointVector& to) {
    const Travel way = way_to(k, step, from, to);
    if (!way.direct) {
        const double direct = k.plans().joint_move(arm(), from, to, step.speed, step.acceleration)->duration();
        k.detour({index_, step.number, k.now(), way.found, way.blocker, way.motion->duration() - direct});
    }
    return way.motion;
}

/// Whether the direct move may be flown; anything may where detours are not wanted.
bool ArmDriver::free(Kernel& k, const Step& step, const JointVector& from, const JointVector& to) {
    return !arm().detours || !step.detour ||
           k.plans().travel(arm(), surroundings(k), from, to, step.speed, step.acceleration, k.stop()).direct;
}

/// Opens the block of a phase that lasts `length` from now.
void ArmDriver::open_block(Kernel& k, BlockKind kind, Phase phase, double length) {
    Block b;
    b.device = index_;
    b.kind = kind;
    b.step = step().number;
    b.part = held_ >= 0 || step().device < 0 ? held_ : exchange_.offer.part;
    b.other = step().device;
    b.seat = step().device >= 0 ? exchange_.offer.seat : -1;
    block_ = k.begin(b);
    phase_ = phase;
    phase_end_ = k.now() + ticks(length);
    k.set_condition(index_, Condition::busy);
    k.at(phase_end_, *this, 0);
}

motion::MotionPtr ArmDriver::gently(Kernel& k, motion::MotionPtr motion) const {
    const auto bearable = held_ >= 0 ? bearable_with(k.type_of(held_)) : std::nullopt;
    return bearable ? k.plans().gentle(arm(), motion, *bearable) : motion;
}

void ArmDriver::run_motion(Kernel& k, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end) {
    // What is met has been planned with all that it can bear.
    if (!exchange_.met || phase == Phase::single) motion = gently(k, std::move(motion));
    open_block(k, kind, phase, motion->duration());
    k.start_motion(index_, {k.now(), std::move(motion), held_, block_, tool_});
    q_ = end;
}

/// The greatest acceleration with a part, where it is to be kept. m/s^2
std::optional<double> ArmDriver::bearable_with(const cell::PartType& part) const {
    if (!arm().gentle) return std::nullopt;
    const std::optional<double> bearable = bearable_acceleration(*arm().tool, part.mass);
    return bearable && *bearable > 0 ? bearable : std::nullopt;
}

void ArmDriver::finish_grip(Kernel& k) {
    Behaviour& other = k.changing(step().device);
    if (step().kind->reach() == Reach::part) {
        held_ = exchange_.offer.part;
        part_in_tool_ = (geometry::make_frame(Vector3::Zero(), {0, 0, step().turn}) * exchange_.grasp).inverse();
        // The trace knows one tool frame per arm: the first tool's.
        k.hold(held_, index_, device_.arm->tool_frame.inverse() * arm().tool_frame * part_in_tool_);
        other.taken(k, exchange_.offer);
    } else {
        const int part = held_;
        held_ = -1;
        k.put(part, step().device, exchange_.offer.seat, exchange_.seat);
        other.received(k, exchange_.offer.seat, part);
    }
}

void ArmDriver::event(Kernel& k, int, int) {
    k.end(block_);
    if (!ahead_.empty()) return next_leg(k);
    switch (phase_) {
        case Phase::approach:
            if (exchange_.met) return hover(k);
            run_motion(k, exchange_.plan->in, BlockKind::straight_in, Phase::in, exchange_.plan->pose);
            return;
        case Phase::hover:
            if (!as_agreed(k)) return give_up(k);
            run_motion(k, exchange_.met->plan->in, BlockKind::straight_in, Phase::in,
                exchange_.met->plan->in->position(exchange_.met->plan->met.in_s));
            return;
        case Phase::in: {
            const bool picks = step().kind->reach() == Reach::part;
            open_block(k, picks ? BlockKind::grip : BlockKind::release, Phase::grip,
                picks ? arm().tool->close_s : arm().tool->open_s);
            if (exchange_.met) {
                const MeetingPlan& plan = *exchange_.met->plan;
                k.start_motion(index_, {k.now(), plan.work, held_, block_, tool_});
                q_ = plan.work->position(plan.met.work_s);
            } else {
                stand(k, block_);
            }
            return;
        }
        case Phase::grip:
            if (exchange_.met && !as_agreed(k)) {
                k.changing(step().device).let_go(k, exchange_.offer.part);
                missed_ = true;
            } else {
                finish_grip(k);
            }
            leave(k);
            return;
        default:
            phase_ = Phase::resting;
            if (std::exchange(missed_, false)) return task_->again(k);
            task_->go_on(k);
    }
}

void ArmDriver::leave(Kernel& k) {
    if (exchange_.met) {
        const MeetingPlan& plan = *exchange_.met->plan;
        run_motion(k, plan.out, BlockKind::straight_out, Phase::out, plan.out->position(plan.met.out_s));
        return;
    }
    const PosePlan& plan = *exchange_.plan;
    if (corner(step()) > 0 && !plan.out_leg.nodes.empty()) {
        std::vector<motion::Leg> legs{plan.out_leg};
        legs.front().corner = corner(step());
        std::vector<Ahead> ahead{{nullptr, BlockKind::straight_out, Phase::out, &step(), plan.retreat, std::nullopt}};
        extend(k, ahead, legs);
        if (ahead.size() > 1) return fly(k, std::move(ahead), legs);
    }
    run_motion(k, plan.out, BlockKind::straight_out, Phase::out, plan.retreat);
}

void ArmDriver::write_state(StateWriter& w) const {
    w.add(static_cast<int>(phase_));
    w.add_joints(q_);
    w.add(tool_);
    w.add_part(held_);
    if (phase_ == Phase::resting) return;
    w.add_part(exchange_.offer.part);
    w.add(exchange_.offer.seat);
    w.add_time(phase_end_);
    w.add(missed_);
    if (exchange_.met) w.add_time(exchange_.begins), w.add_double(exchange_.ride.speed);
    for (const Ahead& leg : ahead_) {
        w.add(leg.step->number);
        w.add(static_cast<int>(leg.phase));
        w.add_joints(leg.end);
        w.add_part(leg.exchange ? leg.exchange->offer.part : -1);
        w.add(leg.exchange ? leg.exchange->offer.seat : -1);
    }
}

}  // namespace escarp::simulation
