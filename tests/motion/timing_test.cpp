#include <catch2/catch.hpp>

#include <motion/path.h>

#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;
using kinematics::JointVector;

namespace {

struct Limits {
    double rate, acceleration, joint_rate[2], joint_acceleration[2];
};

kinematics::Mechanism mechanism(const Limits& l) {
    kinematics::Mechanism m;
    for (int j = 0; j < 2; ++j) {
        kinematics::Joint joint;
        joint.speed = l.joint_rate[j], joint.acceleration = l.joint_acceleration[j];
        m.joints.push_back(joint);
    }
    return m;
}

/// A smooth two-joint path on n points: q(s) = a sin(b s + c), derivatives exact.
std::vector<GridPoint> wave(tests::Draw& draw, int n, const Limits& l) {
    const double a[2] = {draw.in(0.3, 1.5), draw.in(0.3, 1.5)}, b[2] = {draw.in(0.5, 4), draw.in(0.5, 4)},
                 c[2] = {draw.in(-2, 2), draw.in(-2, 2)};
    std::vector<GridPoint> grid;
    for (int i = 0; i < n; ++i) {
        const double s = static_cast<double>(i) / (n - 1);
        GridPoint g{s, JointVector(2), JointVector(2), JointVector(2), l.rate, l.acceleration, 1, 1};
        for (int j = 0; j < 2; ++j)
            g.slope[j] = a[j] * b[j] * std::cos(b[j] * s + c[j]),
            g.curve_after[j] = g.curve_before[j] = -a[j] * b[j] * b[j] * std::sin(b[j] * s + c[j]);
        grid.push_back(g);
    }
    return grid;
}

double duration(const std::vector<GridPoint>& grid, const std::vector<double>& rates) {
    double t = 0;
    for (std::size_t i = 1; i < grid.size(); ++i)
        t += 2 * (grid[i].s - grid[i - 1].s) / std::max(1e-9, rates[i] + rates[i - 1]);
    return t;
}

/// The plain way: dynamic programming over a fine table of squared rates at each point.
double best_duration(const std::vector<GridPoint>& grid, const Limits& limits, int levels) {
    const std::size_t n = grid.size();
    std::vector<double> cap(n, limits.rate * limits.rate);
    for (std::size_t i = 0; i < n; ++i)
        for (int j = 0; j < 2; ++j)
            cap[i] = std::min(cap[i], std::pow(limits.joint_rate[j] / std::max(1e-9, std::abs(grid[i].slope[j])), 2));
    const double top = limits.rate * limits.rate;
    const auto x_of = [&](int level) { return top * level * level / ((levels - 1.0) * (levels - 1.0)); };
    std::vector<double> cost(static_cast<std::size_t>(levels), 1e18), next(cost);
    cost[0] = 0;  // at the last point: at rest
    for (std::size_t i = n - 1; i-- > 0;) {
        const double h = grid[i + 1].s - grid[i].s;
        for (int level = 0; level < levels; ++level) {
            next[level] = 1e18;
            const double x = x_of(level);
            if (x > cap[i]) continue;
            for (int to = 0; to < levels; ++to) {
                if (cost[to] > 1e17) continue;
                const double u = (x_of(to) - x) / (2 * h);
                bool fits = std::abs(u) <= limits.acceleration;
                for (int j = 0; j < 2; ++j)  // at both ends of the stretch
                    fits =
                        fits &&
                        std::abs(grid[i].slope[j] * u + grid[i].curve_after[j] * x) <= limits.joint_acceleration[j] &&
                        std::abs(grid[i + 1].slope[j] * u + grid[i + 1].curve_before[j] * x_of(to)) <=
                            limits.joint_acceleration[j];
                if (!fits) continue;
                const double sum = std::sqrt(x) + std::sqrt(x_of(to));
                if (sum > 0) next[level] = std::min(next[level], cost[to] + 2 * h / sum);
            }
        }
        cost.swap(next);
    }
    return cost[0];
}

}  // namespace

TEST_CASE("the timing of a path is as fast as dynamic programming over a fine table finds") {
    tests::Draw draw(95);
    for (int i = 0; i < 12; ++i) {
        const Limits limits{draw.in(1, 3), 1e9, {draw.in(0.5, 3), draw.in(0.5, 3)}, {draw.in(1, 10), draw.in(1, 10)}};
        const auto grid = wave(draw, 21, limits);
        const double ours = duration(grid, time_optimal_rates(grid, mechanism(limits))),
                     plain = best_duration(grid, limits, 400);
        CHECK(ours <= plain * 1.002);  // the table can only be slower
        CHECK(ours >= plain * 0.95);   // and not by much
    }
}

TEST_CASE("every point keeps every limit, both ends are at rest") {
    tests::Draw draw(96);
    for (int i = 0; i < 200; ++i) {
        const Limits limits{
            draw.in(0.5, 3), draw.in(1, 20), {draw.in(0.5, 3), draw.in(0.5, 3)}, {draw.in(1, 10), draw.in(1, 10)}};
        const auto grid = wave(draw, 33, limits);
        const std::vector<double> rates = time_optimal_rates(grid, mechanism(limits));
        REQUIRE(rates.front() == 0);
        REQUIRE(rates.back() == 0);
        for (std::size_t k = 0; k + 1 < grid.size(); ++k) {
            REQUIRE(rates[k] <= limits.rate * (1 + 1e-9));
            const double u = (rates[k + 1] * rates[k + 1] - rates[k] * rates[k]) / (2 * (grid[k + 1].s - grid[k].s));
            REQUIRE(std::abs(u) <= limits.acceleration * (1 + 1e-6) + 1e-6);
            for (int j = 0; j < 2; ++j) {
                REQUIRE(std::abs(grid[k].slope[j]) * rates[k] <= limits.joint_rate[j] * (1 + 1e-9));
                REQUIRE(std::abs(grid[k].slope[j] * u + grid[k].curve_after[j] * rates[k] * rates[k]) <=
                        limits.joint_acceleration[j] * (1 + 1e-6) + 1e-6);
            }
        }
    }
}

TEST_CASE("a straight line of constant slope gives the trapezoid") {
    const Limits limits{100, 1e9, {0.5, 10}, {1.0, 10}};
    std::vector<GridPoint> grid;
    for (int i = 0; i <= 400; ++i)
        grid.push_back({i / 400.0, JointVector::Constant(2, 1.0), JointVector::Zero(2), JointVector::Zero(2),
            limits.rate, limits.acceleration, 1, 1});
    const double T = duration(grid, time_optimal_rates(grid, mechanism(limits)));
    CHECK(T == Approx(1 / 0.5 + 0.5 / 1.0).epsilon(0.001));
}
