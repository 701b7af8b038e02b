// A cell over MQTT with Debian's broker: what it says, what it takes, and what happens when the broker goes.
#include <catch2/catch.hpp>

#include <link/connection.h>
#include <wire/mqtt.h>

#include "support/broker.h"
#include "support/cells.h"
#include "support/folder.h"
#include "support/ports.h"
#include "support/wait.h"

using namespace escarp;
using cell::json;
using simulation::ticks;

namespace {

/// All that was published, by topic: the newest.
class Ear {
public:
    Ear(int port, const std::string& topics, const std::string& user = {}, const std::string& password = {})
        : client_(options(port, topics, user, password), [this](const std::string& topic, const std::string& payload) {
              const std::lock_guard<std::mutex> hold(mutex_);
              newest_[topic] = payload;
              ++counts_[topic];
          }) {}
    json said(const std::string& topic) const {
        const std::lock_guard<std::mutex> hold(mutex_);
        const auto found = newest_.find(topic);
        return found == newest_.end() ? json() : json::parse(found->second, nullptr, false);
    }
    std::string raw(const std::string& topic) const {
        const std::lock_guard<std::mutex> hold(mutex_);
        const auto found = newest_.find(topic);
        return found == newest_.end() ? "" : found->second;
    }
    long count(const std::string& topic) const {
        const std::lock_guard<std::mutex> hold(mutex_);
        const auto found = counts_.find(topic);
        return found == counts_.end() ? 0 : found->second;
    }
    wire::Mqtt& client() { return client_; }

private:
    static wire::MqttOptions options(
        int port, const std::string& topics, const std::string& user, const std::string& password) {
        wire::MqttOptions o;
        o.broker.port = port;
        o.subscriptions = {topics};
        o.user = user, o.password = password;
        return o;
    }
    mutable std::mutex mutex_;
    std::map<std::string, std::string> newest_;
    std::map<std::string, long> counts_;
    wire::Mqtt client_;
};

cell::Layout demo_with_link(int port) {
    json tree = tests::demo().resolved("A");
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    tree["links"] = {{{"id", "bus"}, {"protocol", "MQTT"}, {"port", port}, {"topic", "cell"}}};
    tests::device(tree, "tester")["io"] = {{{"id", "hold"}, {"outside", true}}};
    return simulation::layout(cell::Document::parse(tree.dump()), "A");
}

}  // namespace

TEST_CASE("signals and joint values are told; commands are heard; what is no command is counted and harms nobody") {
    const int port = tests::free_port();
    const tests::Broker broker(port);
    const cell::Layout layout = demo_with_link(port);
    const auto cell = layout.shared_cell();
    Ear ear(port, "cell/#");
    tests::wait([&] { return ear.client().status().connected; });
    link::LiveOptions how;
    how.rate = 5;
    link::LiveRun run(cell, how);
    auto bus = link::connect(cell->links[0], run, false);
    // Every signal with its value, also those that never change.
    tests::wait([&] {
        for (const cell::Signal& s : cell->signals)
            if (ear.said("cell/" + cell->devices[s.device].id + "/" + s.name).is_null()) return false;
        return true;
    });
    CHECK(ear.raw("cell/state") == "online");
    tests::wait([&] { return ear.said("cell/infeed_belt/count").is_null() || run.status().now > ticks(10); });
    // Joint values are those of the computed motion at the instant that the message says, to what a double holds.
    simulation::PlanCache plans;
    simulation::Kernel kernel(*cell, plans);
    kernel.start();
    kernel.advance(ticks(60));
    const int arm = cell->device("arm1");
    double last = -1;
    for (int i = 0; i < 20; ++i) {
        json joints;
        tests::wait([&] {
            joints = ear.said("cell/arm1/joints");
            return !joints.is_null() && joints["t_s"].get<double>() > last && joints["t_s"].get<double>() < 50;
        });
        last = joints["t_s"];
        REQUIRE(joints["values"].size() == cell->devices[arm].arm->model->mechanism.joints.size());
        CHECK(joints["units"][0] == "deg");
        const auto q = kernel.trace().joints(*cell, arm, static_cast<simulation::Ticks>(std::llround(last * 1e9)));
        // The tester is not held here as it is not there: the arm does the same until then.
        for (int j = 0; j < q.size(); ++j)
            CHECK(joints["values"][static_cast<std::size_t>(j)].get<double>() ==
                  Approx(q[j] * 180 / geometry::pi).margin(1e-6));
    }
    // Commands.
    const int hold = cell->signal("tester.hold");
    ear.client().publish("cell/tester/hold/set", "true", false);
    tests::wait([&] { return run.values()[static_cast<std::size_t>(hold)] == 1; });
    tests::wait([&] { return ear.said("cell/tester/hold").value("value", false); });
    ear.client().publish("cell/tester/hold/set", R"({"value": 0})", false);
    tests::wait([&] { return run.values()[static_cast<std::size_t>(hold)] == 0; });
    const long before = bus->status().refused;
    const std::vector<std::pair<const char*, const char*>> wrong{{"cell/tester/hold/set", "maybe"},
        {"cell/tester/hold/set", "7"}, {"cell/tester/hold/set", "[1,2"}, {"cell/tester/hold/set", "{\"value\": {}}"},
        {"cell/tester/hold/set", ""}, {"cell/tester/busy/set", "true"}, {"cell/nobody/nothing/set", "1"},
        {"cell/tester/hold/set", "1e999"}};
    for (const auto& [topic, payload] : wrong) ear.client().publish(topic, payload, false);
    tests::wait([&] { return bus->status().refused >= before + static_cast<long>(wrong.size()); });
    CHECK(run.values()[static_cast<std::size_t>(hold)] == 0);
    // A burst.
    for (int i = 0; i < 50'000; ++i) ear.client().publish("cell/tester/hold/set", i % 2 ? "true" : "false", false);
    ear.client().publish("cell/tester/hold/set", "true", false);
    tests::wait([&] { return ear.client().status().connected; });
    bus.reset();
    tests::wait([&] { return ear.raw("cell/state") == "offline"; });
    run.stop("enough");
    REQUIRE(run.wait(30));
}

TEST_CASE("an arm follows what is said of it over the bus, names in any order, radians or degrees") {
    const int port = tests::free_port();
    const tests::Broker broker(port);
    json tree = demo_with_link(port).tree();
    for (json& d : tree["devices"]) d.erase("task"), d.erase("own_signals"), d.erase("first");
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}}, tree["baseline"] = "A";
    const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto cell = layout.shared_cell();
    const auto& joints = cell->devices[cell->device("arm1")].arm->model->mechanism.joints;
    link::LiveRun run(cell, {});
    const auto bus = link::connect(cell->links[0], run, false);
    Ear ear(port, "cell/arm1/joints");
    tests::wait([&] { return ear.count("cell/arm1/joints") > 2; });
    json said{{"names", json::array()}, {"values", json::array()}, {"units", json::array()}};
    for (std::size_t j = joints.size(); j-- > 0;) {
        said["names"].push_back(joints[j].name);
        said["values"].push_back(j % 2 ? 0.1 * static_cast<double>(j) : 5.0 * static_cast<double>(j));
        said["units"].push_back(j % 2 ? "rad" : "deg");
    }
    ear.client().publish("cell/arm1/joints/set", said.dump(), false);
    tests::wait([&] { return std::abs(ear.said("cell/arm1/joints")["values"][2].get<double>() - 10) < 1e-9; });
    const json values = ear.said("cell/arm1/joints")["values"];
    for (std::size_t j = 0; j < joints.size(); ++j)
        CHECK(values[j].get<double>() ==
              Approx(j % 2 ? 0.1 * static_cast<double>(j) * 180 / geometry::pi : 5.0 * static_cast<double>(j))
                  .margin(1e-9));
    const long before = bus->status().refused;
    for (json wrong :
        {json(), json{{"values", {1, 2}}}, json{{"values", "all"}}, json{{"values", {1, 2, 3, 4, 5, "six"}}},
            json{{"values", {1, 2, 3, 4, 5, 6}}, {"units", {"mm", "deg", "deg", "deg", "deg", "deg"}}},
            json{{"values", {1, 2, 3, 4, 5, 6}}, {"names", {"a", "b", "c", "d", "e", "f"}}}})
        ear.client().publish("cell/arm1/joints/set", wrong.dump(), false);
    tests::wait([&] { return bus->status().refused == before + 6; });
    CHECK(ear.said("cell/arm1/joints")["values"] == values);
}

TEST_CASE("the broker goes and comes back: the link tries again, and tells everything anew") {
    const int port = tests::free_port();
    tests::Broker broker(port);
    const cell::Layout layout = demo_with_link(port);
    const auto cell = layout.shared_cell();
    link::LiveRun run(cell, {});
    const auto bus = link::connect(cell->links[0], run, false);
    for (int round = 0; round < 5; ++round) {
        tests::wait([&] { return bus->status().connected; });
        {
            Ear ear(port, "cell/#");
            tests::wait([&] { return !ear.said("cell/tester/hold").is_null(); });
        }
        broker.stop();
        tests::wait([&] { return !bus->status().connected; });
        CHECK_FALSE(run.status().over);
        broker.start();
    }
    CHECK(bus->status().lost >= 5);
}

TEST_CASE("user and password come from the environment; a broker that refuses is told; lock-step is refused") {
    const int port = tests::free_port();
    const tests::Folder secrets;
    REQUIRE(
        std::system(("mosquitto_passwd -b -c " + (secrets / "p") + " engineer secret >/dev/null 2>&1").c_str()) == 0);
    std::filesystem::permissions(secrets.path, std::filesystem::perms::all);
    std::filesystem::permissions(secrets / "p",
        std::filesystem::perms::owner_read | std::filesystem::perms::group_read | std::filesystem::perms::others_read);
    const tests::Broker broker(port, "allow_anonymous false\npassword_file " + (secrets / "p") + "\n");
    const cell::Layout layout = demo_with_link(port);
    const auto cell = layout.shared_cell();
    link::LiveRun run(cell, {});
    {
        const auto bus = link::connect(cell->links[0], run, false);
        tests::wait([&] { return bus->status().words.find("The broker refuses") == 0; });
    }
    ::setenv("ESCARP_MQTT_USER", "engineer", 1), ::setenv("ESCARP_MQTT_PASSWORD", "secret", 1);
    {
        const auto bus = link::connect(cell->links[0], run, false);
        tests::wait([&] { return bus->status().connected; });
    }
    ::unsetenv("ESCARP_MQTT_USER"), ::unsetenv("ESCARP_MQTT_PASSWORD");
    CHECK_THROWS_AS(link::connect(cell->links[0], run, true), cell::InputError);
}

TEST_CASE("an arm follows under the name that it has outside, and what has no counterpart is told") {
    const int port = tests::free_port();
    const tests::Broker broker(port);
    json tree = demo_with_link(port).tree();
    for (json& d : tree["devices"]) d.erase("task"), d.erase("own_signals"), d.erase("first");
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}}, tree["baseline"] = "A";
    tree["links"][0]["names"] = {{{"ours", "arm1"}, {"theirs", "robots/left"}},
        {{"ours", "arm1.J1"}, {"theirs", "base"}, {"unit", "rad"}, {"factor", -1}, {"offset", 10}},
        {{"ours", "tester.hold"}, {"theirs", "plc/go"}, {"factor", -1}}};
    tree["links"][0]["silence_s"] = 0.2;
    const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto cell = layout.shared_cell();
    link::LiveRun run(cell, {});
    const auto bus = link::connect(cell->links[0], run, false);
    tests::wait([&] { return bus->status().connected; });
    Ear ear(port, "cell/arm1/joints");
    tests::wait([&] { return ear.count("cell/arm1/joints") > 2; });
    ear.client().publish("robots/left",
        R"({"names": ["base", "J2", "J3", "J4", "J5", "J6", "gripper"], "values": [0.5, 1, 2, 3, 4, 5, 80],)"
        R"( "units": ["rad", "deg", "deg", "deg", "deg", "deg", "mm"]})",
        false);
    tests::wait([&] { return std::abs(ear.said("cell/arm1/joints")["values"][1].get<double>() - 1) < 1e-9; });
    CHECK(ear.said("cell/arm1/joints")["values"][0].get<double>() == Approx(10 - 0.5 * 180 / geometry::pi));
    tests::wait([&] { return bus->status().unmatched == std::vector<std::string>{"\"gripper\" is no joint here"}; });
    const int hold = cell->signal("tester.hold");
    ear.client().publish("plc/go", "false", false);  // turned round
    tests::wait([&] { return run.values()[static_cast<std::size_t>(hold)] == 1; });
    tests::wait([&] {
        for (const link::FollowerNote& n : run.notes())
            if (n.words == "nothing has been heard of it for 0.2 s") return true;
        return false;
    });
    run.stop("enough");
    REQUIRE(run.wait(30));
}

TEST_CASE("what holds while the broker is gone is what the link says: the last values, all off, or the run pauses") {
    for (const std::string says : {"last values", "all off", "the run pauses"}) {
        const int port = tests::free_port();
        tests::Broker broker(port);
        json tree = demo_with_link(port).tree();
        tree["variants"] = {{{"id", "A"}, {"name", "A"}}}, tree["baseline"] = "A";
        tree["links"][0]["when_lost"] = says;
        const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
        const auto cell = layout.shared_cell();
        const auto hold = static_cast<std::size_t>(cell->signal("tester.hold"));
        link::LiveRun run(cell, {});
        const auto bus = link::connect(cell->links[0], run, false);
        Ear ear(port, "cell/#");
        tests::wait([&] { return bus->status().connected && ear.client().status().connected; });
        tests::wait([&] {  // said until it is heard: the subscription may come after the connection
            ear.client().publish("cell/tester/hold/set", "true", false);
            return run.values()[hold] == 1;
        });
        broker.stop();
        tests::wait([&] { return !bus->status().connected; });
        INFO(says);
        if (says == "last values") {
            const auto now = run.status().now;
            tests::wait([&] { return run.status().now > now + ticks(0.5); });
            CHECK(run.values()[hold] == 1);
        } else if (says == "all off") {
            tests::wait([&] { return run.values()[hold] == 0; });
            CHECK_FALSE(run.status().paused);
        } else {
            tests::wait([&] { return run.status().paused; });
            CHECK(run.values()[hold] == 1);
            broker.start();
            tests::wait([&] { return !run.status().paused; });
        }
        run.stop("enough");
        REQUIRE(run.wait(30));
    }
}
