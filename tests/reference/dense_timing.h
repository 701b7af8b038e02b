#pragma once
// The fastest timing of a path, the plain way: thousands of points, the interval of accelerations at each, the greatest
// rate found by bisection.

#include <functional>

#include <kinematics/mechanism.h>

namespace escarp::tests {

/// `q(s)` on [0, 1]; derivatives by differences. `rate`, `acceleration`: limits of s (1/s, 1/s^2). Seconds.
inline double dense_duration(const kinematics::Mechanism& m, const std::function<kinematics::JointVector(double)>& q,
    double rate, double acceleration, double speed, int points) {
    const double h = 1.0 / points, d = 1e-4;
    std::vector<kinematics::JointVector> slope, curve;
    for (int i = 0; i <= points; ++i) {
        const double s = std::clamp(i * h, d, 1 - d);
        const kinematics::JointVector a = q(s - d), b = q(s), c = q(s + d);
        slope.push_back((c - a) / (2 * d));
        curve.push_back((c - 2 * b + a) / (d * d));
    }
    const auto span = [&](int i, double x) {
        std::pair<double, double> u{-acceleration, acceleration};
        for (int j = 0; j < m.size(); ++j) {
            const double limit = m.joints[j].acceleration, k = slope[i][j], c = curve[i][j] * x;
            if (std::abs(k) < 1e-9) {
                if (std::abs(c) > limit) return std::pair(1.0, -1.0);
                continue;
            }
            const double one = (limit - c) / k, other = (-limit - c) / k;
            u.first = std::max(u.first, std::min(one, other));
            u.second = std::min(u.second, std::max(one, other));
        }
        return u;
    };
    std::vector<double> most(static_cast<std::size_t>(points) + 1, rate * rate), best(most);
    for (int i = 0; i <= points; ++i)
        for (int j = 0; j < m.size(); ++j) {
            const double fast = speed * m.joints[j].speed / std::max(1e-9, std::abs(slope[i][j]));
            most[i] = std::min(most[i], fast * fast);
        }
    best.back() = 0;
    for (int i = points - 1; i >= 0; --i) {
        double low = 0, high = most[i];
        for (int k = 0; k < 60; ++k) {
            const double x = k == 0 ? high : 0.5 * (low + high);
            const auto u = span(i, x);
            const bool fits = u.first <= u.second && x + 2 * h * u.first <= best[static_cast<std::size_t>(i) + 1];
            if (fits && k == 0) {
                low = high;
                break;
            }
            (fits ? low : high) = x;
        }
        best[i] = low;
    }
    double x = 0, t = 0;
    for (int i = 0; i < points; ++i) {
        const auto u = span(i, x);
        const double next = std::clamp(x + 2 * h * u.second, 0.0, best[static_cast<std::size_t>(i) + 1]);
        t += 2 * h / std::max(1e-9, std::sqrt(x) + std::sqrt(next));
        x = next;
    }
    return t;
}

}  // namespace escarp::tests
