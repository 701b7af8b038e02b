#include <catch2/catch.hpp>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::cell;

namespace {}  // namespace

TEST_CASE("everything on offer can be placed on an empty floor, one after the other, and taken away again") {
    Document d;
    std::vector<std::string> placed;
    const auto offers = offerings(simulation::standard_kinds());
    CHECK(offers.size() >= 10);
    CHECK_THROWS_AS(add_device(simulation::layout(d, "A"), {"infeed", "", "Infeed"}, "", nullptr), InputError);
    for (const int round : {1, 2})
        for (const Offering& what : offers) {
            if (what.kind == "infeed" && round == 1) continue;  // needs a belt
            std::string id;
            d = d.edited("A", add_device(simulation::layout(d, "A"), what, "", &id));
            const auto cell = tests::read(d.resolved("A"));
            REQUIRE(cell->device(id) >= 0);
            placed.push_back(id);
        }
    for (const std::string& id : placed) {
        if (tests::read(d.resolved("A"))->device(id) < 0) continue;  // went with what it depended on
        d = d.edited("A", remove_device(simulation::layout(d, "A"), id));
        REQUIRE(tests::read(d.resolved("A"))->device(id) < 0);
    }
    CHECK(d.tree()["devices"].empty());
}

TEST_CASE("taking any device out of the demo leaves a cell that makes sense, riders in their place on the plan") {
    const Document d = tests::demo();
    const auto before = tests::read(d.resolved("A"));
    for (const Device& device : before->devices) {
        const Document after = d.edited("A", remove_device(simulation::layout(d, "A"), device.id));
        const auto cell = tests::read(after.resolved("A"));
        CHECK(cell->device(device.id) < 0);
        for (const Device& rider : before->devices) {
            if (rider.host < 0 || before->devices[rider.host].id != device.id || cell->device(rider.id) < 0) continue;
            const Vector3 was = rider.world.translation(),
                          is = cell->devices[cell->device(rider.id)].world.translation();
            CHECK((was - is).head<2>().norm() < 2e-4);
            CHECK(is.z() == Approx(0.0).margin(1e-9));
        }
    }
}

TEST_CASE("steps are added after another, moved, and refuse what cannot be") {
    Document d = tests::demo();
    std::string id;
    d = d.edited("A", add_step(simulation::layout(d, "A"), "arm1", "delay", "/devices/arm1/task/s2", &id));
    const auto task = [&] { return *find(d.resolved("A"), "/devices/arm1/task"); };
    CHECK(task()[2]["id"] == id);
    d = d.edited("A", shift_step(simulation::layout(d, "A"), "/devices/arm1/task/" + id, -1));
    CHECK(task()[1]["id"] == id);
    d = d.edited("A", shift_step(simulation::layout(d, "A"), "/devices/arm1/task/" + id, 1));
    CHECK(task()[2]["id"] == id);
    CHECK_THROWS_AS(add_step(simulation::layout(d, "A"), "tester", "pick", "", nullptr), InputError);
    CHECK_THROWS_AS(shift_step(simulation::layout(d, "A"), "/devices/arm1/task/none", 1), InputError);
    for (const char* what : {"pick", "place", "wait", "move", "if", "repeat"}) {
        d = d.edited("A", add_step(simulation::layout(d, "A"), "arm1", what, "", &id));
        REQUIRE_NOTHROW(tests::read(d.resolved("A")));
    }
}

TEST_CASE("hundreds of devices, added one after the other, stand in rows and not in each other") {
    Document d = tests::demo();
    const Offering pedestal{"structure", "", "Pedestal", {{"shape", "pedestal"}}};
    std::vector<geometry::Vector3> stand;
    for (int i = 0; i < 150; ++i) {
        std::string id;
        d = d.edited("A", add_device(simulation::layout(d, "A"), pedestal, "", &id));
        const auto cell = tests::read(d.resolved("A"));
        const geometry::Vector3 at = cell->devices[cell->device(id)].world.translation();
        for (const geometry::Vector3& other : stand) REQUIRE((at - other).norm() > 0.7);
        stand.push_back(at);
        REQUIRE(at.head<2>().norm() < 40);
    }
}
