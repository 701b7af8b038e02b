#pragma once
// Instants of two simulators against each other.

#include <algorithm>
#include <cmath>
#include <vector>

namespace escarp::tests {

/// The greatest difference, in order, of the instants up to a time; 1e9 where one has more.
inline double apart(std::vector<double> a, std::vector<double> b, double until) {
    std::sort(a.begin(), a.end()), std::sort(b.begin(), b.end());
    double worst = 0;
    for (std::size_t i = 0; i < std::max(a.size(), b.size()); ++i) {
        const double x = i < a.size() ? a[i] : 1e9, y = i < b.size() ? b[i] : 1e9;
        if (std::min(x, y) > until) break;
        worst = std::max(worst, std::abs(x - y));
    }
    return worst;
}

}  // namespace escarp::tests
