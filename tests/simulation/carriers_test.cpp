// Trays that ride: filled and emptied where they are held, and while they ride by.

#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

json ride_belt(const std::string& id, double y, const std::string& to, double speed) {
    return {{"id", id}, {"name", id}, {"kind", "conveyor"}, {"length_mm", 2400}, {"width_mm", 260}, {"height_mm", 300},
        {"speed_mm_s", speed}, {"gap_mm", 20}, {"to", to}, {"placement", {{"x_mm", 0}, {"y_mm", y}}}};
}
json bring(const char* id, const std::string& belt, const std::string& part, double every, json more = json::object()) {
    json d = {{"id", id}, {"name", id}, {"kind", "infeed"}, {"host", belt}, {"interval_s", every}, {"part_type", part},
        {"to", belt}, {"placement", {{"x_mm", -1150}}}};
    d.update(more);
    return d;
}
json leave(const std::string& id, const std::string& belt) {
    return {{"id", id}, {"name", id}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", belt},
        {"placement", {{"x_mm", 1150}}}};
}
json deal(const char* what, const std::string& with, json more = json::object()) {
    json s = {{"id", std::string(what) + with}, {"do", what}, {std::string(what) == "pick" ? "from" : "in", with},
        {"approach_mm", 70}, {"retreat_mm", 70}, {"detour", false}};
    s.update(more);
    return s;
}
/// Plugs ride on belt p, trays of 2 x 3 on belt t, where a stop holds them until they are full.
json nursery(json task) {
    const json cup = {{"id", "cup"}, {"name", "cup"}, {"mass_kg", 0.2}, {"close_s", 0.1}, {"open_s", 0.1},
        {"tool_frame", {{"at_mm", {0, 0, 80}}}},
        {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 20}, {"height_mm", 80}}}}};
    const json plug = {{"id", "plug"}, {"name", "plug"}, {"mass_kg", 0.05},
        {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 30}, {"height_mm", 40}}}}};
    const json tray = {{"id", "tray"}, {"name", "tray"}, {"mass_kg", 0.5},
        {"bodies", {{{"shape", "box"}, {"size_mm", {200, 140, 20}}}}},
        {"seats", {{"columns", 3}, {"rows", 2}, {"pitch_x_mm", 60}, {"pitch_y_mm", 60}, {"height_mm", 12}}}};
    json stop = {{"id", "s"}, {"name", "s"}, {"kind", "stop"}, {"host", "t"}, {"placement", {{"x_mm", 100}}},
        {"inputs", {{{"id", "open"}, {"from", "s.full"}}}}};
    json arm = {{"id", "arm"}, {"name", "arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "cup"},
        {"task", std::move(task)}};
    return {{"escarp", 1}, {"horizon_s", 120}, {"arm_models", cell::catalogue_arms()}, {"tool_models", {cup}},
        {"part_types", {plug, tray}},
        {"devices", {ride_belt("p", 450, "op", 150), ride_belt("t", -450, "ot", 200), bring("ip", "p", "plug", 1.4),
                        bring("it", "t", "tray", 9), leave("op", "p"), leave("ot", "t"), stop, arm}}};
}
struct Done {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const Run> run;
    Frame part(int nth, Ticks t) const {
        Frame at = Frame::Identity();
        REQUIRE(run->trace.part_frame(*cell, nth, t, at));
        return at;
    }
};
Done through(const json& tree) {
    PlanCache plans;
    Done d{tests::read(tree), nullptr};
    RunOptions options;
    options.stop_when_steady = false;
    d.run = run(*d.cell, plans, options);
    return d;
}

/// Whatever happens: nothing jumps, nothing is in two places, what lies on a tray stays there while the tray moves.
void whole(const Done& d) {
    const Trace& t = d.run->trace;
    int tray = d.cell->part_type("tray");
    for (std::size_t p = 0; p < t.parts.size(); ++p) {
        const int part = static_cast<int>(p);
        for (std::size_t i = 1; i < t.parts[p].places.size(); ++i) {
            const Place& next = t.parts[p].places[i];
            if (next.kind == Place::Kind::gone || next.from == 0) continue;
            const double jump =
                (d.part(part, next.from - 1).translation() - d.part(part, next.from).translation()).norm();
            INFO("part " << p << " place " << i << " at " << seconds(next.from));
            REQUIRE(jump < 1e-5);
        }
        if (t.parts[p].type == tray) continue;
        for (Ticks when = second / 3; when < t.end; when += second / 2) {
            const Place* place = t.parts[p].place(when);
            if (!place || place->kind == Place::Kind::gone || place->carrier < 0) continue;
            const Frame in_tray = d.part(place->carrier, when).inverse() * d.part(part, when);
            const Frame& seat = d.cell->part_types[tray].seats[place->seat];
            REQUIRE(geometry::gap(in_tray, seat).distance < 1e-6);
            REQUIRE(geometry::gap(in_tray, seat).angle < 1e-6);
        }
    }
    // Plugs in = plugs out + plugs inside; trays are carriers and are not counted as parts that leave.
    std::size_t plugs = 0, inside = 0;
    for (const PartRecord& p : t.parts) {
        if (p.type == tray) continue;
        ++plugs, inside += p.places.back().kind != Place::Kind::gone;
    }
    REQUIRE(plugs == t.departures.size() + inside);
}

/// How many plugs lay on each tray that left.
std::vector<int> loads(const Done& d) {
    const Trace& t = d.run->trace;
    std::vector<int> all;
    for (std::size_t p = 0; p < t.parts.size(); ++p) {
        if (t.parts[p].type != d.cell->part_type("tray") || t.parts[p].places.back().kind != Place::Kind::gone)
            continue;
        int on_it = 0;
        const Ticks before = t.parts[p].places.back().from - 1;
        for (const PartRecord& plug : t.parts) {
            const Place* place = plug.place(before);
            on_it += place && place->kind != Place::Kind::gone && place->carrier == static_cast<int>(p);
        }
        all.push_back(on_it);
    }
    return all;
}

}  // namespace

TEST_CASE("trays ride in, are held until they are full, and leave with what lies on them") {
    const Done d = through(nursery({deal("pick", "p", {{"window_from_mm", 900}, {"window_to_mm", 1500}}),
        deal("place", "s", {{"on_carrier", true}})}));
    whole(d);
    const std::vector<int> left = loads(d);
    REQUIRE(left.size() >= 3);
    for (const int load : left) REQUIRE(load == 6);
    // In the order of the pattern.
    const Trace& t = d.run->trace;
    std::map<int, int> next;
    for (const Block& b : t.blocks) {
        if (b.kind != BlockKind::release || b.to > t.end) continue;
        const Place* place = t.parts[b.part].place(b.to);
        REQUIRE(place->carrier >= 0);
        REQUIRE(place->seat == next[place->carrier]++);
    }
    // The tray stands while the arm is in it.
    for (const Block& b : t.blocks) {
        if ((b.kind != BlockKind::release && b.kind != BlockKind::straight_in) || b.other != d.cell->device("s"))
            continue;
        if (b.to > t.end) continue;
        for (std::size_t p = 0; p < t.parts.size(); ++p) {
            const Place* place = t.parts[p].place(b.to);
            if (t.parts[p].type != d.cell->part_type("tray") || !place || place->kind == Place::Kind::gone) continue;
            if (t.parts[b.part].place(b.to) && t.parts[b.part].place(b.to)->carrier == static_cast<int>(p))
                REQUIRE(geometry::gap(d.part(static_cast<int>(p), b.from), d.part(static_cast<int>(p), b.to)).distance <
                        1e-9);
        }
    }
}

TEST_CASE("a tray is filled while it rides by, and full trays that come in are emptied") {
    json tree = nursery({deal("pick", "p", {{"window_from_mm", 900}, {"window_to_mm", 1500}}),
        deal("place", "t", {{"on_carrier", true}, {"window_from_mm", 800}, {"window_to_mm", 1700}})});
    for (auto it = tree["devices"].begin(); it != tree["devices"].end(); ++it)
        if ((*it)["id"] == "s") {
            tree["devices"].erase(it);
            break;
        }
    tests::device(tree, "t")["speed_mm_s"] = 60;
    const Done d = through(tree);
    whole(d);
    const std::vector<int> left = loads(d);
    REQUIRE(left.size() >= 3);
    REQUIRE(std::accumulate(left.begin(), left.end(), 0) >= 6);
    int met = 0;
    for (const Block& b : d.run->trace.blocks) {
        if (b.kind != BlockKind::release || b.to > d.run->trace.end) continue;
        const Place* place = d.run->trace.parts[b.part].place(b.to);
        met += place->carrier >= 0 && !place->glide().rests();
    }
    REQUIRE(met >= 6);

    json other = nursery({deal("pick", "s", {{"on_carrier", true}}),
        deal("place", "p", {{"window_from_mm", 900}, {"window_to_mm", 1600}})});
    json& in = tests::device(other, "it");
    in["filled_with"] = "plug";
    tests::device(other, "s")["inputs"] = {{{"id", "open"}, {"from", "s.empty"}}};
    tests::device(other, "ip")["interval_s"] = 30;
    const Done e = through(other);
    whole(e);
    const std::vector<int> empty = loads(e);
    REQUIRE(empty.size() >= 2);
    for (const int load : empty) REQUIRE(load == 0);
}

TEST_CASE("an arm carries a tray with what lies on it") {
    json tree = nursery({deal("pick", "s"), deal("place", "out")});
    tests::device(tree, "it")["filled_with"] = "plug";
    tests::device(tree, "s").erase("inputs");
    tree["devices"].push_back(
        {{"id", "out"}, {"name", "out"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 2}, {"rows", 1},
            {"pitch_x_mm", 250}, {"pitch_y_mm", 250}, {"exchange_s", 1}, {"placement", {{"x_mm", 500}, {"y_mm", 0}}}});
    const Done d = through(tree);
    whole(d);
    const Trace& t = d.run->trace;
    bool carried = false;
    for (const MotionRecord& m : t.motions[d.cell->device("arm")]) carried = carried || m.also.size() == 6;
    REQUIRE(carried);
    int removed = 0;
    for (const PartRecord& p : t.parts)
        removed += p.type == d.cell->part_type("plug") && p.places.back().kind == Place::Kind::gone;
    REQUIRE(removed >= 6);
}

TEST_CASE("patterns of carriers: rows, layers turned and shifted, own places, what fits") {
    json tree = nursery({deal("pick", "p", {{"window_from_mm", 900}, {"window_to_mm", 1500}}),
        deal("place", "s", {{"on_carrier", true}})});
    json& tray = tree["part_types"][1];
    tray["seats"] = {{"columns", 2}, {"rows", 1}, {"pitch_x_mm", 80}, {"layers", 2}, {"pitch_z_mm", 50},
        {"layer_turn_deg", 90}, {"layer_x_mm", 5}};
    const auto c = tests::read(tree);
    const auto& seats = c->part_types[1].seats;
    REQUIRE(seats.size() == 4);
    REQUIRE((seats[1].translation() - geometry::Vector3(0.04, 0, 0.02)).norm() < 1e-12);
    REQUIRE((seats[3].translation() - geometry::Vector3(0.005, 0.04, 0.07)).norm() < 1e-12);
    tray["seats"] = {{"places_mm", {{10, 20}, {-30, 5}}}, {"height_mm", 15}, {"fits", {"plug"}}};
    REQUIRE((tests::read(tree)->part_types[1].seats[1].translation() - geometry::Vector3(-0.03, 0.005, 0.015)).norm() <
            1e-12);
    const auto refused = [](const json& t, const std::string& words) {
        try {
            tests::read(t);
            FAIL("read");
        } catch (const cell::InputError& e) {
            REQUIRE(std::string(e.what()).find(words) != std::string::npos);
        }
    };
    tray["seats"]["fits"] = {"nothing"};
    refused(tree, "is not the id of a part type");
    tray["seats"] = {{"columns", 50}, {"rows", 50}};
    refused(tree, "at most 500 seats");
    tray.erase("seats");
    refused(tree, "has seats; give");
}

TEST_CASE("parts that leave together count as many as they are, over the time between") {
    // Every 9 s a tray of six rides straight through: one plug every 1.5 s.
    json tree = nursery({deal("pick", "p", {{"window_from_mm", 900}, {"window_to_mm", 1500}}),
        deal("place", "s", {{"on_carrier", true}})});
    json devices = json::array();
    for (const json& d : tree["devices"])
        if (d["id"] == "t" || d["id"] == "it" || d["id"] == "ot") devices.push_back(d);
    tree["devices"] = devices;
    tests::device(tree, "it")["filled_with"] = "plug";
    for (const char* interval : {"9", "uniform 8.9999 to 9.0001"}) {  // the second one never recurs: a mean
        json& every = tests::device(tree, "it")["interval_s"];
        if (std::string(interval) == "9") every = 9;
        else every = interval;
        const cell::Document d = cell::Document::parse(tree.dump());
        inspection::Cache cache;
        const auto e = study::evaluate(simulation::layout(d, d.baseline()), cache, {});
        REQUIRE(e->figures.cycle_s);
        REQUIRE(*e->figures.cycle_s == Approx(1.5).epsilon(1e-4));
    }
    // Where what leaves does not count there is no cycle.
    tests::device(tree, "ot")["counted"] = false;
    const cell::Document d = cell::Document::parse(tree.dump());
    inspection::Cache cache;
    REQUIRE_FALSE(study::evaluate(simulation::layout(d, d.baseline()), cache, {})->figures.cycle_s);
}
