#pragma once
// Plans: timed motions for the steps of a task. Pure functions of their inputs, kept by content key.

#include <memory>
#include <mutex>
#include <unordered_map>
#include <variant>

#include <cell/content_key.h>

#include "trace.h"

namespace escarp::simulation {

/// How an arm gets to a pose, does something there and gets away: straight in from the approach pose, straight out to
/// the retreat pose, all on one solution branch.
struct PosePlan {
    bool good = false;
    JointVector approach, pose, retreat;
    motion::MotionPtr in, out;
    int posture = -1;
    Fault::Kind failure = Fault::Kind::out_of_reach;
    double failed_at = 0;  ///< share of the line, for line_fails
};

struct PoseRequest {
    const cell::Arm& arm;
    Frame tool;        ///< wanted tool frame, in the arm's base frame
    double approach = 0, retreat = 0;
    double straight_speed = 1;
    int posture = -1;
};

/// Keeps plans between evaluations. Safe to use from several threads; the same request always gives the same plan.
class PlanCache {
public:
    std::shared_ptr<const PosePlan> pose(const PoseRequest& request);
    motion::MotionPtr joint_move(const cell::Arm& arm, const JointVector& from, const JointVector& to, double speed);
    motion::MotionPtr still(const cell::Arm& arm, const JointVector& q);
    /// A straight move between two poses; null when it cannot be made.
    motion::MotionPtr straight(const cell::Arm& arm, const JointVector& from, const Frame& to_tool, double speed, double* failed_at);
    std::size_t computed() const { return computed_; }  ///< how many plans were made rather than found

private:
    template <typename Value, typename Make>
    Value kept(std::unordered_map<std::uint64_t, Value>& map, std::uint64_t key, Make make);

    std::mutex lock_;
    std::unordered_map<std::uint64_t, std::shared_ptr<const PosePlan>> poses_;
    std::unordered_map<std::uint64_t, motion::MotionPtr> moves_;
    std::size_t computed_ = 0;
};

/// The tool frame in the arm's base frame for picking or placing at `seat_world`.
Frame tool_target(const cell::Device& arm, const Frame& seat_world, double turn, const Frame& tool_in_part);

}  // namespace escarp::simulation
