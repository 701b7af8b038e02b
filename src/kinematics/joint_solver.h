#pragma once
// Joint solutions of an arm: which joint values bring its flange to a pose.

#include <memory>
#include <optional>
#include <vector>

#include "mechanism.h"

namespace escarp::kinematics {

struct JointSolution {
    JointVector q;           ///< each hinge at the turn nearest to the reference that lies within its limits, if any does
    int posture = 0;         ///< which closed-form branch: bit 0 shoulder back, bit 1 elbow other way, bit 2 wrist flipped
    bool within_limits = false;
};

class JointSolver {
public:
    virtual ~JointSolver() = default;
    /// Every joint solution for the flange pose `target` (in the arm's base frame). Where the pose leaves a joint
    /// free (a singular position) that joint takes the reference's value.
    virtual void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const = 0;
    virtual bool reachable(const Frame& target, const JointVector& reference) const;
    virtual const char* name() const = 0;
    /// Finds every solution in microseconds; else answers are searched for, take milliseconds and may miss some.
    virtual bool closed_form() const = 0;
};

/// Closed form for six hinges with a spherical wrist, an upright first axis and parallel second and third axes
/// (the geometry of Brandstoetter, Angerer, Hofbaur 2014), recognised from the mechanism; null if it is not one.
std::unique_ptr<JointSolver> spherical_wrist_solver(const ArmModel& model);

/// Damped least squares from many seeded starts (Buss and Kim 2005): any mechanism, slower; finds some solutions
/// and never proves that there is none. `starts` is the number of seeds tried.
std::unique_ptr<JointSolver> numeric_solver(const ArmModel& model, int starts = 24);

/// The first closed form that recognises the arm, else the numeric solver.
std::unique_ptr<JointSolver> make_joint_solver(const ArmModel& model);

/// Turns each hinge by whole turns to the value nearest to `reference` within limits; false if a joint has none.
bool settle_turns(const Mechanism& mechanism, const JointVector& reference, JointVector& q);

/// How far inside its limits the tightest joint stands, as (joint, rad or m); negative when outside.
std::pair<int, double> limit_margin(const Mechanism& mechanism, const JointVector& q);

/// Smallest singular value of the Jacobian at the tool point, its rows scaled by `length` (m) so that metres and
/// radians compare; 0 at a singular position. Dimensionless.
double singularity_distance(const ArmModel& model, const JointVector& q, const Frame& tool, double length);

}  // namespace escarp::kinematics
