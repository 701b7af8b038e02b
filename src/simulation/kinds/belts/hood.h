#pragma once
// A tunnel over the place where parts enter or leave the cell, so that none appears or vanishes in view.

#include <cell/model/device_kind.h>

namespace escarp::simulation {

/// Two sides and a roof, open along x; outer sizes in m.
inline void add_hood(double length, double width, double height, cell::Device& d) {
    const double sheet = 0.008;
    for (const double side : {-1.0, 1.0})
        d.bodies.push_back(
            cell::standing_box("side", {length, sheet, height - sheet}, {0, side * 0.5 * (width - sheet), 0}));
    d.bodies.push_back(cell::standing_box("roof", {length, width, sheet}, {0, 0, height - sheet}));
    d.mount = geometry::make_frame({0, 0, height});
}

}  // namespace escarp::simulation
