#include <catch2/catch.hpp>

#include <inspection/status.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;
using simulation::ticks;

TEST_CASE("a beam and a stop say whether they are on, since when and by what") {
    json tree = tests::belt_cell(100, 200, 2000, 20);
    tree["devices"].push_back({{"id", "beam"}, {"name", "Beam"}, {"kind", "beam"}, {"host", "belt"}, {"span_mm", 230},
        {"beam_height_mm", 30}, {"placement", {{"x_mm", 0}}}});
    tree["devices"].push_back(
        {{"id", "stop"}, {"name", "Stop"}, {"kind", "stop"}, {"host", "belt"}, {"placement", {{"x_mm", 500}}}});
    const auto c = tests::read(tree);
    simulation::PlanCache plans;
    const auto r = simulation::run(*c, plans, {});
    const auto says = [&](const char* device, double t) {
        return inspection::status(*c, *r, c->device(device), ticks(t));
    };
    const std::string part = c->part_types[c->part_type("block60")].name;
    // Its front is at the beam, in the middle of 2 m at 200 mm/s, after (1000 - 60) / 200 = 4.7 s, its back 0.3 s
    // later.
    CHECK(says("beam", 4) == "off 4.0 s");
    CHECK(says("beam", 4.9) == "on 0.2 s: " + part);
    CHECK(says("beam", 6) == "off 1.0 s");
    // At the stop, 1500 mm along, after (1500 - 60) / 200 = 7.2 s.
    CHECK(says("stop", 7.1) == "off 7.1 s");
    CHECK(says("stop", 8.2) == "on 1.0 s: " + part);
    CHECK(says("belt", 8).empty());
}
