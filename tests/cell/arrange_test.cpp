// Placing devices by edits: what is asked for is what stands there afterwards.
#include <catch2/catch.hpp>

#include <cell/edits/arrange.h>
#include <cell/edits/snap.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::cell;
using geometry::Vector3;

namespace {

/// Four tables in a row, a tray on the second, an arm on a pedestal.
Document room() {
    json tree = Document().tree();
    tree["arm_models"] = catalogue_arms();
    tree["tool_models"] = catalogue_tools();
    const auto add = [&](const char* id, const char* kind, json parameters, json placement,
                         const char* host = "floor") {
        json d = {{"id", id}, {"name", id}, {"kind", kind}, {"host", host}, {"placement", placement}};
        d.update(parameters);
        tree["devices"].push_back(d);
    };
    const json table = {{"shape", "table"}, {"length_mm", 800}, {"width_mm", 500}, {"height_mm", 700}};
    add("t1", "structure", table, {{"x_mm", 0}, {"y_mm", 0}});
    add("t2", "structure", table, {{"x_mm", 1203}, {"y_mm", 111}, {"turn_deg", 90}});
    add("t3", "structure", table, {{"x_mm", 3000}, {"y_mm", -40}});
    add("tray", "tray", {{"columns", 2}, {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 100}},
        {{"x_mm", 100}, {"y_mm", 50}, {"turn_deg", 30}}, "t2");
    add("foot", "structure", {{"shape", "pedestal"}, {"length_mm", 300}, {"width_mm", 300}, {"height_mm", 400}},
        {{"x_mm", -1500}});
    add("arm", "arm", {{"model", "six900"}, {"tool", "jaw120"}}, {{"x_mm", 0}}, "foot");
    add("bend", "conveyor",
        {{"length_mm", 300}, {"bend_deg", 45}, {"radius_mm", 400}, {"width_mm", 200}, {"height_mm", 700},
            {"speed_mm_s", 100}},
        {{"y_mm", 3000}, {"turn_deg", 20}});
    return Document::parse(tree.dump());
}

std::shared_ptr<const Cell> cell_of(const Document& d) { return simulation::layout(d, d.baseline()).shared_cell(); }
const Device& named(const Cell& c, const std::string& id) { return c.devices[c.device(id)]; }

}  // namespace

TEST_CASE("placements and frames are each other's inverse") {
    tests::Draw draw(3);
    for (int i = 0; i < 500; ++i) {
        Frame f = draw.frame(5);
        const geometry::FrameGap gap = geometry::gap(frame_of(placement_of(f)), f);
        CHECK(gap.distance < 2e-9);
        CHECK(gap.angle < 5e-8);
    }
}

TEST_CASE("whatever frame its numbers are read in, a device set down at a place stands there, on any host") {
    const Document d = room();
    const auto c = cell_of(d);
    tests::Draw draw(5);
    for (const char* id : {"t1", "tray", "arm", "bend"})
        for (const int host : {-1, c->device("t3")}) {
            const int device = c->device(id);
            const Frame wanted = draw.frame(2);
            const Document after = d.edited(d.baseline(), {"Place", place_at(*c, device, wanted, host)});
            const auto now = cell_of(after);
            CHECK(geometry::gap(named(*now, id).world, wanted).distance < 2e-9);
            CHECK(geometry::gap(named(*now, id).world, wanted).angle < 1e-7);
            CHECK(named(*now, id).host == host);
        }
    CHECK(place_at(*c, c->device("t2"), named(*c, "t2").world).empty());  // where it stands already nothing is written
}

TEST_CASE("moving a host moves its riders, once") {
    const Document d = room();
    const auto c = cell_of(d);
    const auto now = cell_of(
        d.edited(d.baseline(), move_by(*c, {c->device("t2"), c->device("tray"), c->device("t1")}, {0.5, -0.25, 0})));
    for (const char* id : {"t1", "t2", "tray"})
        CHECK(
            (named(*now, id).world.translation() - named(*c, id).world.translation() - Vector3(0.5, -0.25, 0)).norm() <
            1e-9);
    CHECK(named(*now, "t3").world.isApprox(named(*c, "t3").world));
}

TEST_CASE("turning several goes about their middle and back again") {
    const Document d = room();
    const auto c = cell_of(d);
    const std::vector<int> both{c->device("t1"), c->device("t2")};
    const Document turned = d.edited(d.baseline(), turn_by(*c, both, 0.7));
    const auto mid = cell_of(turned);
    const double apart = (named(*c, "t1").world.translation() - named(*c, "t2").world.translation()).norm();
    CHECK((named(*mid, "t1").world.translation() - named(*mid, "t2").world.translation()).norm() == Approx(apart));
    const auto back = cell_of(turned.edited(turned.baseline(), turn_by(*mid, both, -0.7)));
    for (const char* id : {"t1", "t2", "tray"})
        CHECK(geometry::gap(named(*back, id).world, named(*c, id).world).distance < 1e-8);
}

TEST_CASE("aligned edges and middles agree; spread devices have equal gaps") {
    const Document d = room();
    const auto c = cell_of(d);
    const std::vector<int> all{c->device("t1"), c->device("t2"), c->device("t3")};
    const auto extent = [](const Cell& cell, int i) { return world_extent(cell, i); };
    for (const auto& [how, value] : std::vector<std::pair<AlignAt, std::function<double(const geometry::Box3&)>>>{
             {AlignAt::left, [](const auto& b) { return b.low.x(); }},
             {AlignAt::right, [](const auto& b) { return b.high.x(); }},
             {AlignAt::front, [](const auto& b) { return b.low.y(); }},
             {AlignAt::back, [](const auto& b) { return b.high.y(); }},
             {AlignAt::middle_x, [](const auto& b) { return b.low.x() + b.high.x(); }},
             {AlignAt::middle_y, [](const auto& b) { return b.low.y() + b.high.y(); }}}) {
        const auto now = cell_of(d.edited(d.baseline(), align(*c, all, how)));
        for (const int i : all) CHECK(value(extent(*now, i)) == Approx(value(extent(*c, all.front()))).margin(1e-9));
    }
    const auto now = cell_of(d.edited(d.baseline(), distribute(*c, all, 0)));
    const double first = extent(*now, all[1]).low.x() - extent(*now, all[0]).high.x(),
                 second = extent(*now, all[2]).low.x() - extent(*now, all[1]).high.x();
    CHECK(first == Approx(second).margin(1e-9));
    CHECK_THROWS_AS(distribute(*c, {all[0], all[1]}, 0), InputError);
}

TEST_CASE("a mirror image mirrors every body, bends and riders too, and twice gives back what was there") {
    const Document d = room();
    const auto c = cell_of(d);
    for (const int axis : {0, 1})
        for (const char* id : {"bend", "t2"}) {
            const Document once = d.edited(d.baseline(), mirror(simulation::layout(d, d.baseline()), {id}, axis, 0.3));
            const auto now = cell_of(once);
            for (const char* one : {id, id == std::string("t2") ? "tray" : id}) {
                const geometry::Box3 a = world_extent(*c, c->device(one)), b = world_extent(*now, now->device(one));
                CHECK(b.low[axis] == Approx(0.6 - a.high[axis]).margin(1e-6));
                CHECK(b.high[axis] == Approx(0.6 - a.low[axis]).margin(1e-6));
                CHECK(b.low[1 - axis] == Approx(a.low[1 - axis]).margin(1e-6));
                CHECK(b.low.z() == Approx(a.low.z()).margin(1e-9));
            }
            const auto back = cell_of(
                once.edited(once.baseline(), mirror(simulation::layout(once, once.baseline()), {id}, axis, 0.3)));
            CHECK(geometry::gap(named(*back, id).world, named(*c, id).world).distance < 1e-8);
            CHECK(geometry::gap(named(*back, "tray").world, named(*c, "tray").world).distance < 1e-8);
        }
}

TEST_CASE(
    "copies in rows and on a circle stand where they should, with their riders, under free names, and join each "
    "other") {
    const Document d = room();
    const auto c = cell_of(d);
    std::vector<std::string> made;
    const Document rows =
        d.edited(d.baseline(), copy(simulation::layout(d, d.baseline()), {"t2"}, grid_of(3, 2, 1.0, 0.8), &made));
    const auto now = cell_of(rows);
    REQUIRE(made.size() == 5);
    CHECK(now->devices.size() == c->devices.size() + 10);  // each with its tray
    CHECK(
        (named(*now, made[4]).world.translation() - named(*c, "t2").world.translation() - Vector3(2.0, 0.8, 0)).norm() <
        1e-9);
    int on_copies = 0;
    for (const Device& one : now->devices)
        on_copies += one.host >= 0 && std::find(made.begin(), made.end(), now->devices[one.host].id) != made.end();
    CHECK(on_copies == 5);
    made.clear();
    const Vector3 centre(1, 2, 0);
    const auto ring = cell_of(d.edited(
        d.baseline(), copy(simulation::layout(d, d.baseline()), {"t1"}, ring_of(6, centre, 2 * geometry::pi), &made)));
    REQUIRE(made.size() == 5);
    for (const std::string& id : made)
        CHECK((named(*ring, id).world.translation() - centre).norm() ==
              Approx((named(*c, "t1").world.translation() - centre).norm()));
    CHECK_THROWS_AS(copy(simulation::layout(d, d.baseline()), {"t1"}, grid_of(100, 100, 1, 1)), InputError);
}

TEST_CASE("what stood on a removed device goes down, keeps its height or goes with it, as asked") {
    const Document d = room();
    const auto c = cell_of(d);
    const auto after = [&](Riders how) {
        return cell_of(d.edited(d.baseline(), remove_devices(simulation::layout(d, d.baseline()), {"t2"}, how)));
    };
    CHECK(after(Riders::remove)->device("tray") == -1);
    const auto low = after(Riders::lower), kept = after(Riders::keep_height);
    CHECK(named(*low, "tray").world.translation().z() == Approx(0).margin(1e-9));
    CHECK(geometry::gap(named(*kept, "tray").world, named(*c, "tray").world).distance < 1e-8);
    CHECK(named(*kept, "tray").host == -1);
    CHECK((named(*low, "tray").world.translation() - named(*c, "tray").world.translation()).head<2>().norm() < 1e-4);
}

TEST_CASE("snapping: edges and middles in both directions, conveyor ends with their direction, else the grid") {
    const Document d = room();
    const auto c = cell_of(d);
    const int t3 = c->device("t3");
    Frame wanted = named(*c, "t3").world;
    wanted.translation() = Vector3(0.012, 0.523, 0);  // above t1, 12 mm aside and 23 mm from face to face
    const Snap s = snap(*c, t3, {t3}, wanted, 0.03, 0.01);
    CHECK(s.world.translation().x() == Approx(0).margin(1e-9));
    CHECK(s.world.translation().y() == Approx(0.5).margin(1e-9));
    CHECK(s.guides.size() == 2);
    wanted.translation() = Vector3(10.0123, 20.4567, 0);
    const Snap free = snap(*c, t3, {t3}, wanted, 0.03, 0.01);
    CHECK(free.world.translation().x() == Approx(10.01));
    CHECK(free.world.translation().y() == Approx(20.46));
    CHECK(free.guides.empty());
    // A second conveyor brought near the end of the first lies in its line afterwards.
    std::vector<std::string> made;
    const Document two = d.edited(
        d.baseline(), copy(simulation::layout(d, d.baseline()), {"bend"}, {geometry::make_frame({5, 5, 0})}, &made));
    const auto joined = cell_of(two);
    const int belt = joined->device(made.front());
    const Device& first = named(*joined, "bend");
    Frame hand = first.world * first.ends[1] * named(*joined, made.front()).ends[0].inverse();
    hand.translation() += Vector3(0.02, -0.03, 0);
    hand.linear() = named(*joined, made.front()).world.linear();
    const Frame goal = first.world * first.ends[1] * joined->devices[belt].ends[0].inverse();
    hand.translation() = hand * joined->devices[belt].ends[0].translation();
    hand.translation() = (first.world * first.ends[1]).translation() -
                         hand.linear() * joined->devices[belt].ends[0].translation() + Vector3(0.02, 0.01, 0);
    hand.translation().z() = 0;
    const Snap end = snap(*joined, belt, {belt}, hand, 0.03, 0.01);
    CHECK(end.joined);
    CHECK(end.upstream == joined->device("bend"));
    CHECK(end.downstream == belt);
    CHECK(geometry::gap(end.world, goal).distance < 1e-9);
    CHECK(geometry::gap(end.world, goal).angle < 1e-9);
}

TEST_CASE("things set down on a table stand on it, belts and larger things do not") {
    const Document d = room();
    const auto c = cell_of(d);
    const Vector3 on_t1(0.1, 0.1, 0), on_tray_table = named(*c, "t2").world.translation();
    CHECK(carrier_at(*c, c->device("tray"), on_t1) == c->device("t1"));
    CHECK(carrier_at(*c, c->device("arm"), on_tray_table) == c->device("t2"));
    CHECK(carrier_at(*c, c->device("bend"), on_t1) == -1);
    CHECK(carrier_at(*c, c->device("t1"), named(*c, "foot").world.translation()) == -1);
    CHECK(carrier_at(*c, c->device("tray"), {9, 9, 0}) == -1);
}

TEST_CASE("every catalogue device comes back from the file as it went, bit for bit") {
    Document d;
    int placed = 0;
    for (const Offering& what : offerings(simulation::standard_kinds())) {
        std::string id;
        try {
            d = d.edited(d.baseline(), add_device(simulation::layout(d, d.baseline()), what, "", &id));
            ++placed;
        } catch (const InputError& e) {
            CHECK(
                std::string(e.what()).find("conveyor first") != std::string::npos);  // an infeed before the first belt
        }
    }
    for (const Offering& what : offerings(simulation::standard_kinds()))
        if (what.kind == "infeed")
            d = d.edited(d.baseline(), add_device(simulation::layout(d, d.baseline()), what, "", nullptr));
    CHECK(placed >= 20);
    const Document again = Document::parse(d.text());
    CHECK(again == d);
    CHECK(again.text() == d.text());
    const auto one = cell_of(d), two = cell_of(again);
    REQUIRE(one->devices.size() == two->devices.size());
    for (std::size_t i = 0; i < one->devices.size(); ++i) {
        CHECK(one->devices[i].world.matrix() == two->devices[i].world.matrix());
        REQUIRE(one->devices[i].bodies.size() == two->devices[i].bodies.size());
        for (std::size_t b = 0; b < one->devices[i].bodies.size(); ++b)
            CHECK(one->devices[i].bodies[b].at.matrix() == two->devices[i].bodies[b].at.matrix());
    }
}
