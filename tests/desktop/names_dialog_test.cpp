// Names at the other end of a link, chosen from what a broker tells; an arm outside that is told to move; and the key
// that ends all sending.

#include <QComboBox>
#include <QTableWidget>

#include <desktop/dialogs/names_dialog.h>
#include <desktop/session/live_session.h>
#include <link/broker.h>
#include <wire/mqtt.h>

#include "../support/broker.h"
#include "../support/ports.h"
#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct OnBus : Bench {
    OnBus() : Bench(false), port(free_port()), broker(port), robot(options(port), [](const auto&, const auto&) {}) {
        const QString copy = room.filePath("bus.escarp");
        REQUIRE(QFile::copy(QString(ESCARP_DEMO), copy));
        REQUIRE(window.open_file(copy));
        settle();
        REQUIRE(w().open.apply({"A link",
            {cell::Operation::set("/links", {{{"id", "bus"}, {"name", "Bus"}, {"protocol", "MQTT"}, {"port", port}}}),
                cell::Operation::remove("/devices/arm2/task")}}));
        settle();
        action("live")->trigger();
    }
    static wire::MqttOptions options(int port) {
        wire::MqttOptions o;
        o.broker.port = port;
        return o;
    }
    void press(const QString& name) { QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton); }
    template <typename Holds>
    void wait(const Holds& holds) {
        REQUIRE(QTest::qWaitFor(holds, 120'000));
    }
    const int port;
    const Broker broker;
    wire::Mqtt robot;
};

}  // namespace

TEST_CASE("names are proposed from what a broker tells, changed by hand, taken in one edit, and undone") {
    OnBus h;
    h.wait([&] { return h.robot.status().connected; });
    h.robot.publish("plant/robot2/state",
        R"({"names": ["a", "b", "c", "d", "e", "f", "g"], "values": [0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 9]})", true);
    bool seen = false;
    QTimer::singleShot(0, &h.window, [&] {
        auto* dialog = qobject_cast<NamesDialog*>(QApplication::activeModalWidget());
        REQUIRE(dialog);
        const auto part = [&](auto* of, const char* name) { return dialog->findChild<decltype(of)>(name); };
        auto* left_over = part(static_cast<QLabel*>(nullptr), "names_left_over");
        QComboBox* arm = dialog->findChild<QComboBox*>("names_theirs_arm2");
        REQUIRE(arm);
        CHECK_FALSE(dialog->findChild<QComboBox*>("names_theirs_arm1"));  // it has a task
        h.wait([&] { return left_over->text().contains("plant/robot2/state"); });
        QTest::mouseClick(dialog->findChild<QPushButton*>("names_propose"), Qt::LeftButton);
        CHECK(arm->currentText() == "plant/robot2/state");
        CHECK(dialog->findChild<QComboBox*>("names_theirs_arm2.J3")->currentText() == "c");
        CHECK(dialog->findChild<QComboBox*>("names_unit_arm2.J3")->currentText() == "as it is");  // 9 is no radian
        h.wait([&] { return left_over->text().contains("plant/robot2/state: g"); });
        auto* table = dialog->findChild<QTableWidget*>("names_table");
        const QList<QTableWidgetItem*> rows = table->findItems("arm2.J1", Qt::MatchExactly);
        REQUIRE(rows.size() == 1);
        constexpr int times = 3;
        table->item(rows.front()->row(), times)->setText("nothing");
        QTest::mouseClick(dialog->findChild<QPushButton*>("names_take"), Qt::LeftButton);
        CHECK(dialog->findChild<QLabel*>("names_mistake")->text().contains("arm2.J1"));
        table->item(rows.front()->row(), times)->setText("-1");
        seen = true;
        QTest::mouseClick(dialog->findChild<QPushButton*>("names_take"), Qt::LeftButton);
        if (dialog->isVisible()) dialog->reject();
    });
    h.press("live_names_bus");
    REQUIRE(seen);
    const auto names = h.w().open.cell()->links.front().names;
    REQUIRE(names.size() == 7);
    CHECK(names[0].theirs == "plant/robot2/state");
    CHECK(names[1].ours == "arm2.J1");
    CHECK(names[1].factor == -1);
    h.w().open.undo();
    CHECK(h.w().open.cell()->links.front().names.empty());
}

TEST_CASE("one key cuts every connection and ends the live run, wherever the keyboard is") {
    OnBus h;
    h.press("live_start");
    auto& live = *h.window.findChild<LiveSession*>();
    REQUIRE(live.running());
    h.wait([&] { return !live.links().empty() && live.links().front().status.connected; });
    h.child<QLineEdit>("live_rate")->setFocus();
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Period, Qt::ControlModifier);
    h.wait([&] { return !live.running(); });
    h.wait([&] { return h.child<QLabel>("live_state")->text().contains("stopped by hand"); });
}

TEST_CASE("an arm outside is told to go where the arm is shown, once that was judged; it is stopped by one key") {
    OnBus h;
    const cell::Cell& c = *h.w().open.cell();
    const int arm = c.device("arm2");
    const cell::Device& d = c.devices[static_cast<std::size_t>(arm)];
    h.w().selection.select("arm2");
    h.action("arm_by_hand")->trigger();
    h.settle();
    // Nobody says where it is: it is told nothing.
    const auto words = [&] { return h.child<QLabel>("command_words")->text(); };
    h.press("command_send");
    h.wait([&] { return words().contains("Nobody says where"); });
    std::mutex lock;
    std::vector<std::string> told;
    wire::MqttOptions of = OnBus::options(h.port);
    of.subscriptions = {"+/+/joints/set"};
    const wire::Mqtt ear(of, [&](const std::string&, const std::string& payload) {
        const std::lock_guard<std::mutex> hold(lock);
        told.push_back(payload);
    });
    const auto heard = [&] {
        const std::lock_guard<std::mutex> hold(lock);
        return told;
    };
    h.wait([&] { return ear.status().connected && h.robot.status().connected; });
    h.robot.publish(
        link::base_topic(c.links.front(), c) + "/arm2/joints", link::joints_message(d, d.arm->ready, 0), true);
    // A little further on: it may be sent, and is sent only when it is told to.
    kinematics::JointVector to = d.arm->ready;
    to[0] += 0.15;
    h.w().hand.pose("arm2", to);
    h.settle();
    h.press("command_try");
    h.wait([&] { return words().contains("could be sent"); });
    CHECK(heard().empty());
    h.press("command_send");
    h.wait([&] { return words().contains("Sent"); });
    const cell::json there = cell::json::parse(link::joints_message(d, to, 0))["values"];
    h.wait([&] { return !heard().empty() && cell::json::parse(heard().back())["values"] == there; });
    // Beyond a limit: refused, with the joint's name.
    const std::size_t before = heard().size();
    const kinematics::Joint& first = d.arm->model->mechanism.joints.front();
    to[0] = first.high + 0.1;
    h.w().hand.pose("arm2", to);
    h.settle();
    h.press("command_send");
    h.wait([&] { return words().contains("Refused"); });
    CHECK_THAT(words().toStdString(), Catch::Contains(first.name));
    CHECK(heard().size() == before);
    // A long way, and the key on it.
    to = d.arm->ready;
    to[0] += 0.6;
    h.w().hand.pose("arm2", to);
    h.settle();
    h.press("command_send");
    h.wait([&] { return heard().size() > before; });
    QTest::keyClick(&h.window, Qt::Key_Period, Qt::ControlModifier);
    h.wait([&] { return words().contains("Stopped") || words().contains("Sent"); });
    CHECK_THAT(words().toStdString(), Catch::Contains("Stopped"));
}

TEST_CASE("what is wrong about an arm that follows stands among the findings, with its instant") {
    OnBus h;
    h.press("live_start");
    h.wait([&] { return h.robot.status().connected; });
    const cell::Cell& c = *h.w().open.cell();
    const cell::Device& d = c.devices[static_cast<std::size_t>(c.device("arm2"))];
    kinematics::JointVector q = d.arm->ready;
    q[0] = d.arm->model->mechanism.joints[0].high + 0.2;
    const auto found = [&]() -> const inspection::Finding* {
        const auto judged = h.window.findChild<LiveSession*>()->judged();
        if (!judged || h.w().results.other_run().isEmpty()) return nullptr;
        for (const inspection::Finding& f : h.w().results.shown()->inspection->findings)
            if (f.title.find("is beyond its limits") != std::string::npos) return &f;
        return nullptr;
    };
    h.wait([&] {  // said until it is heard: the subscription may come after the connection
        if (!found())
            h.robot.publish(
                link::base_topic(c.links.front(), c) + "/arm2/joints/set", link::joints_message(d, q, 0), false);
        return found() != nullptr;
    });
    CHECK(found()->title.find(d.name) == 0);
    CHECK(found()->device == "arm2");
    REQUIRE(found()->when_s);
    h.press("live_start");
    h.settle();
    bool told = false;
    for (QLabel* label : h.window.findChild<FindingsPanel*>()->findChildren<QLabel*>())
        told = told || label->text().contains("beyond its limits");
    CHECK(told);
}
