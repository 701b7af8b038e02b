#include "plan.h"

#include <algorithm>

namespace escarp::simulation {
namespace {

constexpr std::size_t most_kept = 100'000;

Frame backed_off(const Frame& tool, double distance) { return tool * geometry::make_frame({0, 0, -distance}); }

/// Branches within limits, the one nearest to the ready posture (in time of travel) first.
std::vector<kinematics::JointSolution> branches(const PoseRequest& r) {
    std::vector<kinematics::JointSolution> all, fit;
    r.arm.solver->solve(r.tool * r.arm.tool_frame.inverse(), r.arm.ready, all);
    for (const kinematics::JointSolution& s : all)
        if (s.within_limits && (r.posture < 0 || s.posture == r.posture)) fit.push_back(s);
    const auto effort = [&](const kinematics::JointSolution& s) {
        double sum = 0;
        for (int j = 0; j < s.q.size(); ++j) sum += std::abs(s.q[j] - r.arm.ready[j]) / r.arm.model->mechanism.joints[static_cast<std::size_t>(j)].speed;
        return sum;
    };
    std::stable_sort(fit.begin(), fit.end(), [&](const auto& a, const auto& b) { return effort(a) < effort(b); });
    return fit;
}

PosePlan make_plan(const PoseRequest& r) {
    PosePlan plan;
    const auto straight = [&](const Frame& from, const Frame& to, const JointVector& start) {
        return motion::straight_move({*r.arm.model, *r.arm.solver, r.arm.tool_frame, from, to, start, r.straight_speed});
    };
    bool first = true;
    for (const kinematics::JointSolution& branch : branches(r)) {
        plan.pose = branch.q;
        plan.posture = branch.posture;
        // Followed backwards first: the approach pose is then on the branch of the pose itself.
        const auto back = straight(r.tool, backed_off(r.tool, r.approach), branch.q);
        const auto out = r.retreat == r.approach ? back : straight(r.tool, backed_off(r.tool, r.retreat), branch.q);
        const auto* wrong = std::get_if<motion::StraightFailure>(&back);
        if (!wrong) wrong = std::get_if<motion::StraightFailure>(&out);
        if (!wrong) {
            const motion::MotionPtr& reversed = std::get<motion::MotionPtr>(back);
            plan.approach = reversed->position(reversed->duration());
            const auto in = straight(backed_off(r.tool, r.approach), r.tool, plan.approach);
            wrong = std::get_if<motion::StraightFailure>(&in);
            if (!wrong) {
                plan.in = std::get<motion::MotionPtr>(in);
                plan.out = std::get<motion::MotionPtr>(out);
                plan.pose = plan.in->position(plan.in->duration());
                plan.retreat = plan.out->position(plan.out->duration());
                plan.good = true;
                return plan;
            }
        }
        if (first) {
            plan.failure = Fault::Kind::line_fails;
            plan.failed_at = wrong->at;
            first = false;
        }
    }
    return plan;
}

}  // namespace

Frame tool_target(const cell::Device& arm, const Frame& seat_world, double turn, const Frame& tool_in_part) {
    return arm.world.inverse() * seat_world * geometry::make_frame(Vector3::Zero(), {0, 0, turn}) * tool_in_part;
}

template <typename Value, typename Make>
Value PlanCache::kept(std::unordered_map<std::uint64_t, Value>& map, std::uint64_t key, Make make) {
    {
        const std::lock_guard guard(lock_);
        const auto found = map.find(key);
        if (found != map.end()) return found->second;
    }
    Value made = make();
    const std::lock_guard guard(lock_);
    if (map.size() > most_kept) map.clear();
    ++computed_;
    return map.emplace(key, std::move(made)).first->second;
}

std::shared_ptr<const PosePlan> PlanCache::pose(const PoseRequest& r) {
    cell::ContentKey key;
    key.add(r.arm.model_key).add(r.tool).add(r.approach).add(r.retreat).add(r.straight_speed).add(r.posture);
    return kept(poses_, key.value(), [&] { return std::make_shared<const PosePlan>(make_plan(r)); });
}

motion::MotionPtr PlanCache::joint_move(const cell::Arm& arm, const JointVector& from, const JointVector& to, double speed) {
    cell::ContentKey key;
    key.add(arm.model_key).add(from).add(to).add(speed);
    return kept(moves_, key.value(), [&] { return motion::joint_move(arm.model->mechanism, from, to, speed); });
}

motion::MotionPtr PlanCache::still(const cell::Arm& arm, const JointVector& q) {
    return kept(moves_, cell::ContentKey().add(arm.model_key).add(q).value(), [&] { return motion::standstill(q); });
}

motion::MotionPtr PlanCache::straight(const cell::Arm& arm, const JointVector& from, const Frame& to_tool, double speed, double* failed_at) {
    cell::ContentKey key;
    key.add(arm.model_key).add(from).add(to_tool).add(speed).add(-1);
    motion::MotionPtr move = kept(moves_, key.value(), [&]() -> motion::MotionPtr {
        const Frame start = arm.model->flange_frame(from) * arm.tool_frame;
        auto made = motion::straight_move({*arm.model, *arm.solver, arm.tool_frame, start, to_tool, from, speed});
        if (auto* good = std::get_if<motion::MotionPtr>(&made)) return *good;
        if (failed_at) *failed_at = std::get<motion::StraightFailure>(made).at;
        return nullptr;
    });
    return move;
}

}  // namespace escarp::simulation
