#include <catch2/catch.hpp>

#include <cell/edits/task_edits.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

std::vector<std::string> ids(const cell::Document& d, const std::string& list) {
    std::vector<std::string> out;
    for (const json& s : *cell::find(d.tree(), list)) out.push_back(s.value("id", ""));
    return out;
}

cell::Document done(const cell::Document& d, const cell::Edit& edit) {
    const cell::Document next = d.edited(d.baseline(), edit);
    simulation::layout(next, d.baseline()).shared_cell();
    return next;
}

}  // namespace

TEST_CASE("a step moves before or behind any other, and nothing else of the task changes") {
    const cell::Document d = tests::demo();
    const std::string list = "/devices/arm1/task";
    const std::vector<std::string> before = ids(d, list);
    for (std::size_t from = 0; from < before.size(); ++from)
        for (std::size_t to = 0; to < before.size(); ++to)
            for (const bool front : {true, false}) {
                const cell::Edit edit = cell::move_step(simulation::layout(d, d.baseline()), list + "/" + before[from],
                    {list + "/" + before[to], front}, false);
                const cell::Document next = done(d, edit);
                std::vector<std::string> expected = before;
                if (from != to) {
                    expected.erase(expected.begin() + static_cast<std::ptrdiff_t>(from));
                    auto at = std::find(expected.begin(), expected.end(), before[to]);
                    expected.insert(front ? at : at + 1, before[from]);
                }
                CHECK(ids(next, list) == expected);
                CHECK(*cell::find(next.tree(), list + "/" + before[from]) ==
                      *cell::find(d.tree(), list + "/" + before[from]));
            }
}

TEST_CASE("a copied step has an id of its own, and so has all that is in it") {
    cell::Document d = tests::demo();
    json repeat = {{"id", "r1"}, {"do", "repeat"}, {"times", 2},
        {"steps", {{{"id", "r2"}, {"do", "delay"}, {"time_s", 1}}, {{"id", "r3"}, {"do", "delay"}, {"time_s", 2}}}}};
    d = done(d, {"x", {cell::Operation::add("/devices/arm1/task", repeat)}});
    std::string id;
    const cell::Document next =
        done(d, cell::move_step(simulation::layout(d, d.baseline()), "/devices/arm1/task/r1",
                    {"/devices/arm2/task/" + ids(d, "/devices/arm2/task").front(), true}, true, &id));
    CHECK(ids(next, "/devices/arm2/task").front() == id);
    const json copy = *cell::find(next.tree(), "/devices/arm2/task/" + id);
    REQUIRE(copy["steps"].size() == 2);
    std::set<std::string> all{id, copy["steps"][0]["id"], copy["steps"][1]["id"], "r1", "r2", "r3"};
    CHECK(all.size() == 6);
    CHECK(copy["steps"][1]["time_s"] == 2);
    CHECK(cell::find(next.tree(), "/devices/arm1/task/r1"));
    // Out of a group, and not into itself.
    const cell::Document out = done(d, cell::move_step(simulation::layout(d, d.baseline()),
                                           "/devices/arm1/task/r1/steps/r3", {"/devices/arm1/task/r1", false}, false));
    CHECK(ids(out, "/devices/arm1/task").back() == "r3");
    CHECK(ids(out, "/devices/arm1/task/r1/steps") == std::vector<std::string>{"r2"});
    CHECK_THROWS_AS(cell::move_step(simulation::layout(d, d.baseline()), "/devices/arm1/task/r1",
                        {"/devices/arm1/task/r1/steps/r2", true}, false),
        cell::InputError);
    CHECK_THROWS_AS(cell::move_step(simulation::layout(d, d.baseline()), "/devices/arm1/task/none",
                        {"/devices/arm1/task/s1", true}, false),
        cell::InputError);
}

TEST_CASE("a step made into a block leaves the cycle as it was; unpacked, the task is as before but for ids") {
    const cell::Document d = tests::demo();
    const auto cycle = [](const cell::Document& document) {
        inspection::Cache cache;
        return study::evaluate(simulation::layout(document, document.baseline()), cache)->figures.cycle_s.value();
    };
    std::string use;
    const cell::Document blocked =
        done(d, cell::make_block(simulation::layout(d, d.baseline()), "/devices/arm1/task/s2", "Fetch", &use));
    CHECK(blocked.tree()["blocks"][0]["steps"][0] == *cell::find(d.tree(), "/devices/arm1/task/s2"));
    CHECK(cycle(blocked) == Approx(cycle(d)).margin(1e-6));
    // What comes next joins it.
    const cell::Document two = done(
        blocked, cell::move_step(simulation::layout(blocked, blocked.baseline()), "/devices/arm1/task/s3",
                     {"/blocks/" + blocked.tree()["blocks"][0]["id"].get<std::string>() + "/steps/s2", false}, false));
    CHECK(two.tree()["blocks"][0]["steps"].size() == 2);
    CHECK(cycle(two) == Approx(cycle(d)).margin(1e-6));
    const cell::Document back =
        done(two, cell::unpack_block(simulation::layout(two, two.baseline()), "/devices/arm1/task/" + use));
    const json &a = *cell::find(d.tree(), "/devices/arm1/task"), &b = *cell::find(back.tree(), "/devices/arm1/task");
    REQUIRE(a.size() == b.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
        json x = a[i], y = b[i];
        x.erase("id"), y.erase("id");
        CHECK(x == y);
    }
    CHECK(cycle(back) == Approx(cycle(d)).margin(1e-6));
}

TEST_CASE("a step goes into a group as its first, whether the group is empty, has steps, or lacks the list") {
    cell::Document d = tests::demo();
    const std::string list = "/devices/arm1/task";
    d = done(
        d, {"x", {cell::Operation::add(list, {{"id", "e1"}, {"do", "repeat"}, {"times", 2}, {"steps", json::array()}}),
                     cell::Operation::add(list, {{"id", "w1"}, {"do", "delay"}, {"time_s", 1}})}});
    const std::size_t count = ids(d, list).size();
    d = done(
        d, cell::move_step(simulation::layout(d, d.baseline()), list + "/w1", {list + "/e1", false, "steps"}, false));
    CHECK(ids(d, list + "/e1/steps") == std::vector<std::string>{"w1"});
    CHECK(ids(d, list).size() == count - 1);
    std::string id;
    d = done(d, cell::move_step(simulation::layout(d, d.baseline()), list + "/e1/steps/w1",
                    {list + "/e1", false, "steps"}, true, &id));
    CHECK(ids(d, list + "/e1/steps") == std::vector<std::string>{id, "w1"});
    d = done(d, {"x", {cell::Operation::add(list, {{"id", "i1"}, {"do", "if"}, {"part", "good"}})}});
    d = done(d, cell::move_step(
                    simulation::layout(d, d.baseline()), list + "/e1/steps/w1", {list + "/i1", false, "else"}, false));
    CHECK(ids(d, list + "/i1/else") == std::vector<std::string>{"w1"});
    CHECK_THROWS_AS(
        cell::move_step(simulation::layout(d, d.baseline()), list + "/e1", {list + "/e1", false, "steps"}, false),
        cell::InputError);
}
