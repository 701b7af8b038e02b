#pragma once
// What flying a way of joint moves would be like, without planning it: how long it takes, and where it passes. A coarse
// grid on the same curves and limits as `fly` (parabolas in the corners, reachability analysis, averaging for the jerk
// limits) in some 20 us: for choosing among hundreds of ways.

#include "path.h"

namespace escarp::motion {

class FlownWay {
public:
    FlownWay(const kinematics::Mechanism& mechanism, double speed, double acceleration);

    /// Times a way over the given corner points, ends included; every corner takes the share `cut` of both its legs (in
    /// (0, 0.5], of a single corner up to 0.95). Seconds, before averaging.
    double time(const std::vector<JointVector>& way, double cut);
    /// For the way timed last: the window of the averaging for the jerk limits, s; 0 without such limits.
    double window() const;
    /// For the way timed last: where the joints are at evenly spaced instants of the whole motion, ends included.
    void passes(double window, int pieces, std::vector<JointVector>& out);

private:
    void add(double s, const JointVector& q, const JointVector& slope, const JointVector& curve);
    JointVector area_to(double t) const;
    std::size_t stretch_at(double t) const;

    const kinematics::Mechanism& mechanism_;
    double speed_, effort_;
    bool jerk_;
    std::vector<GridPoint> grid_;
    std::vector<JointVector> q_, rate_, acceleration_,
        area_;  ///< at the grid points; the acceleration of the stretch that begins there
    std::vector<double> t_;
};

}  // namespace escarp::motion
