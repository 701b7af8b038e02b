#pragma once
// A mechanism: a tree of links joined by hinges and slides, each link with convex bodies (ISO 8373 terms).

#include <string>
#include <vector>

#include <geometry/convex.h>

namespace escarp::kinematics {

using geometry::Frame;
using geometry::Vector3;

inline constexpr int most_joints = 16;
/// One value per joint in the mechanism's order: radians for hinges, metres for slides. Never on the heap.
using JointVector = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, most_joints, 1>;
/// 6 x joints: the upper three rows give the point's velocity (m/s), the lower three the angular velocity (rad/s).
using Jacobian = Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, most_joints>;

enum class JointType { hinge, slide };

struct Joint {
    std::string name;
    JointType type = JointType::hinge;
    int parent = 0;                      ///< link that carries the joint
    int child = 0;                       ///< link that it moves
    Frame at = Frame::Identity();        ///< child link's frame at value 0, in the parent link
    Vector3 axis = Vector3::UnitZ();     ///< unit, in the child link's frame
    double low = 0, high = 0;            ///< limits, rad or m
    double speed = 0, acceleration = 0;  ///< rad/s or m/s; rad/s^2 or m/s^2
    double jerk = 0;                     ///< rad/s^3 or m/s^3; 0: the model gives none
    double jerk_limit() const { return jerk > 0 ? jerk : 1e300; }
};

struct Link {
    std::string name;
    geometry::Bodies bodies;  ///< in the link's frame
};

/// A joint without a drive of its own: its value is `ratios` times the joint values, plus `offset` (a parallelogram's
/// hinge, the second jaw of a gripper). Its limits are of position alone: it is as fast as what it follows.
struct Follower {
    Joint joint;
    JointVector ratios;  ///< one per joint of the mechanism
    double offset = 0;   ///< rad or m
};

struct Mechanism {
    std::vector<Link> links;          ///< links[0] is the base
    std::vector<Joint> joints;        ///< each has a drive, and one value of a JointVector
    std::vector<Follower> followers;  ///< move further links
    /// All connections from the base outward: a joint's index, or `size()` plus a follower's. Empty: no followers, and
    /// each joint's parent link is the base or an earlier joint's child.
    std::vector<int> order;

    int size() const { return static_cast<int>(joints.size()); }
    bool limits_jerk() const;  ///< of any of its joints
    const Joint& connection(int code) const { return code < size() ? joints[code] : followers[code - size()].joint; }
    double value(int code, const JointVector& q) const;
    /// Which connection moves `link`; -1 for the base.
    int carrier(int link) const;
    /// The connections from the base out to `link`, in order.
    std::vector<int> chain(int link) const;
    /// Where every link stands when the joints have the values `q` and the base stands at `base`.
    void link_frames(const JointVector& q, const Frame& base, std::vector<Frame>& out) const;
    bool within_limits(const JointVector& q, double tolerance = 1e-9) const;
    bool followers_within(const JointVector& q, double tolerance = 1e-9) const;
};

/// Velocity of `point` (fixed to `link`, in the base's axes) per unit of joint rate.
Jacobian jacobian(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& point);

/// For each joint, the greatest distance that any point of a ball (`centre`, `radius`, in `link`) can have from that
/// joint's axis at any joint values; 0 for joints farther out, 1 for slides. Metres.
JointVector lever_bounds(const Mechanism& mechanism, int link, const Vector3& centre, double radius);

/// A bound of the way that any point of a ball fixed to `link` goes when every joint moves by at most `by` (>= 0, rad
/// or m) from where the links stand now. `centre`: of the ball, in the frame in which `links` are given. Metres. Much
/// tighter than the levers where the arm is folded: a point's distance from an axis changes only by what the joints
/// farther out do. `seen_from`: the link that the way is seen from, the base or one that carries `link`.
double travel_bound(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& centre,
    double radius, const JointVector& by, int seen_from = 0);
/// How a ball fixed to `link` goes in a time in which every joint keeps to the `rate` it has now, give or take `bend`
/// (rad or m), and moves by at most `by`: what the rates of all joints together make of it, and how far any of its
/// points gets from that at most, by the second order (Taylor, with the levers of `travel_bound` for what the second
/// derivatives can be) and by `bend`.
struct Course {
    Vector3 velocity = Vector3::Zero();  ///< of its centre, m/s
    Vector3 turning = Vector3::Zero();   ///< rad/s
    double rest = 0;                     ///< m
};
Course course(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& centre,
    double radius, const JointVector& rate, const JointVector& by, const JointVector& bend);
/// How far a body fixed to `link` gets at most along a direction, in a time in which every joint keeps to the `rate` it
/// has now, give or take `bend` (rad or m), and moves by at most `by`. First what `point`, one of the body, does in a
/// second; then what turning does in a second to a point that stands off `point` by a vector: its product with
/// `turning`. Both may go either way. The rest is bounded as it is: second order (Taylor, with the levers of
/// `travel_bound` for what the second derivatives can be), and what `bend` adds. `centre`, `radius`: a ball around the
/// body.
struct Drift {
    double straight = 0;                ///< m/s, >= 0
    Vector3 turning = Vector3::Zero();  ///< 1/s
    double rest = 0;                    ///< m
};
Drift drift_bound(const Mechanism& mechanism, const std::vector<Frame>& links, int link, const Vector3& centre,
    double radius, const Vector3& point, const Vector3& along, const JointVector& rate, const JointVector& by,
    const JointVector& bend);
/// Whether a link moves with `carrier`: is carried by it, directly or over others, or is it.
bool carried_by(const Mechanism& mechanism, int link, int carrier);

/// A manipulator: a mechanism with a mechanical interface (flange) and what its maker says of it.
struct ArmModel {
    std::string id, name;
    Mechanism mechanism;
    int flange_link = 0;
    Frame flange = Frame::Identity();               ///< in the flange link; z points out of the flange
    JointVector ready;                              ///< the posture it starts in
    double payload = 0;                             ///< kg, tool included
    double line_speed = 1, line_acceleration = 5;   ///< of the tool frame's origin: m/s, m/s^2
    double turn_speed = 3, turn_acceleration = 20;  ///< of the tool frame's orientation: rad/s, rad/s^2
    double settle = 0;  ///< s: how long after a motion that ends in a stop it counts as there

    Frame flange_frame(const JointVector& q) const;  ///< in the arm's base frame
};

/// Longest distance that the flange can have from the base frame's origin, an upper bound. Metres.
double reach_bound(const ArmModel& model);

}  // namespace escarp::kinematics
