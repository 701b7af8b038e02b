#include "task_runner.h"

#include "arm_parts.h"
#include "step.h"

namespace escarp::simulation {
namespace {
constexpr int most_steps_at_once = 5000;
}

using cell::Reach;
using cell::Step;

TaskRunner::TaskRunner(const cell::Device& device, int index) : Behaviour(device, index), q_(device.arm->ready) {}

void TaskRunner::start(Kernel& k) {
    k.start_motion(index_, {k.now(), k.plans().still(arm(), q_), -1, -1});
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
        if (!step_) {
            k.round_over(index_);
            continue;
        }
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
    const std::optional<Waiting> w = waiting(k);
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

std::optional<Waiting> TaskRunner::waiting(const Kernel& k) const {
    if (phase_ != Phase::waiting) return std::nullopt;
    return kind_of(*step_).waiting(k.cell(), *step_);
}

std::vector<int> TaskRunner::listens_to() const {
    std::vector<int> out;
    for (const Step* s : cell::all_steps(device_.task))
        if (s->device >= 0) out.push_back(s->device);
    return out;
}

std::vector<int> TaskRunner::listens_to_signals() const {
    std::vector<int> out;
    for (const Step* s : cell::all_steps(device_.task))
        if (s->signal >= 0) out.push_back(s->signal);
    return out;
}

TaskRunner::Outcome TaskRunner::stop(Kernel& k, Fault::Kind why) {
    return stop(k, {index_, step_->number, k.now(), why});
}

TaskRunner::Outcome TaskRunner::stop(Kernel& k, const Fault& fault) {
    k.fault(fault);
    phase_ = Phase::stopped;
    k.set_condition(index_, Condition::waiting);
    return Outcome::started;
}

TaskRunner::Outcome TaskRunner::begin_step(Kernel& k) { return kind_of(*step_).begin(*this, k, *step_); }

TaskRunner::Outcome TaskRunner::take_time(Kernel& k, double seconds) {
    run_time(k, seconds, BlockKind::dwell, Phase::single);
    return Outcome::started;
}

TaskRunner::Outcome TaskRunner::descend(const std::vector<Step>& list, int again) {
    stack_.push_back({&list, 0, again});
    return Outcome::done;
}

bool TaskRunner::use_tool(int tool) {
    if (held_ >= 0 && tool != tool_) return false;
    tool_ = tool;
    return true;
}

/// The step after the present one, when nothing but its place in the list decides that.
const Step* TaskRunner::peek() const {
    if (stack_.empty()) return nullptr;
    const Level& top = stack_.back();
    std::size_t next = top.next;
    while (next < top.list->size() && !(*top.list)[next].enabled) ++next;
    return next < top.list->size() ? &(*top.list)[next] : nullptr;
}

std::optional<TaskRunner::Exchange> TaskRunner::agree(
    Kernel& k, const Step& step, const JointVector& from, std::optional<Fault>& fault) {
    const Behaviour& other = k.behaviour(step.device);
    const cell::Device& there = k.cell().devices[step.device];
    PoseRequest request{arm(), Frame::Identity(), step.approach, step.retreat, step.straight_speed, step.posture,
        step.acceleration, step.held, &from};
    Exchange x;
    if (step.kind->reach() == Reach::part) {
        if (held_ >= 0) {
            fault = Fault{index_, step.number, k.now(), Fault::Kind::holds_already};
            return std::nullopt;
        }
        const std::optional<Offer> offer = other.offer(k);
        if (!offer) return std::nullopt;
        x.offer = *offer;
        const cell::PartType& part = k.type_of(x.offer.part);
        x.type = k.trace().parts[x.offer.part].type;
        x.grasp = part.grips.front().at;
        for (const cell::Grip& g : part.grips)
            if (g.id == step.grip) x.grasp = g.at;
        Frame stands;
        k.trace().part_frame(k.cell(), x.offer.part, k.now(), stands);
        request.tool = tool_target(device_, stands, step.turn, x.grasp);
        k.changing(step.device).claim(k, x.offer);
    } else {
        if (held_ < 0) {
            fault = Fault{index_, step.number, k.now(), Fault::Kind::holds_nothing};
            return std::nullopt;
        }
        x.type = k.trace().parts[held_].type;
        const std::optional<int> seat = other.room(k, x.type);
        if (!seat) return std::nullopt;
        x.offer = {*seat, held_};
        const Frame at = there.world * kind_of(there).seat_frame(there, *seat, k.type_of(held_));
        x.seat = at * geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
        request.tool = tool_target(device_, at, step.turn, part_in_tool_.inverse());
        k.changing(step.device).reserve(k, *seat, held_);
    }
    x.plan = k.plans().pose(request);
    if (!x.plan->good)
        fault =
            Fault{index_, step.number, k.now(), x.plan->failure, step.device, x.offer.seat, x.type, x.plan->failed_at};
    return x;
}

TaskRunner::Outcome TaskRunner::exchange(Kernel& k) {
    std::optional<Fault> fault;
    const std::optional<Exchange> x = agree(k, *step_, q_, fault);
    if (fault) return stop(k, *fault);
    if (!x) return Outcome::must_wait;
    exchange_ = *x;
    const PosePlan& plan = *exchange_.plan;
    if (corner(*step_) > 0 && !plan.in_leg.nodes.empty() && free(k, *step_, q_, plan.approach)) {
        motion::Leg to = motion::joint_leg(q_, plan.approach, step_->speed, step_->acceleration);
        to.corner = corner(*step_);
        fly(k,
            {{nullptr, BlockKind::move, Phase::approach, step_, plan.approach, std::nullopt},
                {nullptr, BlockKind::straight_in, Phase::in, step_, plan.pose, std::nullopt}},
            {to, plan.in_leg});
        return Outcome::started;
    }
    run_motion(k, travel(k, *step_, q_, plan.approach), BlockKind::move, Phase::approach, plan.approach);
    return Outcome::started;
}

/// A move's motion and path; a fault where it cannot be made.
std::optional<TaskRunner::Ahead> TaskRunner::move_leg(
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

TaskRunner::Outcome TaskRunner::move(Kernel& k) {
    motion::Leg leg;
    std::optional<Fault> fault;
    std::optional<Ahead> move = move_leg(k, *step_, q_, leg, fault);
    if (fault) return stop(k, *fault);
    if (corner(*step_) > 0 && (step_->straight || free(k, *step_, q_, move->end))) {
        leg.corner = corner(*step_);
        std::vector<Ahead> ahead{*move};
        std::vector<motion::Leg> legs{leg};
        extend(k, ahead, legs);
        if (ahead.size() > 1) {
            fly(k, std::move(ahead), legs);
            return Outcome::started;
        }
    }
    const JointVector end = move->end;
    motion::MotionPtr motion = move->motion ? move->motion : travel(k, *step_, q_, end);
    run_motion(k, std::move(motion), move->kind, move->phase, end);
    return Outcome::started;
}

/// While the last leg ends in a corner: the legs of the steps that follow, as far as they are known now.
void TaskRunner::extend(Kernel& k, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs) {
    constexpr std::size_t most = 12;
    while (legs.back().corner > 0 && legs.size() < most) {
        const Step* next = peek();
        const JointVector from = ahead.back().end;
        std::optional<Fault> fault;
        motion::Leg leg;
        if (next && next->kind->reach() == Reach::pose) {
            const std::optional<Ahead> move = move_leg(k, *next, from, leg, fault);
            if (fault || leg.nodes.empty() || (!next->straight && !free(k, *next, from, move->end))) break;
            leg.corner = corner(*next);
            ahead.push_back(*move);
            legs.push_back(leg);
            fetch();
            continue;
        }
        if (next && (next->kind->reach() == Reach::part || next->kind->reach() == Reach::seat)) {
            const bool ready = next->kind->reach() == Reach::part ? held_ < 0 : held_ >= 0;
            // What is claimed now cannot be given back: only where nothing can go wrong any more.
            if (!ready || !known_good(k, *next, from)) break;
            const std::optional<Exchange> x = agree(k, *next, from, fault);
            if (!x || fault) break;
            leg = motion::joint_leg(from, x->plan->approach, next->speed, next->acceleration);
            const bool on = corner(*next) > 0 && !x->plan->in_leg.nodes.empty();
            leg.corner = on ? corner(*next) : 0;
            ahead.push_back({nullptr, BlockKind::move, Phase::approach, next, x->plan->approach, *x});
            legs.push_back(leg);
            if (on) {
                ahead.push_back({nullptr, BlockKind::straight_in, Phase::in, next, x->plan->pose, std::nullopt});
                legs.push_back(x->plan->in_leg);
            }
            fetch();
        }
        break;
    }
    legs.back().corner = 0;
}

/// Whether a pick or place could begin at once, its pose be taken and its approach be reached directly.
bool TaskRunner::known_good(Kernel& k, const Step& step, const JointVector& from) {
    const Behaviour& other = k.behaviour(step.device);
    const cell::Device& there = k.cell().devices[step.device];
    PoseRequest request{arm(), Frame::Identity(), step.approach, step.retreat, step.straight_speed, step.posture,
        step.acceleration, step.held, &from};
    if (step.kind->reach() == Reach::part) {
        const std::optional<Offer> offer = other.offer(k);
        if (!offer) return false;
        const cell::PartType& part = k.type_of(offer->part);
        Frame grasp = part.grips.front().at, stands;
        for (const cell::Grip& g : part.grips)
            if (g.id == step.grip) grasp = g.at;
        k.trace().part_frame(k.cell(), offer->part, k.now(), stands);
        request.tool = tool_target(device_, stands, step.turn, grasp);
    } else {
        const std::optional<int> seat = other.room(k, k.trace().parts[held_].type);
        if (!seat) return false;
        request.tool = tool_target(device_, there.world * kind_of(there).seat_frame(there, *seat, k.type_of(held_)),
            step.turn, part_in_tool_.inverse());
    }
    const auto plan = k.plans().pose(request);
    return plan->good && free(k, step, from, plan->approach);
}

void TaskRunner::fly(Kernel& k, std::vector<Ahead> ahead, const std::vector<motion::Leg>& legs) {
    const auto motions = k.plans().fly(arm(), legs);
    for (std::size_t i = 0; i < ahead.size(); ++i)
        ahead[i].motion = (*motions)[i], ahead[i].end = ahead[i].motion->position(ahead[i].motion->duration());
    std::reverse(ahead.begin(), ahead.end());
    ahead_ = std::move(ahead);
    next_leg(k);
}

void TaskRunner::next_leg(Kernel& k) {
    const Ahead leg = std::move(ahead_.back());
    ahead_.pop_back();
    step_ = leg.step;
    if (leg.exchange) exchange_ = *leg.exchange;
    run_motion(k, leg.motion, leg.kind, leg.phase, leg.end);
}

const ArmRoom& TaskRunner::surroundings(Kernel& k) {
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

motion::MotionPtr TaskRunner::travel(Kernel& k, const Step& step, const JointVector& from, const JointVector& to) {
    if (!arm().detours || !step.detour) return k.plans().joint_move(arm(), from, to, step.speed, step.acceleration);
    const Travel way = k.plans().travel(arm(), surroundings(k), from, to, step.speed, step.acceleration, k.stop());
    if (!way.direct) {
        const double direct = k.plans().joint_move(arm(), from, to, step.speed, step.acceleration)->duration();
        k.detour({index_, step.number, k.now(), way.found, way.blocker, way.motion->duration() - direct});
    }
    return way.motion;
}

/// Whether the direct move may be flown; anything may where detours are not wanted.
bool TaskRunner::free(Kernel& k, const Step& step, const JointVector& from, const JointVector& to) {
    return !arm().detours || !step.detour ||
           k.plans().travel(arm(), surroundings(k), from, to, step.speed, step.acceleration, k.stop()).direct;
}

/// Opens the block of a phase that lasts `length` from now.
void TaskRunner::open_block(Kernel& k, BlockKind kind, Phase phase, double length) {
    Block b;
    b.device = index_;
    b.kind = kind;
    b.step = step_->number;
    b.part = held_ >= 0 || step_->device < 0 ? held_ : exchange_.offer.part;
    b.other = step_->device;
    b.seat = step_->device >= 0 ? exchange_.offer.seat : -1;
    block_ = k.begin(b);
    phase_ = phase;
    phase_end_ = k.now() + ticks(length);
    k.set_condition(index_, Condition::busy);
    k.at(phase_end_, index_, 0);
}

void TaskRunner::run_motion(Kernel& k, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end) {
    if (held_ >= 0 && arm().gentle) {
        const std::optional<double> bearable = bearable_acceleration(*arm().tool, k.type_of(held_).mass);
        if (bearable && *bearable > 0) motion = k.plans().gentle(arm(), motion, *bearable);
    }
    open_block(k, kind, phase, motion->duration());
    k.start_motion(index_, {k.now(), std::move(motion), held_, block_, tool_});
    q_ = end;
}

void TaskRunner::run_time(Kernel& k, double time_s, BlockKind kind, Phase phase) {
    open_block(k, kind, phase, time_s);
    k.start_motion(index_, {k.now(), k.plans().still(arm(), q_), held_, block_, tool_});
}

void TaskRunner::finish_grip(Kernel& k) {
    Behaviour& other = k.changing(step_->device);
    if (step_->kind->reach() == Reach::part) {
        held_ = exchange_.offer.part;
        part_in_tool_ = (geometry::make_frame(Vector3::Zero(), {0, 0, step_->turn}) * exchange_.grasp).inverse();
        // The trace knows one tool frame per arm: the first tool's.
        k.hold(held_, index_, device_.arm->tool_frame.inverse() * arm().tool_frame * part_in_tool_);
        other.taken(k, exchange_.offer);
    } else {
        const int part = held_;
        held_ = -1;
        k.put(part, step_->device, exchange_.offer.seat, exchange_.seat);
        other.received(k, exchange_.offer.seat, part);
    }
}

void TaskRunner::event(Kernel& k, int, int) {
    k.end(block_);
    if (!ahead_.empty()) return next_leg(k);
    switch (phase_) {
        case Phase::approach:
            run_motion(k, exchange_.plan->in, BlockKind::straight_in, Phase::in, exchange_.plan->pose);
            return;
        case Phase::in:
            run_time(k, step_->kind->reach() == Reach::part ? arm().tool->close_s : arm().tool->open_s,
                step_->kind->reach() == Reach::part ? BlockKind::grip : BlockKind::release, Phase::grip);
            return;
        case Phase::grip: {
            finish_grip(k);
            const PosePlan& plan = *exchange_.plan;
            if (corner(*step_) > 0 && !plan.out_leg.nodes.empty()) {
                std::vector<motion::Leg> legs{plan.out_leg};
                legs.front().corner = corner(*step_);
                std::vector<Ahead> ahead{
                    {nullptr, BlockKind::straight_out, Phase::out, step_, plan.retreat, std::nullopt}};
                extend(k, ahead, legs);
                if (ahead.size() > 1) return fly(k, std::move(ahead), legs);
            }
            run_motion(k, plan.out, BlockKind::straight_out, Phase::out, plan.retreat);
            return;
        }
        default: go_on(k); return;
    }
}

void TaskRunner::write_state(StateWriter& w) const {
    w.add(static_cast<int>(phase_));
    w.add(step_ ? step_->number : -1);
    bool for_ever =
        true;  // as long as a repeat is all that its list holds, how many rounds it still has does not matter
    for (const Level& level : stack_) {
        w.add(static_cast<std::int64_t>(level.next));
        w.add(for_ever ? 0 : level.left);
        for_ever = for_ever &&
                   std::count_if(level.list->begin(), level.list->end(), [](const Step& s) { return s.enabled; }) == 1;
    }
    w.add_joints(q_);
    w.add(tool_);
    w.add_part(held_);
    if (phase_ != Phase::waiting && phase_ != Phase::idle) {
        w.add_part(exchange_.offer.part);
        w.add(exchange_.offer.seat);
        w.add_time(phase_end_);
        for (const Ahead& leg : ahead_) {
            w.add(leg.step->number);
            w.add(static_cast<int>(leg.phase));
            w.add_joints(leg.end);
            w.add_part(leg.exchange ? leg.exchange->offer.part : -1);
            w.add(leg.exchange ? leg.exchange->offer.seat : -1);
        }
    }
}

}  // namespace escarp::simulation
