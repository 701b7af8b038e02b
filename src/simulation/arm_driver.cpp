#include "arm_driver.h"

#include <geometry/indices.h>
#include "arm_parts.h"
#include "step.h"

namespace escarp::simulation {

using cell::Reach;
using cell::Step;

ArmDriver::ArmDriver(const cell::Device& device, int index, const cell::Cell& cell)
    : Acts(device, index),
      q_(device.arm->ready),
      hands_(device.arm->others.size() + 1),
      checkpoints_(checkpoints_of(cell, index)) {}

void ArmDriver::start(Kernel& k) { k.start_motion(index_, {k.now(), k.plans().still(arm(), q_), -1, -1}); }

bool ArmDriver::holds_any() const {
    return std::any_of(hands_.begin(), hands_.end(), [](const Hand& h) { return h.part >= 0; });
}

/// From now on.
MotionRecord ArmDriver::record(const Kernel& k, motion::MotionPtr motion, int block) const {
    MotionRecord m{k.now(), std::move(motion), hand().part, block, tool_};
    for (const int t : indices(hands_))
        for (const int on_it : k.load(hands_[t].part))
            if (on_it >= 0) m.also.push_back({on_it, t});
    for (const int t : indices(hands_))
        if (t != tool_ && hands_[t].part >= 0) m.also.push_back({hands_[t].part, t});
    return m;
}

void ArmDriver::stand(Kernel& k, int block) { k.start_motion(index_, record(k, k.plans().still(arm(), q_), block)); }

PoseRequest ArmDriver::request(const Step& step, const JointVector& from) const {
    return {arm(), Frame::Identity(), step.approach, step.retreat, step.straight_speed, step.posture, step.acceleration,
        step.held, &from};
}

std::vector<ArmDriver::Choice> ArmDriver::choices(const Kernel& k, const Step& step, int type, int& carrier) const {
    const Behaviour& other = k.behaviour(step.device);
    const cell::Device& there = k.cell().devices[step.device];
    const auto frame_of = [&](int part) {
        Frame stands = Frame::Identity();
        k.trace().part_frame(k.cell(), part, k.now(), stands);
        return stands;
    };
    std::vector<Choice> all;
    if (step.on_carrier) {
        const std::vector<Spot> standing = other.standing(k);
        if (standing.empty() || !k.type_of(standing.front().part).carrier()) return all;
        carrier = standing.front().part;
        return on_carrier(k, step, type, carrier, frame_of(carrier));
    }
    if (type < 0) {
        for (const Spot& s : other.standing(k))
            if (all.empty() || step.together) all.push_back({s, frame_of(s.part)});
        return all;
    }
    const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
    for (const Spot& place : other.places(k, type))
        if (all.empty() || step.together)
            all.push_back({{place.seat, hand().part},
                there.world * kind_of(there).seat_frame(there, place.seat, k.cell().part_types[type]) * turned});
    return all;
}

/// Filled from the first seat on, emptied from the last. `at`: where the carrier stands, world.
std::vector<ArmDriver::Choice> ArmDriver::on_carrier(
    const Kernel& k, const Step& step, int type, int carrier, const Frame& at) const {
    const cell::PartType& tray = k.type_of(carrier);
    const std::vector<int>& load = k.load(carrier);
    const int seats = static_cast<int>(tray.seats.size());
    std::vector<Choice> all;
    if (type < 0) {
        for (int seat = static_cast<int>(load.size()) - 1; seat >= 0; --seat)
            if (load[seat] >= 0) all.push_back({{seat, load[seat]}, at * k.lies_at(load[seat])});
        return all;
    }
    if (!tray.takes(k.cell().part_types[type])) return all;
    const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
    for (int seat = 0; seat < seats; ++seat)
        if (load.empty() || load[seat] < 0) all.push_back({{seat, hand().part}, at * tray.seats[seat] * turned});
    return all;
}

std::optional<ArmDriver::Exchange> ArmDriver::possible(const Kernel& k, const Step& step, PoseRequest& request) const {
    const bool picks = step.kind->reach() == Reach::part;
    int carrier = -1;
    const std::vector<Choice> all = choices(k, step, picks ? -1 : k.trace().parts[hand().part].type, carrier);
    if (all.empty()) return std::nullopt;
    Exchange x = at_choice(k, step, all.front(), request);
    if (step.together) {
        // The one at which the most tools find something.
        x.beside = beside(k, step, all.front(), all, request.tool);
        for (const Choice& choice : all) {
            PoseRequest there = request;
            Exchange one = at_choice(k, step, choice, there);
            one.beside = beside(k, step, choice, all, there.tool);
            if (one.beside.size() <= x.beside.size()) continue;
            x = std::move(one);
            request.tool = there.tool;
        }
    }
    x.carrier = carrier;
    if (step.together && x.beside.size() + 1 < static_cast<std::size_t>(step.times)) return std::nullopt;
    return x;
}

/// What it would be to take a part, or to use a seat, and where the tool works then.
ArmDriver::Exchange ArmDriver::at_choice(
    const Kernel& k, const Step& step, const Choice& choice, PoseRequest& request) const {
    Exchange x;
    x.offer = choice.offer;
    x.type = k.trace().parts[choice.offer.part].type;
    if (step.kind->reach() == Reach::part) {
        x.grasp = k.type_of(choice.offer.part).grip(step.grip);
        request.tool = tool_target(device_, choice.part, step.turn, x.grasp);
    } else {
        x.seat = choice.part;
        request.tool = tool_target(device_, choice.part, 0, hand().part_in_tool.inverse());
    }
    return x;
}

std::optional<ArmDriver::Exchange> ArmDriver::agree(
    Kernel& k, const Step& step, const JointVector& from, std::optional<Fault>& fault) {
    const bool picks = step.kind->reach() == Reach::part;
    if (picks != (hand().part < 0)) {
        fault = Fault{index_, step.number, k.now(), picks ? Fault::Kind::holds_already : Fault::Kind::holds_nothing};
        return std::nullopt;
    }
    if (step.meets()) return agree_riding(k, step, from);
    PoseRequest request = this->request(step, from);
    std::optional<Exchange> x = possible(k, step, request);
    if (!x) return std::nullopt;
    Behaviour& other = k.changing(step.device);
    if (x->carrier >= 0) {
        other.claim(k, {-1, x->carrier});
    } else {
        x->beside.push_back({tool_, x->offer, x->seat});
        for (const Beside& one : x->beside) {
            if (picks) other.claim(k, one.offer);
            else other.keep(k, one.offer, one.offer.part);
        }
        x->beside.pop_back();
    }
    x->plan = k.plans().pose(request);
    if (!x->plan->good)
        fault = Fault{
            index_, step.number, k.now(), x->plan->failure, step.device, x->offer.seat, x->type, x->plan->failed_at};
    return x;
}

Outcome ArmDriver::exchange(TaskRunner& task, Kernel& k) {
    task_ = &task;
    if (step().meets() && !may_meet(k, step())) return Outcome::must_wait;
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
    const bool ready = next.kind->reach() == Reach::part ? hand().part < 0 : hand().part >= 0;
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
    next_leg(k, false);
}

void ArmDriver::next_leg(Kernel& k, bool flies) {
    const Ahead leg = std::move(ahead_.back());
    ahead_.pop_back();
    task_->is_at(*leg.step);
    if (leg.exchange) exchange_ = *leg.exchange;
    run_motion(k, leg.motion, leg.kind, leg.phase, leg.end, flies);
}

ArmRoom ArmDriver::surroundings(Kernel& k) {
    cell::ContentKey key;
    key.add(tool_);
    for (std::size_t t = 0; t < hands_.size(); ++t)
        if (hands_[t].part >= 0) key.add(t).add(k.trace().parts[hands_[t].part].type).add(hands_[t].part_in_tool);
    if (const auto found = rooms_->find(key.value())) return *found;
    std::vector<motion::Part> held;
    for (const int t : indices(hands_))
        if (hands_[t].part >= 0)
            for (motion::Part& part :
                held_parts(device_.arm->with_tool(t), k.type_of(hands_[t].part), hands_[t].part_in_tool))
                held.push_back(std::move(part));
    ArmRoom room = room_of(k.cell(), index_, held);
    const std::size_t bytes = room.parts->parts().size() * sizeof(motion::Part);
    return rooms_->keep(key.value(), std::move(room), bytes);
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
    b.part = hand().part >= 0 || step().device < 0 ? hand().part : exchange_.offer.part;
    b.other = step().device;
    b.seat = step().device >= 0 ? exchange_.offer.seat : -1;
    block_ = k.begin(b);
    phase_ = phase;
    phase_end_ = k.now() + ticks(length);
    k.set_condition(index_, Condition::busy);
    over_ = k.at(phase_end_, *this, over_event);
}

motion::MotionPtr ArmDriver::gently(Kernel& k, motion::MotionPtr motion) const {
    for (const int tool : indices(hands_)) {
        const auto bearable = hands_[tool].part >= 0 ? bearable_with(tool, k.type_of(hands_[tool].part)) : std::nullopt;
        if (bearable) motion = k.plans().gentle(device_.arm->with_tool(tool), motion, *bearable);
    }
    return motion;
}

void ArmDriver::run_motion(
    Kernel& k, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end, bool flies) {
    // What is met has been planned with all that it can bear.
    if (!exchange_.met || phase == Phase::single) motion = gently(k, std::move(motion));
    const double clock = k.clock(index_, step().number);
    if (clock != 1 && !exchange_.met) motion = motion::on_clock(std::move(motion), clock);
    leg_ = {std::move(motion), kind, phase, 0, 0, flies};
    q_ = end;
    set_off(k);
}

/// The greatest acceleration with a part, where it is to be kept. m/s^2
std::optional<double> ArmDriver::bearable_with(int tool, const cell::PartType& part) const {
    const cell::Arm& with = device_.arm->with_tool(tool);
    if (!with.gentle || !with.tool) return std::nullopt;
    const std::optional<double> bearable = bearable_acceleration(*with.tool, part.mass);
    return bearable && *bearable > 0 ? bearable : std::nullopt;
}

namespace {
double tolerance_of(const cell::PartType& part, const std::string& grip) {
    for (const cell::Grip& g : part.grips)
        if (g.id == grip) return g.tolerance;
    return part.grips.front().tolerance;
}
}  // namespace

/// What the other tools find while the active one is at `tool` (in the base) for what it deals with itself.
std::vector<ArmDriver::Beside> ArmDriver::beside(
    const Kernel& k, const Step& step, const Choice& own, const std::vector<Choice>& choices, const Frame& tool) const {
    constexpr double near = 1e-3, even = 0.01;  // m, rad; or what the grip bears
    const bool picks = step.kind->reach() == Reach::part;
    const Frame flange = device_.world * tool * arm().tool_frame.inverse();
    const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
    std::vector<Beside> all;
    for (const int nth : indices(hands_)) {
        const Hand& hand = hands_[nth];
        if (nth == tool_ || picks != (hand.part < 0)) continue;
        const Frame at = flange * device_.arm->with_tool(nth).tool_frame;
        for (const Choice& choice : choices) {
            if (picks ? choice.offer.part == own.offer.part : choice.offer.seat == own.offer.seat) continue;
            const Frame wanted =
                picks ? Frame(choice.part * turned * k.type_of(choice.offer.part).grip(step.grip)) : choice.part;
            const geometry::FrameGap gap = geometry::gap(picks ? at : Frame(at * hand.part_in_tool), wanted);
            const int part = picks ? choice.offer.part : hand.part;
            const double bears = tolerance_of(k.type_of(part), step.grip);
            if (gap.distance > std::max(near, bears) || gap.angle > even) continue;
            all.push_back({nth, {choice.offer.seat, part}, picks ? choice.part : Frame(at * hand.part_in_tool)});
            break;
        }
    }
    return all;
}

/// A tool takes its part, or puts it down.
void ArmDriver::exchange_with(Kernel& k, Behaviour& other, const Beside& one, const Frame& part_in_tool) {
    Hand& hand = hands_[one.tool];
    const bool picks = hand.part < 0;
    const cell::Arm& with = device_.arm->with_tool(one.tool);
    if (picks) {
        hand = {one.offer.part, part_in_tool};
        k.lift(hand.part);
        // The trace knows one tool frame per arm: the first tool's.
        k.hold(hand.part, index_, device_.arm->tool_frame.inverse() * with.tool_frame * part_in_tool);
        if (exchange_.carrier < 0) other.taken(k, one.offer);
        return;
    }
    const int part = std::exchange(hand.part, -1);
    if (exchange_.carrier >= 0) {
        Frame in_carrier = k.type_of(exchange_.carrier).seats[one.offer.seat] *
                           geometry::make_frame(Vector3::Zero(), {0, 0, step().turn});
        if (one.tool != tool_) {  // it hangs a little aside of its seat, as it was taken
            Frame carrier;
            k.trace().part_frame(k.cell(), exchange_.carrier, k.now(), carrier);
            in_carrier = carrier.inverse() * one.part;
        }
        k.lay(part, exchange_.carrier, one.offer.seat, in_carrier);
        return;
    }
    k.put(part, step().device, one.offer.seat, one.part);
    other.received(k, one.offer, part);
}

void ArmDriver::finish_grip(Kernel& k) {
    Behaviour& other = k.changing(step().device);
    const bool picks = step().kind->reach() == Reach::part;
    const Frame flange = device_.world * device_.arm->model->flange_frame(q_);
    exchange_with(k, other, {tool_, exchange_.offer, exchange_.seat},
        picks ? Frame((geometry::make_frame(Vector3::Zero(), {0, 0, step().turn}) * exchange_.grasp).inverse())
              : Frame::Identity());
    for (Beside one : exchange_.beside) {
        // What rides has gone on since it was agreed on.
        if (picks && exchange_.met) k.trace().part_frame(k.cell(), one.offer.part, k.now(), one.part);
        exchange_with(k, other, one, (flange * device_.arm->with_tool(one.tool).tool_frame).inverse() * one.part);
    }
    if (exchange_.carrier >= 0) other.loaded(k, exchange_.carrier);
}

/// It may go on when the arm is out of it.
void ArmDriver::leave_carrier(Kernel& k) {
    const int carrier = std::exchange(exchange_.carrier, -1);
    if (carrier >= 0) k.changing(step().device).let_go(k, carrier);
}

void ArmDriver::event(Kernel& k, int what, int) {
    if (passing_event(k, what)) return;
    k.end(block_);
    if (phase_ == Phase::out) leave_carrier(k);
    if (!ahead_.empty()) return next_leg(k, true);
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
            const double works = picks ? arm().tool->close_s : arm().tool->open_s;
            open_block(k, picks ? BlockKind::grip : BlockKind::release, Phase::grip,
                exchange_.met ? works : works / k.clock(index_, step().number));
            if (exchange_.met) {
                const MeetingPlan& plan = *exchange_.met->plan;
                k.start_motion(index_, record(k, plan.work, block_));
                q_ = plan.work->position(plan.met.work_s);
            } else {
                stand(k, block_);
            }
            return;
        }
        case Phase::grip:
            if (exchange_.met && !as_agreed(k)) {
                let_all_go(k);
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
    for (const Hand& h : hands_) w.add_part(h.part);
    w.add(waits_at_), w.add_double(leg_.done);
    if (phase_ == Phase::resting && waits_at_ < 0) return;
    w.add_part(exchange_.offer.part);
    w.add(exchange_.offer.seat);
    w.add_time(waits_at_ < 0 ? phase_end_ : w.now());  // at a border: when it came there does not matter
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
