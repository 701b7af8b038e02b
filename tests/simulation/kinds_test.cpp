#include <catch2/catch.hpp>

#include <simulation/plan.h>
#include <simulation/run.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::simulation;
using cell::json;

namespace {

/// One device of every kind on the floor, with its fresh parameters.
std::shared_ptr<const cell::Cell> one_of(const std::string& kind, json over = json::object()) {
    json tree = {{"escarp", 1}, {"part_types", cell::catalogue_part_types()}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"devices", json::array()}};
    tree["devices"].push_back({{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", 1000},
        {"width_mm", 100}, {"height_mm", 500}, {"speed_mm_s", 100}, {"placement", {{"x_mm", 20000}}}});
    json d = standard_kinds().find(kind)->fresh();
    d["id"] = "d";
    d["name"] = "D";
    d["kind"] = kind;
    if (kind == "arm") d["model"] = "six600", d["tool"] = "jaw60";
    if (kind == "infeed") d["to"] = "belt", d["part_type"] = "block60";
    if (kind == "turntable") d["places"] = 48;
    for (const auto& [key, value] : over.items()) d[key] = value;
    tree["devices"].push_back(d);
    return tests::read(tree);
}

}  // namespace

TEST_CASE(
    "every kind stands on the floor with its origin at the bottom centre, and has the full sizes that it was given") {
    for (const auto& kind : standard_kinds().all()) {
        const auto c = one_of(kind->id());
        const cell::Device& d = c->devices.back();
        const geometry::Bodies& bodies = d.arm ? d.arm->model->mechanism.links.front().bodies : d.bodies;
        if (d.look == cell::Look::marking) {  // paint
            CHECK(bodies.empty());
            CHECK(!d.marks.empty());
            continue;
        }
        REQUIRE(!bodies.empty());
        const geometry::Box3 box = d.extent();  // on the floor, unturned: what moves of it at its beginning
        CHECK(d.world.isApprox(Frame::Identity()));
        CHECK(box.low.z() == Approx(0).margin(1e-9));  // neither floats nor sinks
        if (kind->id() == "zone_sensor") {             // its sizes are those of what it watches, beside which it stands
            geometry::Box3 watched;
            for (const cell::Mark& m : d.marks)
                for (const geometry::Vector3& p : m.line) watched.add(p);
            CHECK(watched.high.x() - watched.low.x() == Approx(0.2));
            CHECK(watched.high.y() - watched.low.y() == Approx(0.2));
            CHECK(watched.high.z() - watched.low.z() == Approx(0.15));
            CHECK(box.low.y() > watched.high.y());
            continue;
        }
        CHECK(box.low.x() + box.high.x() == Approx(0).margin(1e-6));
        CHECK(box.low.y() + box.high.y() == Approx(0).margin(1e-6));
        const json fresh = kind->fresh();
        if (fresh.contains("length_mm"))
            CHECK(box.high.x() - box.low.x() == Approx(fresh["length_mm"].get<double>() / 1e3).margin(1e-9));
        if (fresh.contains("width_mm"))
            CHECK(box.high.y() - box.low.y() == Approx(fresh["width_mm"].get<double>() / 1e3).margin(1e-9));
        if (fresh.contains("height_mm"))
            CHECK(box.high.z() == Approx(fresh["height_mm"].get<double>() / 1e3).margin(1e-9));
        if (fresh.contains("height_mm"))
            CHECK(d.mount.translation().z() == Approx(fresh["height_mm"].get<double>() / 1e3));
    }
}

TEST_CASE(
    "every field that a kind offers is one that it reads: another value changes the device, nonsense is refused") {
    for (const auto& kind : standard_kinds().all())
        for (const cell::Field& f : kind->fields()) {
            if (f.type != cell::Field::Type::number && f.type != cell::Field::Type::whole) continue;
            const double middle = std::round(f.low + 0.4 * (std::min(f.high, 3000.0) - f.low));
            const double inside = middle > f.low ? middle : f.high;
            CHECK_NOTHROW(one_of(kind->id(),
                {{f.key, f.type == cell::Field::Type::whole ? json(static_cast<int>(inside)) : json(inside)}}));
            CHECK_THROWS_AS(one_of(kind->id(), {{f.key, "x"}}), cell::InputError);
            CHECK_THROWS_AS(one_of(kind->id(), {{f.key, f.low - 1}}), cell::InputError);
            CHECK_THROWS_AS(one_of(kind->id(), {{f.key, f.high * 2 + 1}}), cell::InputError);
        }
}

TEST_CASE("nests lie in their rows and columns at their pitch, on top of the fixture") {
    const auto c =
        one_of("fixture", {{"columns", 3}, {"rows", 2}, {"pitch_x_mm", 100}, {"pitch_y_mm", 80}, {"height_mm", 900}});
    const auto& seats = c->devices.back().seats;
    REQUIRE(seats.size() == 6);
    CHECK((seats[0].at.translation() - geometry::Vector3(-0.1, -0.04, 0.9)).norm() < 1e-12);
    CHECK((seats[5].at.translation() - geometry::Vector3(0.1, 0.04, 0.9)).norm() < 1e-12);
    CHECK((seats[1].at.translation() - seats[0].at.translation() - geometry::Vector3(0.1, 0, 0)).norm() < 1e-12);
}

TEST_CASE("nests lie wherever a pattern of their own puts them") {
    const auto c = one_of("fixture", {{"nests_mm", {{10, 20}, {-30, 0}, {0, -45.5}}}, {"height_mm", 100}});
    const auto& seats = c->devices.back().seats;
    REQUIRE(seats.size() == 3);
    CHECK((seats[2].at.translation() - geometry::Vector3(0, -0.0455, 0.1)).norm() < 1e-12);
    CHECK_THROWS_AS(one_of("fixture", {{"nests_mm", {{10, "x"}}}}), cell::InputError);
}

TEST_CASE("two belts end to end hand a part over without a jump") {
    json tree = tests::belt_cell(6, 200, 1000, 20);
    tree["devices"][0]["to"] = "second";
    tree["devices"].push_back({{"id", "second"}, {"name", "Second"}, {"kind", "conveyor"}, {"length_mm", 800},
        {"width_mm", 200}, {"height_mm", 800}, {"speed_mm_s", 100}, {"to", "out"}, {"placement", {{"x_mm", 900}}}});
    tree["devices"][2]["host"] = "second";
    const auto c = tests::read(tree);
    PlanCache plans;
    RunOptions o;
    o.horizon_s = 60;
    const auto r = run(*c, plans, o);
    REQUIRE(r->trace.departures.size() > 3);
    // 1000 mm at 200 mm/s less half a part at each end (but the handover needs the whole way), then 800 mm at 100 mm/s.
    CHECK(seconds(r->trace.departures.front().when) == Approx((1000 - 60) / 200.0 + 800 / 100.0).margin(1e-6));
    double x_before = -10;
    for (double t = 0; t < seconds(r->trace.departures.front().when) - 0.005; t += 0.01) {
        Frame at;
        REQUIRE(r->trace.part_frame(*c, 0, ticks(t), at));
        if (x_before > -9) CHECK(at.translation().x() - x_before <= 0.2 * 0.01 + 1e-6);
        CHECK(at.translation().x() >= x_before - 1e-9);
        x_before = at.translation().x();
    }
}

TEST_CASE("a blocked second belt holds the first, and both let go together") {
    json tree = tests::belt_cell(1, 200, 600, 20);
    tree["devices"][0]["to"] = "second";
    tree["devices"].push_back(
        {{"id", "second"}, {"name", "Second"}, {"kind", "conveyor"}, {"length_mm", 600}, {"width_mm", 200},
            {"height_mm", 800}, {"speed_mm_s", 50}, {"to", "out"}, {"gap_mm", 40}, {"placement", {{"x_mm", 600}}}});
    const auto c = tests::read(tree);
    PlanCache plans;
    const auto r = run(*c, plans);
    REQUIRE(r->steady);
    CHECK(seconds(r->steady->period) / r->steady->parts ==
          Approx((60 + 40) / 50.0).margin(1e-6));  // the slow belt at its gap
}

TEST_CASE("what hands on parts can only hand them to what takes them") {
    json tree = tests::belt_cell(1, 200, 600, 20);
    tree["devices"][0]["to"] = "belt";
    CHECK_THROWS_AS(tests::read(tree), cell::InputError);
    tree["devices"][0]["to"] = "in";
    CHECK_THROWS_AS(tests::read(tree), cell::InputError);
    tree["devices"][0]["to"] = "out";
    CHECK_NOTHROW(tests::read(tree));
    tree["devices"][1]["part_type"] = "";
    CHECK_THROWS_AS(tests::read(tree), cell::InputError);
}

TEST_CASE("a run with too much in it is cut and says so") {
    json tree = tests::belt_cell(0.05, 5000, 100, 0);
    tree["horizon_s"] = 1000000;
    tree["devices"].push_back({{"id", "f"}, {"name", "F"}, {"kind", "fixture"}, {"length_mm", 100}, {"width_mm", 100},
        {"height_mm", 100}, {"process_s", 1}, {"reject_pct", 50}, {"placement", {{"x_mm", 5000}}}});
    const auto c = tests::read(tree);  // the random fixture keeps the state from recurring
    PlanCache plans;
    const auto r = run(*c, plans);
    CHECK(r->cut);
    CHECK(!r->stuck);
    CHECK(r->trace.departures.size() > 1000);
}
