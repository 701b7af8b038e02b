#include "flown_way.h"

#include <algorithm>
#include <cmath>

namespace escarp::motion {

FlownWay::FlownWay(const kinematics::Mechanism& mechanism, double speed, double acceleration)
    : mechanism_(mechanism), speed_(speed), effort_(acceleration), jerk_(mechanism.limits_jerk()) {}

void FlownWay::add(double s, const JointVector& q, const JointVector& slope, const JointVector& curve) {
    if (!grid_.empty() && s - grid_.back().s < 1e-9) {  // where a line and a parabola meet
        grid_.back().curve_after = curve;
        return;
    }
    grid_.push_back({s, slope, curve, curve, 1e300, 1e300, speed_, effort_});
    q_.push_back(q);
}

double FlownWay::time(const std::vector<JointVector>& way, double cut) {
    constexpr double pieces = 7;  // of a whole leg
    grid_.clear(), q_.clear();
    const std::size_t legs = way.size() - 1;
    const JointVector straight = JointVector::Zero(mechanism_.size());
    for (std::size_t i = 0; i < legs; ++i) {
        const JointVector leg = way[i + 1] - way[i];
        const double from = i == 0 ? 0 : cut, to = i + 1 == legs ? 1 : 1 - cut;
        const int lines = std::max(1, static_cast<int>(std::lround(pieces * (to - from))));
        for (int k = 0; k <= lines; ++k) {
            const double x = from + (to - from) * k / lines;
            add(static_cast<double>(i) + x, way[i] + x * leg, leg, straight);
        }
        if (i + 1 == legs) break;
        const JointVector curve = (way[i + 2] - way[i + 1] - leg) / (2 * cut), begin = way[i] + to * leg;
        const int rounds = std::max(2, static_cast<int>(std::lround(2 * pieces * cut)));
        for (int k = 0; k <= rounds; ++k) {
            const double x = 2 * cut * k / rounds;
            add(static_cast<double>(i) + to + x, begin + x * (leg + 0.5 * x * curve), leg + x * curve, curve);
        }
    }
    const std::vector<double> rates = time_optimal_rates(grid_, mechanism_);
    const std::size_t n = grid_.size();
    t_.assign(1, 0.0), rate_.resize(n), acceleration_.resize(n - 1);
    for (std::size_t i = 0; i < n; ++i) rate_[i] = rates[i] * grid_[i].slope;
    for (std::size_t i = 0; i + 1 < n; ++i) {
        t_.push_back(t_.back() + 2 * (grid_[i + 1].s - grid_[i].s) / std::max(1e-9, rates[i] + rates[i + 1]));
        acceleration_[i] = (rate_[i + 1] - rate_[i]) / (t_[i + 1] - t_[i]);
    }
    return t_.back();
}

std::size_t FlownWay::stretch_at(double t) const {
    return static_cast<std::size_t>(std::upper_bound(t_.begin() + 1, t_.end() - 1, t) - t_.begin()) - 1;
}

double FlownWay::window() const {
    if (!jerk_) return 0;
    double window = 1e-4;
    const auto change = [&](double t) {
        const auto during = [&](double when) { return when >= 0 && when < t_.back(); };
        const bool now = during(t), then = during(t - window);
        const std::size_t a = now ? stretch_at(t) : 0, b = then ? stretch_at(t - window) : 0;
        double needed = 0;
        for (int j = 0; j < mechanism_.size(); ++j)
            needed = std::max(needed, std::abs((now ? acceleration_[a][j] : 0.0) - (then ? acceleration_[b][j] : 0.0)) /
                                          mechanism_.joints[j].jerk_limit());
        return needed;
    };
    for (int round = 0; round < 6; ++round) {
        constexpr double beside = 1e-7;
        double needed = 1e-4;
        for (const double t : t_)
            needed = std::max({needed, change(t + beside), change(t - beside), change(t + window + beside),
                change(t + window - beside)});
        if (needed <= window * 1.001) break;
        window = needed;
    }
    return window;
}

/// The joint values added up over time.
JointVector FlownWay::area_to(double t) const {
    if (t <= 0) return t * q_.front();
    if (t >= t_.back()) return area_.back() + (t - t_.back()) * q_.back();
    const std::size_t i = stretch_at(t);
    const double d = t - t_[i];
    return area_[i] + d * (q_[i] + d * (rate_[i] / 2 + d / 6 * acceleration_[i]));
}

void FlownWay::passes(double window, int pieces, std::vector<JointVector>& out) {
    area_.assign(1, JointVector::Zero(mechanism_.size()));
    for (std::size_t i = 0; i + 1 < q_.size(); ++i) {
        const double d = t_[i + 1] - t_[i];
        area_.push_back(area_.back() + d * (0.5 * (q_[i] + q_[i + 1]) + d / 12 * (rate_[i] - rate_[i + 1])));
    }
    const double spread = std::max(window, 1e-4), whole = t_.back() + spread;
    out.resize(static_cast<std::size_t>(pieces) + 1);
    for (int k = 0; k <= pieces; ++k) {
        const double t = whole * k / pieces;
        out[k] = (area_to(t) - area_to(t - spread)) / spread;
    }
}

}  // namespace escarp::motion
