#pragma once
// Checks a cell and its run.

#include <atomic>
#include <memory>

#include <cell/model/cell.h>
#include <kinematics/reach.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "finding.h"

namespace escarp::inspection {

using geometry::Frame;
using geometry::Vector3;

/// A place of a tracking window.
struct WindowPlace {
    double way;        ///< along what parts ride on, m
    Frame tool_world;  ///< of the tool that meets one there
    bool reached = false;
    double margin = 0;  ///< m
};

/// A pose that a task demands of an arm; of one that meets what rides by, the worst within its window.
struct PoseNeed {
    int arm, step, other, seat, part_type;
    std::string label;  ///< "Tester nest 2"
    std::string step_id;
    Frame tool_world;
    double approach = 0, retreat = 0, straight_speed = 1;
    int posture = -1;
    bool reached = false;       ///< the pose and the straight moves to and from it
    bool pose_reached = false;  ///< the pose alone
    double line_failed_at = 0;
    kinematics::Reach reach;
    double acceleration = 1;
    std::optional<double> held = std::nullopt;  ///< of the arm's first free joint
    int tool = 0;                               ///< index of the arm's active tool
    std::vector<WindowPlace> window = {};       ///< in the order of the way; empty: it does not meet what rides by

    /// Every place that has to be reached.
    std::vector<Frame> tools_world() const {
        if (window.empty()) return {tool_world};
        std::vector<Frame> all;
        for (const WindowPlace& w : window) all.push_back(w.tool_world);
        return all;
    }
};

/// What a step that meets what rides by takes of it, over the whole run.
struct Passing {
    int arm, step;
    std::string step_id;
    int carrier;  ///< device
    int taken = 0, missed = 0;
};

struct LeastClearance {
    double distance = 1e300;  ///< m; 1e300: nothing moves near anything
    double when_s = 0;
    int device_a = -1, device_b = -1, part_b = -1;
    std::string body_a, body_b;  ///< "Arm 2 wrist", "Guard panel"
    std::string own_a, own_b;    ///< "wrist", "panel": see cell::body_names
    Vector3 on_a = Vector3::Zero(), on_b = Vector3::Zero();
    double keeps = 0;  ///< what the two have to keep, m
    int row = -1;      ///< of the cell's table of pairs, where these bodies have a distance of their own to keep
};
/// What the two have to keep, and where that is said.
cell::SafetyDistance safety_of(const cell::Cell& cell, const LeastClearance& least);
/// Of the finding that tells it: "clearance:arm1:guard".
std::string clearance_id(const cell::Cell& cell, const LeastClearance& least);

struct Inspection {
    std::vector<PoseNeed> poses;
    int tightest_pose = -1;    ///< index of the least margin
    LeastClearance clearance;  ///< over everything
    std::vector<LeastClearance>
        close_pairs;                ///< least distance of each pair of devices that come nearer than they should
    double checked_s = 0;           ///< how far into the run clearance was looked at
    std::size_t pairs_checked = 0;  ///< body pairs looked at over time
    std::vector<Passing> passings;
    std::vector<Finding> findings;  ///< stops first
};

/// Results kept by content, between evaluations. Safe to use from several threads.
class Cache {
public:
    Cache();
    ~Cache();
    simulation::PlanCache plans;
    struct Kept;
    Kept& kept() { return *kept_; }

private:
    std::unique_ptr<Kept> kept_;
};

/// Thrown out of a long evaluation that a newer edit has overtaken.
using Cancelled = motion::Cancelled;
using motion::StopFlag;

/// How much is looked at: parts and times alone; what is reached, too; how near things come, too.
enum class Level { flow, reach, clearance };

/// Poses of all tasks with their reach. Throws Cancelled.
std::vector<PoseNeed> check_reach(const cell::Cell& cell, Cache& cache, const StopFlag* stop = nullptr);

/// Beyond `Level::flow` of a run with its whole history.
/// What is said where a cycle is longer than the takt; nothing where it is not. `of`: " in this run", for what is left
/// to chance.
std::optional<Finding> takt_finding(const cell::Cell& cell, double cycle_s, const std::string& of);

std::shared_ptr<const Inspection> inspect(const cell::Cell& cell, const simulation::Run& run, Cache& cache,
    const StopFlag* stop = nullptr, Level level = Level::clearance);

}  // namespace escarp::inspection
