#include "profile.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace escarp::motion {

Profile::Profile(double v, double a, double j) {
    assert(v > 0 && a > 0 && j >= 0);
    double ramp = 0, accelerate = 0, cruise = 0;  // durations: jerk phase, whole acceleration, constant rate
    double peak = v;
    if (j == 0) {
        if (v * v > a) peak = std::sqrt(a);
        accelerate = peak / a;
    } else {
        const auto shape = [&](double top) {  // acceleration up to `top`
            if (top * j >= a * a) ramp = a / j, accelerate = ramp + top / a;
            else ramp = std::sqrt(top / j), accelerate = 2 * ramp;
        };
        shape(v);
        if (v * accelerate > 1) {  // never cruises: the peak whose two ramps make up the whole path
            peak = 0.5 * a * (std::sqrt((a / j) * (a / j) + 4 / a) - a / j);
            if (peak * j < a * a) peak = std::cbrt(0.25 * j);
            shape(peak);
        }
    }
    cruise = std::max(0.0, (1 - peak * accelerate) / peak);
    if (j == 0) {
        a_[0] = peak / accelerate;
        add(accelerate, 0);
        a_[1] = 0;
        add(cruise, 0);
        a_[2] = -peak / accelerate;
        add(accelerate, 0);
        for (int i = 3; i < 7; ++i) add(0, 0);
    } else {
        const double flat = std::max(0.0, accelerate - 2 * ramp);
        const double jerk = peak / (ramp * (ramp + flat));
        add(ramp, jerk), add(flat, 0), add(ramp, -jerk);
        add(cruise, 0);
        add(ramp, -jerk), add(flat, 0), add(ramp, jerk);
    }
}

void Profile::add(double length, double jerk) {
    const int i = phases_++;
    j_[i] = jerk;
    start_[i + 1] = start_[i] + length;
    s_[i + 1] = s_[i] + length * (v_[i] + length * (a_[i] / 2 + length * jerk / 6));
    v_[i + 1] = v_[i] + length * (a_[i] + length * jerk / 2);
    a_[i + 1] = a_[i] + length * jerk;
}

PathState Profile::at(double t) const {
    if (t <= 0) return {0, 0, 0};
    if (t >= duration()) return {1, 0, 0};
    const int i = static_cast<int>(std::upper_bound(start_.begin(), start_.begin() + 7, t) - start_.begin()) - 1;
    const double d = t - start_[i];
    const double s = s_[i] + d * (v_[i] + d * (a_[i] / 2 + d * j_[i] / 6));
    return {std::clamp(s, 0.0, 1.0), std::max(0.0, v_[i] + d * (a_[i] + d * j_[i] / 2)), a_[i] + d * j_[i]};
}

double Profile::greatest_rate(double from, double to) const {
    const double half = 0.5 * duration();  // the rate rises to the middle and falls after it
    if (from <= half && to >= half) return at(half).rate;
    return std::max(at(from).rate, at(to).rate);
}

std::vector<Profile::Piece> Profile::pieces() const {
    std::vector<Piece> all;
    for (std::size_t i = 0; i < static_cast<std::size_t>(phases_); ++i)
        if (start_[i + 1] > start_[i]) all.push_back({start_[i], s_[i], v_[i], a_[i], j_[i]});
    return all;
}

double Profile::greatest_acceleration(double from, double to) const {
    double most = 0;
    for (int i = 0; i < phases_; ++i) {  // it rises or falls evenly in each
        const double begins = std::max(from, start_[i]), ends = std::min(to, start_[i + 1]);
        if (ends < begins) continue;
        most = std::max(
            {most, std::abs(a_[i] + (begins - start_[i]) * j_[i]), std::abs(a_[i] + (ends - start_[i]) * j_[i])});
    }
    return most;
}

}  // namespace escarp::motion
