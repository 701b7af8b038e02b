#include "sensitivity.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "statistics.h"

namespace escarp::study {

namespace {
constexpr int levels = 4;
constexpr double change = levels / (2.0 * (levels - 1));  // Morris: half of all pairs of levels lie so far apart
}  // namespace

std::vector<std::vector<double>> screening_plan(std::size_t size, std::size_t count) {
    std::mt19937_64 draw(20);
    std::vector<std::vector<double>> plan;
    for (std::size_t path = 0; path < count; ++path) {
        std::vector<double> at(size);
        std::vector<double> step(size);
        std::vector<std::size_t> order(size);
        for (std::size_t i = 0; i < size; ++i) {
            const double low = static_cast<double>(draw() % (levels / 2)) / (levels - 1);
            const bool up = draw() % 2 == 0;
            at[i] = up ? low : low + change;
            step[i] = up ? change : -change;
            order[i] = i;
        }
        for (std::size_t i = size; i > 1; --i) std::swap(order[i - 1], order[draw() % i]);
        plan.push_back(at);
        for (const std::size_t i : order) {
            at[i] += step[i];
            plan.push_back(at);
        }
    }
    for (std::vector<double>& p : plan)
        for (double& v : p) v = std::round(v * (levels - 1)) / (levels - 1);  // exactly on its level
    return plan;
}

std::vector<Influence> screening(const std::vector<std::vector<double>>& plan, const std::vector<double>& values) {
    const std::size_t size = plan.empty() ? 0 : plan[0].size();
    std::vector<std::vector<double>> changes(size);
    for (std::size_t path = 0; path + size < plan.size(); path += size + 1) {
        bool whole = true;
        for (std::size_t i = 0; i <= size; ++i) whole = whole && std::isfinite(values[path + i]);
        if (!whole) continue;
        for (std::size_t i = path; i < path + size; ++i)
            for (std::size_t n = 0; n < size; ++n)
                if (plan[i + 1][n] != plan[i][n])
                    changes[n].push_back((values[i + 1] - values[i]) / (plan[i + 1][n] - plan[i][n]));
    }
    std::vector<Influence> out(size);
    for (std::size_t n = 0; n < size; ++n) {
        out[n].number = static_cast<int>(n);
        const Estimate mean = estimate(changes[n]);
        out[n].effect = mean.mean, out[n].unevenness = mean.deviation;
        for (double& c : changes[n]) c = std::abs(c);
        out[n].strength = estimate(changes[n]).mean;
    }
    return out;
}

std::vector<std::vector<double>> shares_plan(std::size_t size, std::size_t count) {
    const std::vector<std::vector<double>> both = even_points(2 * size, count);
    std::vector<std::vector<double>> plan;
    plan.reserve((size + 2) * both.size());
    const auto middle = static_cast<std::ptrdiff_t>(size);
    for (const auto& p : both) plan.emplace_back(p.begin(), p.begin() + middle);
    for (const auto& p : both) plan.emplace_back(p.begin() + middle, p.end());
    for (std::size_t n = 0; n < size; ++n)
        for (std::size_t i = 0; i < count; ++i) {
            plan.push_back(plan[i]);
            plan.back()[n] = plan[count + i][n];
        }
    return plan;
}

std::vector<Influence> shares(std::size_t size, const std::vector<double>& values) {
    const std::size_t count = values.size() / (size + 2);
    const auto a = [&](std::size_t i) { return values[i]; };
    const auto b = [&](std::size_t i) { return values[count + i]; };
    const auto ab = [&](std::size_t n, std::size_t i) { return values[(2 + n) * count + i]; };
    std::vector<double> all;
    for (std::size_t i = 0; i < 2 * count; ++i)
        if (std::isfinite(values[i])) all.push_back(values[i]);
    const Estimate spread = estimate(all);
    const double variance = spread.deviation * spread.deviation;
    std::vector<Influence> out(size);
    for (std::size_t n = 0; n < size; ++n) {
        out[n].number = static_cast<int>(n);
        double alone = 0, in_all = 0;
        std::size_t used = 0;
        for (std::size_t i = 0; i < count; ++i) {
            if (!std::isfinite(a(i)) || !std::isfinite(b(i)) || !std::isfinite(ab(n, i))) continue;
            alone += (b(i) - spread.mean) * (ab(n, i) - a(i));
            in_all += (a(i) - ab(n, i)) * (a(i) - ab(n, i));
            ++used;
        }
        if (used == 0 || variance == 0) continue;
        out[n].alone = alone / static_cast<double>(used) / variance;
        out[n].in_all = 0.5 * in_all / static_cast<double>(used) / variance;
    }
    return out;
}

}  // namespace escarp::study
