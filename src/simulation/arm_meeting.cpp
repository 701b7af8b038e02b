// How an arm meets what rides by: the part of its driver that agrees on it and keeps to it.

#include <cmath>

#include "arm_driver.h"
#include "step.h"

namespace escarp::simulation {

using cell::Reach;
using cell::Step;

MeetingSearch ArmDriver::meeting_search(Kernel& k, const Step& step, const JointVector& from, const Exchange& x) {
    const bool picks = step.kind->reach() == Reach::part;
    const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, step.turn});
    MeetingSearch s{device_, arm(), k.cell().devices[step.device], step,
        picks ? Frame(x.on_path * turned * x.grasp) : Frame(x.on_path * turned * hand().part_in_tool.inverse()), from};
    s.work_s = picks ? arm().tool->close_s : arm().tool->open_s;
    const auto bearable = bearable_with(tool_, k.cell().part_types[x.type]);
    (picks ? s.bearable_out : s.bearable_in) = bearable;
    s.direct = [this, &k, &step, from](const JointVector& to) {
        return gently(k, k.plans().joint_move(arm(), from, to, step.speed, step.acceleration));
    };
    s.travel = [this, &k, &step, from](const JointVector& to) { return gently(k, way_to(k, step, from, to).motion); };
    return s;
}

/// With a part that rides or stands; nothing where the arm would be too late, or it stands outside the window.
std::optional<ArmDriver::Exchange> ArmDriver::ridden(
    Kernel& k, const Step& step, const JointVector& from, const Spot& ride) {
    const cell::Device& there = k.cell().devices[step.device];
    const bool picks = step.kind->reach() == Reach::part;
    Exchange x;
    x.offer = {-1, ride.part};
    x.ride = ride;
    x.on_path = ride.on_path;
    x.agreed = k.now();
    if (step.on_carrier) {
        if (!k.type_of(ride.part).carrier()) return std::nullopt;
        const auto all =
            on_carrier(k, step, picks ? -1 : k.trace().parts[hand().part].type, ride.part, Frame::Identity());
        if (all.empty()) return std::nullopt;
        x.carrier = ride.part;
        x.offer = all.front().offer;
        x.on_path = ride.on_path * (picks ? all.front().part : k.type_of(ride.part).seats[x.offer.seat]);
    }
    x.type = k.trace().parts[x.offer.part].type;
    if (picks) x.grasp = k.type_of(x.offer.part).grip(step.grip);
    if (picks && step.together && !step.on_carrier) x.beside = riding_beside(k, step, x);
    if (ride.speed > 0) {
        std::optional<motion::MeetingFailure> why;
        x.met = meet_part(k.plans(), meeting_search(k, step, from, x), ride, why);
        if (!x.met) return std::nullopt;
        x.begins = k.now() + x.met->begins;
        return x;
    }
    if (ride.way < step.window_from || ride.way > step.window_to) return std::nullopt;
    PoseRequest request = this->request(step, from);
    request.tool = tool_target(device_, kind_of(there).rides_at(there, ride.way) * x.on_path, step.turn,
        picks ? x.grasp : hand().part_in_tool.inverse());
    x.plan = k.plans().pose(request);
    return x.plan->good ? std::optional<Exchange>(x) : std::nullopt;
}

std::optional<ArmDriver::Exchange> ArmDriver::put_among(Kernel& k, const Step& step, const JointVector& from) {
    const cell::Device& there = k.cell().devices[step.device];
    const Behaviour& other = k.behaviour(step.device);
    const cell::PartType& part = k.type_of(hand().part);
    Exchange x;
    x.offer = {-1, hand().part};
    x.agreed = k.now();
    x.type = k.trace().parts[hand().part].type;
    const auto stands_at = [&](double way) {
        return Frame(kind_of(there).rides_at(there, way) * geometry::make_frame(Vector3::Zero(), {0, 0, step.turn}));
    };
    const std::optional<double> speed = other.rides_at_speed(k);
    if (!speed) return std::nullopt;
    if (*speed == 0) {
        const std::optional<Spot> place = other.place_along(k, x.type, step.window_from);
        if (!place) return std::nullopt;
        x.ride = *place;
        x.seat = stands_at(place->way);
        PoseRequest request = this->request(step, from);
        request.tool =
            tool_target(device_, kind_of(there).rides_at(there, place->way), step.turn, hand().part_in_tool.inverse());
        x.plan = k.plans().pose(request);
        return x.plan->good ? std::optional<Exchange>(x) : std::nullopt;
    }
    std::optional<motion::MeetingFailure> why;
    const auto free = [&](double way) {
        std::optional<Spot> place = other.place_along(k, x.type, way);
        if (place) x.ride = *place;
        return place;
    };
    x.met = meet_free_place(k.plans(), meeting_search(k, step, from, x), *speed, 0.25 * part.length, free, why);
    if (!x.met) return std::nullopt;
    x.begins = k.now() + x.met->begins;
    const MeetingPlan& plan = *x.met->plan;
    x.seat = stands_at(plan.met.last_way);
    return x;
}

std::optional<ArmDriver::Exchange> ArmDriver::agree_riding(Kernel& k, const Step& step, const JointVector& from) {
    if (step.kind->reach() == Reach::part || step.on_carrier) {
        for (const Spot& ride : worth_meeting(k, step)) {
            std::optional<Exchange> best = ridden(k, step, from, ride);
            if (!best) continue;
            Behaviour& other = k.changing(step.device);
            other.claim(k, {-1, best->ride.part});
            for (const Beside& one : best->beside) other.claim(k, one.offer);
            return best;
        }
        return std::nullopt;
    }
    std::optional<Exchange> x = put_among(k, step, from);
    if (x) k.changing(step.device).keep(k, x->ride, hand().part);
    return x;
}

/// Those that may be met, in the order in which they are tried: where most tools find something first, then as they
/// come.
std::vector<Spot> ArmDriver::worth_meeting(const Kernel& k, const Step& step) const {
    std::vector<Spot> all = k.behaviour(step.device).riding(k);
    if (!step.result.empty())
        std::erase_if(all, [&](const Spot& r) { return k.trace().result(r.part, k.now()) == "reject"; });
    if (!step.together || step.on_carrier) return all;
    std::vector<std::pair<std::size_t, Spot>> order;
    for (const Spot& r : all) {
        Exchange x;
        x.offer = {-1, r.part};
        x.ride = r;
        x.grasp = k.type_of(r.part).grip(step.grip);
        const std::size_t tools = riding_beside(k, step, x).size() + 1;
        if (tools >= static_cast<std::size_t>(step.times)) order.emplace_back(tools, r);
    }
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    all.clear();
    for (const auto& [tools, ride] : order) all.push_back(ride);
    return all;
}

/// What the other tools can take of what rides along with the part that is met.
std::vector<ArmDriver::Beside> ArmDriver::riding_beside(const Kernel& k, const Step& step, const Exchange& x) const {
    const cell::Device& there = k.cell().devices[step.device];
    const auto stands = [&](const Spot& r) { return Frame(kind_of(there).rides_at(there, r.way) * r.on_path); };
    std::vector<Choice> choices;
    for (const Spot& r : k.behaviour(step.device).riding(k))
        if (r.speed == x.ride.speed && (step.result.empty() || k.trace().result(r.part, k.now()) != "reject"))
            choices.push_back({{-1, r.part}, stands(r)});
    return beside(
        k, step, {x.offer, stands(x.ride)}, choices, tool_target(device_, stands(x.ride), step.turn, x.grasp));
}

/// What was claimed, and will not be taken.
void ArmDriver::let_all_go(Kernel& k) {
    Behaviour& other = k.changing(step().device);
    other.let_go(k, met());
    for (const Beside& one : exchange_.beside) other.let_go(k, one.offer.part);
    exchange_.carrier = -1;
    exchange_.beside.clear();
}

bool ArmDriver::as_agreed(const Kernel& k) const {
    constexpr double same = 1e-6;  // m, m/s
    const std::optional<Spot> now = k.behaviour(step().device).as_it_rides(k, met());
    if (!now) return false;
    const Spot& then = exchange_.ride;
    const double foreseen = then.way + then.speed * seconds(k.now() - exchange_.agreed);
    return std::abs(now->speed - then.speed) < same && std::abs(now->way - foreseen) < same;
}

/// Above where the meeting begins, until it does.
void ArmDriver::hover(Kernel& k) {
    if (!as_agreed(k)) return give_up(k);
    const bool picks = step().kind->reach() == Reach::part;
    Block b;
    b.device = index_;
    b.kind = BlockKind::wait;
    b.step = step().number;
    b.part = hand().part;
    b.other = step().device;
    b.waits_for = picks ? WaitFor::part : WaitFor::room;
    block_ = k.begin(b);
    phase_ = Phase::hover;
    phase_end_ = exchange_.begins;
    k.set_condition(index_, Condition::waiting);
    k.at(phase_end_, *this, over_event);
    stand(k, block_);
}

/// What was to be met does not ride as it did: looked for anew.
void ArmDriver::give_up(Kernel& k) {
    let_all_go(k);
    exchange_ = {};
    phase_ = Phase::resting;
    task_->again(k);
}

}  // namespace escarp::simulation
