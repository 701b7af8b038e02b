// Doors, clamps, lifts and turntables: what moves of a device that is no arm.

#include <catch2/catch.hpp>

#include <geometry/distance.h>
#include <inspection/inspect.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

std::shared_ptr<const Run> run_of(const cell::Cell& c, double horizon_s) {
    static PlanCache plans;
    RunOptions o;
    o.horizon_s = horizon_s;
    return run(c, plans, o);
}

/// A belt that feeds a device "m" from -x, and one that it hands on to towards +x, 400 mm higher.
json line_with(json m, double interval_s) {
    json tree = {{"escarp", 1}, {"horizon_s", 120}, {"part_types", cell::catalogue_part_types()}};
    const auto belt = [&](const char* id, double x, double height, const char* to) {
        tree["devices"].push_back({{"id", id}, {"name", id}, {"kind", "conveyor"}, {"length_mm", 1000},
            {"width_mm", 200}, {"height_mm", height}, {"speed_mm_s", 250}, {"to", to}, {"placement", {{"x_mm", x}}}});
    };
    belt("feed", -700, 700, "m");
    belt("next", 700, 1100, "out");
    tree["devices"].push_back({{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "feed"},
        {"interval_s", interval_s}, {"part_type", "block60"}, {"to", "feed"}});
    tree["devices"].push_back(
        {{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "next"}});
    m["id"] = "m", m["name"] = "M", m["to"] = "next";
    tree["devices"].push_back(std::move(m));
    return tree;
}

json lift() {
    return {{"kind", "lift"}, {"travel_mm", 400}, {"go_s", 1.5}, {"back_s", 1.2}, {"length_mm", 400}, {"width_mm", 300},
        {"height_mm", 700}};
}

/// A part is at one place at every instant: nothing jumps by more than a speed allows.
void nothing_jumps(const cell::Cell& c, const Trace& t, double fastest, double until) {
    for (std::size_t p = 0; p < t.parts.size(); ++p) {
        std::optional<Frame> before;
        for (double at = 0; at < until; at += 0.004) {
            Frame now;
            if (!t.part_frame(c, static_cast<int>(p), ticks(at), now)) {
                before.reset();
                continue;
            }
            if (before) CHECK((now.translation() - before->translation()).norm() < 0.004 * fastest + 1e-6);
            before = now;
        }
    }
}

}  // namespace

TEST_CASE("a lift takes the time that it is given, carries its part smoothly and comes back empty") {
    const auto c = tests::read(line_with(lift(), 20));
    const auto r = run_of(*c, 60);
    const int m = c->device("m");
    const auto& motions = r->trace.motions[static_cast<std::size_t>(m)];
    REQUIRE(motions.size() >= 5);  // stands, up, stands, down, stands
    CHECK(motions[1].motion->duration() == Approx(1.5).margin(1e-9));
    CHECK(motions[3].motion->duration() == Approx(1.2).margin(1e-9));
    CHECK(motions[1].held >= 0);
    CHECK(motions[3].held < 0);
    // Half-way in half the time, and within the least jerk that the time asks for.
    const Ticks begins = motions[1].from;
    CHECK(r->trace.joints(*c, m, begins + second * 3 / 4)[0] == Approx(0.2).margin(1e-9));
    Frame at;
    REQUIRE(r->trace.part_frame(*c, motions[1].held, begins + second * 3 / 4, at));
    CHECK(at.translation().z() == Approx(0.9).margin(1e-9));
    CHECK(at.translation().x() == Approx(0).margin(1e-9));
    nothing_jumps(*c, r->trace, 0.61, 40);  // 1.5 times the mean of 400 mm in 1.2 s is 0.5 m/s
    // First part: 1000 mm of belt less half a part, on to the middle of the lift, up, over to the belt and along it.
    REQUIRE(!r->trace.departures.empty());
    const double over = std::hypot(0.2, 0.0);
    CHECK(seconds(motions[1].from) == Approx((1.0 - 0.03) / 0.25 - 0.03 / 0.25 + (0.2 + 0.03) / 0.25).margin(0.25));
    CHECK(seconds(r->trace.departures.front().when - motions[2].from) == Approx(over / 0.25 + 1.0 / 0.25).margin(0.25));
}

TEST_CASE("a lift is as quick as its round allows: up, hand over, back, take over") {
    json m = lift();
    const auto c = tests::read(line_with(m, 0.5));  // parts wait for it all the time
    const auto r = run_of(*c, 120);
    REQUIRE(r->steady);
    // Up 1.5 s, out of it 200 mm at 250 mm/s, down 1.2 s, and in over 200 mm and half a part.
    const double round = 1.5 + 0.2 / 0.25 + 1.2 + 0.23 / 0.25;
    CHECK(seconds(r->steady->period) / r->steady->parts == Approx(round).margin(2e-6));
}

TEST_CASE("parts in are parts out and parts inside, with lifts, shuttles and turntables in the line") {
    json turntable = {{"kind", "turntable"}, {"diameter_mm", 380}, {"height_mm", 700}, {"places", 4},
        {"nests_at_mm", 120}, {"turn_s", 0.9}, {"loads_at", 3}, {"gives_at", 1}};
    json shuttle = {{"kind", "lift"}, {"goes", "along"}, {"length_mm", 390}, {"travel_mm", 200}, {"width_mm", 200},
        {"height_mm", 700}, {"go_s", 1}, {"back_s", 1}};
    for (const json& m : {lift(), turntable, shuttle}) {
        const auto c = tests::read(line_with(m, 1.7));
        const auto r = run_of(*c, 200);
        std::size_t gone = 0, inside = 0;
        for (const PartRecord& p : r->trace.parts)
            (p.places.back().kind == Place::Kind::gone ? gone : inside) += !p.places.empty();
        CHECK(r->trace.departures.size() == gone);
        CHECK(gone + inside == r->trace.parts.size());
        CHECK(gone > 5);
        nothing_jumps(*c, r->trace, 1.2, 30);
    }
}

TEST_CASE("a turntable turns on by one place at a time, the way it is told, and brings each part to each place") {
    for (const bool left : {true, false}) {
        json m = {{"kind", "turntable"}, {"diameter_mm", 800}, {"height_mm", 700}, {"places", 6}, {"nests_at_mm", 300},
            {"turn_s", 0.9}, {"dwell_s", 0.5}, {"turns", left ? "left" : "right"}, {"loads_at", 4}, {"gives_at", 1}};
        const auto c = tests::read(line_with(m, 2));
        const auto r = run_of(*c, 120);
        const int i = c->device("m");
        const cell::Device& d = c->devices[static_cast<std::size_t>(i)];
        // Followed from nest to nest: a sixth of a turn each time, and where the seat says.
        const auto& places = r->trace.parts.front().places;
        std::vector<int> seats;
        for (const Place& p : places)
            if (p.device == i && p.kind == Place::Kind::still && p.glide().rests()) {
                seats.push_back(p.seat);
                CHECK(
                    (p.at().translation() - d.world * d.seats[static_cast<std::size_t>(p.seat)].at.translation()).norm() <
                    1e-9);
            }
        CHECK(seats == std::vector<int>{3, 4, 5, 0});
        const double angle = (left ? 1 : -1) * geometry::pi;
        CHECK((d.seats[3].at.translation() - geometry::Vector3(0.3 * std::cos(angle), 0.3 * std::sin(angle), 0.7))
                  .norm() < 1e-9);
        CHECK(d.seats[1].at.translation().y() * (left ? 1 : -1) > 0.2);
        // It goes round for ever, and that is seen to repeat.
        CHECK(r->steady);
    }
}

TEST_CASE("a door ends what it has begun, then does what its input says; its signals tell where it is") {
    json tree = {{"escarp", 1}, {"part_types", cell::catalogue_part_types()},
        {"devices", {{{"id", "d"}, {"name", "Door"}, {"kind", "door"}, {"length_mm", 1000}, {"width_mm", 100},
                        {"height_mm", 2000}, {"open_s", 2}, {"close_s", 3}}}}};
    const auto c = tests::read(tree);
    PlanCache plans;
    Kernel k(*c, plans);
    k.start();
    const int open = c->signal("d.open"), opened = c->signal("d.opened"), closed = c->signal("d.closed");
    CHECK(k.on(closed));
    k.inject(open, 1);
    CHECK(!k.on(closed));
    k.advance(ticks(1));
    CHECK(k.trace().joints(*c, 0, k.now())[0] == Approx(0.42).margin(1e-9));  // half of 1000 mm less two posts
    k.inject(open, 0);
    k.advance(ticks(1.9));
    CHECK(!k.on(opened));
    k.advance(ticks(4.9));
    CHECK(!k.on(closed));  // opened after 2 s, closing for 3 s
    k.advance(ticks(5.1));
    CHECK(k.on(closed));
    CHECK(!k.on(opened));
}

TEST_CASE("doors swing out to the side that their leaf is on, slide to the side that is said, and rise") {
    const auto moved = [](json keys) {
        json d = {{"id", "d"}, {"name", "Door"}, {"kind", "door"}, {"length_mm", 1000}, {"width_mm", 100},
            {"height_mm", 2000}, {"open_s", 1}, {"close_s", 1}};
        d.update(keys);
        const auto c = tests::read({{"escarp", 1}, {"devices", {d}}});
        const cell::Arm& axis = *c->devices[0].axis;
        const auto at = [&](double value) {
            return geometry::bounds(axis.model->mechanism.links.back().bodies,
                axis.model->flange_frame(kinematics::JointVector::Constant(1, value)));
        };
        const auto shut = at(0), open = at(axis.model->mechanism.joints[0].high);
        return geometry::Vector3(0.5 * (open.low + open.high) - 0.5 * (shut.low + shut.high));
    };
    CHECK(moved({{"towards", "left"}}).isApprox(geometry::Vector3(-0.84, 0, 0), 1e-9));
    CHECK(moved({{"towards", "right"}}).isApprox(geometry::Vector3(0.84, 0, 0), 1e-9));
    CHECK(moved({{"leaf", "rises"}}).isApprox(geometry::Vector3(0, 0, 1.94), 1e-9));
    for (const bool behind : {false, true})
        for (const bool right : {false, true}) {
            const geometry::Vector3 way = moved(
                {{"leaf", "swings"}, {"face", behind ? "behind" : "in front"}, {"towards", right ? "right" : "left"}});
            CHECK(way.x() == Approx(right ? 0.42 : -0.42).margin(0.02));  // to its hinges
            CHECK(way.y() == Approx(behind ? 0.42 : -0.42).margin(0.02));
        }
}

namespace {

/// An arm that swings its forearm from one side to the other through the plane of a door that stands at x = 450 mm.
json arm_and_door(bool waits) {
    json tree = {{"escarp", 1}, {"horizon_s", 30}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}};
    json move_left = {{"do", "move"}, {"id", "l"}, {"pose", "left"}},
         move_right = {{"do", "move"}, {"id", "r"}, {"pose", "right"}};
    json steps = {move_left, move_right};
    if (waits)
        steps = {{{"do", "set"}, {"id", "s"}, {"signal", "arm.want"}, {"to", true}},
            {{"do", "wait"}, {"id", "w"}, {"signal", "door.opened"}, {"is", true}}, move_left, move_right};
    tree["devices"] = {{{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six600"}, {"detours", false},
                           {"own_signals", {"want"}},
                           {"poses", {{{"id", "left"}, {"joints_deg", {60, 60, 0, 0, 0, 0}}},
                                         {{"id", "right"}, {"joints_deg", {-60, 60, 0, 0, 0, 0}}}}},
                           {"ready_deg", {-60, 60, 0, 0, 0, 0}}, {"task", steps}},
        {{"id", "door"}, {"name", "Door"}, {"kind", "door"}, {"leaf", "rises"}, {"length_mm", 3000}, {"width_mm", 100},
            {"height_mm", 2500}, {"open_s", 2}, {"close_s", 2}, {"placement", {{"x_mm", 450}, {"turn_deg", 90}}}}};
    if (waits) tree["devices"][1]["inputs"] = {{{"id", "open"}, {"from", "arm.want"}}};
    return tree;
}

}  // namespace

TEST_CASE("an arm that swings through a closed door hits its leaf; where it waits until that has risen, it does not") {
    for (const bool waits : {false, true}) {
        const auto document = cell::Document::parse(arm_and_door(waits).dump());
        const auto e = tests::evaluated(document, document.baseline());
        bool hit = false;
        for (const auto& f : e->inspection->findings)
            hit = hit || (f.id == "clearance:arm:door" && f.severity == inspection::Severity::stop);
        CHECK(hit == !waits);
    }
}

TEST_CASE("a pusher's head goes to each part, across with it and back, and lets nothing pass meanwhile") {
    json tree = {{"escarp", 1}, {"horizon_s", 120}, {"part_types", cell::catalogue_part_types()}};
    const auto belt = [&](const char* id, const char* to, json placement) {
        tree["devices"].push_back({{"id", id}, {"name", id}, {"kind", "conveyor"}, {"length_mm", 2000},
            {"width_mm", 200}, {"height_mm", 700}, {"speed_mm_s", 250}, {"to", to}, {"placement", placement}});
        const std::string hood = to;
        tree["devices"].push_back({{"id", hood}, {"name", hood}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", id},
            {"placement", {{"x_mm", 850}}}});
    };
    belt("main", "out", {{"x_mm", 0}});
    belt("aside", "out2", {{"y_mm", -1200}, {"turn_deg", -90}});
    tree["devices"].push_back({{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "main"}, {"interval_s", 3},
        {"placement", {{"x_mm", -850}}}, {"part_type", "block60"}, {"to", "main"}});
    tree["devices"].push_back({{"id", "p"}, {"name", "Pusher"}, {"kind", "divert"}, {"across", "pushed"},
        {"host", "main"}, {"which", "while its input is on"}, {"to", "aside"}, {"speed_mm_s", 300}, {"back_s", 0.8},
        {"own_signals", {"every_other"}}, {"inputs", {{{"id", "aside"}, {"from", "p.every_other"}}}},
        {"task", {{{"do", "set"}, {"id", "a"}, {"signal", "p.every_other"}, {"to", true}},
                     {{"do", "delay"}, {"id", "b"}, {"time_s", 9}},
                     {{"do", "set"}, {"id", "c"}, {"signal", "p.every_other"}, {"to", false}},
                     {{"do", "delay"}, {"id", "d"}, {"time_s", 9}}}}});
    const auto c = tests::read(tree);
    const auto r = run_of(*c, 120);
    const int pusher = c->device("p");
    const cell::Device& d = c->devices[static_cast<std::size_t>(pusher)];
    REQUIRE(d.axis);
    nothing_jumps(*c, r->trace, 0.31, 60);
    int pushed = 0, straight_on = 0;
    for (const Departure& one : r->trace.departures) {
        const auto& places = r->trace.parts[static_cast<std::size_t>(one.part)].places;
        ++(places[places.size() - 2].device == c->device("aside") ? pushed : straight_on);
    }
    CHECK(pushed > 5);
    CHECK(straight_on > 5);
    // While a part goes across the head touches it; none is ever in its way.
    const geometry::Body& block = c->part_types.front().bodies.front();
    const geometry::Body& head = d.axis->model->mechanism.links[1].bodies.front();
    int touched = 0;
    for (double t = 0; t < 60; t += 0.05) {
        const Frame at = d.world * d.axis->model->flange_frame(r->trace.joints(*c, pusher, ticks(t))) * head.at;
        for (std::size_t part = 0; part < r->trace.parts.size(); ++part) {
            Frame stands;
            if (!r->trace.part_frame(*c, static_cast<int>(part), ticks(t), stands)) continue;
            CHECK(geometry::penetration(head.shape, at, block.shape, stands * block.at) < 2e-4);
            const Place* place = r->trace.parts[part].place(ticks(t));
            const bool crosses = place->device == c->device("aside") && std::abs(stands.translation().x()) < 1e-6 &&
                                 stands.translation().y() > -0.199 && stands.translation().y() < -0.001;
            if (!crosses) continue;
            ++touched;
            CHECK(geometry::separation(head.shape, at, block.shape, stands * block.at).distance < 2e-4);
        }
    }
    CHECK(touched > 10);
    const auto document = cell::Document::parse(tree.dump());
    const auto e = tests::evaluated(document, document.baseline());
    for (const auto& f : e->inspection->findings) {
        INFO(f.title << ": " << f.text);
        CHECK(f.id.rfind("clearance:", 0) != 0);
    }
}

TEST_CASE("a turntable that sets off with other parts while the arm still draws back with one of them is judged") {
    json tree = {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"part_types", cell::catalogue_part_types()}};
    const auto deal = [](const char* id, const char* what, const char* key, const char* with) {
        return json{{"id", id}, {"do", what}, {key, with}, {"approach_mm", 60}, {"retreat_mm", 60}};
    };
    tree["devices"] = {{{"id", "in"}, {"name", "In"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "block60"},
                           {"columns", 2}, {"rows", 2}, {"pitch_x_mm", 120}, {"pitch_y_mm", 120}, {"plate_mm", 500},
                           {"placement", {{"x_mm", 0}, {"y_mm", 600}}}},
        {{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "bin"}, {"length_mm", 300}, {"width_mm", 300},
            {"height_mm", 400}, {"placement", {{"x_mm", 0}, {"y_mm", -600}}}},
        {{"id", "table"}, {"name", "Table"}, {"kind", "turntable"}, {"diameter_mm", 500}, {"height_mm", 500},
            {"places", 2}, {"nests", 2}, {"nests_at_mm", 170}, {"turn_s", 1}, {"loads_at", 1}, {"gives_at", 2},
            {"placement", {{"x_mm", 600}, {"turn_deg", 90}}}},
        {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw60"},
            {"placement", {{"z_mm", 300}}},
            {"first", {deal("a", "pick", "from", "in"), deal("b", "place", "in", "table"),
                          deal("c", "pick", "from", "in"), deal("d", "place", "in", "table"),
                          deal("e", "pick", "from", "in"), deal("f", "place", "in", "table"),
                          deal("g", "pick", "from", "in"), deal("h", "place", "in", "table")}},
            {"task", {deal("i", "pick", "from", "table"), deal("j", "place", "in", "out"),
                         deal("k", "pick", "from", "table"), deal("l", "place", "in", "out")}}}};
    const auto document = cell::Document::parse(tree.dump());
    const auto e = tests::evaluated(document, document.baseline());
    // The last one of a place is taken, and the table turns with the others on it.
    const auto& motions = e->run->trace.motions[2];
    CHECK(std::any_of(motions.begin(), motions.end(), [&](const MotionRecord& m) {
        return m.held >= 0 &&
               std::any_of(e->run->trace.blocks.begin(), e->run->trace.blocks.end(), [&](const Block& b) {
                   return b.device == 3 && b.kind == BlockKind::straight_out && b.from <= m.from && m.from < b.to &&
                          b.part >= 0 && e->run->trace.held_part(3, m.from) == b.part;
               });
    }));
    // The part that leaves its nest stands clear of the table under it.
    for (const auto& f : e->inspection->findings) {
        INFO(f.title << ": " << f.text);
        CHECK(f.title.find("part held by Arm hits Table") == std::string::npos);
    }
}
