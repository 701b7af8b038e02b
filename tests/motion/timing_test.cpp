#include <catch2/catch.hpp>

#include <motion/timing.h>

#include "support/random.h"

using namespace escarp;
using namespace escarp::motion;
using kinematics::JointVector;

namespace {

/// A smooth two-joint path on n nodes: q(s) = a sin(b s + c), slopes exact.
std::vector<PathNode> wave(tests::Draw& draw, int n) {
    const double a[2] = {draw.in(0.3, 1.5), draw.in(0.3, 1.5)}, b[2] = {draw.in(0.5, 4), draw.in(0.5, 4)}, c[2] = {draw.in(-2, 2), draw.in(-2, 2)};
    std::vector<PathNode> nodes;
    for (int i = 0; i < n; ++i) {
        const double s = static_cast<double>(i) / (n - 1);
        PathNode node{s, JointVector(2), JointVector(2)};
        for (int j = 0; j < 2; ++j) node.q[j] = a[j] * std::sin(b[j] * s + c[j]), node.slope[j] = a[j] * b[j] * std::cos(b[j] * s + c[j]);
        nodes.push_back(node);
    }
    return nodes;
}

double duration(const std::vector<PathNode>& nodes, const std::vector<double>& rates) {
    double t = 0;
    for (std::size_t i = 1; i < nodes.size(); ++i) t += 2 * (nodes[i].s - nodes[i - 1].s) / std::max(1e-9, rates[i] + rates[i - 1]);
    return t;
}

/// The plain way: dynamic programming over a fine table of squared rates at each node.
double best_duration(const std::vector<PathNode>& nodes, const PathLimits& limits, int levels) {
    const std::size_t n = nodes.size();
    double top = limits.rate * limits.rate;
    std::vector<double> cap(n, top);
    for (std::size_t i = 0; i < n; ++i)
        for (int j = 0; j < 2; ++j) cap[i] = std::min(cap[i], std::pow(limits.joint_rate[static_cast<std::size_t>(j)] / std::max(1e-9, std::abs(nodes[i].slope[j])), 2));
    for (const double c : cap) top = std::min(top, std::max(c, 1e-6)) > 0 ? std::max(0.0, top) : top;
    const auto x_of = [&](int level) { return top * level * level / ((levels - 1.0) * (levels - 1.0)); };
    std::vector<double> cost(static_cast<std::size_t>(levels), 1e18), next(cost);
    cost[0] = 0;  // at the last node: at rest
    for (std::size_t i = n - 1; i-- > 0;) {
        const double h = nodes[i + 1].s - nodes[i].s;
        const std::size_t before = i == 0 ? 0 : i - 1;
        const JointVector curve = (nodes[i + 1].slope - nodes[before].slope) / (nodes[i + 1].s - nodes[before].s);
        const std::size_t after = std::min(n - 1, i + 2);
        const JointVector curve_after = (nodes[after].slope - nodes[i].slope) / (nodes[after].s - nodes[i].s);
        for (int level = 0; level < levels; ++level) {
            next[static_cast<std::size_t>(level)] = 1e18;
            const double x = x_of(level);
            if (x > cap[i]) continue;
            for (int to = 0; to < levels; ++to) {
                if (cost[static_cast<std::size_t>(to)] > 1e17) continue;
                const double u = (x_of(to) - x) / (2 * h);
                bool fits = std::abs(u) <= limits.acceleration || limits.acceleration > 1e17;
                for (int j = 0; j < 2; ++j) {  // at both ends of the stretch
                    const double a = limits.joint_acceleration[static_cast<std::size_t>(j)];
                    fits = fits && std::abs(nodes[i].slope[j] * u + curve[j] * x) <= a && std::abs(nodes[i + 1].slope[j] * u + curve_after[j] * x_of(to)) <= a;
                }
                if (!fits) continue;
                const double sum = std::sqrt(x) + std::sqrt(x_of(to));
                if (sum > 0) next[static_cast<std::size_t>(level)] = std::min(next[static_cast<std::size_t>(level)], cost[static_cast<std::size_t>(to)] + 2 * h / sum);
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
        const auto nodes = wave(draw, 21);
        const PathLimits limits{draw.in(1, 3), 1e300, {draw.in(0.5, 3), draw.in(0.5, 3)}, {draw.in(1, 10), draw.in(1, 10)}};
        const double ours = duration(nodes, time_optimal_rates(nodes, limits)), plain = best_duration(nodes, limits, 400);
        CHECK(ours <= plain * 1.002);   // the table can only be slower
        CHECK(ours >= plain * 0.95);    // and not by much
    }
}

TEST_CASE("every node keeps every limit, both ends are at rest") {
    tests::Draw draw(96);
    for (int i = 0; i < 200; ++i) {
        const auto nodes = wave(draw, 33);
        const PathLimits limits{draw.in(0.5, 3), draw.in(1, 20), {draw.in(0.5, 3), draw.in(0.5, 3)}, {draw.in(1, 10), draw.in(1, 10)}};
        const std::vector<double> rates = time_optimal_rates(nodes, limits);
        REQUIRE(rates.front() == 0);
        REQUIRE(rates.back() == 0);
        for (std::size_t k = 0; k + 1 < nodes.size(); ++k) {
            REQUIRE(rates[k] <= limits.rate * (1 + 1e-9));
            const double u = (rates[k + 1] * rates[k + 1] - rates[k] * rates[k]) / (2 * (nodes[k + 1].s - nodes[k].s));
            REQUIRE(std::abs(u) <= limits.acceleration * (1 + 1e-6) + 1e-6);
            const std::size_t before = k == 0 ? 0 : k - 1;
            const JointVector curve = (nodes[k + 1].slope - nodes[before].slope) / (nodes[k + 1].s - nodes[before].s);
            for (int j = 0; j < 2; ++j) {
                REQUIRE(std::abs(nodes[k].slope[j]) * rates[k] <= limits.joint_rate[static_cast<std::size_t>(j)] * (1 + 1e-9));
                REQUIRE(std::abs(nodes[k].slope[j] * u + curve[j] * rates[k] * rates[k]) <= limits.joint_acceleration[static_cast<std::size_t>(j)] * (1 + 1e-3) + 1e-4);
            }
        }
    }
}

TEST_CASE("a straight line of constant slope gives the trapezoid") {
    std::vector<PathNode> nodes;
    for (int i = 0; i <= 400; ++i) nodes.push_back({i / 400.0, JointVector::Constant(2, i / 400.0), JointVector::Constant(2, 1.0)});
    const PathLimits limits{100, 1e300, {0.5, 10}, {1.0, 10}};
    const double T = duration(nodes, time_optimal_rates(nodes, limits));
    CHECK(T == Approx(1 / 0.5 + 0.5 / 1.0).epsilon(0.01));
}
