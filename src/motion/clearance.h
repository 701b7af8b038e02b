#pragma once
// Least distance of moving bodies over continuous time. A body carried by joints moves no faster than the sum of joint
// rate times greatest lever, so its distance to another is Lipschitz over any stretch of time; branch and bound on that
// (Piyavskii 1972, Shubert 1972) finds the global least distance, and nothing between two instants can be missed.

#include <string>
#include <vector>

#include <geometry/distance.h>

#include "glide.h"
#include "motion.h"

namespace escarp::motion {

/// One convex body of a mover: rigidly fixed to one of the mover's frames.
struct Part {
    int frame = 0;
    geometry::Convex shape;
    Frame at = Frame::Identity();   ///< in that frame
    JointVector levers;             ///< see lever_bounds; empty for bodies that joints do not move
    int tag = 0;                    ///< the caller's: which body this is
};

/// Bodies that move together as a function of time.
class Mover {
public:
    virtual ~Mover() = default;
    const std::vector<Part>& parts() const { return parts_; }
    virtual void frames(double t, std::vector<Frame>& out) const = 0;
    /// For each part an upper bound of the speed of any of its points between two instants, m/s.
    virtual void speed_bounds(double from, double to, std::vector<double>& out) const = 0;

protected:
    std::vector<Part> parts_;
};

/// An arm on its base, moved by a motion that starts at `start`; parts stand in link frames.
class ArmMover final : public Mover {
public:
    ArmMover(const kinematics::Mechanism& mechanism, const Frame& base, MotionPtr motion, double start, std::vector<Part> parts);
    void frames(double t, std::vector<Frame>& out) const override;
    void speed_bounds(double from, double to, std::vector<double>& out) const override;

private:
    const kinematics::Mechanism& mechanism_;
    Frame base_;
    MotionPtr motion_;
    double start_;
};

/// Bodies that stand still, or ride along a line or an arc from `start` on.
class GlideMover final : public Mover {
public:
    GlideMover(const Frame& at, std::vector<Part> parts, const Glide& glide = {}, double start = 0);
    void frames(double t, std::vector<Frame>& out) const override;
    void speed_bounds(double from, double to, std::vector<double>& out) const override;

private:
    Frame at_;
    Glide glide_;
    double start_;
    std::vector<double> speeds_;  ///< of the fastest point of each part
};

struct Clearance {
    double distance = 1e300;  ///< metres; 0: they touch or overlap
    double when = 0;          ///< seconds, in the time of the query
    int part_a = -1, part_b = -1;
    Vector3 on_a = Vector3::Zero(), on_b = Vector3::Zero();  ///< closest points in the world; equal where they touch
};

struct ClearanceQuery {
    double from = 0, to = 0;
    double cap = 1e300;         ///< distances above this need not be found: the result is then above it
    double tolerance = 2.5e-4;  ///< metres
    /// Pairs of part indexes to look at; null for all of them.
    const std::vector<std::pair<int, int>>* pairs = nullptr;
};

Clearance least_clearance(const Mover& a, const Mover& b, const ClearanceQuery& query);
/// The same among the bodies of one mover.
Clearance least_self_clearance(const Mover& mover, const ClearanceQuery& query);

/// The stretches of [from, to] in which any part of `a` touches any part of `b`. No contact is missed; an interruption
/// of one shorter than `resolution` seconds may be. Ends are exact to a microsecond.
std::vector<std::pair<double, double>> contact_times(const Mover& a, const Mover& b, double from, double to, double resolution = 1e-3);

}  // namespace escarp::motion
