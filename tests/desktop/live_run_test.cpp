// A live run in the window: begun, looked back into, paused and ended by mouse and key; against the stand-in
// controller.

#include <QCheckBox>
#include <QProcess>
#include <QTreeWidget>

#include <cell/edits/named/named_edit.h>
#include <desktop/session/live_session.h>
#include <desktop/session/record_session.h>
#include <link/record.h>

#include "../support/ports.h"
#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct Live : Bench {
    Live() : Bench(false) {
        const QString copy = room.filePath("twin-testers.escarp");
        REQUIRE(QFile::copy(QString(ESCARP_SOURCE) + "/demo/twin-testers.escarp", copy));
        REQUIRE(window.open_file(copy));
        w().open.set_variant("C");
        settle();
        action("live")->trigger();
    }
    LiveSession& live() { return *window.findChild<LiveSession*>(); }
    void press(const QString& name) { QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton); }
    void tick(const QString& name, bool on) {
        auto* box = child<QCheckBox>(name);
        if (box->isChecked() != on) QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
        REQUIRE(box->isChecked() == on);
    }
    QString words(const QString& name) { return child<QLabel>(name)->text(); }
    template <typename Holds>
    void wait(const Holds& holds, int line = __builtin_LINE()) {
        INFO("line " << line);
        REQUIRE(QTest::qWaitFor(holds, 120'000));
    }
    double now() { return simulation::seconds(live().status().now); }
};

}  // namespace

TEST_CASE(
    "a live run is begun, looked back into while it goes on, brought back to the present, paused, ended and left") {
    Live h;
    CHECK(h.words("live_now") == "no live run");
    h.tick("live_link_plc", false);
    h.type("live_rate", "20");
    h.press("live_start");
    REQUIRE(h.live().running());
    h.wait([&] { return h.now() > 20; });
    CHECK(h.w().results.other_run() == "live run");
    CHECK(h.child<QPushButton>("live_start")->text() == "End");
    h.wait([&] { return h.w().results.end_time() > 20; });
    CHECK(h.w().playhead.time() > 10);
    CHECK(h.live().at_present());
    // The arbiter is outside, and nobody is there: somebody asks, and waits.
    const auto e = h.w().results.shown();
    const auto* asks = e->run->trace.signal("interlock.first_asks");
    REQUIRE(asks);
    CHECK(asks->at(e->run->trace.end) == 1);
    CHECK(e->run->trace.signal("interlock.first_may")->changes.size() == 1);
    // Looking back does not stop it.
    h.w().playhead.set_time(3);
    h.wait([&] { return !h.live().at_present(); });
    const double before = h.now();
    h.wait([&] { return h.now() > before + 5; });
    CHECK(h.w().playhead.time() == 3);
    h.press("live_present");
    h.wait([&] { return h.w().playhead.time() > before; });
    CHECK(h.live().at_present());
    // Paused it stands; a step goes to the next event.
    h.press("live_pause");
    CHECK(h.live().paused());
    double stood = -1;
    h.wait([&] {
        const double last = std::exchange(stood, h.now());
        QTest::qWait(60);
        return last == stood && stood == h.now();
    });
    h.press("live_pause");
    h.wait([&] { return h.now() > stood + 2; });
    // What it came to so far is told.
    h.wait([&] { return h.words("live_figures") != "nothing yet"; });
    // An edit leaves it; undone, it is shown again.
    REQUIRE(h.w().open.apply({"Another takt", {cell::Operation::set("/takt_s", 5)}}));
    CHECK(h.live().outdated());
    CHECK(h.child<QLabel>("live_edited")->isVisible());
    CHECK(h.live().running());
    h.w().open.undo();
    CHECK_FALSE(h.live().outdated());
    h.wait([&] { return h.w().results.other_run() == "live run"; });
    h.press("live_start");
    CHECK_FALSE(h.live().running());
    CHECK(h.words("live_state").contains("ended by hand"));
    CHECK(h.w().results.other_run() == "live run");
    h.press("live_leave");
    CHECK(h.w().results.other_run().isEmpty());
    CHECK(h.words("live_now") == "no live run");
}

TEST_CASE("against the stand-in controller in lock-step, with a record beside the cell") {
    Live h;
    const int port = free_port();
    REQUIRE(h.w().open.apply({"Another port", {cell::Operation::set("/links/plc/port", port)}}));
    h.settle();
    h.tick("live_link_plc", true);
    h.child<QComboBox>("live_clock")->setCurrentIndex(1);
    h.tick("live_record", true);
    h.press("live_start");
    REQUIRE(h.told.isEmpty());
    REQUIRE(h.live().running());
    QProcess controller;
    controller.start(ESCARP_CONTROLLER,
        {QString(ESCARP_SOURCE) + "/demo/twin-testers.st", "--port", QString::number(port), "--lock-step"});
    REQUIRE(controller.waitForStarted());
    h.wait([&] { return h.now() > 120; });
    h.wait([&] { return h.words("live_links").contains("1 client"); });
    h.wait([&] { return h.live().judged() && h.live().judged()->figures.cycle_s; });
    h.press("live_start");
    CHECK_FALSE(h.live().running());
    REQUIRE(controller.waitForFinished(20'000));
    CHECK(controller.exitCode() == 0);
    h.wait([&] { return h.live().judged() && h.live().judged()->run->trace.end == h.live().status().now; });
    CHECK(*h.live().judged()->figures.cycle_s == Approx(2.74).margin(0.1));
    const QString file = h.room.filePath("twin-testers.record");
    CHECK(h.words("live_state").contains(file));
    const link::Record record = link::read_record(file.toStdString());
    CHECK(record.about.finished);
    CHECK_FALSE(link::first_difference(record, *link::run_again(record, *link::cell_of(record))));
    // Beside the computed run: the first difference is gone to, and what is shown is the record run again.
    h.press("record_compare");
    auto* kept = h.window.findChild<RecordSession*>();
    h.wait([&] { return kept->known() != nullptr; });
    h.settle();
    CHECK(kept->shown());
    const link::RecordComparison& compared = kept->known()->compared;
    REQUIRE_FALSE(compared.signals.empty());  // leave comes a scan later, or never in the computed run
    CHECK(h.words("record_state").contains("signals differ"));
    CHECK(h.words("record_state").contains(QString::number(*compared.cycle_live_s, 'f', 3)));
    h.w().playhead.set_time(0.5);
    h.press("record_difference");
    CHECK(h.w().playhead.time() == Approx(simulation::seconds(compared.signals.front().from)).margin(1e-9));
    const auto at = [&](const simulation::Run& run) {
        return run.trace.signal(compared.signals.front().signal)->at(compared.signals.front().from);
    };
    CHECK(at(*kept->known()->run) == at(*h.w().results.shown()->run));
    h.press("record_leave");
    CHECK(h.w().results.other_run().isEmpty());
    // One of another variant is not shown, and that is said.
    h.w().open.set_variant("B");
    h.settle();
    kept->open(file);
    h.wait([&] { return !h.told.isEmpty(); });
    CHECK_THAT(h.told.takeFirst().toStdString(), Catch::Contains("of another cell"));
    CHECK_FALSE(kept->known());
}

TEST_CASE("a signal is left to the outside on the page Signals, and taken back") {
    Live h;
    h.action("signals")->trigger();
    auto* table = h.child<QTreeWidget>("signals_table");
    for (int i = 0; i < table->topLevelItemCount(); ++i)
        if (table->topLevelItem(i)->text(0).endsWith("hold")) table->setCurrentItem(table->topLevelItem(i));
    REQUIRE(table->currentItem());
    h.settle();
    const auto outside = [&] { return h.w().open.cell()->signals[h.w().open.cell()->signal("south.hold")].outside; };
    CHECK_FALSE(outside());
    QTest::mouseClick(h.child<QCheckBox>("signal_outside"), Qt::LeftButton, {}, QPoint(8, 8));
    h.settle();
    CHECK(outside());
    CHECK(h.child<QCheckBox>("signal_outside")->isChecked());
    h.w().open.undo();
    h.settle();
    CHECK_FALSE(outside());
}

TEST_CASE(
    "what cannot begin is told: lock-step without a link, another machine, a port that is taken, no file for a "
    "record") {
    Live h;
    h.tick("live_link_plc", false);
    h.child<QComboBox>("live_clock")->setCurrentIndex(1);
    h.press("live_start");
    CHECK_FALSE(h.live().running());
    REQUIRE(h.told.size() == 1);
    CHECK_THAT(h.told.takeFirst().toStdString(), Catch::Contains("switch on one link"));
    REQUIRE(h.w().open.apply({"Another machine", {cell::Operation::set("/links/plc/host", "0.0.0.0")}}));
    h.settle();
    h.tick("live_link_plc", true);
    h.press("live_start");
    REQUIRE(h.told.size() == 1);
    CHECK_THAT(h.told.takeFirst().toStdString(), Catch::Contains("can be reached by others"));
    const TakenPort other;
    REQUIRE(h.w().open.apply({"Taken", {cell::Operation::set("/links/plc/host", "127.0.0.1"),
                                           cell::Operation::set("/links/plc/port", other.number())}}));
    h.settle();
    h.tick("live_link_plc", true);
    h.press("live_start");
    REQUIRE(h.told.size() == 1);
    CHECK_THAT(h.told.takeFirst().toStdString(), Catch::Contains("is taken by another program"));
    CHECK_FALSE(h.live().running());
    h.w().open.start_new();
    h.settle();
    h.action("live")->trigger();
    CHECK(h.words("live_no_links").contains("no link yet"));
    h.tick("live_record", true);
    h.press("live_start");
    REQUIRE(h.told.size() == 1);
    CHECK_THAT(h.told.takeFirst().toStdString(), Catch::Contains("save it first"));
}
