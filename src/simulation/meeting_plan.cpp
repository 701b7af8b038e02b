#include "meeting_plan.h"

#include <algorithm>
#include <cmath>

namespace escarp::simulation {
namespace {

class Search {
public:
    Search(PlanCache& plans, const MeetingSearch& s, double speed)
        : plans_(plans), s_(s), to_base_(s.arm.world.inverse()), speed_(speed) {
        const kinematics::ArmModel& model = *s.with_tool.model;
        lead_ = 0.75 * speed * speed * std::sqrt(2.0) / (s.step.acceleration * model.line_acceleration);
    }

    Frame place(double way) const { return to_base_ * kind_of(s_.carrier).rides_at(s_.carrier, way) * s_.tool_on_path; }
    double lead() const { return lead_; }  ///< how far ahead of the place the tool begins, m
    /// How long the arm takes to where a meeting begins whose place has come so far; nothing where it cannot get there.
    std::optional<double> takes(double way) {
        const auto plan = begin_pose(way);
        if (!plan->good) {
            why = {motion::MeetingFailure::Kind::out_of_reach, 0, -1};
            return std::nullopt;
        }
        return s_.direct(plan->pose)->duration();
    }
    /// The meeting that begins when the place has come so far.
    std::shared_ptr<const MeetingPlan> meeting(double way) {
        const auto pose = begin_pose(way);
        if (!pose->good) {
            why = {motion::MeetingFailure::Kind::out_of_reach, 0, -1};
            return nullptr;
        }
        cell::ContentKey key;
        key.add(s_.with_tool.model_key).add(to_base_).add(s_.tool_on_path).add(way).add(speed_).add(s_.work_s);
        key.add(s_.step.approach).add(s_.step.retreat).add(s_.step.straight_speed).add(s_.step.acceleration);
        key.add(s_.bearable_in.value_or(-1)).add(s_.bearable_out.value_or(-1)).add(pose->pose);
        kind_of(s_.carrier).add_ride(key, s_.carrier);
        std::shared_ptr<const MeetingPlan> plan = plans_.meeting(key.value(), [&] {
            motion::MeetingRequest r{*s_.with_tool.model, *s_.with_tool.solver, s_.with_tool.tool_frame,
                [this](double at) { return place(at); }};
            r.way = way, r.speed = speed_, r.approach = s_.step.approach, r.retreat = s_.step.retreat;
            r.work_s = s_.work_s, r.near = pose->pose;
            r.straight_speed = s_.step.straight_speed, r.acceleration = s_.step.acceleration;
            r.bearable_in = s_.bearable_in, r.bearable_out = s_.bearable_out;
            auto made = std::make_shared<MeetingPlan>();
            auto result = motion::meet(r);
            if (const auto* wrong = std::get_if<motion::MeetingFailure>(&result)) {
                made->failure = *wrong;
                return std::shared_ptr<const MeetingPlan>(made);
            }
            made->met = std::move(std::get<motion::Meeting>(result));
            const double leaves = made->met.in_s + made->met.work_s;
            made->in = motion::slice(made->met.motion, 0, made->met.in_s);
            made->work = motion::slice(made->met.motion, made->met.in_s, leaves);
            made->out = motion::slice(made->met.motion, leaves, made->met.motion->duration());
            return std::shared_ptr<const MeetingPlan>(made);
        });
        if (plan->failure) {
            why = plan->failure;
            return nullptr;
        }
        lead_ = plan->met.first_way - way;
        return plan;
    }
    std::optional<motion::MeetingFailure> why;

private:
    std::shared_ptr<const PosePlan> begin_pose(double way) {
        const Frame at = place(way + lead_) * geometry::make_frame({0, 0, -s_.step.approach});
        return plans_.pose({s_.with_tool, at, 0, 0, s_.step.straight_speed, s_.step.posture, s_.step.acceleration,
            s_.step.held, &s_.from});
    }

    PlanCache& plans_;
    const MeetingSearch& s_;
    const Frame to_base_;
    const double speed_;
    double lead_;
};

constexpr int most_rounds = 40, most_meetings = 6;
constexpr double near_enough = 1e-6;  // m

}  // namespace

std::optional<Encounter> meet_part(
    PlanCache& plans, const MeetingSearch& s, const Spot& ride, std::optional<motion::MeetingFailure>& why) {
    Search search(plans, s, ride.speed);
    const double last = std::min(s.step.window_to, ride.until);
    double way = std::max(ride.way, s.step.window_from - search.lead());
    const auto give_up = [&]() -> std::optional<Encounter> {
        why = search.why;
        return std::nullopt;
    };
    // The soonest instant at which the arm is there before the part: where the part has come when the arm arrives.
    for (int i = 0; i < most_rounds; ++i) {
        if (way > last) return give_up();
        const std::optional<double> takes = search.takes(way);
        if (!takes) return give_up();
        const double needed = std::max(ride.way + ride.speed * *takes, s.step.window_from - search.lead());
        if (needed <= way + near_enough && (needed >= way - near_enough || i > most_rounds / 2)) break;
        way = needed;
    }
    std::optional<Encounter> kept;  // one that can be kept, if not quite the soonest
    for (int i = 0; i < most_meetings; ++i) {
        const Ticks begins = ticks(std::max(0.0, way - ride.way) / ride.speed);
        way = ride.way + ride.speed * seconds(begins);
        const auto plan = search.meeting(way);
        if (!plan || plan->met.last_way > last) break;
        const double takes = s.travel(plan->met.start)->duration();
        const double needed = std::max(ride.way + ride.speed * takes, s.step.window_from - search.lead());
        const bool in_time = ticks(takes) <= begins && plan->met.first_way >= s.step.window_from - 1e-9;
        if (in_time && (!kept || begins < kept->begins)) kept = Encounter{plan, begins};
        if (in_time && needed >= way - near_enough) return kept;
        way = needed + 0.2 * near_enough;
    }
    if (kept) return kept;
    return give_up();
}

std::optional<Encounter> meet_free_place(PlanCache& plans, const MeetingSearch& s, double speed, double stride,
    const std::function<std::optional<Spot>(double way)>& free, std::optional<motion::MeetingFailure>& why) {
    Search search(plans, s, speed);
    const auto give_up = [&]() -> std::optional<Encounter> {
        why = search.why;
        return std::nullopt;
    };
    const double way = s.step.window_from;
    const auto plan = search.meeting(way);
    if (!plan || plan->met.last_way > s.step.window_to) return give_up();
    const motion::MotionPtr travel = s.travel(plan->met.start);
    // The tool begins at the same place whenever it begins: later is farther up the belt.
    constexpr int most_places = 200;
    for (int i = 0; i < most_places; ++i) {
        const Ticks begins = ticks(travel->duration()) + ticks(i * stride / speed);
        const double way_now = way - speed * seconds(begins);
        const std::optional<Spot> place = free(way_now);
        if (place && plan->met.last_way <= place->until) return Encounter{plan, begins};
    }
    return give_up();
}

}  // namespace escarp::simulation
