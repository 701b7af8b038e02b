#pragma once
// Cells drawn at random in which there are no parts: arms that move and wait, beside each other or far apart.

#include "cells.h"
#include "random.h"

namespace escarp::tests {

/// Arms that do nothing but move and wait, each at its own pace, so far apart.
inline json arms_only(Draw& draw, int arms, double apart_mm = 3000) {
    json tree = {{"escarp", 1}, {"horizon_s", 120}, {"arm_models", cell::catalogue_arms()}, {"devices", json::array()}};
    for (int i = 0; i < arms; ++i) {
        json task = json::array();
        for (int k = 0, steps = draw.whole(1, 3); k < steps; ++k)
            task.push_back({{"id", "d" + std::to_string(k)}, {"do", "delay"}, {"time_s", draw.whole(1, 20) * 0.25}});
        if (draw.whole(0, 1)) {
            task.push_back({{"id", "l"}, {"do", "move"}, {"pose", "l"}});
            task.push_back({{"id", "r"}, {"do", "move"}, {"pose", "r"}});
        }
        tree["devices"].push_back({{"id", "a" + std::to_string(i)}, {"name", "A" + std::to_string(i)}, {"kind", "arm"},
            {"model", "six600"}, {"detours", false}, {"placement", {{"x_mm", apart_mm * i}}}, {"task", task},
            {"poses", {{{"id", "l"}, {"joints_deg", {30, 0, 0, 0, 60, 0}}},
                          {{"id", "r"}, {"joints_deg", {-30, 0, 0, 0, 60, 0}}}}}});
    }
    return tree;
}

/// Two arms beside each other, each of which comes into the space of the other and goes out again.
inline json arms_that_meet(Draw& draw) {
    json tree = arms_only(draw, 2, 100 * draw.whole(6, 8));
    for (int i = 0; i < 2; ++i) {
        json& arm = tree["devices"][i];
        arm["placement"]["turn_deg"] = 180 * i;  // they reach towards each other
        arm["speed_pct"] = 10 * draw.whole(4, 10);
        arm["poses"] = {{{"id", "l"}, {"joints_deg", {0, 20, 0, 0, 60, 0}}},
            {{"id", "r"}, {"joints_deg", {60 + 5 * draw.whole(0, 6), 0, 0, 0, 60, 0}}}};
        arm["task"] = {{{"id", "d0"}, {"do", "delay"}, {"time_s", draw.whole(1, 12) * 0.25}},
            {{"id", "r"}, {"do", "move"}, {"pose", "r"}}, {{"id", "l"}, {"do", "move"}, {"pose", "l"}},
            {{"id", "d1"}, {"do", "delay"}, {"time_s", draw.whole(1, 6) * 0.25}},
            {{"id", "r2"}, {"do", "move"}, {"pose", "r"}}};
    }
    return tree;
}

}  // namespace escarp::tests
