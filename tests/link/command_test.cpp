// An arm outside is told to move: judged against the cell first, then sent to an arm that follows, over a real broker.
#include <catch2/catch.hpp>

#include <geometry/distance.h>
#include <geometry/indices.h>
#include <link/command.h>
#include <link/connection.h>
#include <simulation/scene.h>

#include "support/broker.h"
#include "support/cells.h"
#include "support/ports.h"
#include "support/random.h"
#include "support/rounds.h"
#include "support/wait.h"

using namespace escarp;
using cell::json;
using kinematics::JointVector;

namespace {

/// The demo with arms that do nothing by themselves, and a link with a broker.
cell::Layout followers(int port) {
    json tree = tests::demo().resolved("A");
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    tree["links"] = {{{"id", "bus"}, {"protocol", "MQTT"}, {"port", port}, {"topic", "cell"}}};
    for (const char* arm : {"arm1", "arm2"}) tests::device(tree, arm)["task"] = json::array();
    return simulation::layout(cell::Document::parse(tree.dump()), "A");
}

/// The least distance of an arm's moving links and tool to bodies of all other devices that it does not stand on, at
/// many instants of a motion: by looking.
double looked_at(const cell::Cell& cell, int arm, const motion::Motion& motion, int looks) {
    double least = 1e300;
    for (int k = 0; k <= looks; ++k) {
        const simulation::Posed posed{cell.devices[arm].id, motion.position(motion.duration() * k / looks)};
        const simulation::Scene scene(cell, nullptr, nullptr, 0, &posed);
        for (const int i : indices(cell.devices)) {
            if (i == arm || cell.stands_on(arm, i)) continue;
            scene.each_body(i, [&](const simulation::Scene::Placed& b) {
                scene.each_body(arm, [&](const simulation::Scene::Placed& a) {
                    if (a.link > 0)
                        least = std::min(least, geometry::separation(a.body.shape, a.at, b.body.shape, b.at).distance);
                });
            });
        }
    }
    return least;
}

}  // namespace

TEST_CASE("commands are judged: what goes keeps its distance all the way, what is refused would not") {
    const cell::Layout layout = followers(1883);
    const cell::Cell& c = layout.cell();
    const int arm = c.device("arm1");
    const cell::Arm& a = *c.devices[arm].arm;
    tests::Draw draw(7);
    int go = 0, touch = 0, near = 0;
    for (int round = 0; round < tests::rounds(120, 30); ++round) {
        JointVector to = a.ready;
        for (int j = 0; j < to.size(); ++j) to[j] += draw.in(-1.2, 1.2);
        link::Command command{arm, to, 0.3};
        const link::JudgedCommand judged = link::judge(c, command, a.ready, {});
        INFO(judged.words);
        CHECK(judged.goes == (judged.motion != nullptr));
        if (judged.goes) {
            ++go;
            CHECK(looked_at(c, arm, *judged.motion, 60) >= c.safety_distance - 1e-3);
            CHECK((judged.motion->position(judged.motion->duration()) - to).norm() < 1e-9);
            continue;
        }
        const bool beyond = judged.words.find("beyond its limit") != std::string::npos;
        const auto& joints = a.model->mechanism.joints;
        bool within = true;
        for (int j = 0; j < to.size(); ++j) within = within && to[j] >= joints[j].low && to[j] <= joints[j].high;
        CHECK(beyond == !within);
        if (beyond) continue;
        command.may_come_near = true;
        const link::JudgedCommand allowed = link::judge(c, command, a.ready, {});
        const bool touches = judged.words.find("would touch") != std::string::npos;
        CHECK(allowed.goes == !touches);
        touches ? ++touch : ++near;
        // Against another device it is seen by looking; against itself it is left to the arm's own check.
        if (judged.words.find("itself") == std::string::npos) {
            const auto direct = motion::joint_move(a.model->mechanism, a.ready, to, 1, 1);
            CHECK(looked_at(c, arm, *direct, 400) < (touches ? 3e-3 : c.safety_distance + 2e-3));
        }
    }
    CHECK(go >= 3);
    CHECK(touch >= 3);
    CHECK(near >= 1);
}

TEST_CASE("another arm stands where it is said to stand: in the way, or out of it") {
    json tree = {{"escarp", 1}, {"arm_models", cell::catalogue_arms()}};
    for (int i = 0; i < 2; ++i)  // they reach towards each other
        tree["devices"].push_back({{"id", "a" + std::to_string(i)}, {"name", "A" + std::to_string(i)}, {"kind", "arm"},
            {"model", "six600"}, {"placement", {{"x_mm", 700 * i}, {"turn_deg", 180 * i}}}});
    const cell::Layout layout = tests::layout_of(tree);
    const cell::Cell& c = layout.cell();
    const auto posture = [](double first, double second) {
        JointVector q(6);
        q << first, second, 0, 0, 60, 0;
        return JointVector(geometry::pi / 180 * q);
    };
    const link::Command across{0, posture(-60, 20), 0.3};
    const link::JudgedCommand free = link::judge(c, across, posture(60, 20), {{1, posture(120, 0)}});
    INFO(free.words);
    CHECK(free.goes);
    const link::JudgedCommand blocked = link::judge(c, across, posture(60, 20), {{1, posture(0, 20)}});
    CHECK_FALSE(blocked.goes);
    CHECK_THAT(blocked.words, Catch::Contains("A1"));
}

TEST_CASE("an arm that follows elsewhere is told where to go, and goes there; stopped, nothing more is sent") {
    const int port = tests::free_port();
    const tests::Broker broker(port);
    const cell::Layout layout = followers(port);
    const auto c = layout.shared_cell();
    const int arm = c->device("arm1");
    // What is told to be there is the simulated one; a real one would look the same.
    link::LiveRun there(c, {});
    const auto connection = link::connect(c->links.front(), there, false);
    link::Commander commander(c->links.front(), c);
    const auto where = commander.where(arm, 60);
    REQUIRE(where.count(arm));
    CHECK((where.at(arm) - c->devices[arm].arm->ready).norm() < 1e-6);
    link::Command command{arm, where.at(arm), 0.5};
    command.to[0] += 0.4;
    const link::JudgedCommand judged = link::judge(*c, command, where.at(arm), where);
    REQUIRE(judged.goes);
    std::atomic<bool> stop{false};
    double done = 0;
    CHECK(commander.send(arm, *judged.motion, stop, [&](double share) { done = share; }));
    CHECK(done == 1);
    const auto now = [&] {
        simulation::Ticks when;
        for (const auto& [device, q] : there.joints(when))
            if (device == arm) return q;
        return JointVector();
    };
    tests::wait([&] { return now().size() > 0 && (now() - command.to).norm() < 1e-6; });
    // On a busy machine messages come in bunches, which may look like a jump; no limit is passed.
    for (const link::FollowerNote& n : there.notes()) CHECK(n.words.find("beyond") == std::string::npos);
    stop = true;
    const auto back = motion::joint_move(c->devices[arm].arm->model->mechanism, command.to, where.at(arm), 1, 1);
    CHECK_FALSE(commander.send(arm, *back, stop));
    there.stop("enough");
    CHECK(there.wait(60));
    CHECK((now() - command.to).norm() < 1e-6);
}

TEST_CASE("nobody is told to move of whom it is not known where he is, and not over Modbus") {
    const cell::Layout layout = followers(tests::free_port());
    const auto c = layout.shared_cell();
    link::Commander commander(c->links.front(), c);
    CHECK(commander.where(c->device("arm1"), 0.1).empty());
    cell::Link modbus = c->links.front();
    modbus.protocol = cell::Link::Protocol::modbus_client;
    CHECK_THROWS_AS(link::Commander(modbus, c), cell::InputError);
}
