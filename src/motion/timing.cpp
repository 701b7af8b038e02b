#include <algorithm>
#include <cmath>

#include "path.h"

namespace escarp::motion {
namespace {

/// With x = rate^2 and u = d2s/dt2, a limit seen as a bound of u: u <= base + slope * x, and u >= -base + slope * x.
struct Line {
    double base, slope;
};

/// Every limit of one stretch of the grid, the same u all along it. Limits on u come in pairs: below the line, and
/// above the one with its base turned round.
class Stretch {
public:
    /// `room`: for twice as many limits as there are joints, and one.
    explicit Stretch(Line* room) : lines_(room) {}
    /// |a u + b x| <= c
    void limit(double a, double b, double c) {
        if (std::abs(a) < 1e-12 * (1 + std::abs(b))) {
            if (std::abs(b) > 1e-12) most_ = std::min(most_, c / std::abs(b));
            return;
        }
        lines_[count_++] = {c / std::abs(a), -b / a};
    }
    /// Greatest x with some u that also leads to at most `next` at the end of the stretch, `h` long. The greatest lower
    /// bound of u less the least upper one is convex in x: Newton's steps from the far side end at its root.
    double greatest(double next, double h) const {
        double x = std::min(most_, 1e18);
        for (int step = 0; step < 40; ++step) {
            Line low{0, -1 / (2 * h)}, high{next / (2 * h), -1 / (2 * h)};  // not below rest, not above `next`
            double least = low.base + low.slope * x, most = high.base + high.slope * x;
            for (int i = 0; i < count_; ++i) {
                const double middle = lines_[i].slope * x, over = middle + lines_[i].base,
                             under = middle - lines_[i].base;
                if (under > least) least = under, low = {-lines_[i].base, lines_[i].slope};
                if (over < most) most = over, high = lines_[i];
            }
            if (least - most <= 1e-12 * (1 + std::abs(least) + std::abs(most))) return x;
            const double steeper = low.slope - high.slope;
            if (steeper <= 0) return 0;
            x = std::max(0.0, (high.base - low.base) / steeper);
        }
        return x;
    }
    double fastest(double x) const {
        double u = 1e300;
        for (int j = 0; j < count_; ++j) u = std::min(u, lines_[j].base + lines_[j].slope * x);
        return u;
    }

private:
    Line* lines_;
    int count_ = 0;
    double most_ = 1e300;
};

struct Limits {
    std::vector<double> most;  ///< greatest x at each point from the rate limits alone
    std::vector<Stretch> stretch;
};

/// Good until it is called again.
Limits limits_of(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) {
    const std::size_t n = grid.size();
    const auto each = 2 * static_cast<std::size_t>(mechanism.size()) + 1;
    thread_local std::vector<Line> lines;  // kept: asking for that much memory anew costs more than filling it
    lines.resize(each * n);
    Limits l{std::vector<double>(n, 1e300), {}};
    l.stretch.reserve(n - 1);
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const GridPoint &a = grid[i], &b = grid[i + 1];
        const double h = b.s - a.s;
        Stretch& here = l.stretch.emplace_back(lines.data() + i * each);
        here.limit(1, 0, std::min(a.acceleration, 1e9));
        for (int j = 0; j < mechanism.size(); ++j) {
            const kinematics::Joint& joint = mechanism.joints[j];
            const double acceleration = a.effort_share * joint.acceleration, speed = a.speed_share * joint.speed;
            // A stretch keeps the limits at both of its ends: with those at its beginning alone a joint that turns
            // round between two points would force a stop there.
            here.limit(a.slope[j], a.curve_after[j], acceleration);
            here.limit(b.slope[j] + 2 * h * b.curve_before[j], b.curve_before[j], acceleration);
            const double s0 = std::abs(a.slope[j]), s1 = std::abs(b.slope[j]);
            if (s0 > 1e-12) l.most[i] = std::min(l.most[i], speed * speed / (s0 * s0));
            if (s1 > 1e-12) l.most[i + 1] = std::min(l.most[i + 1], speed * speed / (s1 * s1));
        }
        if (a.rate < 1e150)
            l.most[i] = std::min(l.most[i], a.rate * a.rate), l.most[i + 1] = std::min(l.most[i + 1], a.rate * a.rate);
    }
    return l;
}

}  // namespace

std::vector<double> greatest_rates(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) {
    const Limits l = limits_of(grid, mechanism);
    std::vector<double> rates(grid.size());
    for (std::size_t i = 0; i < grid.size(); ++i) {
        double x = l.most[i];
        if (i + 1 < grid.size()) x = std::min(x, l.stretch[i].greatest(1e30, grid[i + 1].s - grid[i].s));
        rates[i] = std::sqrt(x);
    }
    return rates;
}

std::vector<double> time_optimal_rates(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) {
    const std::size_t n = grid.size();
    const Limits l = limits_of(grid, mechanism);
    // Backward: the greatest x at each point from which the rest can still be driven to a stop.
    std::vector<double> controllable(n, 0.0);
    for (std::size_t i = n - 1; i-- > 0;)
        controllable[i] = std::min(l.most[i], l.stretch[i].greatest(controllable[i + 1], grid[i + 1].s - grid[i].s));
    // Forward: as fast as possible within what stays controllable.
    std::vector<double> x(n, 0.0);
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const double h = grid[i + 1].s - grid[i].s;
        x[i + 1] = std::clamp(x[i] + 2 * h * l.stretch[i].fastest(x[i]), 0.0, controllable[i + 1]);
    }
    x[n - 1] = 0.0;
    for (double& rate : x) rate = std::sqrt(rate);
    return x;
}

}  // namespace escarp::motion
