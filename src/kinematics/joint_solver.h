#pragma once
// Joint solutions of an arm: which joint values bring its flange to a pose.

#include <memory>
#include <optional>
#include <vector>

#include "mechanism.h"

namespace escarp::kinematics {

/// How many steps searches have made on this thread so far: a measure of work that is the same on every machine.
/// Numeric solvers count their steps; who searches otherwise may add its own.
long long& search_steps();

struct JointSolution {
    JointVector q;    ///< each hinge at the turn nearest to the reference that lies within its limits, if any does
    int posture = 0;  ///< which closed-form branch: bit 0 shoulder back, bit 1 elbow other way, bit 2 wrist flipped
    bool within_limits = false;
};

class JointSolver {
public:
    virtual ~JointSolver() = default;
    /// Every joint solution for the flange pose `target` (in the arm's base frame). Where the pose leaves a joint
    /// free (a singular position) that joint takes the reference's value. An arm with a free joint has infinitely many:
    /// those at the reference's value come first, then those at steps over the joint's range.
    virtual void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const = 0;
    virtual bool reachable(const Frame& target, const JointVector& reference) const;
    /// The solutions in which the free joints keep the reference's values; all of them for an arm without free joints.
    virtual void held(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const {
        solve(target, reference, out);
    }
    /// The one nearest to the reference, free joints held; for following a path. Within limits or not.
    virtual std::optional<JointSolution> nearest(const Frame& target, const JointVector& reference) const;
    /// Joints that may be chosen at will for one pose (a seven-axis arm's third, a travel axis), outermost first.
    virtual std::vector<int> free_joints() const { return {}; }
    /// Whether the arm can bring its flange into this orientation anywhere: a SCARA cannot tilt.
    virtual bool can_orient(const geometry::Matrix3& /*orientation*/) const { return true; }
    virtual const char* name() const = 0;
    /// Finds every solution in microseconds (an arm with a free joint: at each of its values); else answers are
    /// searched for, take milliseconds and may miss some.
    virtual bool closed_form() const = 0;
};

/// Recognisers of closed forms: each looks at the mechanism alone and gives null if the arm is not of its family.

/// Six hinges with a spherical wrist, an upright first axis and parallel second and third axes
/// (the geometry of Brandstoetter, Angerer, Hofbaur 2014).
std::unique_ptr<JointSolver> spherical_wrist_solver(const ArmModel& model);
/// Six hinges, the second to fourth parallel, the fifth meeting the sixth: an offset wrist. By canonical subproblems
/// (Paden 1986; Kahan 1983; Elias and Wen 2022).
std::unique_ptr<JointSolver> offset_wrist_solver(const ArmModel& model);
/// Seven hinges, the first three through one point and the last three through another; the third is free.
std::unique_ptr<JointSolver> seven_axis_solver(const ArmModel& model);
/// Two or three parallel hinges, with or without a slide along them, in any order (SCARA; a planar arm).
std::unique_ptr<JointSolver> scara_solver(const ArmModel& model);
/// Upright hinge, two level drives with followers that keep the flange level, upright hinge.
std::unique_ptr<JointSolver> palletiser_solver(const ArmModel& model);
/// Up to three slides, then at most one hinge.
std::unique_ptr<JointSolver> gantry_solver(const ArmModel& model);
/// One more joint at the base of an arm of another family; it is free.
std::unique_ptr<JointSolver> travel_solver(const ArmModel& model);

/// Damped least squares from many seeded starts (Buss and Kim 2005): any mechanism, slower; finds some solutions
/// and never proves that there is none. `starts` is the number of seeds tried before it is content with what it found;
/// it goes on to twelve times as many when it found nothing.
std::unique_ptr<JointSolver> numeric_solver(const ArmModel& model, int starts = 24);

/// The first closed form that recognises the arm, else the numeric solver.
std::unique_ptr<JointSolver> make_joint_solver(const ArmModel& model);

/// Turns each hinge by whole turns to the value nearest to `reference` within limits; false if a joint has none.
bool settle_turns(const Mechanism& mechanism, const JointVector& reference, JointVector& q);

/// The end of a closed form: brings hinges to within half a turn of 0, settles turns, adds the solution.
void add_solution(const Mechanism& mechanism, const JointVector& reference, JointVector q, int posture,
    std::vector<JointSolution>& out);

/// The joint that stands nearest to (or farthest beyond) a limit as a share of its range, so that hinges and slides
/// compare.
struct LimitMargin {
    int joint;
    double inside;  ///< rad or m; negative when outside
    double share;   ///< of the joint's range
};
LimitMargin limit_margin(const Mechanism& mechanism, const JointVector& q);

/// Smallest singular value of the Jacobian at the tool point, its rows scaled by `length` (m) so that metres and
/// radians compare; 0 at a singular position. Dimensionless.
double singularity_distance(const ArmModel& model, const JointVector& q, const Frame& tool, double length);

}  // namespace escarp::kinematics
