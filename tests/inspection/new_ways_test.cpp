// Findings about what was set up wrongly, and whether each way out that is offered does what it says.

#include <catch2/catch.hpp>

#include <inspection/orders.h>
#include <study/interlock.h>
#include <study/wait_elsewhere.h>

#include "support/cells.h"

using namespace escarp;
using cell::Operation;
using tests::json;

namespace {

const inspection::Finding* told_as(const study::Evaluation& e, const std::string& id) {
    for (const auto& f : e.inspection->findings)
        if (f.id.rfind(id, 0) == 0) return &f;
    return nullptr;
}

/// Takes each way out of a finding and looks whether the finding is gone.
void each_mends(const cell::Document& d, const std::string& variant, const std::string& id) {
    const auto before = tests::evaluated(d, variant);
    const auto* f = told_as(*before, id);
    REQUIRE(f);
    REQUIRE(!f->ways_out.empty());
    for (const inspection::WayOut& way : f->ways_out) {
        INFO(f->title << ": " << way.label);
        CHECK(!told_as(*tests::evaluated(d.edited(variant, way.edit), variant), id));
    }
}

}  // namespace

TEST_CASE("a grip that is in the air is told and put back") {
    const cell::Document d = tests::demo();
    CHECK(!told_as(*tests::evaluated(d, "A"), "grip:"));
    json tree = d.tree();
    auto& part = tree["part_types"][0];
    REQUIRE(part["grips"].size() >= 1);
    part["grips"][0]["at_mm"] = {0, 0, 900};
    const cell::Document moved = cell::Document::parse(tree.dump());
    each_mends(moved, "A", "grip:");
}

TEST_CASE("an infeed that does not stand at its belt's beginning is told and put there") {
    const cell::Document d = tests::demo();
    CHECK(!told_as(*tests::evaluated(d, "A"), "feeds:"));
    const json places[] = {{{"x_mm", -4000}, {"y_mm", 900}, {"z_mm", 0}}, {{"x_mm", 0}, {"y_mm", 3000}, {"z_mm", 790}}};
    for (const json& place : places) {
        const cell::Document moved = d.edited("A", {"", {Operation::set("/devices/infeed/host", "floor"),
                                                            Operation::set("/devices/infeed/placement", place)}});
        each_mends(moved, "A", "feeds:infeed");
    }
}

TEST_CASE("a device at another height is reached again by ways out, some of which alter a height") {
    const cell::Document d = tests::demo();
    const cell::Document low = d.edited("A", {"", {Operation::set("/devices/tester/placement/z_mm", 300)}});
    const auto e = tests::evaluated(low, "A");
    std::size_t tried = 0, heights = 0;
    for (const auto& f : e->inspection->findings) {
        if (f.id.rfind("reach:", 0) != 0) continue;
        for (const inspection::WayOut& way : f.ways_out) {
            const auto after = tests::evaluated(low.edited("A", way.edit), "A");
            INFO(f.title << ": " << way.label);
            CHECK(after->figures.poses_reached > e->figures.poses_reached);
            ++tried;
            heights += way.label.find("Raise") == 0 || way.label.find("Lower") == 0;
        }
    }
    CHECK(tried >= 4);
    CHECK(heights >= 2);
}

TEST_CASE(
    "where letting arms in one at a time locks up, they wait elsewhere, and every way offered does what it says") {
    const cell::Document d = tests::demo();
    const cell::Layout layout = simulation::layout(d, "B");
    inspection::Cache cache;
    const auto ways = study::wait_elsewhere(layout, "arm1:arm2:1", cache);
    CHECK(!ways.empty());
    for (const inspection::WayOut& way : ways) {
        INFO(way.label);
        const cell::Layout kept = layout.edited(way.edit);
        const auto after = study::evaluate(kept, cache);
        REQUIRE(after->figures.cycle_s);
        CHECK(after->figures.poses_reached == after->figures.poses);
        CHECK(study::contacts(*after) == 0);
        CHECK(inspection::explore_orders(kept.cell(), cache)->verdict == inspection::Orders::Verdict::goes_on);
    }
}
