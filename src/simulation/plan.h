#pragma once
// Plans: timed motions for the steps of a task. Pure functions of their inputs, kept by content key.

#include <atomic>
#include <functional>
#include <memory>
#include <unordered_set>
#include <variant>

#include <cell/text/content_key.h>
#include <cell/text/kept.h>
#include <motion/chain.h>
#include <motion/detour.h>
#include <motion/paced.h>

#include "trace.h"

namespace escarp::simulation {

/// How an arm gets to a pose, does something there and gets away: straight in from the approach pose, straight out to
/// the retreat pose, all on one solution branch.
struct PosePlan {
    bool good = false;
    JointVector approach, pose, retreat;
    motion::MotionPtr in, out;
    motion::Leg in_leg, out_leg;  ///< their paths, for flying into and out of them; empty without approach or retreat
    int posture = -1;
    Fault::Kind failure = Fault::Kind::out_of_reach;
    double failed_at = 0;  ///< share of the line, for line_fails
};

struct PoseRequest {
    const cell::Arm& arm;
    Frame tool;  ///< wanted tool frame, in the arm's base frame
    double approach = 0, retreat = 0;
    double straight_speed = 1;
    int posture = -1;
    double acceleration = 1;
    std::optional<double> held = std::nullopt;  ///< value of the arm's first free joint
    const JointVector* from = nullptr;  ///< where the arm comes from: the branch and the free joints are chosen to be
                                        ///< soon there; null: the ready posture
};

/// What keeps an arm from moving anywhere: the bodies that stand still around it, seen from its base.
struct ArmRoom {
    std::shared_ptr<const motion::Surroundings> around;
    motion::PartSetPtr parts;  ///< of the arm and what it holds
    std::vector<std::pair<int, int>> self_pairs;
    std::uint64_t key = 0;
    double need = 0;  ///< distance to keep, m
};

/// A joint move, round what stands in the way if need be.
struct Travel {
    motion::MotionPtr motion;
    bool direct = true;
    bool found = true;  ///< false: no way round was found, the motion is the direct one
    int blocker = -1;   ///< device that stood in the way; -1: the arm itself
};

struct MeetingPlan;

/// Stretches of time, s.
using Intervals = std::vector<std::pair<double, double>>;

/// While it lives, counts on its thread how many steps of search all plans take that are asked for, each plan once: the
/// same number whatever is known already, and on every machine. One at a time on a thread.
class SearchCount {
public:
    SearchCount();
    ~SearchCount();
    SearchCount(const SearchCount&) = delete;
    long long steps() const { return steps_; }

private:
    friend class PlanCache;
    std::unordered_set<std::uint64_t> seen_;
    long long steps_ = 0;
};

/// Keeps plans between evaluations. Safe to use from several threads; the same request always gives the same plan.
class PlanCache {
public:
    std::shared_ptr<const PosePlan> pose(const PoseRequest& request);
    motion::MotionPtr joint_move(
        const cell::Arm& arm, const JointVector& from, const JointVector& to, double speed, double acceleration = 1);
    /// Throws motion::Cancelled.
    Travel travel(const cell::Arm& arm, const ArmRoom& room, const JointVector& from, const JointVector& to,
        double speed, double acceleration, const motion::StopFlag* stop = nullptr);
    /// Legs flown without exact stops between them; see motion::fly.
    std::shared_ptr<const std::vector<motion::MotionPtr>> fly(
        const cell::Arm& arm, const std::vector<motion::Leg>& legs);
    /// `motion`, slowed until the part in the tool is accelerated no more than `bearable` m/s^2.
    motion::MotionPtr gentle(const cell::Arm& arm, const motion::MotionPtr& motion, double bearable);
    motion::MotionPtr still(const cell::Arm& arm, const JointVector& q);
    /// Slowing down before a border and going on from rest; see motion::brake_before.
    /// See motion::brake_before.
    std::optional<motion::Braking> braking(
        const cell::Arm& arm, const motion::MotionPtr& motion, double border, double begins_by);
    motion::MotionPtr braked(const cell::Arm& arm, const motion::MotionPtr& motion, const motion::Braking& braking);
    double restart_time(const cell::Arm& arm, const motion::MotionPtr& motion, double from);
    motion::MotionPtr restarted(const cell::Arm& arm, const motion::MotionPtr& motion, double from, double takes);
    /// A straight move from where the arm stands to a pose of its tool, and its path. An arm with a free joint keeps
    /// that where it is if it can, else brings it along evenly.
    struct Line {
        motion::MotionPtr motion;  ///< null when it cannot be made
        motion::Leg leg;
        motion::StraightFailure failure = {motion::StraightFailure::Kind::out_of_reach, 0};
    };
    std::shared_ptr<const Line> straight(
        const cell::Arm& arm, const JointVector& from, const Frame& to_tool, double speed, double acceleration = 1);
    std::shared_ptr<const MeetingPlan> meeting(
        std::uint64_t key, const std::function<std::shared_ptr<const MeetingPlan>()>& make);
    /// When something is touched, as `make` finds it where it is not known yet. `key`: of all that it depends on.
    Intervals touching(std::uint64_t key, const std::function<Intervals()>& make);
    std::size_t computed() const { return computed_; }  ///< how many plans were made rather than found

private:
    /// A plan, and how many steps of search it takes, whoever has made it.
    template <typename Value>
    struct Made {
        Value value;
        long long steps = 0;
    };
    template <typename Value>
    using Store = cell::Kept<Made<Value>>;
    template <typename Value, typename Make>
    Value kept(Store<Value>& kept, std::uint64_t key, Make make);

    // A pose plan takes some 30 kB, a cell has some hundreds of them.
    Store<std::shared_ptr<const PosePlan>> poses_{20u << 20};
    Store<motion::MotionPtr> moves_{2u << 20}, gentle_{3u << 20};
    Store<Travel> travels_{3u << 20};
    Store<std::optional<motion::Braking>> brakings_{1u << 20};
    Store<double> restarts_{1u << 20};
    Store<motion::MotionPtr> paced_{3u << 20};
    Store<std::shared_ptr<const std::vector<motion::MotionPtr>>> flights_{12u << 20};
    Store<std::shared_ptr<const Line>> lines_{4u << 20};
    Store<std::shared_ptr<const MeetingPlan>> meetings_{26u << 20};
    cell::Kept<Intervals> touching_{16u << 20};
    std::atomic<std::size_t> computed_{0};
};

inline constexpr double gravity = 9.80665;  ///< m/s^2 (ISO 80000-3)
/// The greatest acceleration at which a tool holds a part, with a safety factor of 2 (docs/model.md, "Holding");
/// nothing for a tool without a stated force; negative: it does not even hold it at rest. m/s^2.
std::optional<double> bearable_acceleration(const cell::ToolModel& tool, double mass);

/// The arm among every body that stands still. `held`: the bodies of what it holds.
ArmRoom room_of(const cell::Cell& cell, int arm, const std::vector<motion::Part>& held);

/// The tool frame in the arm's base frame for picking or placing at `seat_world`.
Frame tool_target(const cell::Device& arm, const Frame& seat_world, double turn, const Frame& tool_in_part);

}  // namespace escarp::simulation
