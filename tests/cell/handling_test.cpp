// Part types, tools, signals and pairs left out: the edits and what they keep whole.
#include <catch2/catch.hpp>

#include <cell/edits/handling.h>
#include <cell/edits/signal_edits.h>
#include <cell/model/tables.h>
#include <cell/read/schema.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::cell;

namespace {

Document demo_after(const std::function<Edit(const Layout&)>& edit, const Document& from = tests::demo()) {
    const Document after = from.edited(from.baseline(), edit(simulation::layout(from, from.baseline())));
    for (const VariantInfo& v : after.variants()) tests::read(after.resolved(v.id));  // each makes sense
    return after;
}

}  // namespace

TEST_CASE("a part type of every shape is made, copied and removed again, and stands under its grip") {
    Document d = tests::demo();
    const json before = d.tree();
    for (const char* shape : {"box", "cylinder", "sphere", "capsule"}) {
        std::string id, copy;
        d = demo_after([&](const Layout& l) { return add_part_type(l, shape, &id); }, d);
        const auto cell = tests::read(d.resolved("A"));
        const PartType& made = cell->part_types[cell->part_type(id)];
        REQUIRE(made.bodies.size() == 1);
        REQUIRE(made.grips.size() == 1);
        CHECK(made.grips.front().at.translation().z() <= made.height);
        CHECK(made.grips.front().at.translation().z() > 0.4 * made.height);
        CHECK(made.grips.front().at.rotation().col(2).z() == Approx(-1));  // the tool points down
        d = demo_after([&](const Layout& l) { return copy_of(l, "part_types", id, &copy); }, d);
        CHECK(copy != id);
        for (const std::string& gone : {copy, id})
            d = demo_after([&](const Layout& l) { return remove_part_type(l, gone, ""); }, d);
    }
    CHECK(d.tree() == before);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return add_part_type(l, "hull", nullptr); }), InputError);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return remove_part_type(l, "no such", ""); }), InputError);
}

TEST_CASE("a part type that is used is told with who uses it; another takes its place, or what needs it goes too") {
    const Document d = tests::demo();
    const Layout layout = simulation::layout(d, "A");
    const std::string part = layout.cell().part_types.front().id;
    const std::vector<Use> users = uses_of_part_type(layout, part);
    REQUIRE_FALSE(users.empty());
    std::string other;
    const Document two = demo_after([&](const Layout& l) { return add_part_type(l, "box", &other); });
    const Document exchanged = demo_after([&](const Layout& l) { return remove_part_type(l, part, other); }, two);
    CHECK(uses_of_part_type(simulation::layout(exchanged, "A"), other).size() == users.size());
    const Document without = demo_after([&](const Layout& l) { return remove_part_type(l, part, ""); });
    const auto cell = tests::read(without.resolved("A"));
    CHECK(cell->part_type(part) < 0);
    for (const Use& u : users)
        if (layout.cell().devices[layout.cell().device(u.device)].needs_part_type == part)
            CHECK(cell->device(u.device) < 0);
}

TEST_CASE("tools of every sort are made and mounted; a double gripper is two tools with frames to both sides") {
    for (const ToolOffer& offer : tool_offers()) {
        INFO(offer.what);
        std::string id;
        const Document d = demo_after([&](const Layout& l) { return add_tool(l, offer.what, "arm1", &id); });
        const auto cell = tests::read(d.resolved("A"));
        const Arm& arm = *cell->devices[cell->device("arm1")].arm;
        REQUIRE(arm.tool);
        CHECK(arm.tool->id == id);
        CHECK(arm.tools.size() == (offer.what == "double" ? 2 : 1));
        // The tool frame lies at the far end of the tool, none of its bodies beyond it by more than a jaw's thickness.
        for (const MountedTool& t : arm.tools) {
            const Frame inverse = t.model->frame.inverse();
            const geometry::Box3 box = geometry::bounds(t.model->bodies, inverse);
            CHECK(box.high.z() < 0.0125);
            CHECK(box.low.z() < -0.05);
        }
        if (offer.what == "double") {
            const Vector3 a = arm.tools[0].model->frame.rotation().col(2),
                          b = arm.tools[1].model->frame.rotation().col(2);
            CHECK(a.dot(b) == Approx(0).margin(1e-9));
            CHECK(a.x() * b.x() < 0);
        }
    }
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return add_tool(l, "tongs", "", nullptr); }), InputError);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return add_tool(l, "cup", "tester", nullptr); }), InputError);
}

TEST_CASE("a tool that a task works with goes only when another takes its place") {
    const Document d = tests::demo();
    const auto cell = tests::read(d.resolved("A"));
    const std::string tool = cell->devices[cell->device("arm1")].arm->tool->id;
    CHECK_FALSE(uses_of_tool(simulation::layout(d, "A"), tool).empty());
    CHECK_THROWS_AS(demo_after([&](const Layout& l) { return remove_tool(l, tool, ""); }), InputError);
    std::string other;
    const Document two = demo_after([&](const Layout& l) { return add_tool(l, "cup", "", &other); });
    const Document after = demo_after([&](const Layout& l) { return remove_tool(l, tool, other); }, two);
    const auto exchanged = tests::read(after.resolved("A"));
    CHECK(exchanged->devices[exchanged->device("arm1")].arm->tool->id == other);
}

TEST_CASE("a signal is made, renamed with all that name it, and removed when nobody names it any more") {
    const Document d = demo_after([](const Layout& l) { return add_signal(l, "arm1", "fresh"); });
    const auto has = [](const Document& of, const std::string& name) {
        const auto cell = tests::read(of.resolved("A"));
        const auto& all = cell->devices[cell->device("arm1")].signals;
        return std::any_of(all.begin(), all.end(), [&](const cell::Signal& s) { return s.name == name; });
    };
    CHECK(has(d, "fresh"));
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return add_signal(l, "arm1", "fresh"); }, d), InputError);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return add_signal(l, "arm1", "a b"); }, d), InputError);
    CHECK_FALSE(has(demo_after([](const Layout& l) { return remove_signal(l, "arm1", "fresh"); }, d), "fresh"));
    // at_tester is set by Arm 1 and waited for by Arm 2, or the other way round.
    const std::string text = d.tree().dump();
    const std::size_t at = text.find(".at_tester");
    REQUIRE(at != std::string::npos);
    const std::string owner = text.substr(text.rfind('"', at) + 1, at - text.rfind('"', at) - 1);
    const Document renamed =
        demo_after([&](const Layout& l) { return rename_signal(l, owner, "at_tester", "in_tester"); }, d);
    CHECK(renamed.resolved("A").dump().find(owner + ".at_tester") == std::string::npos);
    CHECK(renamed.resolved("A").dump().find(owner + ".in_tester") != std::string::npos);
    CHECK_THROWS_AS(demo_after([&](const Layout& l) { return remove_signal(l, owner, "at_tester"); }, d), InputError);
}

TEST_CASE("a pair is left out once, with its reason, and taken back") {
    const Document d = demo_after([](const Layout& l) { return leave_out(l, {"arm1", "tester"}, "a hose guides it"); });
    const auto cell = tests::read(d.resolved("A"));
    REQUIRE_FALSE(cell->exclusions.empty());
    CHECK(cell->exclusions.back().reason == "a hose guides it");
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return leave_out(l, {"tester", "arm1"}, ""); }, d), InputError);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return leave_out(l, {"arm1", "arm1"}, ""); }), InputError);
    CHECK_THROWS_AS(demo_after([](const Layout& l) { return leave_out(l, {"arm1", "nobody"}, ""); }), InputError);
    const Document back = demo_after([](const Layout& l) { return take_back(l, {"tester", "arm1"}); }, d);
    CHECK(tests::read(back.resolved("A"))->exclusions.size() + 1 == cell->exclusions.size());
}

TEST_CASE("a grip gets another name, and the steps that name it follow") {
    std::string part;
    Document d = demo_after([&](const Layout& l) { return add_part_type(l, "box", &part); });
    d = demo_after([&](const Layout& l) { return rename_grip(l, part, "top", "side"); }, d);
    const auto cell = tests::read(d.resolved("A"));
    CHECK(cell->part_types[cell->part_type(part)].grips.front().id == "side");
    CHECK_THROWS_AS(demo_after([&](const Layout& l) { return rename_grip(l, part, "side", "a b"); }, d), InputError);
}

TEST_CASE("a fixture with a shape of its own is that shape and nothing else") {
    Document d;
    json fixture{{"id", "f"}, {"name", "F"}, {"kind", "fixture"}, {"length_mm", 300}, {"width_mm", 300},
        {"height_mm", 100}, {"process_s", 1},
        {"bodies", {{{"shape", "box"}, {"size_mm", {200, 200, 80}}}, {{"shape", "sphere"}, {"diameter_mm", 20}}}}};
    d = d.edited("A", {"add", {Operation::add("/devices", fixture)}});
    CHECK(tests::read(d.resolved("A"))->devices.front().bodies.size() == 2);
    CHECK(tests::read(d.resolved("A"))->devices.front().extent().high.z() == Approx(0.08));
}

TEST_CASE("every mistake of a cell is told at once: in settings, models, devices and tasks") {
    Document d = tests::demo();
    json tree = d.resolved("A");
    tree["takt_s"] = -1;
    tree["part_types"][0]["mass_kg"] = "heavy";
    for (json& device : tree["devices"]) {
        if (device["id"] == "tester") device["process_s"] = -5;
        if (device["id"] == "beam1" || device["kind"] == "beam") device["span_mm"] = "wide";
    }
    try {
        read_cell(tree, simulation::standard_kinds());
        FAIL("it is refused");
    } catch (const InputError& e) {
        std::string all;
        for (const Problem& p : e.problems()) all += p.where + "\n";
        for (const char* place : {"takt_s", "mass_kg", "process_s", "span_mm"})
            CHECK(all.find(place) != std::string::npos);
    }
}

TEST_CASE("the schema knows every kind of device and step, with every key of their tables") {
    const Kinds& kinds = simulation::standard_kinds();
    const json schema = cell_schema(kinds);
    CHECK(schema["$defs"]["device"]["oneOf"].size() == kinds.all().size());
    CHECK(schema["$defs"]["step"]["oneOf"].size() == kinds.steps().size());
    for (std::size_t i = 0; i < kinds.steps().size(); ++i)
        for (const Field& f : kinds.steps()[i]->fields())
            CHECK(schema["$defs"]["step"]["oneOf"][i]["properties"].contains(f.key));
    CHECK(schema["properties"]["safety_distance_mm"]["default"] == 20);
}
