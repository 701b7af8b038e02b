#include <catch2/catch.hpp>

#include <cell/text/numbers.h>
#include <study/figures.h>
#include <study/interlock.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {
const inspection::Finding* found(const study::Evaluation& e, const std::string& id) {
    for (const inspection::Finding& f : e.inspection->findings)
        if (f.id == id) return &f;
    return nullptr;
}
}  // namespace

TEST_CASE("ways out of a contact at a step were tried: each does what it says, at the cycle that it says") {
    inspection::Cache cache;
    // A beam just above what the arm's part passes when it comes to the tester.
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back(
        {{"id", "bar"}, {"name", "Bar"}, {"kind", "structure"}, {"shape", "box"}, {"length_mm", 60}, {"width_mm", 400},
            {"height_mm", 60}, {"placement", {{"x_mm", 1880}, {"y_mm", 690}, {"z_mm", 900}}}});
    for (json& d : tree["devices"])
        if (d["id"] == "arm1") d["detours"] = false;
    const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto e = study::with_zones(*study::evaluate(layout, cache), cache, nullptr, true);
    CHECK(e->complete);
    const int hits = study::contacts(*e);
    REQUIRE(hits > 0);
    const inspection::Finding* contact = found(*e, "clearance:arm1:bar");
    REQUIRE(contact);
    REQUIRE(contact->severity == inspection::Severity::stop);
    int ways = 0;
    for (const inspection::WayOut& way : contact->ways_out) {
        if (way.effect.find("cycle") == std::string::npos) continue;
        ++ways;
        INFO(way.label << ": " << way.effect);
        const auto with = study::evaluate(layout.edited(way.edit), cache);
        const inspection::Finding* still = found(*with, "clearance:arm1:bar");
        CHECK((!still || still->severity != inspection::Severity::stop));
        CHECK(study::contacts(*with) < hits);
        CHECK(with->figures.poses_reached == e->figures.poses_reached);
        char said[32];
        std::snprintf(said, sizeof said, "cycle %.2f s", *with->figures.cycle_s);
        CHECK(way.effect.find(said) != std::string::npos);
        if (way.effect.find("keeps the safety distance") != std::string::npos) CHECK(still == nullptr);
    }
    CHECK(ways > 0);
    CHECK(ways <= 4);
}

TEST_CASE(
    "two arms that pass too near: what one of them stands on is moved away, so far that they keep their distance") {
    inspection::Cache cache;
    const auto layout = simulation::layout(tests::demo(), "B");
    const auto e = study::with_zones(*study::evaluate(layout, cache), cache, nullptr, true);
    const inspection::Finding* near = found(*e, "clearance:arm1:arm2");
    REQUIRE(near);
    REQUIRE(near->severity == inspection::Severity::watch);
    REQUIRE_FALSE(near->ways_out.empty());
    for (const inspection::WayOut& way : near->ways_out) {
        INFO(way.label << ": " << way.effect);
        const auto with = study::evaluate(layout.edited(way.edit), cache);
        CHECK(found(*with, "clearance:arm1:arm2") == nullptr);
        CHECK(study::contacts(*with) == 0);
        CHECK(way.effect.find("cycle " + cell::fixed(*with->figures.cycle_s, 2) + " s") != std::string::npos);
    }
    CHECK(near->ways_out.back().label.find("Move ") != std::string::npos);
}
