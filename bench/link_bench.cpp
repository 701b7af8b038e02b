// How long joint values take from the outside into a live run: 8 arms, 100 messages a second each, over a real broker
// on loopback; beside it how long the same messages take from one client to another, by the broker alone.

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <map>
#include <mutex>
#include <thread>
#include <vector>

#include <cell/model/catalogue.h>
#include <link/broker.h>
#include <link/connection.h>
#include <link/names.h>
#include <simulation/kinds.h>

#include "support/broker.h"
#include "support/ports.h"

using namespace escarp;
using cell::json;
using Clock = std::chrono::steady_clock;

namespace {

constexpr int arms = 8, messages = 1000, per_s = 100;

cell::Layout followers(int port) {
    json tree = {{"escarp", 1}, {"name", "Eight arms"}, {"arm_models", cell::catalogue_arms()},
        {"links", {{{"id", "bus"}, {"protocol", "MQTT"}, {"port", port}, {"topic", "cell"}}}}};
    for (int i = 0; i < arms; ++i)
        tree["devices"].push_back({{"id", "a" + std::to_string(i)}, {"name", "Arm " + std::to_string(i)},
            {"kind", "arm"}, {"model", "six600"}, {"placement", {{"x_mm", 2000 * i}}}});
    const cell::Document d = cell::Document::parse(tree.dump());
    return simulation::layout(d, d.baseline());
}

/// Which message it is can be told from the first joint value.
double value_of(int message) { return 1e-4 * message; }
int message_of(double value) { return static_cast<int>(std::lround(value / 1e-4)); }

class Times {
public:
    void sent(int arm, int message) {
        const std::lock_guard<std::mutex> hold(mutex_);
        sent_[{arm, message}] = Clock::now();
    }
    void came(int arm, int message) {
        const auto now = Clock::now();
        const std::lock_guard<std::mutex> hold(mutex_);
        const auto found = sent_.find({arm, message});
        if (found != sent_.end()) took_.push_back(std::chrono::duration<double>(now - found->second).count());
    }
    void tell(const char* what) {
        const std::lock_guard<std::mutex> hold(mutex_);
        if (took_.empty()) return;
        std::sort(took_.begin(), took_.end());
        const auto at = [&](double share) { return 1e3 * took_[static_cast<std::size_t>(share * (took_.size() - 1))]; };
        std::printf("%-44s median %6.2f ms, 99 of 100 within %6.2f ms, longest %6.2f ms, %zu of %d came\n", what,
            at(0.5), at(0.99), at(1), took_.size(), arms * messages);
    }

private:
    std::mutex mutex_;
    std::map<std::pair<int, int>, Clock::time_point> sent_;
    std::vector<double> took_;
};

}  // namespace

int main() {
    const int port = tests::free_port();
    const tests::Broker broker(port);
    const cell::Layout layout = followers(port);
    const auto cell = layout.shared_cell();
    Times into_run, by_broker;
    link::LiveOptions how;
    how.heard = [&](const link::Heard& h) {
        if (h.device >= 0) into_run.came(h.device, message_of(h.q[0]));
    };
    link::LiveRun run(cell, how);
    const auto connection = link::connect(cell->links.front(), run, false);
    wire::MqttOptions listens = link::broker_of(cell->links.front());
    listens.subscriptions = {"cell/+/joints/set"};
    const link::NameMap names(cell->links.front(), *cell);
    const wire::Mqtt ear(listens, [&](const std::string& topic, const std::string& payload) {
        const int device = cell->device(topic.substr(5, topic.find('/', 5) - 5));
        if (const auto read = link::joints_in(payload, cell->devices[static_cast<std::size_t>(device)], names); read.q)
            by_broker.came(device, message_of((*read.q)[0]));
    });
    wire::Mqtt tells(link::broker_of(cell->links.front()), [](const auto&, const auto&) {});
    while (!connection->status().connected || !ear.status().connected || !tells.status().connected)
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    std::this_thread::sleep_for(std::chrono::milliseconds(500));  // subscriptions are on their way
    const auto began = Clock::now();
    for (int m = 0; m < messages; ++m) {
        std::this_thread::sleep_until(began + m * std::chrono::milliseconds(1000 / per_s));
        for (int a = 0; a < arms; ++a) {
            kinematics::JointVector q = cell->devices[static_cast<std::size_t>(a)].arm->ready;
            q[0] = value_of(m);
            into_run.sent(a, m), by_broker.sent(a, m);
            tells.publish("cell/a" + std::to_string(a) + "/joints/set",
                link::joints_message(cell->devices[static_cast<std::size_t>(a)], q, 0), false);
        }
    }
    std::this_thread::sleep_for(std::chrono::seconds(1));
    run.stop("measured");
    run.wait(10);
    into_run.tell("joint values, from publishing into the run");
    by_broker.tell("the same, from client to client");
}
