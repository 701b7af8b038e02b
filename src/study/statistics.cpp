#include "statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include <boost/math/distributions/students_t.hpp>
#include <boost/random/sobol.hpp>

namespace escarp::study {

Estimate estimate(const std::vector<double>& values) {
    Estimate e;
    e.count = values.size();
    if (values.empty()) return e;
    e.mean = std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
    if (values.size() < 2) return e;
    double squares = 0;
    for (const double v : values) squares += (v - e.mean) * (v - e.mean);
    e.deviation = std::sqrt(squares / static_cast<double>(values.size() - 1));
    return e;
}

std::optional<double> Estimate::half_width(double confidence) const {
    if (count < 2) return std::nullopt;
    if (deviation == 0) return 0.0;
    const double n = static_cast<double>(count);
    return t_quantile(0.5 + 0.5 * confidence, n - 1) * deviation / std::sqrt(n);
}

double quantile(std::vector<double> values, double share) {
    std::sort(values.begin(), values.end());
    const double at = std::clamp(share, 0.0, 1.0) * static_cast<double>(values.size() - 1);
    const std::size_t below = static_cast<std::size_t>(at);
    if (below + 1 >= values.size()) return values.back();
    return values[below] + (at - static_cast<double>(below)) * (values[below + 1] - values[below]);
}

double t_quantile(double share, double freedom) {
    return boost::math::quantile(boost::math::students_t(freedom), share);
}

double p_value(const Estimate& difference) {
    if (difference.count < 2) return 1;
    if (difference.deviation == 0) return difference.mean == 0 ? 1 : 0;
    const double n = static_cast<double>(difference.count);
    const double t = std::abs(difference.mean) / (difference.deviation / std::sqrt(n));
    return 2 * boost::math::cdf(boost::math::complement(boost::math::students_t(n - 1), t));
}

std::optional<std::size_t> warm_up(const std::vector<double>& values) {
    constexpr std::size_t group = 5;
    const std::size_t groups = values.size() / group;
    if (values.size() < enough_to_tell) return std::nullopt;
    std::vector<double> means(groups);
    for (std::size_t i = 0; i < groups; ++i)
        means[i] = std::accumulate(values.begin() + static_cast<std::ptrdiff_t>(i * group),
                       values.begin() + static_cast<std::ptrdiff_t>((i + 1) * group), 0.0) /
                   static_cast<double>(group);
    // From the back: sum and sum of squares of what would be kept.
    const double shift = means.back();  // so that large means lose no digits
    double sum = 0, squares = 0, least = 1e300;
    std::size_t best = 0;
    for (std::size_t i = groups; i-- > 0;) {
        const double v = means[i] - shift;
        sum += v, squares += v * v;
        const double kept = static_cast<double>(groups - i);
        if (i > groups / 2) continue;
        const double error = (squares - sum * sum / kept) / (kept * kept);
        if (error <= least) least = error, best = i;
    }
    return best * group;
}

std::vector<bool> answered(const std::vector<double>& chances, double wrong) {
    std::vector<std::size_t> order(chances.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return chances[a] < chances[b]; });
    std::vector<bool> out(chances.size(), false);
    for (std::size_t i = 0; i < order.size(); ++i) {
        if (chances[order[i]] > wrong / static_cast<double>(order.size() - i)) break;
        out[order[i]] = true;
    }
    return out;
}

std::optional<std::size_t> pairs_needed(const Estimate& difference, double confidence) {
    if (difference.count < 2 || difference.mean == 0) return std::nullopt;
    if (difference.deviation == 0) return 2;
    constexpr std::size_t most = 1'000'000;
    const double ratio = difference.deviation / std::abs(difference.mean), share = 0.5 + 0.5 * confidence;
    const auto enough = [&](std::size_t n) {
        return t_quantile(share, static_cast<double>(n) - 1) * ratio < std::sqrt(static_cast<double>(n));
    };
    if (!enough(most)) return most;
    std::size_t low = 1, high = most;  // too few, enough
    while (high - low > 1) {
        const std::size_t middle = low + (high - low) / 2;
        (middle >= 2 && enough(middle) ? high : low) = middle;
    }
    return high;
}

std::vector<std::size_t> next_tries(const std::vector<Estimate>& so_far, std::size_t more) {
    const std::size_t n = so_far.size();
    std::vector<std::size_t> out(n, 0);
    if (n == 0) return out;
    const auto best_at = std::min_element(
        so_far.begin(), so_far.end(), [](const Estimate& a, const Estimate& b) { return a.mean < b.mean; });
    const std::size_t best = static_cast<std::size_t>(best_at - so_far.begin());
    std::size_t tried = more;
    double least_gap = 1e300;
    for (std::size_t i = 0; i < n; ++i) {
        tried += so_far[i].count;
        if (so_far[i].mean > best_at->mean) least_gap = std::min(least_gap, so_far[i].mean - best_at->mean);
    }
    // Shares: (deviation / distance from the best)^2 for the others, from theirs that of the best.
    std::vector<double> weight(n, 0);
    double of_best = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (i == best) continue;
        const double gap = std::max(so_far[i].mean - best_at->mean, least_gap < 1e299 ? 1e-3 * least_gap : 1.0);
        weight[i] = std::pow(so_far[i].deviation / gap, 2);
        if (so_far[i].deviation > 0) of_best += std::pow(weight[i] / so_far[i].deviation, 2);
    }
    weight[best] = best_at->deviation * std::sqrt(of_best);
    // What each has beyond its share is not taken back, so the rest share what is left.
    std::vector<double> wanted(n);
    std::vector<bool> open(n, true);
    for (double left = static_cast<double>(tried);;) {
        double all = 0;
        for (std::size_t i = 0; i < n; ++i)
            if (open[i]) all += weight[i];
        bool again = false;
        for (std::size_t i = 0; i < n; ++i) {
            if (!open[i]) continue;
            wanted[i] = all > 0 ? left * weight[i] / all : static_cast<double>(so_far[i].count);
            if (wanted[i] >= static_cast<double>(so_far[i].count)) continue;
            wanted[i] = static_cast<double>(so_far[i].count), open[i] = false, again = true;
        }
        if (!again) break;
        left = static_cast<double>(tried);
        for (std::size_t i = 0; i < n; ++i)
            if (!open[i]) left -= static_cast<double>(so_far[i].count);
    }
    // Whole numbers that add up: the largest remainders first, and the best where nobody wants any.
    std::size_t given = 0;
    std::vector<std::pair<double, std::size_t>> rest;
    for (std::size_t i = 0; i < n; ++i) {
        const double extra = std::max(0.0, wanted[i] - static_cast<double>(so_far[i].count));
        out[i] = std::min(static_cast<std::size_t>(extra), more - given);
        given += out[i];
        rest.emplace_back(static_cast<double>(out[i]) - extra, i);
    }
    std::sort(rest.begin(), rest.end());
    for (std::size_t i = 0; given < more; i = (i + 1) % n, ++given) ++out[rest[i].second];
    return out;
}

std::vector<std::vector<double>> even_points(std::size_t size, std::size_t count) {
    boost::random::sobol engine(size);
    constexpr double scale = 0x1p-64;
    std::vector<std::vector<double>> out(count, std::vector<double>(size));
    for (std::vector<double>& point : out)
        for (double& v : point) v = static_cast<double>(engine()) * scale;
    return out;
}

}  // namespace escarp::study
