#pragma once
// Upright prisms that devices watch: a box, or a cylinder as the prism of so many sides that holds it.

#include <cmath>

#include <simulation/kernel.h>

namespace escarp::simulation {

/// The bottom's corners, then the top's, in the device's frame. `length`: a cylinder's diameter.
inline std::vector<Vector3> prism_corners(bool round, double length, double width, double bottom, double height) {
    constexpr int sides = 24;
    std::vector<Vector3> all;
    for (const double z : {bottom, bottom + height}) {
        if (!round) {
            for (const auto& [x, y] : {std::pair{-0.5, -0.5}, {0.5, -0.5}, {0.5, 0.5}, {-0.5, 0.5}})
                all.emplace_back(x * length, y * width, z);
            continue;
        }
        const double radius = 0.5 * length / std::cos(geometry::pi / sides);
        for (int i = 0; i < sides; ++i) {
            const double angle = 2 * geometry::pi * (i + 0.5) / sides;
            all.emplace_back(radius * std::cos(angle), radius * std::sin(angle), z);
        }
    }
    return all;
}

/// Its edges as marks that are drawn thick while a signal of the device is on.
inline void mark_prism(cell::Device& d, const std::vector<Vector3>& corners, bool round, const std::string& lit_by) {
    const std::size_t sides = corners.size() / 2;
    const auto mark = [&](std::vector<Vector3> line) {
        d.marks.push_back({cell::Mark::Style::accent, std::move(line)});
        d.marks.back().lit_by = lit_by;
    };
    for (const std::size_t first : {std::size_t{0}, sides}) {
        const auto begin = corners.begin() + static_cast<std::ptrdiff_t>(first);
        std::vector<Vector3> ring(begin, begin + static_cast<std::ptrdiff_t>(sides));
        ring.push_back(ring.front());
        mark(std::move(ring));
    }
    for (std::size_t i = 0; i < sides; i += round ? 6 : 1) mark({corners[i], corners[sides + i]});
}

inline std::vector<Vector3> in_world(const cell::Device& d, std::vector<Vector3> points) {
    for (Vector3& p : points) p = d.world * p;
    return points;
}

}  // namespace escarp::simulation
