// Figures in odd cases, each of which was wrong once.

#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

std::shared_ptr<const study::Evaluation> of(const cell::Document& d) { return tests::evaluated(d, d.baseline()); }
std::shared_ptr<const study::Evaluation> of(const json& tree) { return of(cell::Document::parse(tree.dump())); }

std::string text_of(const study::Evaluation& e, const std::string& id) {
    for (const auto& f : e.inspection->findings)
        if (f.id.rfind(id, 0) == 0) return f.text;
    return {};
}

/// A gantry with joint poses and a task.
json gantry(json poses, json task) {
    json tree = {{"escarp", 1}, {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"part_types", cell::catalogue_part_types()}};
    tree["devices"] = {{{"id", "g"}, {"name", "G"}, {"kind", "arm"}, {"model", "gantry3"}, {"tool", "jaw60"},
        {"poses", std::move(poses)}, {"task", std::move(task)}}};
    return tree;
}

const json two_poses = {{{"id", "a"}, {"name", "A"}, {"joints", {500, 600, 80}}},
    {{"id", "b"}, {"name", "B"}, {"joints", {1500, 600, 80}}}};

json supply_and_collect(json task) {
    json tree = gantry(json::array(), std::move(task));
    tree["devices"].push_back({{"id", "in"}, {"name", "In"}, {"kind", "tray"}, {"use", "supply"},
        {"part_type", "block60"}, {"columns", 2}, {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100},
        {"exchange_s", 1}, {"placement", {{"x_mm", 500}, {"y_mm", 0}, {"z_mm", 1150}}}});
    tree["devices"].push_back({{"id", "out"}, {"name", "Out"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 2},
        {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100}, {"exchange_s", 1},
        {"placement", {{"x_mm", 1100}, {"y_mm", 0}, {"z_mm", 1150}}}});
    return tree;
}

}  // namespace

TEST_CASE("margins and overruns of slides are said in mm") {
    CHECK(text_of(*of(tests::past_case("slide-margin-in-degrees")), "margin:a").find("with 10.0 mm to go") !=
          std::string::npos);
    CHECK(text_of(*of(tests::past_case("slide-reported-in-degrees")), "reach:a")
              .find("would have to go 27.0 mm beyond its limit") != std::string::npos);
}

TEST_CASE("a move has one speed, straight or not") {
    const auto duration = [](const json& step) {
        json tree = gantry(two_poses, {{{"id", "s0"}, {"do", "move"}, {"pose", "a"}}, step});
        const auto e = of(tree);
        return e->run->trace.motions.front().at(2).motion->duration();
    };
    const auto straight = [](json keys) {
        json step = {{"id", "s1"}, {"do", "move"}, {"pose", "b"}, {"by", "straight"}};
        step.update(keys);
        return step;
    };
    const double full = duration(straight(json::object())), fifth = duration(straight({{"speed_pct", 20}}));
    CHECK(fifth > 2 * full);
    CHECK(duration(straight({{"straight_speed_pct", 20}})) == fifth);  // as files of old say it
    try {
        duration(straight({{"straight_speed_pct", 20}, {"speed_pct", 20}}));
        FAIL("it was taken");
    } catch (const cell::InputError& e) {
        CHECK(e.problems().front().where == "devices/g/task/s1/straight_speed_pct");
    }
    const auto past = of(tests::past_case("speed-pct-ignored-on-straight-move"));
    CHECK(*past->figures.cycle_s > 2.14 + 1.5);
}

TEST_CASE("a task with a long repeat is steady where its state recurs") {
    const json pick = {{"id", "p"}, {"do", "pick"}, {"from", "in"}},
               place = {{"id", "q"}, {"do", "place"}, {"in", "out"}};
    const auto plain = of(supply_and_collect({pick, place}));
    REQUIRE(plain->figures.steady);
    // Nothing but a repeat: how many rounds are left does not matter.
    const auto only =
        of(supply_and_collect({{{"id", "r"}, {"do", "repeat"}, {"times", 100000}, {"steps", {pick, place}}}}));
    CHECK(only->figures.steady);
    CHECK(*only->figures.cycle_s == Approx(*plain->figures.cycle_s).margin(1e-9));
    // A repeat and something else: it recurs after the whole, beyond the horizon.
    json tree = supply_and_collect({{{"id", "r"}, {"do", "repeat"}, {"times", 60}, {"steps", {pick, place}}},
        {{"id", "d"}, {"do", "delay"}, {"time_s", 7}}});
    tree["horizon_s"] = 200;
    const auto both = of(tree);
    CHECK(both->figures.steady);
    CHECK(both->run->steady->parts == 60);
    CHECK(*both->figures.cycle_s == Approx(*plain->figures.cycle_s).margin(0.2));
    // Without parts: rounds.
    json moves = gantry(two_poses, {{{"id", "r"}, {"do", "repeat"}, {"times", 400},
                                       {"steps", {{{"id", "s0"}, {"do", "move"}, {"pose", "a"}},
                                                     {{"id", "s1"}, {"do", "move"}, {"pose", "b"}}}}}});
    moves["horizon_s"] = 300;
    CHECK(of(moves)->figures.steady);
}

TEST_CASE("a cell recurs where its parts lie alike, turned parts in their seats and in the tool included") {
    json tree = gantry(json::array(), json::array());
    json& devices = tree["devices"];
    devices[0]["model"] = "gantry4";
    for (const char* id : {"l", "r"})
        devices.push_back({{"id", id}, {"name", id}, {"kind", "tray"}, {"use", "keep"}, {"columns", 1}, {"rows", 1},
            {"pitch_x_mm", 100}, {"pitch_y_mm", 100},
            {"placement", {{"x_mm", *id == 'l' ? 500 : 900}, {"y_mm", 0}, {"z_mm", 1150}}}});
    devices.push_back({{"id", "in"}, {"name", "In"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "block60"},
        {"columns", 1}, {"rows", 1}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100}, {"exchange_s", 0.5},
        {"placement", {{"x_mm", 500}, {"y_mm", 300}, {"z_mm", 1150}}}});
    devices.push_back({{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "bin"}, {"length_mm", 300},
        {"width_mm", 300}, {"height_mm", 1750}, {"placement", {{"x_mm", 900}, {"y_mm", 300}}}});
    const auto step = [](const char* id, const char* what, const char* where, double turn) {
        return json{
            {"id", id}, {"do", what}, {*what == 'p' && what[1] == 'i' ? "from" : "in", where}, {"turn_deg", turn}};
    };
    devices[0]["task"] = {step("a", "pick", "in", 0), step("b", "place", "l", 30), step("c", "pick", "l", 0),
        step("d", "place", "out", 0)};
    const auto e = of(tree);
    REQUIRE(e->run->steady);
    // Every part that stands on the left seat is turned alike there, and hangs alike in the tool: one part, one period.
    CHECK(e->run->steady->parts == 1);
    for (std::size_t i = 1; i + 1 < e->run->trace.parts.size(); ++i)
        for (const auto& place : e->run->trace.parts[i].places)
            if (place.device == 1)
                CHECK(std::abs(geometry::to_triple(place.at().linear()).z()) ==
                      Approx(30 * geometry::pi / 180).margin(1e-9));
}

TEST_CASE("a beam of 20 m is met by what passes at its far end") {
    json tree = tests::belt_cell(5, 200, 2000, 20);
    tree["devices"].push_back({{"id", "b"}, {"name", "B"}, {"kind", "beam"}, {"host", "belt"}, {"span_mm", 20000},
        {"beam_height_mm", 25}, {"placement", {{"x_mm", 0}, {"y_mm", 9900}}}});
    tree["devices"].push_back({{"id", "c"}, {"name", "C"}, {"kind", "beam"}, {"host", "belt"}, {"span_mm", 240},
        {"beam_height_mm", 25}, {"placement", {{"x_mm", 0}}}});
    const auto e = of(tree);
    const auto *far = e->run->trace.signal("b.made"), *near = e->run->trace.signal("c.made");
    REQUIRE(near->changes.size() > 6);
    CHECK(far->changes == near->changes);
    // Along the belt: parts stand in it for as long as they are on it.
    tree["devices"].back() = {{"id", "d"}, {"name", "D"}, {"kind", "beam"}, {"host", "belt"}, {"span_mm", 20000},
        {"beam_height_mm", 25}, {"placement", {{"x_mm", 0}, {"turn_deg", 80}}}};
    CHECK(of(tree)->run->trace.signal("d.made")->changes.size() > 1);
}

TEST_CASE("a cell whose devices set each other off for ever at one instant is cut, and says so") {
    // Two tasks that hand a signal to and fro without any time passing.
    json tree = gantry(two_poses, {{{"id", "w"}, {"do", "wait"}, {"signal", "h.ping"}, {"is", true}},
                                      {{"id", "s"}, {"do", "set"}, {"signal", "g.pong"}, {"to", true}},
                                      {{"id", "v"}, {"do", "wait"}, {"signal", "h.ping"}, {"is", false}},
                                      {{"id", "t"}, {"do", "set"}, {"signal", "g.pong"}, {"to", false}}});
    tree["devices"][0]["own_signals"] = {"pong"};
    json other = tree["devices"][0];
    other["id"] = "h", other["name"] = "H", other["own_signals"] = {"ping"};
    other["task"] = {{{"id", "s"}, {"do", "set"}, {"signal", "h.ping"}, {"to", true}},
        {{"id", "w"}, {"do", "wait"}, {"signal", "g.pong"}, {"is", true}},
        {{"id", "t"}, {"do", "set"}, {"signal", "h.ping"}, {"to", false}},
        {{"id", "v"}, {"do", "wait"}, {"signal", "g.pong"}, {"is", false}}};
    tree["devices"].push_back(other);
    const auto e = of(tree);
    const auto& all = e->inspection->findings;
    CHECK(std::any_of(all.begin(), all.end(),
        [](const auto& f) { return f.id == "cut" || f.title.find("takes no time") != std::string::npos; }));
}

TEST_CASE("the tool that is active counts: for grip, payload and where the base may stand") {
    json tools = cell::catalogue_tools();
    json weak = tools.front();
    weak["id"] = "weak", weak["name"] = "Weak", weak["force_N"] = 4.0, weak["mass_kg"] = 1.0;
    json tree = supply_and_collect({{{"id", "u"}, {"do", "use"}, {"tool", "weak"}, {"time_s", 0.2}},
        {{"id", "p"}, {"do", "pick"}, {"from", "in"}}, {{"id", "q"}, {"do", "place"}, {"in", "out"}}});
    tree["tool_models"].push_back(weak);
    tree["devices"][0]["more_tools"] = {{{"tool", "weak"}, {"at_mm", {0, 0, 0}}}};
    const auto e = of(tree);
    CHECK(text_of(*e, "hold:g:block60:weak").find("N at") != std::string::npos);
    CHECK(text_of(*e, "hold:g:block60:jaw60").empty());
    // Both tools hang on the flange.
    for (json& model : tree["arm_models"])
        if (model["id"] == "gantry3") model["payload_kg"] = 1.7;
    CHECK(text_of(*of(tree), "payload:g").find("tools of 1.6 kg") != std::string::npos);
    // The round begins with the tool that the last one left: both are asked whether they reach.
    json turns = supply_and_collect(
        {{{"id", "p"}, {"do", "pick"}, {"from", "in"}}, {{"id", "q"}, {"do", "place"}, {"in", "out"}},
            {{"id", "u"}, {"do", "use"}, {"tool", "weak"}, {"time_s", 0.2}}});
    turns["tool_models"].push_back(weak);
    turns["devices"][0]["more_tools"] = {{{"tool", "weak"}, {"at_mm", {0, 0, 0}}}};
    std::set<int> asked;
    const auto turned = of(turns);
    for (const auto& n : turned->inspection->poses) asked.insert(n.tool);
    CHECK(asked == std::set<int>{0, 1});
}

TEST_CASE("keys that are not known are kept and told, with the likely one") {
    json tree = supply_and_collect({{{"id", "p"}, {"do", "pick"}, {"from", "in"}, {"aproach_mm", 50}},
        {{"id", "q"}, {"do", "place"}, {"in", "out"}}});
    tree["devices"][1].erase("exchange_s");
    tree["devices"][1]["exchnage_s"] = 9;
    tree["devices"][2]["my_own_note"] = "to be painted";
    tree["saftey_distance_mm"] = 3;
    tree["devices"][0]["placement"]["x"] = 5;
    const cell::Document d = cell::Document::parse(tree.dump());
    const auto e = of(d);
    std::map<std::string, std::string> told;
    for (const cell::Problem& p : e->cell->unknown_keys) told[p.where] = p.message;
    CHECK(told["devices/in/exchnage_s"] == "\"exchnage_s\" is not a key of a tray; did you mean \"exchange_s\"?");
    CHECK(told["devices/g/task/p/aproach_mm"].find("did you mean \"approach_mm\"?") != std::string::npos);
    CHECK(told["saftey_distance_mm"].find("did you mean \"safety_distance_mm\"?") != std::string::npos);
    CHECK(told["devices/out/my_own_note"].find("nothing reads it") != std::string::npos);
    CHECK(told.count("devices/g/placement/x") == 1);
    CHECK(told.size() == 5);
    CHECK(text_of(*e, "key:devices/in/exchnage_s").find("exchange_s") != std::string::npos);
    CHECK(d.tree()["devices"][1]["exchnage_s"] == 9);
}

TEST_CASE("no key of the demo cells, the catalogue's models or a new device of any kind is called a slip") {
    for (const char* name : {"leak-test", "lens-kitting"}) {
        const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/" + name + ".escarp");
        for (const cell::VariantInfo& v : d.variants()) {
            const auto c = simulation::layout(d, v.id).shared_cell();
            INFO((c->unknown_keys.empty() ? "" : c->unknown_keys.front().where));
            CHECK(c->unknown_keys.empty());
        }
    }
    json tree = {{"escarp", 1}, {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"part_types", cell::catalogue_part_types()}, {"devices", json::array()}};
    for (const auto& kind : simulation::standard_kinds().all()) {
        json d = kind->fresh();
        d["id"] = d["name"] = d["kind"] = kind->id();
        if (d.contains("part_type")) d["part_type"] = "block60";
        if (d.contains("to")) d["to"] = "conveyor";
        if (kind->id() == "arm") d["model"] = "six900", d["tool"] = "jaw60";
        if (kind->id() == "conveyor") d.erase("to");
        if (kind->id() == "solid") d["bodies"] = {{{"shape", "box"}, {"size_mm", {10, 10, 10}}}};
        for (const cell::Field& f : kind->fields())
            if (f.type == cell::Field::Type::number && !d.contains(f.key))
                d[f.key] = std::max(f.low, std::min(f.high, f.usual.is_number() ? f.usual.get<double>() : 0.0));
        tree["devices"].push_back(std::move(d));
    }
    const auto c = cell::read_cell(tree, simulation::standard_kinds());
    for (const cell::Problem& p : c->unknown_keys) UNSCOPED_INFO(p.where << " " << p.message);
    CHECK(c->unknown_keys.empty());
}
