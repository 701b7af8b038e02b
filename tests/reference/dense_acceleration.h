#pragma once
// The greatest acceleration of a tool the plain way: looking very often, and on both sides of every instant at which it
// may jump.

#include <algorithm>

#include <motion/motion.h>

namespace escarp::tests {

/// Acceleration of the tool frame's origin at an instant from three places around it, m/s^2; `h` seconds apart.
inline double seen_acceleration(
    const kinematics::ArmModel& model, const geometry::Frame& tool, const motion::Motion& motion, double t, double h) {
    const auto place = [&](double at) {
        return geometry::Vector3((model.flange_frame(motion.position(at)) * tool).translation());
    };
    return ((place(t + h) - 2 * place(t) + place(t - h)) / (h * h)).norm();
}

/// `of(t)`: the acceleration at an instant.
template <typename Of>
double dense_greatest(const motion::Motion& motion, int looks, const Of& of) {
    double most = 0;
    const double end = motion.duration();
    for (int i = 0; i <= looks; ++i) most = std::max(most, of(end * i / looks));
    for (const double t : motion.breaks())
        for (const double beside : {-1e-7, 1e-7}) most = std::max(most, of(std::clamp(t + beside, 1e-7, end - 1e-7)));
    return most;
}

}  // namespace escarp::tests
