#pragma once
// A joint path and its fastest timing: cubic between nodes, as fast as limits on rate and acceleration allow at every
// point (reachability analysis on a grid: Pham and Pham, IEEE T-RO 2018), softened in time where the model limits jerk.

#include "motion.h"

namespace escarp::motion {

/// A point of a joint path q(s), and the limits on the stretch that begins there.
struct PathNode {
    double s = 0;
    JointVector q, slope;         ///< dq/ds
    double rate = 1e300;          ///< of s, 1/s
    double acceleration = 1e300;  ///< of s, 1/s^2
    double speed_share = 1;       ///< of every joint's speed limit
    double effort_share = 1;      ///< of every joint's acceleration limit
};

/// Value, slope and curvature of a path at an s, by cubic Hermite interpolation.
struct PathPoint {
    JointVector q, slope, curve;
};
PathPoint on_path(const std::vector<PathNode>& nodes, double s);
/// The stretch [from, to] of a path, cut out exactly.
std::vector<PathNode> part_of(const std::vector<PathNode>& nodes, double from, double to);

/// The rate ds/dt at each of the grid points (0 at both ends), d2s/dt2 constant between them. `curve_after` and
/// `curve_before` are d2q/ds2 on either side of a grid point.
struct GridPoint {
    double s;
    JointVector slope, curve_after, curve_before;
    double rate, acceleration;  ///< limits of s, of the stretch that begins here
    double speed_share, effort_share;
};
std::vector<double> time_optimal_rates(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism);
/// The greatest rate at which each point can be passed at all.
std::vector<double> greatest_rates(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism);

/// The path from rest to rest, timed. Nodes are at least two, s rising.
class PathMotion final : public Motion {
public:
    /// `corners`: the path's curvature jumps at some nodes, and with it the acceleration; jerk limits are left to
    /// `Averaged`.
    PathMotion(const kinematics::Mechanism& mechanism, std::vector<PathNode> nodes, bool corners = false);
    std::size_t bytes() const override {
        return sizeof *this + nodes_.size() * sizeof(PathNode) + phases_.size() * sizeof(Phase) +
               (bounds_.size() + efforts_.size()) * sizeof(JointVector);
    }
    double duration() const override { return end_; }
    JointState at(double t) const override;
    JointVector position(double t) const override;
    JointVector rate_bound(double from, double to) const override;
    std::optional<JointVector> acceleration_bound(double from, double to) const override;
    double s_at(double t) const;
    double time_of(double s) const;      ///< when the path gets there
    std::vector<double> phases() const;  ///< instants between which s(t) is a polynomial
    std::vector<double> breaks() const override;

private:
    struct Phase {
        double t, s, rate, acceleration, jerk;
    };
    struct Along {
        double s, rate, acceleration;
    };
    void time_it(const kinematics::Mechanism& mechanism, bool corners);
    void plain_phases(const std::vector<GridPoint>& grid, const std::vector<double>& rates);
    double needed_window(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) const;
    void soften(double window);
    void try_even(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism);
    double roughness(
        const kinematics::Mechanism& mechanism) const;  ///< greatest jerk, over 4 ms, as a multiple of its limit
    /// Greatest excess of rates and accelerations (as a factor of time), and where; tightens the grid there.
    double excess(const kinematics::Mechanism& mechanism, bool soft, std::vector<GridPoint>* tighten) const;
    void keep_bounds();
    Along along(double t) const;
    double passes(double s, double low, double high) const;  ///< when, between two instants

    std::vector<PathNode> nodes_;
    std::vector<Phase> phases_;
    double end_ = 0, stretch_ = 1;
    static constexpr int slices = 32;
    std::vector<JointVector> bounds_;   ///< of rates: a binary tree over slices of time
    std::vector<JointVector> efforts_;  ///< bounds of accelerations, by slice
};

/// A path's motion averaged over a moving window of time, joint by joint: no rate or acceleration grows by it, and the
/// jerk is the change of the acceleration over the window, which is chosen to keep every joint's jerk limit. Corners
/// get a little rounder. Closed form: averages of polynomials.
class Averaged final : public Motion {
public:
    Averaged(std::shared_ptr<const PathMotion> motion, const kinematics::Mechanism& mechanism);
    std::size_t bytes() const override {
        return sizeof *this + motion_->bytes() + breaks_.size() * (sizeof(double) + sizeof(JointVector));
    }
    double duration() const override { return breaks_.back() + window_; }
    JointState at(double t) const override;
    JointVector position(double t) const override;
    JointVector rate_bound(double from, double to) const override { return motion_->rate_bound(from - window_, to); }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        return motion_->acceleration_bound(from - window_, to);
    }
    std::vector<double> breaks() const override;
    double window() const { return window_; }

private:
    JointVector area(double from, double to) const;
    JointVector area_to(double t) const;

    std::shared_ptr<const PathMotion> motion_;
    std::vector<double> breaks_;
    std::vector<JointVector> area_;  ///< under the joint values, up to each break
    double window_ = 1e-4;
};

/// A stretch of a motion as a motion of its own; it need not begin or end at rest.
MotionPtr slice(MotionPtr whole, double from, double to);
/// Motions in turn, each from rest to rest where the one before ends.
MotionPtr one_after_another(std::vector<MotionPtr> motions);
/// The same motion, all of it slower by a factor >= 1.
MotionPtr slowed(MotionPtr motion, double factor);

}  // namespace escarp::motion
