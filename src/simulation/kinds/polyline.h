#pragma once
// Corner points of what is drawn as a line on the floor.

#include <cell/device_kind.h>

namespace escarp::simulation {

/// `points_mm`: 2 to 200 corner points [x, y] in the device's own axes, in m. A problem where they do not fit.
inline std::vector<geometry::Vector3> read_corners(const cell::Reader& r) {
    std::vector<geometry::Vector3> points;
    const cell::json& list = r.raw("points_mm");
    bool fits = list.is_array() && list.size() >= 2 && list.size() <= 200;
    if (fits)
        for (const cell::json& p : list) {
            fits = fits && p.is_array() && p.size() == 2 && p[0].is_number() && p[1].is_number() && std::abs(p[0].get<double>()) <= 1e5 && std::abs(p[1].get<double>()) <= 1e5;
            if (!fits) break;
            const geometry::Vector3 at(1e-3 * p[0].get<double>(), 1e-3 * p[1].get<double>(), 0);
            if (points.empty() || (points.back() - at).norm() > 1e-3) points.push_back(at);
        }
    if (fits && points.size() >= 2) return points;
    r.problem("points_mm", "A list of 2 to 200 corner points is expected, each [x, y] in mm and at least 1 mm from the one before.");
    return {{-0.5, 0, 0}, {0.5, 0, 0}};
}

inline void mirror_corners(cell::json& device) {
    for (cell::json& p : device["points_mm"]) p[1] = 0.0 - p[1].get<double>();
}

}  // namespace escarp::simulation
