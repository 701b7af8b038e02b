#include "plan.h"

#include <algorithm>
#include <future>

#include <geometry/indices.h>
#include <kinematics/reach.h>
#include <motion/tool_motion.h>

#include "arm_parts.h"
#include "meeting_plan.h"

namespace escarp::simulation {
namespace {

Frame backed_off(const Frame& tool, double distance) { return tool * geometry::make_frame({0, 0, -distance}); }

/// How far inside its limits, of position and of singularity, a posture is: 1 well inside, toward 0 at a limit.
double ease(const cell::Arm& arm, const JointVector& q) {
    constexpr double enough_turn = 0.25, enough_share = 0.08;
    double least = 1;
    for (int j = 0; j < q.size(); ++j) {
        const kinematics::Joint& joint = arm.model->mechanism.joints[j];
        const double inside = std::min(q[j] - joint.low, joint.high - q[j]);
        least = std::min(least,
            inside /
                (joint.type == kinematics::JointType::hinge ? enough_turn : enough_share * (joint.high - joint.low)));
    }
    const double singular =
        kinematics::singularity_distance(*arm.model, q, arm.tool_frame, kinematics::arm_length(*arm.model));
    return std::max(0.0, std::min(least, singular / 0.12));
}

/// Branches within limits, those first that are soon reached from where the arm is (or stands ready) and stay clear of
/// limits and singular positions; of an arm with a free joint at the value asked for.
std::vector<kinematics::JointSolution> branches(const PoseRequest& r) {
    constexpr std::size_t most_free = 24;
    constexpr double worth = 0.4;  // seconds that a well placed posture may take longer
    std::vector<kinematics::JointSolution> all, fit;
    const std::vector<int> free = r.arm.solver->free_joints();
    JointVector reference = r.from ? *r.from : r.arm.ready;
    const Frame flange = r.tool * r.arm.tool_frame.inverse();
    if (r.held && !free.empty()) {
        reference[free.front()] = *r.held;
        r.arm.solver->held(flange, reference, all);
    } else {
        r.arm.solver->solve(flange, reference, all);
    }
    for (const kinematics::JointSolution& s : all)
        if (s.within_limits && (r.posture < 0 || s.posture == r.posture)) fit.push_back(s);
    std::vector<std::pair<double, std::size_t>> order;
    for (std::size_t i = 0; i < fit.size(); ++i) {
        double sum = 0, longest = 0;
        for (int j = 0; j < fit[i].q.size(); ++j) {
            const double time = std::abs(fit[i].q[j] - reference[j]) / r.arm.model->mechanism.joints[j].speed;
            sum += time, longest = std::max(longest, time);
        }
        order.emplace_back(!r.from && free.empty() ? sum : longest + worth * (1 - ease(r.arm, fit[i].q)), i);
    }
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<kinematics::JointSolution> sorted;
    for (const auto& [cost, i] : order)
        if (free.empty() || sorted.size() < most_free) sorted.push_back(fit[i]);
    return sorted;
}

/// The straight moves to and from a pose on one branch.
PosePlan plan_on(const PoseRequest& r, const kinematics::JointSolution& branch) {
    PosePlan plan;
    using Result = std::variant<motion::Leg, motion::StraightFailure>;
    const auto path = [&](const Frame& from, const Frame& to, const JointVector& start) -> Result {
        if (geometry::gap(from, to).distance < 1e-9) return motion::Leg{};
        return motion::straight_leg(
            {*r.arm.model, *r.arm.solver, r.arm.tool_frame, from, to, start, r.straight_speed, r.acceleration});
    };
    const auto timed = [&](const motion::Leg& leg, const JointVector& stands) -> motion::MotionPtr {
        if (leg.nodes.empty()) return motion::standstill(stands);
        return std::make_shared<motion::PathMotion>(r.arm.model->mechanism, leg.nodes);
    };
    const auto end = [](const motion::Leg& leg, const JointVector& start) {
        return leg.nodes.empty() ? start : leg.nodes.back().q;
    };
    const auto fails = [&](const Result& result) {
        const auto* wrong = std::get_if<motion::StraightFailure>(&result);
        if (wrong) plan.failure = Fault::Kind::line_fails, plan.failed_at = wrong->at;
        return wrong != nullptr;
    };
    plan.pose = branch.q;
    plan.posture = branch.posture;
    // Followed backwards first: the approach pose is then on the branch of the pose itself.
    const Result back = path(r.tool, backed_off(r.tool, r.approach), branch.q);
    if (fails(back)) return plan;
    const Result out = r.retreat == r.approach ? back : path(r.tool, backed_off(r.tool, r.retreat), branch.q);
    if (fails(out)) return plan;
    plan.approach = end(std::get<motion::Leg>(back), branch.q);
    const Result in = path(backed_off(r.tool, r.approach), r.tool, plan.approach);
    if (fails(in)) return plan;
    plan.in_leg = std::get<motion::Leg>(in);
    plan.out_leg = std::get<motion::Leg>(out);
    // The timing of the two is most of the work of an edit that moves an arm: side by side.
    auto out_timed = std::async(plan.out_leg.nodes.empty() ? std::launch::deferred : std::launch::async,
        [&] { return timed(plan.out_leg, branch.q); });
    plan.in = timed(plan.in_leg, plan.approach);
    plan.out = out_timed.get();
    plan.pose = plan.in->position(plan.in->duration());
    plan.retreat = plan.out->position(plan.out->duration());
    plan.good = true;
    return plan;
}

std::size_t bytes_of(double) { return 0; }
std::size_t bytes_of(const std::optional<motion::Braking>&) { return 0; }
std::size_t bytes_of(const motion::MotionPtr& motion) { return motion ? motion->bytes() : 0; }
std::size_t bytes_of(const motion::Leg& leg) { return sizeof leg + leg.nodes.size() * sizeof(motion::PathNode); }
std::size_t bytes_of(const Travel& travel) { return bytes_of(travel.motion); }
std::size_t bytes_of(const std::shared_ptr<const PosePlan>& plan) {
    return sizeof(PosePlan) + bytes_of(plan->in) + bytes_of(plan->out) + bytes_of(plan->in_leg) +
           bytes_of(plan->out_leg);
}
std::size_t bytes_of(const std::shared_ptr<const PlanCache::Line>& line) {
    return sizeof(PlanCache::Line) + bytes_of(line->motion) + bytes_of(line->leg);
}
std::size_t bytes_of(const std::shared_ptr<const MeetingPlan>& plan) {
    return sizeof(MeetingPlan) + bytes_of(plan->met.motion);
}
std::size_t bytes_of(const std::shared_ptr<const std::vector<motion::MotionPtr>>& motions) {
    std::size_t sum = 0;
    for (const motion::MotionPtr& m : *motions) sum += bytes_of(m);
    return sum;
}

}  // namespace

Frame tool_target(const cell::Device& arm, const Frame& seat_world, double turn, const Frame& tool_in_part) {
    return arm.world.inverse() * seat_world * geometry::make_frame(Vector3::Zero(), {0, 0, turn}) * tool_in_part;
}

namespace {
thread_local SearchCount* counting = nullptr;
thread_local int within = 0;  // plans that are made of plans
}  // namespace

SearchCount::SearchCount() { counting = this; }
SearchCount::~SearchCount() { counting = nullptr; }

template <typename Value, typename Make>
Value PlanCache::kept(Store<Value>& kept, std::uint64_t key, Make make) {
    const auto asked = [&](const Made<Value>& plan) {
        if (within == 0 && counting && plan.steps > 0 && counting->seen_.insert(key).second)
            counting->steps_ += plan.steps;
    };
    long long& steps = kinematics::search_steps();
    if (const std::optional<Made<Value>> found = kept.find(key)) {
        steps += found->steps;
        asked(*found);
        return found->value;
    }
    struct Within {
        Within() { ++within; }
        ~Within() { --within; }
    };
    Made<Value> made;
    {
        const Within inside;
        const long long before = steps;
        made.value = make();
        made.steps = steps - before;
    }
    ++computed_;
    const Made<Value> known = kept.keep(key, made, bytes_of(made.value));
    asked(known);
    return known.value;
}

std::shared_ptr<const PosePlan> PlanCache::pose(const PoseRequest& r) {
    cell::ContentKey request;
    request.add(r.arm.model_key).add(r.tool).add(r.approach).add(r.retreat).add(r.straight_speed).add(r.acceleration);
    cell::ContentKey key = request;
    key.add(r.posture).add(r.held.value_or(-1e9)).add(r.arm.ready);
    if (r.from) key.add(*r.from);
    return kept(poses_, key.value(), [&] {
        std::shared_ptr<const PosePlan> first;
        for (const kinematics::JointSolution& branch : branches(r)) {
            // From wherever the arm comes, the moves on a branch are the same.
            cell::ContentKey on = request;
            on.add(branch.q).add(branch.posture);
            auto plan = kept(poses_, on.value(), [&] { return std::make_shared<const PosePlan>(plan_on(r, branch)); });
            if (plan->good) return plan;
            if (!first) first = plan;
        }
        return first ? first : std::make_shared<const PosePlan>();
    });
}

motion::MotionPtr PlanCache::joint_move(
    const cell::Arm& arm, const JointVector& from, const JointVector& to, double speed, double acceleration) {
    cell::ContentKey key;
    key.add(arm.model_key).add(from).add(to).add(speed).add(acceleration);
    return kept(
        moves_, key.value(), [&] { return motion::joint_move(arm.model->mechanism, from, to, speed, acceleration); });
}

Travel PlanCache::travel(const cell::Arm& arm, const ArmRoom& room, const JointVector& from, const JointVector& to,
    double speed, double acceleration, const motion::StopFlag* stop) {
    cell::ContentKey key;
    key.add(arm.model_key).add(room.key).add(room.need).add(from).add(to).add(speed).add(acceleration);
    return kept(travels_, key.value(), [&]() -> Travel {
        const motion::Room space(arm.model->mechanism, room.parts, *room.around, room.self_pairs);
        const motion::Detour way = motion::find_way({.model = *arm.model,
            .tool = arm.tool_frame,
            .room = space,
            .from = from,
            .to = to,
            .need = room.need,
            .speed = speed,
            .acceleration = acceleration,
            .stop = stop});
        constexpr int a_look = 4;  // steps of a numeric solver take about a quarter of the time
        kinematics::search_steps() += a_look * way.looks;
        // The direct move is the same object for everyone who asks for it: what is known of it is kept by its serial
        // number.
        if (way.direct || !way.motion)
            return {joint_move(arm, from, to, speed, acceleration), way.direct, way.direct, way.blocker};
        return {way.motion, false, true, way.blocker};
    });
}

std::shared_ptr<const std::vector<motion::MotionPtr>> PlanCache::fly(
    const cell::Arm& arm, const std::vector<motion::Leg>& legs) {
    cell::ContentKey key;
    key.add(arm.model_key).add(arm.tool_frame);
    for (const motion::Leg& leg : legs) {
        key.add(leg.corner).add(leg.straight);
        for (const motion::PathNode& n : leg.nodes)
            key.add(n.s).add(n.q).add(n.rate).add(n.speed_share).add(n.effort_share);
    }
    return kept(flights_, key.value(), [&] {
        return std::make_shared<const std::vector<motion::MotionPtr>>(
            motion::fly(*arm.model, arm.tool_frame, legs).legs);
    });
}

motion::MotionPtr PlanCache::gentle(const cell::Arm& arm, const motion::MotionPtr& motion, double bearable) {
    cell::ContentKey key;
    key.add(arm.model_key).add(arm.tool_frame).add(motion->serial()).add(bearable);
    return kept(gentle_, key.value(), [&] {
        return motion::slowed(
            motion, std::sqrt(motion::greatest_tool_acceleration(*arm.model, arm.tool_frame, *motion) / bearable));
    });
}

namespace {
cell::ContentKey paced_key(const cell::Arm& arm, const motion::MotionPtr& motion, double at, int what) {
    cell::ContentKey key;
    key.add(arm.model_key).add(arm.tool_frame).add(motion->serial()).add(at).add(what);
    return key;
}
}  // namespace

std::optional<motion::Braking> PlanCache::braking(
    const cell::Arm& arm, const motion::MotionPtr& motion, double border, double begins_by) {
    return kept(brakings_, paced_key(arm, motion, border, 0).add(begins_by).value(),
        [&] { return motion::brake_before(*arm.model, arm.tool_frame, *motion, border, begins_by); });
}

motion::MotionPtr PlanCache::braked(
    const cell::Arm& arm, const motion::MotionPtr& motion, const motion::Braking& braking) {
    return kept(paced_, paced_key(arm, motion, braking.from, 1).add(braking.takes).value(),
        [&] { return motion::braked(motion, braking); });
}

double PlanCache::restart_time(const cell::Arm& arm, const motion::MotionPtr& motion, double from) {
    return kept(restarts_, paced_key(arm, motion, from, 2).value(),
        [&] { return motion::restart_time(*arm.model, arm.tool_frame, *motion, from); });
}

motion::MotionPtr PlanCache::restarted(
    const cell::Arm& arm, const motion::MotionPtr& motion, double from, double takes) {
    return kept(paced_, paced_key(arm, motion, from, 3).add(takes).value(),
        [&] { return motion::restarted(motion, from, takes); });
}

Intervals PlanCache::touching(std::uint64_t key, const std::function<Intervals()>& make) {
    if (const auto found = touching_.find(key)) return *found;
    Intervals made = make();
    const std::size_t bytes = made.size() * sizeof(made[0]);
    return touching_.keep(key, std::move(made), bytes);
}

std::shared_ptr<const MeetingPlan> PlanCache::meeting(
    std::uint64_t key, const std::function<std::shared_ptr<const MeetingPlan>()>& make) {
    return kept(meetings_, key, make);
}

motion::MotionPtr PlanCache::still(const cell::Arm& arm, const JointVector& q) {
    return kept(moves_, cell::ContentKey().add(arm.model_key).add(q).value(), [&] { return motion::standstill(q); });
}

std::shared_ptr<const PlanCache::Line> PlanCache::straight(
    const cell::Arm& arm, const JointVector& from, const Frame& to_tool, double speed, double acceleration) {
    cell::ContentKey key;
    key.add(arm.model_key).add(from).add(to_tool).add(speed).add(acceleration).add(-1);
    return kept(lines_, key.value(), [&] {
        auto line = std::make_shared<Line>();
        const Frame start = arm.model->flange_frame(from) * arm.tool_frame;
        if (geometry::gap(start, to_tool).distance < 1e-9 && geometry::gap(start, to_tool).angle < 1e-9) {
            line->motion = motion::standstill(from);
            line->leg = motion::joint_leg(from, from, speed, acceleration);
            return std::shared_ptr<const Line>(line);
        }
        const auto take = [&](std::optional<double> free_to) {
            auto made = motion::straight_leg(
                {*arm.model, *arm.solver, arm.tool_frame, start, to_tool, from, speed, acceleration, free_to});
            if (auto* failure = std::get_if<motion::StraightFailure>(&made)) {
                if (!free_to) line->failure = *failure;
                return false;
            }
            line->leg = std::move(std::get<motion::Leg>(made));
            line->motion = std::make_shared<motion::PathMotion>(arm.model->mechanism, line->leg.nodes);
            return true;
        };
        const std::vector<int> free = arm.solver->free_joints();
        if (!take(std::nullopt) && !free.empty()) {
            constexpr int most = 4;
            int tried = 0;
            std::vector<double> values;
            for (const kinematics::JointSolution& s :
                branches({arm, to_tool, 0, 0, speed, -1, acceleration, std::nullopt, &from})) {
                const double value = s.q[free.front()];
                if (std::any_of(values.begin(), values.end(), [&](double v) { return std::abs(v - value) < 1e-9; }))
                    continue;
                values.push_back(value);
                if (take(value) || ++tried == most) break;
            }
        }
        return std::shared_ptr<const Line>(line);
    });
}

std::optional<double> bearable_acceleration(const cell::ToolModel& tool, double mass) {
    constexpr double safety_factor = 2.0;
    if (tool.force <= 0 || mass <= 0) return std::nullopt;
    return tool.force * (tool.suction ? 1.0 : tool.faces * tool.friction) / (safety_factor * mass) - gravity;
}

ArmRoom room_of(const cell::Cell& c, int index, const std::vector<motion::Part>& held) {
    const cell::Device& d = c.devices[index];
    const Frame to_base = d.world.inverse();
    const double near = kinematics::reach_bound(*d.arm->model) + d.arm->tool_frame.translation().norm() + 0.5;
    std::vector<motion::Obstacle> obstacles;
    cell::ContentKey key;
    for (const int i : indices(c.devices)) {
        const cell::Device& other = c.devices[i];
        // Only what is never judged is driven through.
        const auto left_out = [&](const cell::Exclusion& e, const std::string& body) {
            const bool own = e.a == index;
            return e.is_of(index, i) && !e.only_while && !e.distance && (own ? e.body_a : e.body_b).empty() &&
                   ((own ? e.body_b : e.body_a).empty() || (own ? e.body_b : e.body_a) == body);
        };
        if (i == index) continue;
        // Of another arm only what never moves: where the rest is depends on the time.
        const geometry::Bodies& bodies = other.arm ? other.arm->model->mechanism.links.front().bodies : other.bodies;
        const std::vector<char> ground = standing_ground(c, index, i);
        for (std::size_t n = 0; n < bodies.size(); ++n) {
            const geometry::Body& b = bodies[n];
            const std::string& name = other.arm ? other.arm->model->mechanism.links.front().name : b.name;
            if (std::any_of(c.exclusions.begin(), c.exclusions.end(), [&](const auto& e) { return left_out(e, name); }))
                continue;
            const Frame at = to_base * other.world * b.at;
            if ((at * b.shape.centre()).norm() - b.shape.bound() > near) continue;
            obstacles.push_back({b.shape, at, c.stands_on(index, i) && (other.arm || ground[n]) ? 2 : 1, i});
            add_shape(key, b.shape).add(at).add(obstacles.back().first_part_tag).add(obstacles.back().owner);
        }
    }
    ArmRoom room;
    room.around = std::make_shared<const motion::Surroundings>(std::move(obstacles));
    std::vector<motion::Part> parts = arm_parts(*d.arm);
    parts.insert(parts.end(), held.begin(), held.end());
    for (const int a : indices(parts))
        for (const int b : indices(parts)) {
            const int between = link_of(*d.arm, parts[b]) -
                                link_of(*d.arm, parts[a]);  // a neighbour keeps its distance whatever way is taken
            if (between >= 2 && keep_apart(*d.arm, parts[a], parts[b])) room.self_pairs.emplace_back(a, b);
        }
    for (const motion::Part& p : parts) add_shape(key, p.shape).add(p.frame).add(p.at).add(p.tag);
    room.parts = motion::part_set(std::move(parts));
    room.key = key.value();
    room.need = d.own_distance.value_or(c.safety_distance);
    return room;
}

}  // namespace escarp::simulation
