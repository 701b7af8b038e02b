// The kernel goes on as far as it is asked to: the same in one go or in pieces; signals from outside; who is asked.
#include <catch2/catch.hpp>

#include <simulation/kernel.h>
#include <simulation/run.h>

#include "support/cells.h"
#include "support/random_cells.h"

using namespace escarp;
using simulation::Kernel;
using simulation::Ticks;
using simulation::ticks;

TEST_CASE("a run in small pieces leaves what a run in one go leaves") {
    const auto cell = tests::read(tests::demo().resolved("A"));
    simulation::PlanCache plans;
    Kernel whole(*cell, plans), pieces(*cell, plans);
    whole.start(), pieces.start();
    whole.advance(ticks(120));
    for (Ticks t = 0; t < ticks(120); t += ticks(0.37)) {
        pieces.advance(t);
        CHECK(pieces.now() == t);
        CHECK(pieces.next_event() > t);
    }
    pieces.advance(ticks(120));
    CHECK(pieces.state() == whole.state());
    const auto &a = whole.trace(), &b = pieces.trace();
    REQUIRE(a.blocks.size() == b.blocks.size());
    CHECK(a.blocks.size() > 100);
    for (std::size_t i = 0; i < a.blocks.size(); ++i)
        REQUIRE((a.blocks[i].from == b.blocks[i].from && a.blocks[i].to == b.blocks[i].to &&
                 a.blocks[i].device == b.blocks[i].device && a.blocks[i].cause == b.blocks[i].cause));
}

TEST_CASE("a signal from outside lets go whoever waits for it, at once") {
    cell::json tree = tests::demo().resolved("A");
    for (cell::json& d : tree["devices"])
        if (d["id"] == "arm1") {
            d["own_signals"].push_back("go");
            d["task"] = {{{"id", "w1"}, {"do", "wait"}, {"signal", "arm1.go"}},
                {{"id", "w2"}, {"do", "delay"}, {"time_s", 1}},
                {{"id", "w3"}, {"do", "wait"}, {"signal", "arm1.go"}, {"is", false}}};
        }
    const auto cell = tests::read(tree);
    const int go = cell->signal("arm1.go"), arm = cell->device("arm1");
    REQUIRE(go >= 0);
    simulation::PlanCache plans;
    Kernel k(*cell, plans);
    k.start();
    k.advance(ticks(5));
    const auto waits = [&] {
        for (const auto& [device, w] : k.waits())
            if (device == arm) return std::optional(w);
        return std::optional<simulation::Waiting>();
    };
    REQUIRE(waits());
    CHECK(waits()->other == arm);
    CHECK(waits()->what == simulation::WaitFor::signal);
    k.inject(go, true);
    CHECK_FALSE(waits());
    k.advance(ticks(5.5));
    CHECK_FALSE(waits());
    k.advance(ticks(6.5));
    REQUIRE(waits());  // until it is off
    k.inject(go, false);
    REQUIRE(waits());  // again until it is on
    CHECK(k.trace().rounds[arm].size() == 1);
    CHECK(k.trace().rounds[arm].front() == ticks(6.5));
}

TEST_CASE("asking only those who listen leaves what asking everybody leaves") {
    // Everybody is asked where a step of the kernel is followed by touching each of them.
    for (unsigned seed = 1; seed <= 12; ++seed) {
        INFO("seed " << seed);
        const auto cell = tests::read(tests::RandomCell(seed).tree());
        simulation::PlanCache plans;
        Kernel some(*cell, plans), all(*cell, plans);
        some.start(), all.start();
        for (int n = 0; n < 400 && !some.ended() && some.next_event() != simulation::never; ++n) {
            some.step();
            for (int i = 0; i < static_cast<int>(cell->devices.size()); ++i) all.changing(i);
            all.step();
            REQUIRE(some.now() == all.now());
            REQUIRE(some.state() == all.state());
        }
        CHECK(some.trace().blocks.size() == all.trace().blocks.size());
    }
}
