#pragma once
// Timed motions of an arm: where every joint is at any instant, and how fast it can be between two instants.

#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include <kinematics/joint_solver.h>

#include "profile.h"

namespace escarp::motion {

using geometry::Frame;
using geometry::Vector3;
using kinematics::JointVector;

struct JointState {
    JointVector q, rate, acceleration;
};

class Motion {
public:
    Motion() : serial_(++made_) {}
    Motion(const Motion&) : Motion() {}
    Motion& operator=(const Motion&) = delete;
    virtual ~Motion() = default;
    /// No other motion ever has the same: what is known of a motion is kept by it.
    std::uint64_t serial() const { return serial_; }
    virtual std::size_t bytes() const = 0;  ///< of memory, by and large; what is shared with other motions included
    virtual double duration() const = 0;    ///< seconds
    /// Before 0 the start, after the duration the end, both at rest.
    virtual JointState at(double t) const = 0;
    virtual JointVector position(double t) const { return at(t).q; }
    /// An upper bound of every joint's absolute rate between two instants.
    virtual JointVector rate_bound(double from, double to) const = 0;
    /// An upper bound of every joint's absolute acceleration between two instants; nothing where none is known, or
    /// where a rate may jump.
    virtual std::optional<JointVector> acceleration_bound(double, double) const { return std::nullopt; }
    /// Instants from 0 to the duration between which position, rate and acceleration are smooth; at them the
    /// acceleration may jump.
    virtual std::vector<double> breaks() const = 0;

private:
    const std::uint64_t serial_;
    static inline std::atomic<std::uint64_t> made_{0};
};
using MotionPtr = std::shared_ptr<const Motion>;

/// All joints start and stop together along the straight line in joint space. `speed` is a share of the speed limits
/// in (0, 1], `acceleration` one of the acceleration limits. Jerk limits count for the joints that have one, in full.
MotionPtr joint_move(const kinematics::Mechanism& mechanism, const JointVector& from, const JointVector& to,
    double speed, double acceleration = 1);

/// The arm stands at `q`; duration 0, valid for any stretch of time.
MotionPtr standstill(const JointVector& q);

/// Why a straight move cannot be made, and where on its line.
struct StraightFailure {
    enum class Kind { out_of_reach, joint_limit, posture_jump } kind;
    double at;       ///< share of the line, 0 to 1
    int joint = -1;  ///< for joint_limit
};

struct StraightRequest {
    const kinematics::ArmModel& model;
    const kinematics::JointSolver& solver;
    Frame tool;               ///< tool frame in the flange
    Frame from, to;           ///< tool frame at both ends, in the arm's base frame
    JointVector start;        ///< joint values at `from`
    double speed = 1;         ///< share of the speed limits
    double acceleration = 1;  ///< and of the acceleration limits
    std::optional<double> free_to =
        std::nullopt;  ///< where the arm's first free joint goes meanwhile, evenly along the line; none: it stays
};

/// The tool frame's origin goes along a line, its orientation along the shortest rotation. The joint path follows one
/// solution branch, cubic between nodes set so that the tool stays within 1 um of the line; timing is the fastest under
/// the limits on tool and joints, softened where the model gives jerk limits (see PathMotion).
std::variant<MotionPtr, StraightFailure> straight_move(const StraightRequest& request);

}  // namespace escarp::motion
