#pragma once
// The reach margin the plain way: marching along very many directions.

#include <cmath>
#include <vector>

#include <kinematics/joint_solver.h>

namespace escarp::tests {

/// `count` unit vectors spread evenly over the sphere (a Fibonacci spiral).
inline std::vector<geometry::Vector3> even_directions(int count) {
    std::vector<geometry::Vector3> out;
    for (int i = 0; i < count; ++i) {
        const double z = 1 - (2.0 * i + 1) / count, round = std::sqrt(1 - z * z),
                     turn = geometry::pi * (3 - std::sqrt(5.0)) * i;
        out.emplace_back(round * std::cos(turn), round * std::sin(turn), z);
    }
    return out;
}

/// The least distance along the directions at which a reached pose is lost, `limit` if none is. Metres; sampled in
/// steps of `stride`.
inline double sampled_margin(const kinematics::JointSolver& solver, const geometry::Frame& pose,
    const kinematics::JointVector& reference, const std::vector<geometry::Vector3>& directions, double limit,
    double stride) {
    const auto reached = [&](const geometry::Vector3& shift) {
        geometry::Frame f = pose;
        f.translation() += shift;
        return solver.reachable(f, reference);
    };
    double least = limit;
    for (const geometry::Vector3& d : directions)
        for (double s = stride; s < least; s += stride) {
            if (reached(s * d)) continue;
            double low = s - stride, high = s;
            while (high - low > 1e-4) (reached(0.5 * (low + high) * d) ? low : high) = 0.5 * (low + high);
            least = low;
            break;
        }
    return least;
}

}  // namespace escarp::tests
