// Conveyors with bends, trays, fences: their geometry and how parts travel on them.
#include <catch2/catch.hpp>

#include <motion/clearance.h>
#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;
using geometry::Frame;
using geometry::Vector3;

namespace {

/// Straight, a bend to the left and a straight one again, each a device of its own and joined end to end.
json joined(double bend_deg, double radius_mm, double speed) {
    json tree = tests::belt_cell(8, speed, 1000, 20);
    tree["devices"][0]["to"] = "bend";
    tree["devices"].push_back(
        {{"id", "bend"}, {"name", "Bend"}, {"kind", "conveyor"}, {"length_mm", 0}, {"bend_deg", bend_deg},
            {"radius_mm", radius_mm}, {"width_mm", 200}, {"height_mm", 800}, {"speed_mm_s", speed}, {"to", "last"}});
    tree["devices"].push_back({{"id", "last"}, {"name", "Last"}, {"kind", "conveyor"}, {"length_mm", 700},
        {"width_mm", 200}, {"height_mm", 800}, {"speed_mm_s", speed}, {"to", "out"}});
    tree["devices"][2]["host"] = "last";
    // End to end by the ends that the kinds state.
    for (const int i : {3, 4}) {
        const auto c = tests::read(tree);
        const cell::Device &before = c->devices[i == 3 ? 0 : 3], &here = c->devices[i];
        Frame at = before.world * before.ends[1] * here.ends[0].inverse();
        const Vector3 turn = geometry::to_triple(at.linear()) * 180 / geometry::pi;
        tree["devices"][i]["placement"] = {
            {"x_mm", 1e3 * at.translation().x()}, {"y_mm", 1e3 * at.translation().y()}, {"turn_deg", turn.z()}};
    }
    return tree;
}

}  // namespace

TEST_CASE("a part rides through a bend without a jump, at belt speed, and turns with the belt") {
    for (const auto& [bend, radius] : {std::pair{90.0, 400.0}, {-60.0, 700.0}, {180.0, 300.0}}) {
        const double speed = 0.2;
        const auto c = tests::read(joined(bend, radius, 1e3 * speed));
        PlanCache plans;
        RunOptions o;
        o.horizon_s = 60;
        const auto r = run(*c, plans, o);
        const PartRecord& part = r->trace.parts.front();
        const Ticks gone = part.places.back().from;
        REQUIRE(part.places.back().kind == Place::Kind::gone);
        const double way = 1.0 + std::abs(bend) * geometry::pi / 180 * radius * 1e-3 + 0.7;
        CHECK(
            seconds(gone) == Approx((way - 0.06) / speed)
                                 .margin(1e-6));  // from half a part behind the beginning to half a part before the end
        Frame before;
        REQUIRE(r->trace.part_frame(*c, 0, 0, before));
        for (Ticks t = 5 * second / 1000; t < gone; t += 5 * second / 1000) {
            Frame at;
            REQUIRE(r->trace.part_frame(*c, 0, t, at));
            const double step = (at.translation() - before.translation()).norm();
            REQUIRE(step <= speed * 0.005 + 1e-9);
            REQUIRE(step >= speed * 0.005 * 0.9999);  // the chord of an arc is hardly shorter
            // It lies along its travel.
            const Vector3 travel = (at.translation() - before.translation()).normalized();
            REQUIRE(travel.dot(at.linear().col(0)) > 0.9999);
            before = at;
        }
        CHECK(geometry::to_triple(before.linear()).z() ==
              Approx(std::remainder(bend * geometry::pi / 180, 2 * geometry::pi)).margin(1e-6));
    }
}

TEST_CASE("the bodies of a bend hold the true shape and little more") {
    const auto c =
        tests::read({{"escarp", 1}, {"devices", {{{"id", "b"}, {"name", "B"}, {"kind", "conveyor"}, {"length_mm", 0},
                                                    {"bend_deg", 90}, {"radius_mm", 500}, {"width_mm", 200},
                                                    {"height_mm", 800}, {"guide_mm", 60}, {"speed_mm_s", 100}}}}});
    const cell::Device& d = c->devices.front();
    const Frame begin = d.ends[0];
    const Vector3 centre = begin * Vector3(0, 0.5, 0);
    const auto inside = [&](const Vector3& p) {
        return std::any_of(d.bodies.begin(), d.bodies.end(), [&](const geometry::Body& b) {
            return geometry::separation(b.shape, b.at, geometry::Convex::sphere(1e-6), geometry::make_frame(p))
                       .distance <= 0;
        });
    };
    tests::Draw draw(4);
    for (int i = 0; i < 300; ++i) {
        const double angle = draw.in(0.001, geometry::pi / 2 - 0.001), r = draw.in(0.38, 0.62);
        const Vector3 p = centre + Vector3(r * std::sin(angle), -r * std::cos(angle), 0.8 - centre.z() - 0.05);
        if (r > 0.4 && r < 0.6) CHECK(inside(p));
        if (r < 0.3997 || r > 0.6003) CHECK_FALSE(inside(p));
    }
    const geometry::Box3 box = d.extent();
    CHECK(box.low.z() == Approx(0).margin(1e-12));
    CHECK(box.high.z() == Approx(0.86));
    CHECK(box.low.x() + box.high.x() == Approx(0).margin(4e-4));
    CHECK(box.low.y() + box.high.y() == Approx(0).margin(4e-4));
    // The origin is the middle of the true arc's footprint: 600 mm to the outside of the quarter circle from where the
    // belt begins and ends.
    CHECK(centre.x() == Approx(-0.3).margin(1e-12));
    CHECK(centre.y() == Approx(0.3).margin(1e-12));
}

TEST_CASE("a bend that is too tight for its belt is refused with what would do") {
    json tree = joined(90, 400, 100);
    tree["devices"][3]["radius_mm"] = 90;
    try {
        tests::read(tree);
        FAIL("it was taken");
    } catch (const cell::InputError& e) {
        CHECK(e.problems().front().where == "devices/bend/radius_mm");
        CHECK(e.problems().front().message.find("half the belt's width") != std::string::npos);
    }
}

TEST_CASE(
    "a body that glides on an arc never moves faster than its bound, and its clearance is that of fine sampling") {
    tests::Draw draw(9);
    for (int i = 0; i < 40; ++i) {
        const motion::Glide glide{
            Vector3::Zero(), draw.in(-1, 1), {draw.in(-1, 1), draw.in(-1, 1), 0}, Vector3::UnitZ()};
        const motion::GlideMover rider(geometry::make_frame({draw.in(-1, 1), draw.in(-1, 1), 0.5}),
            motion::part_set({{0, draw.convex(), geometry::make_frame({0.1, 0, 0}), {}, 0}}), glide);
        const motion::GlideMover still(geometry::make_frame({draw.in(-1, 1), draw.in(-1, 1), 0.5}),
            motion::part_set({{0, draw.convex(), Frame::Identity(), {}, 0}}));
        const double found = motion::least_clearance(rider, still, {0, 4}).distance;
        double sampled = 1e9;
        std::vector<Frame> a, b;
        still.frames(0, b);
        for (int k = 0; k <= 4000; ++k) {
            rider.frames(k * 1e-3, a);
            sampled = std::min(sampled,
                geometry::separation(rider.parts()[0].shape, a[0] * rider.parts()[0].at, still.parts()[0].shape, b[0])
                    .distance);
        }
        CHECK(found <= sampled + 2.5e-4 + 1e-9);  // the search ends within its tolerance
        CHECK(found >= sampled - 1.5e-3);
    }
}

TEST_CASE("a supply tray is emptied, a collecting tray filled, both exchanged, and no part is lost") {
    json tree = {{"escarp", 1}, {"horizon_s", 600}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"part_types", cell::catalogue_part_types()},
        {"devices",
            {{{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw120"},
                 {"task", {{{"id", "s1"}, {"do", "pick"}, {"from", "from"}},
                              {{"id", "s2"}, {"do", "place"}, {"in", "to"}}}}},
                {{"id", "from"}, {"name", "From"}, {"kind", "tray"}, {"use", "supply"}, {"part_type", "block60"},
                    {"columns", 3}, {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100}, {"exchange_s", 4},
                    {"placement", {{"x_mm", 500}, {"y_mm", -250}, {"z_mm", 200}}}},
                {{"id", "to"}, {"name", "To"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 2}, {"rows", 2},
                    {"pitch_x_mm", 100}, {"pitch_y_mm", 100}, {"exchange_s", 3},
                    {"placement", {{"x_mm", 500}, {"y_mm", 250}, {"z_mm", 200}}}}}}};
    const auto c = tests::read(tree);
    PlanCache plans;
    RunOptions o;
    o.horizon_s = 600;
    const auto r = run(*c, plans, o);
    CHECK(r->trace.faults.empty());
    REQUIRE(r->steady);
    CHECK(r->steady->parts == 12);  // the least that both 6 and 4 divide
    std::size_t exchanges = 0;
    for (const Block& b : r->trace.blocks)
        if (b.kind == BlockKind::exchange && b.to != never) {
            ++exchanges;
            CHECK(seconds(b.to - b.from) == Approx(b.device == 1 ? 4 : 3));
        }
    CHECK(exchanges >= 5);
    // Whatever entered is in the cell or has left it.
    std::size_t gone = 0;
    for (const PartRecord& p : r->trace.parts) gone += !p.places.empty() && p.places.back().kind == Place::Kind::gone;
    CHECK(gone == r->trace.departures.size());
    CHECK(gone % 4 == 0);
    // Two parts never lie in one nest.
    std::map<std::pair<int, int>, int> taken;
    for (const PartRecord& p : r->trace.parts) {
        const Place* at = p.place(r->trace.end);
        if (at && at->kind == Place::Kind::still) CHECK(++taken[{at->device, at->seat}] == 1);
    }
}

TEST_CASE("a tray fills along the rows or the columns, layer by layer") {
    const auto seats = [](const char* order) {
        const auto c = tests::read({{"escarp", 1},
            {"devices", {{{"id", "t"}, {"name", "T"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 3}, {"rows", 2},
                            {"layers", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 80}, {"pitch_z_mm", 50},
                            {"plate_mm", 10}, {"order", order}}}}});
        return c->devices.front().seats;
    };
    const auto s = seats("along x");
    REQUIRE(s.size() == 12);
    CHECK((s[0].at.translation() - Vector3(-0.1, -0.04, 0.01)).norm() < 1e-12);
    CHECK((s[11].at.translation() - Vector3(0.1, 0.04, 0.06)).norm() < 1e-12);
}

TEST_CASE(
    "a fence stands in a line with its posts, its doors where they are asked for, and refuses doors that do not fit") {
    json fence = {{"id", "f"}, {"name", "F"}, {"kind", "fence"}, {"points_mm", {{0, 0}, {4000, 0}, {4000, 3000}}},
        {"height_mm", 2000}, {"post_mm", 60}, {"panel_mm", 1500}, {"doors_at_mm", {1000, 5000}},
        {"door_width_mm", 900}};
    const auto c = tests::read({{"escarp", 1}, {"devices", {fence}}});
    const cell::Device& d = c->devices.front();
    const auto named = [&](const char* name) {
        return std::count_if(d.bodies.begin(), d.bodies.end(), [&](const geometry::Body& b) { return b.name == name; });
    };
    CHECK(named("door") == 2);
    CHECK(d.extent().high.z() == Approx(2.0));
    double panels = 0, doors = 0;
    for (const geometry::Body& b : d.bodies) {
        if (b.name == "panel") panels += 2 * b.shape.half().x();
        if (b.name == "door") doors += 2 * b.shape.half().x();
    }
    CHECK(panels == Approx(7.0 - 2 * 0.9).margin(1e-9));
    CHECK(doors == Approx(2 * (0.9 - 0.06)).margin(1e-9));
    fence["doors_at_mm"] = {3500};
    CHECK_THROWS_AS(tests::read({{"escarp", 1}, {"devices", {fence}}}), cell::InputError);
}
