// A check from the outside: a function that looks at a cell and its run, and adds what it finds.

#include <catch2/catch.hpp>

#include <inspection/check.h>

#include "support/cells.h"

using namespace escarp;

namespace {

// [example: a check]
/// Arms that have no work.
void idle_arms_check(const inspection::Context& c, inspection::Inspection& result) {
    for (const cell::Device& d : c.cell.devices) {
        if (!d.arm || !d.task.steps.empty()) continue;
        inspection::Finding f;
        f.id = "idle:" + d.id;
        f.severity = inspection::Severity::note;
        f.title = d.name + " has no work";
        f.text = "Its task has no steps.";
        f.devices = {d.id};
        result.findings.push_back(std::move(f));
    }
}
// [end]

}  // namespace

TEST_CASE("a check from the outside finds what it looks for, and nothing where there is nothing") {
    const auto found = [](const cell::json& tree) {
        inspection::Cache cache;
        const auto e = study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
        inspection::Inspection result;
        idle_arms_check({*e->cell, *e->run, cache, nullptr}, result);
        return result.findings;
    };
    cell::json tree = tests::demo().tree();
    CHECK(found(tree).empty());
    for (cell::json& d : tree["devices"])
        if (d["id"] == "arm2") d["task"] = cell::json::array();
    const auto all = found(tree);
    REQUIRE(all.size() == 1);
    CHECK(all.front().id == "idle:arm2");
}
