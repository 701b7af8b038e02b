#pragma once
// Corner points of what is drawn as a line on the floor.

#include <algorithm>

#include <cell/model/device_kind.h>

namespace escarp::simulation {

/// Points [x, y] in mm on the floor, in m; empty where they do not fit (then it is a problem unless the key is
/// missing).
inline std::vector<geometry::Vector3> read_places(const cell::Reader& r, const std::string& key) {
    std::vector<geometry::Vector3> places;
    const cell::json& list = r.raw(key);
    bool fits = list.is_array() && list.size() <= 200;
    if (fits)
        for (const cell::json& p : list) {
            fits = p.is_array() && p.size() == 2 && p[0].is_number() && p[1].is_number() &&
                   std::abs(p[0].get<double>()) <= 1e5 && std::abs(p[1].get<double>()) <= 1e5;
            if (!fits) break;
            places.emplace_back(1e-3 * p[0].get<double>(), 1e-3 * p[1].get<double>(), 0);
        }
    if (fits) return places;
    if (r.has(key)) r.problem(key, "A list of at most 200 points is expected, each [x, y] in mm.");
    return {};
}

/// `points_mm`: 2 to 200 corner points [x, y] in the device's own axes, in m. A problem where they do not fit.
inline std::vector<geometry::Vector3> read_corners(const cell::Reader& r) {
    std::vector<geometry::Vector3> points = read_places(r, "points_mm");
    points.erase(
        std::unique(points.begin(), points.end(), [](const auto& a, const auto& b) { return (a - b).norm() <= 1e-3; }),
        points.end());
    if (points.size() >= 2) return points;
    r.problem("points_mm",
        "A list of 2 to 200 corner points is expected, each [x, y] in mm and at least 1 mm from the one before.");
    return {{-0.5, 0, 0}, {0.5, 0, 0}};
}

inline void mirror_places(cell::json& list) {
    for (cell::json& p : list) p[1] = 0.0 - p[1].get<double>();
}

}  // namespace escarp::simulation
