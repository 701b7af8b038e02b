#include "distance_map.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace escarp::geometry {
namespace {

/// Squared distance transform of one line: the lower envelope of parabolas.
void envelope(const std::vector<float>& f, std::vector<float>& d, std::vector<int>& v, std::vector<float>& z) {
    const int n = static_cast<int>(f.size());
    int k = 0;
    v[0] = 0;
    z[0] = -1e20f, z[1] = 1e20f;
    const auto at = [](auto& list, int i) -> auto& { return list[i]; };
    for (int q = 1; q < n; ++q) {
        const auto meets = [&](int p) {
            return ((at(f, q) + static_cast<float>(q) * static_cast<float>(q)) -
                       (at(f, p) + static_cast<float>(p) * static_cast<float>(p))) /
                   static_cast<float>(2 * (q - p));
        };
        float s = meets(at(v, k));
        while (s <= at(z, k)) s = meets(at(v, --k));
        ++k;
        at(v, k) = q;
        at(z, k) = s;
        at(z, k + 1) = 1e20f;
    }
    k = 0;
    for (int q = 0; q < n; ++q) {
        while (at(z, k + 1) < static_cast<float>(q)) ++k;
        const int p = at(v, k);
        at(d, q) = static_cast<float>((q - p) * (q - p)) + at(f, p);
    }
}

}  // namespace

std::vector<float> distance_inside(const std::vector<char>& inside, int columns, int rows) {
    const int w = columns + 2, h = rows + 2;  // a rim of outside all round
    std::vector<float> grid(static_cast<std::size_t>(w) * static_cast<std::size_t>(h), 0.f);
    const auto cell = [&](int x, int y) -> float& {
        return grid[static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)];
    };
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x)
            if (inside[static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(x)])
                cell(x + 1, y + 1) = 1e12f;
    const std::size_t most = static_cast<std::size_t>(std::max(w, h));
    std::vector<float> z(most + 1);
    std::vector<int> v(most);
    std::vector<float> line(static_cast<std::size_t>(h)), out(static_cast<std::size_t>(h));
    for (int x = 0; x < w; ++x) {
        for (int y = 0; y < h; ++y) line[y] = cell(x, y);
        envelope(line, out, v, z);
        for (int y = 0; y < h; ++y) cell(x, y) = out[y];
    }
    line.resize(static_cast<std::size_t>(w)), out.resize(static_cast<std::size_t>(w));
    for (int y = 0; y < h; ++y) {
        for (int x = 0; x < w; ++x) line[x] = cell(x, y);
        envelope(line, out, v, z);
        for (int x = 0; x < w; ++x) cell(x, y) = out[x];
    }
    std::vector<float> result(inside.size());
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x)
            result[static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(x)] =
                std::sqrt(cell(x + 1, y + 1));
    return result;
}

}  // namespace escarp::geometry
