// Why a device waits: chains and rings.

#include <catch2/catch.hpp>

#include <inspection/why.h>
#include <simulation/plan.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

json station(const char* id, double x, json task) {
    return {{"id", id}, {"name", id}, {"kind", "structure"}, {"length_mm", 100}, {"width_mm", 100}, {"height_mm", 100},
        {"placement", {{"x_mm", x}}}, {"own_signals", {"on"}}, {"task", std::move(task)}};
}
json step(const char* id, const char* what, json more) {
    json s{{"id", id}, {"do", what}};
    s.update(more);
    return s;
}

struct Asked {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const simulation::Run> run;
    inspection::Why why(const char* device, double s) const {
        return inspection::why(*cell, *run, cell->device(device), simulation::ticks(s));
    }
};
Asked asked(const json& tree, double horizon = 30) {
    simulation::PlanCache plans;
    Asked a{tests::read(tree), nullptr};
    simulation::RunOptions o;
    o.horizon_s = horizon;
    o.stop_when_steady = false;
    a.run = simulation::run(*a.cell, plans, o);
    return a;
}

}  // namespace

TEST_CASE("a wait is followed from one device to the next, to the one that really holds things up") {
    // c works for 10 s; b waits for c, a waits for b.
    const json tree{{"escarp", 1}, {"horizon_s", 60},
        {"devices",
            {station("a", 0, {step("w", "wait", {{"signal", "b.on"}}), step("d", "delay", {{"time_s", 100}})}),
                station("b", 1000,
                    {step("w", "wait", {{"signal", "c.on"}}), step("s", "set", {{"signal", "b.on"}, {"to", true}}),
                        step("d", "delay", {{"time_s", 100}})}),
                station("c", 2000,
                    {step("d", "delay", {{"time_s", 10}}), step("s", "set", {{"signal", "c.on"}, {"to", true}}),
                        step("e", "delay", {{"time_s", 100}})})}}};
    const Asked now = asked(tree);
    const inspection::Why found = now.why("a", 4);
    REQUIRE(found.chain.size() == 3);
    CHECK(found.chain[0].waits);
    CHECK(found.chain[0].words == "waits for b on");
    CHECK(found.chain[1].device == now.cell->device("b"));
    CHECK(found.chain[2].device == now.cell->device("c"));
    CHECK_FALSE(found.chain[2].waits);
    CHECK(found.chain[2].words.find("until 10.00 s") != std::string::npos);
    CHECK_FALSE(found.ring);
    CHECK(inspection::in_words(*now.cell, found).find("a waits for b on, because b waits for c on, because c is at") ==
          0);
    // Afterwards nobody waits.
    CHECK_FALSE(now.why("a", 12).chain.front().waits);
}

TEST_CASE("a ring is named, with the instant at which it closed") {
    const json tree{{"escarp", 1}, {"horizon_s", 60},
        {"devices",
            {station("a", 0,
                 {step("w", "wait", {{"signal", "b.on"}}), step("s", "set", {{"signal", "a.on"}, {"to", true}}),
                     step("d", "delay", {{"time_s", 1}})}),
                station("b", 1000,
                    {step("d", "delay", {{"time_s", 3}}), step("w", "wait", {{"signal", "a.on"}}),
                        step("s", "set", {{"signal", "b.on"}, {"to", true}})}),
                station("c", 2000, {step("w", "wait", {{"signal", "a.on"}}), step("d", "delay", {{"time_s", 1}})})}}};
    const Asked now = asked(tree);
    REQUIRE(now.run->stuck);
    const inspection::Why two = now.why("a", 20);
    CHECK(two.ring);
    CHECK(two.back_to == 0);
    CHECK(two.chain.size() == 2);
    const inspection::Why beside = now.why("c", 20);  // waits for the ring, is not of it
    CHECK(beside.ring);
    CHECK(beside.back_to == 1);
    CHECK(beside.chain.size() == 3);
    inspection::Cache cache;
    const auto found = inspection::inspect(*now.cell, *now.run, cache);
    const auto standstill =
        std::find_if(found->findings.begin(), found->findings.end(), [](const auto& f) { return f.id == "deadlock"; });
    REQUIRE(standstill != found->findings.end());
    CHECK(standstill->text.find("ring: a waits for b waits for a; it is closed since 3") != std::string::npos);
    CHECK(*standstill->when_s == Approx(3));
}

TEST_CASE("in the demo every wait of an arm ends where its chain begins to move: the device named goes on first") {
    const auto e = tests::evaluated(tests::demo(), "A");
    int followed = 0;
    for (const simulation::Block& b : e->run->trace.blocks) {
        if (b.kind != simulation::BlockKind::wait || b.to == simulation::never ||
            b.to - b.from < simulation::second / 10)
            continue;
        const inspection::Why why = inspection::why(*e->cell, *e->run, b.device, b.from);
        INFO(inspection::in_words(*e->cell, why));
        REQUIRE(!why.chain.empty());
        CHECK(why.chain.front().waits);
        CHECK_FALSE(why.ring);  // it ends, so it is no ring
        ++followed;
    }
    CHECK(followed > 10);
}
