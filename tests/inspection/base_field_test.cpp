#include <catch2/catch.hpp>

#include <geometry/distance_map.h>
#include <inspection/base_field.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::inspection;

TEST_CASE("the distance transform is the brute-force one") {
    tests::Draw draw(8);
    for (int round = 0; round < 20; ++round) {
        const int w = draw.whole(1, 30), h = draw.whole(1, 30);
        std::vector<char> inside(static_cast<std::size_t>(w * h));
        for (char& c : inside) c = draw.in(0, 1) < 0.8;
        const std::vector<float> found = geometry::distance_inside(inside, w, h);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                double best = 1e9;
                for (int b = -1; b <= h; ++b)
                    for (int a = -1; a <= w; ++a)
                        if (a < 0 || b < 0 || a >= w || b >= h || !inside[b * w + a])
                            best = std::min(best, std::hypot(a - x, b - y));
                REQUIRE(found[y * w + x] == Approx(best).margin(1e-4));
            }
    }
}

TEST_CASE("from a base position that the field calls good every pose is reached, from others one is not") {
    const cell::Document d = tests::demo();
    const cell::json tree = d.resolved(d.baseline());
    const auto c = tests::read(tree);
    Cache cache;
    const auto poses = check_reach(*c, cache);
    const int arm = c->device("arm1");
    const BaseField field = base_field(*c, arm, poses);
    REQUIRE(field.columns > 20);
    REQUIRE(field.best >= 0);
    CHECK(field.poses >= 3);
    tests::Draw draw(2);
    int good = 0, bad = 0, odd = 0;
    const int root = movable_root(*c, arm);
    for (int i = 0; i < 120; ++i) {
        const int index = draw.whole(0, field.columns * field.rows - 1);
        const bool claimed = field.turn[index] == 0;
        if (field.turn[index] > 0) continue;
        if (claimed && field.margin[index] < 0.03f) continue;  // on the rim a cell's neighbour may be asked
        cell::json moved = tree;
        const geometry::Vector3 to =
            field.base_at(index, c->devices[arm].world).translation() - c->devices[arm].world.translation();
        cell::json& at = moved["devices"][root]["placement"];
        at["x_mm"] = at["x_mm"].get<double>() + 1e3 * to.x();
        at["y_mm"] = at["y_mm"].get<double>() + 1e3 * to.y();
        const auto there = tests::read(moved);
        const auto now = check_reach(*there, cache);
        const bool all =
            std::all_of(now.begin(), now.end(), [&](const PoseNeed& n) { return n.arm != arm || n.pose_reached; });
        const bool with_lines =
            std::all_of(now.begin(), now.end(), [&](const PoseNeed& n) { return n.arm != arm || n.reached; });
        (claimed ? good : bad)++;
        if (claimed) CHECK(all);
        else if (with_lines) ++odd;
    }
    CHECK(good > 5);
    CHECK(bad > 20);
    CHECK(odd == 0);  // where the field says no, a pose or a straight move to or from it cannot be made
}
