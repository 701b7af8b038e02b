// Edits by their names: each is carried out once, and what does not fit is said.
#include <catch2/catch.hpp>

#include <study/named_edits.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::cell;

namespace {

Change done(const Document& d, const json& said) {
    const Change c = carry_out(simulation::layout(d, d.baseline()), said, study::named_edits());
    for (const VariantInfo& v : c.document.variants()) tests::read(c.document.resolved(v.id));
    return c;
}

}  // namespace

TEST_CASE("every named edit does what it says on the demo") {
    std::set<std::string> tried;
    Document d = tests::demo();
    const auto now = [&](const json& said) {
        INFO(said.dump());
        const Change c = done(d, said);
        CHECK_FALSE(c.name.empty());
        CHECK_FALSE(c.document == d);
        tried.insert(said["do"].get<std::string>());
        d = c.document;
        return c.made;
    };
    const auto cell = [&] { return tests::read(d.resolved(d.baseline())); };
    now({{"do", "keep apart"}, {"zone", "arm1:arm2:1"}, {"rule", "first come"}});
    const std::string space = now({{"do", "add device"}, {"kind", "watched_volume"}, {"x_mm", 2100}, {"y_mm", 690},
        {"with", {{"length_mm", 500}, {"width_mm", 600}, {"height_mm", 700}, {"above_mm", 800}}}})["device"];
    now({{"do", "wait at border"}, {"volume", space}, {"arm", "arm1"}});
    CHECK(d.tree()["devices"].back()["points"].size() >= 2);
    now({{"do", "remove devices"}, {"devices", {space}}});
    const std::string table =
        now({{"do", "add device"}, {"kind", "structure"}, {"x_mm", 6000}, {"y_mm", 2000}})["device"];
    CHECK(cell()->devices[cell()->device(table)].world.translation().x() == Approx(6));
    const std::string arm =
        now({{"do", "add device"}, {"kind", "arm"}, {"model", "six600"}, {"on", table}, {"name", "Helper"}})["device"];
    CHECK(cell()->devices[cell()->device(arm)].name == "Helper");
    CHECK(cell()->devices[cell()->device(arm)].host == cell()->device(table));
    const std::string beam = now(
        {{"do", "add device"}, {"kind", "beam"}, {"on", "outfeed_belt"}, {"with", {{"on_delay_s", 0.5}}}})["device"];
    CHECK(d.tree()["devices"].dump().find("0.5") != std::string::npos);
    now({{"do", "rename device"}, {"device", beam}, {"to", "B9"}});
    now({{"do", "place device"}, {"device", table}, {"x_mm", 6500}});
    now({{"do", "move devices"}, {"devices", {table}}, {"y_mm", 250}});
    CHECK(cell()->devices[cell()->device(table)].world.translation().y() == Approx(2.25));
    now({{"do", "turn devices"}, {"devices", {table}}, {"by_deg", 30}});
    const json copies = now({{"do", "copy devices"}, {"devices", {table}}, {"columns", 3}, {"pitch_x_mm", 1500}});
    CHECK(copies["devices"].size() == 2);
    const json three = {table, copies["devices"][0], copies["devices"][1]};
    now({{"do", "move devices"}, {"devices", {copies["devices"][0]}}, {"x_mm", 100}, {"y_mm", 40}});
    now({{"do", "spread devices"}, {"devices", three}, {"along", "x"}});
    now({{"do", "align devices"}, {"devices", three}, {"at", "front"}});
    now({{"do", "copy devices round"}, {"devices", {copies["devices"][1]}}, {"count", 3}, {"x_mm", 12000},
        {"y_mm", 9000}});
    now({{"do", "mirror devices"}, {"devices", three}, {"across", "y"}, {"at_mm", 5000}});
    now({{"do", "group devices"}, {"devices", three}, {"name", "tables"}});
    now({{"do", "ungroup devices"}, {"devices", three}});
    now({{"do", "lock devices"}, {"devices", three}});
    now({{"do", "unlock devices"}, {"devices", three}});
    now({{"do", "put on travel axis"}, {"arm", arm}});
    now({{"do", "mount tool"}, {"arm", arm}, {"place", 1}, {"tool", "jaw120"}});
    now({{"do", "exchange arm"}, {"arm", arm}, {"model", "six900"}});
    const std::string step =
        now({{"do", "add step"}, {"device", arm}, {"kind", "delay"}, {"with", {{"time_s", 3}}}})["step"];
    const std::string path = "/devices/" + arm + "/task/" + step;
    CHECK((*find(d.tree(), path))["time_s"] == 3);
    now({{"do", "move step"}, {"step", path}, {"beside", path}, {"copy", true}});
    const std::string user = now({{"do", "make block"}, {"step", path}, {"name", "Rest"}})["step"];
    now({{"do", "unpack block"}, {"step", "/devices/" + arm + "/task/" + user}});
    now({{"do", "remove step"},
        {"step", "/devices/" + arm + "/task/" + cell()->devices[cell()->device(arm)].task.steps.front().id}});
    const std::string part = now({{"do", "add part"}, {"shape", "cylinder"}})["part"];
    now({{"do", "rename grip"}, {"part", part}, {"grip", "top"}, {"to", "side"}});
    now({{"do", "copy part"}, {"part", part}});
    now({{"do", "remove part"}, {"part", part}});
    const std::string tool = now({{"do", "add tool"}, {"what", "cups"}})["tool"];
    now({{"do", "copy tool"}, {"tool", tool}});
    now({{"do", "remove tool"}, {"tool", tool}});
    now({{"do", "add signal"}, {"device", arm}, {"name", "rested"}});
    now({{"do", "rename signal"}, {"device", arm}, {"name", "rested"}, {"to", "awake"}});
    now({{"do", "remove signal"}, {"device", arm}, {"name", "awake"}});
    now({{"do", "add number"}, {"device", arm}, {"name", "filled"}});
    now({{"do", "add input"}, {"device", arm}, {"name", "go"}});
    now({{"do", "connect"}, {"device", arm}, {"input", "go"}, {"from", arm + ".filled < 3 and not tester.busy"}});
    CHECK(cell()->signals[cell()->signal(arm + ".go")].source->signals().size() == 2);
    now({{"do", "connect"}, {"device", arm}, {"input", "go"}});
    CHECK(!cell()->signals[cell()->signal(arm + ".go")].source);
    now({{"do", "describe signal"}, {"device", arm}, {"signal", "go"}, {"what", "comment"}, {"text", "may begin"}});
    now({{"do", "give addresses"}});
    CHECK(cell()->signals[cell()->signal(arm + ".go")].address.rfind("%QX", 0) == 0);
    CHECK(cell()->signals[cell()->signal(arm + ".go")].comment == "may begin");
    const std::string side = now({{"do", "add side task"}, {"device", table}, {"name", "Lamp"}})["task"];
    now({{"do", "add step"}, {"device", table}, {"kind", "delay"},
        {"after", "/devices/" + table + "/side_tasks/" + side + "/steps"}});
    CHECK(cell()->devices[cell()->device(table)].side_tasks.front().steps.size() == 1);
    now({{"do", "leave out"}, {"a", arm}, {"b", "arm1"}, {"reason", "far apart"}});
    now({{"do", "take back"}, {"a", "arm1"}, {"b", arm}});
    now({{"do", "leave out"}, {"a", "arm1"}, {"a_body", "tool"}, {"while", "tester.busy"}});
    CHECK((cell()->exclusions.back().b < 0 && cell()->exclusions.back().body_a == "tool"));
    now({{"do", "take back"}, {"a", "arm1"}, {"a_body", "tool"}});
    now({{"do", "judge with"}, {"a", "arm1"}, {"b", arm}, {"distance_mm", 12}});
    now({{"do", "take back"}, {"a", "arm1"}, {"b", arm}});
    now({{"do", "read list"}, {"device", "infeed"}, {"key", "timetable"}, {"csv", "0\n5"}});
    now({{"do", "set"}, {"at", "/takt_s"}, {"value", 12}});
    now({{"do", "unset"}, {"at", "/takt_s"}});
    const std::string asked = now({{"do", "add study"}, {"asks", "search"}, {"name", "Where?"}})["study"];
    const std::string x = "/devices/" + table + "/placement/x_mm", y = "/devices/" + table + "/placement/y_mm";
    now({{"do", "vary"}, {"study", asked}, {"at", x}});
    now({{"do", "vary"}, {"study", asked}, {"at", y}, {"from", 0}, {"to", 800}, {"steps", 5}});
    {
        const Study s = cell()->studies.back();
        const double now_x = cell()->devices[cell()->device(table)].world.translation().x() * 1e3;
        REQUIRE(s.vary.size() == 2);
        CHECK(s.asks == Study::Asks::search);
        CHECK((s.vary[0].from == Approx(now_x - 250) && s.vary[0].to == Approx(now_x + 250)));
        CHECK((s.vary[1].to == 800 && s.vary[1].steps == 5));
    }
    now({{"do", "demand"}, {"study", asked}, {"figure", "reach_margin_mm"}, {"at_least", 10}});
    now({{"do", "demand"}, {"study", asked}, {"figure", "reach_margin_mm"}, {"at_least", 25}});
    CHECK(cell()->studies.back().keep.size() == 1);
    CHECK(cell()->studies.back().keep[0].least == 25.0);
    const std::string point = now({{"do", "point to variant"}, {"study", asked}, {"values", {6100, 300}}})["variant"];
    const auto there = tests::read(d.resolved(point));
    CHECK(there->devices[there->device(table)].world.translation().head<2>().isApprox(Eigen::Vector2d(6.1, 0.3)));
    now({{"do", "demand"}, {"study", asked}, {"figure", "reach_margin_mm"}});
    now({{"do", "vary no longer"}, {"study", asked}, {"at", y}});
    now({{"do", "remove study"}, {"study", asked}});
    now({{"do", "drop variant"}, {"variant", point}});
    const std::string link = now({{"do", "add link"}, {"name", "Line controller"}, {"port", 1600}})["link"];
    now({{"do", "change link"}, {"link", link}, {"protocol", "MQTT"}, {"every_s", 0.1}});
    REQUIRE(cell()->links.size() == 1);
    CHECK(cell()->links[0].name == "Line controller");
    CHECK((cell()->links[0].port == 1600 && cell()->links[0].protocol == Link::Protocol::mqtt &&
           cell()->links[0].every == 0.1));
    now({{"do", "remove link"}, {"link", link}});
    CHECK(cell()->links.empty());
    const std::string variant = now({{"do", "add variant"}, {"name", "Trial"}})["variant"];
    now({{"do", "rename variant"}, {"variant", variant}, {"to", "Second trial"}});
    d = d.edited(variant, {"", {Operation::set("/devices/" + table + "/placement/z_mm", 10)}});
    now({{"do", "put back"}, {"variant", variant}, {"at", "/devices/" + table + "/placement/z_mm"}});
    d = d.edited(variant, {"", {Operation::set("/devices/" + table + "/placement/z_mm", 20)}});
    now({{"do", "hand on"}, {"variant", variant}, {"at", "/devices/" + table + "/placement/z_mm"}});
    now({{"do", "make baseline"}, {"variant", variant}});
    now({{"do", "drop variant"}, {"variant", "A"}});
    now({{"do", "remove devices"}, {"devices", {table}}, {"riders", "remove"}});
    CHECK(cell()->device(arm) < 0);
    for (const NamedEdit& e : study::named_edits()) {
        INFO(e.name);
        CHECK(tried.count(e.name) == 1);
    }
}

TEST_CASE("an edit that is not known, a slip in a key, a missing key and a value that does not fit are each said") {
    const Document d = tests::demo();
    const auto refused = [&](const json& said) {
        try {
            done(d, said);
        } catch (const InputError& e) {
            std::string all;
            for (const Problem& p : e.problems()) all += p.where + ": " + p.message + "\n";
            return all;
        }
        return std::string("nothing");
    };
    CHECK(refused({{"do", "fly"}}).find("add device") != std::string::npos);
    CHECK(refused({{"do", "move devices"}, {"device", {"arm1"}}}).find("devices") != std::string::npos);
    CHECK(refused({{"do", "turn devices"}, {"devices", {"arm1"}}}).find("by_deg") != std::string::npos);
    CHECK(refused({{"do", "align devices"}, {"devices", {"arm1", "arm2"}}, {"at", "above"}}).find("left") !=
          std::string::npos);
    CHECK(refused({{"do", "move devices"}, {"devices", {"nobody"}}, {"x_mm", 1}}).find("nobody") != std::string::npos);
    CHECK(refused({{"do", "move devices"}, {"devices", "arm1"}, {"x_mm", 1}}).find("list of ids") != std::string::npos);
    CHECK(refused({{"do", "vary"}, {"study", "nosuch"}, {"at", "/takt_s"}}).find("stand") != std::string::npos);
    CHECK(refused({{"do", "vary"}, {"study", "stand"}, {"at", "/takt_s"}, {"from", 3}, {"to", 2}}).find("More than") !=
          std::string::npos);
    CHECK(refused({{"do", "vary"}, {"study", "stand"}, {"at", "/devices/placement/x_mm"}}).find("not in the cell") !=
          std::string::npos);
    CHECK(refused({{"do", "vary no longer"}, {"study", "stand"}, {"at", "/takt_s"}}).find("does not vary") !=
          std::string::npos);
    CHECK(refused({{"do", "demand"}, {"study", "stand"}, {"figure", "cost"}}).find("nothing") != std::string::npos);
    CHECK(refused({{"do", "point to variant"}, {"study", "stand"}, {"values", {1, 2}}}).find("list of") !=
          std::string::npos);
    CHECK(refused({{"do", "point to variant"}, {"study", "stand"}, {"values", {"x"}}}) != "nothing");
}
