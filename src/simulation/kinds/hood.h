#pragma once
// A tunnel over the place where parts enter or leave the cell, so that none appears or vanishes in view.

#include <cell/device_kind.h>

namespace escarp::simulation {

/// Two sides and a roof, open along x; `length_mm`, `width_mm` and `height_mm` are outer sizes.
inline void add_hood(const cell::Reader& r, cell::Device& d) {
    const double length = r.number("length_mm", {50, 5000}, 300), width = r.number("width_mm", {50, 5000}, 240),
                 height = r.number("height_mm", {50, 5000}, 250);
    const double sheet = 0.008;
    for (const double side : {-1.0, 1.0})
        d.bodies.push_back(
            cell::standing_box("side", {length, sheet, height - sheet}, {0, side * 0.5 * (width - sheet), 0}));
    d.bodies.push_back(cell::standing_box("roof", {length, width, sheet}, {0, 0, height - sheet}));
    d.mount = geometry::make_frame({0, 0, height});
}

}  // namespace escarp::simulation
