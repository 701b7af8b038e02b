#include <catch2/catch.hpp>

#include <inspection/clearance_time.h>

#include "reference/sampled_contacts.h"
#include "support/cells.h"
#include "support/random_cells.h"
#include "support/rounds.h"

using namespace escarp;

TEST_CASE("the least clearance of every stretch of a run is what many instants come to, and their least is the run's") {
    inspection::Cache cache;
    int looked_at = 0;
    for (unsigned seed = 1; seed <= tests::rounds(30, 6); ++seed) {
        cell::json tree = tests::RandomCell(seed).tree();
        if (std::count_if(tree["devices"].begin(), tree["devices"].end(),
                [](const cell::json& d) { return d["kind"] == "arm"; }) > 1)
            continue;  // the sampler does not know of other arms
        tree["horizon_s"] = 40;
        for (cell::json& d : tree["devices"])
            if (d["kind"] == "arm")
                for (cell::json& s : d["task"])
                    if (s["do"] == "pick" || s["do"] == "place") s["approach_mm"] = s["retreat_mm"] = 60;
        const auto cell = tests::read(tree);
        const auto run = simulation::run(*cell, cache.plans);
        const auto all = inspection::inspect(*cell, *run, cache);
        const int bins = 25;
        const auto curve = inspection::clearance_over_time(*cell, *run, cache, 0, all->checked_s, bins);
        REQUIRE(curve.bins.size() == bins);
        const double length = all->checked_s / bins;
        double least = 1e300;
        for (int i = 0; i < bins; ++i) {
            const inspection::LeastClearance& c = curve.bins[static_cast<std::size_t>(i)];
            INFO("seed " << seed << " stretch " << i << " " << c.body_a << " / " << c.body_b << " at " << c.when_s);
            const double from = i * length, to = from + length;
            const auto sampled = tests::ContactSampler(*cell, *run, 0.01, from, to).look();
            if (c.device_a < 0) {
                CHECK(sampled.least > 1.0 - 1e-3);
                continue;
            }
            ++looked_at;
            least = std::min(least, c.distance);
            CHECK(c.when_s >= from - 1e-6);
            CHECK(c.when_s <= to + 1e-6);
            CHECK(c.distance <= sampled.least + 5e-4);
            // Between two instants, or just before the rule changes, it may be nearer.
            const auto round = tests::ContactSampler(*cell, *run, 0.01, from - 0.02, to + 0.02).look();
            const bool touch = std::any_of(
                round.deepest.begin(), round.deepest.end(), [](const auto& pair) { return pair.second > -5e-4; });
            CHECK(c.distance >= (touch ? 0 : round.least - 0.03));
            CHECK((c.on_a - c.on_b).norm() == Approx(c.distance).margin(1e-3));
        }
        if (all->clearance.device_a >= 0 && all->clearance.distance > 0)
            CHECK(least == Approx(all->clearance.distance).margin(5e-4));
        // The ranking begins with it, and each pair of the ranking has a curve that comes down to its value.
        const auto pairs = inspection::nearest_pairs(*cell, *run, cache, 0, all->checked_s);
        if (pairs.empty()) continue;
        CHECK(pairs.front().distance == Approx(least).margin(5e-4));
        CHECK(std::is_sorted(
            pairs.begin(), pairs.end(), [](const auto& a, const auto& b) { return a.distance < b.distance; }));
        const auto& pair = pairs[pairs.size() / 2];
        const auto own =
            inspection::clearance_over_time(*cell, *run, cache, 0, all->checked_s, 40, pair.device_a, pair.device_b);
        double own_least = 1e300;
        for (const auto& c : own.bins)
            if (c.device_a >= 0) own_least = std::min(own_least, c.distance);
        CHECK(own_least <= pair.distance + 5e-4);
    }
    CHECK(looked_at > tests::rounds(60));
}
