// The Signals page and what a card says about signals and tasks, by mouse and key.

#include <QCheckBox>
#include <QHelpEvent>
#include <QToolTip>
#include <QTreeWidget>

#include <cell/model/expression.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct Signals : Bench {
    SignalsPage* page() { return window.findChild<SignalsPage*>(); }
    QTreeWidgetItem* line(const QString& signal) {
        QTreeWidget* table = page()->table();
        for (int i = 0; i < table->topLevelItemCount(); ++i)
            if (table->topLevelItem(i)->data(0, Qt::UserRole + 1).toString() == signal) return table->topLevelItem(i);
        FAIL("no line for " << signal.toStdString());
        return nullptr;
    }
    void click(const QString& signal) {
        QTreeWidget* table = page()->table();
        table->scrollToItem(line(signal));
        QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualItemRect(line(signal)).center());
        settle();
    }
    void press(const QString& name) {
        QTest::mouseClick(child<QAbstractButton>(name), Qt::LeftButton);
        settle();
    }
    void show() {
        press("signals_tab");
        REQUIRE(page()->isVisible());
    }
    const cell::Signal& signal(const char* name) { return w().open.cell()->signals[w().open.cell()->signal(name)]; }
    void enter(const QString& name, const QString& text) {
        auto* field = child<QLineEdit>(name);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Escape);  // the list of names
        if (field->text() != text) {
            field->selectAll();
            QTest::keyClicks(field, text);
        }
        QTest::keyClick(field, Qt::Key_Return);
        settle();
    }
};

}  // namespace

TEST_CASE("all signals stand on one page: searched, chosen, an input connected and taken off again") {
    Signals h;
    h.show();
    QTreeWidget* table = h.page()->table();
    CHECK(table->topLevelItemCount() == static_cast<int>(h.w().open.cell()->signals.size()));
    CHECK(h.line("tester.free")->text(6).contains("Arm 1"));
    h.child<QLineEdit>("signals_filter")->setText("belt");
    for (int i = 0; i < table->topLevelItemCount(); ++i)
        CHECK(table->topLevelItem(i)->isHidden() ==
              !table->topLevelItem(i)->text(0).contains("belt", Qt::CaseInsensitive));
    h.child<QLineEdit>("signals_filter")->clear();
    h.click("infeed_belt.run");
    CHECK(h.w().selection.first().device == "infeed_belt");
    const QString before = h.cycle();
    h.enter("signal_source", "not marker.busy");
    REQUIRE(h.signal("infeed_belt.run").source);
    CHECK(h.signal("infeed_belt.run").source->text() == "not marker.busy");
    CHECK(h.line("marker.busy")->text(6).contains("Infeed belt"));
    // A slip is told where it is typed and changes nothing.
    h.enter("signal_source", "marker.bus");
    CHECK(h.signal("infeed_belt.run").source->text() == "not marker.busy");
    CHECK(h.child<QLineEdit>("signal_source")->toolTip().contains("is expected"));
    h.enter("signal_source", "marker.busy");
    h.press("signal_disconnect");
    CHECK(!h.signal("infeed_belt.run").source);
    CHECK(h.cycle() == before);
    while (h.w().open.can_undo()) h.w().open.undo();
    CHECK(!h.w().open.modified());
}

TEST_CASE("a forced signal stands on the strip, changes the figures, is not saved, and is let go") {
    Signals h;
    const QString before = h.cycle();
    h.show();
    h.click("infeed_belt.run");
    auto* how = h.child<QComboBox>("signal_force");
    how->setFocus();
    QTest::keyClick(how, Qt::Key_End);  // forced off
    if (how->currentIndex() == 2) Q_EMIT how->activated(2);
    h.settle();
    CHECK(h.window.verdict()->shown("forced") == "1");
    CHECK(h.cycle() != before);
    CHECK(!h.w().open.modified());
    CHECK(h.line("infeed_belt.run")->text(3).contains("forced"));
    h.action("let_go_forced")->trigger();
    h.settle();
    CHECK(h.window.verdict()->shown("forced").isEmpty());
    CHECK(h.cycle() == before);
}

TEST_CASE("why an arm waits stands on the ribbon: in words under the mouse, as arrows at the cursor") {
    Signals h;
    h.w().selection.select("arm1");
    h.w().playhead.set_time(86.5);  // Arm 1 waits for the tester
    h.settle();
    CycleRibbon* ribbon = h.window.ribbon();
    const QImage with = ribbon->grab().toImage();
    h.w().selection.select({});
    h.settle();
    CHECK(with != ribbon->grab().toImage());
    QString told;
    for (int x = 130; x < ribbon->width() && !told.contains("because"); x += 12) {
        const QPoint at(x, 50);
        QHelpEvent hover(QEvent::ToolTip, at, ribbon->mapToGlobal(at));
        QApplication::sendEvent(ribbon, &hover);
        told = QToolTip::text();
    }
    CHECK(told.contains("Arm 1 waits for"));
    CHECK(told.contains("because"));
    QToolTip::hideText();
}

TEST_CASE("addresses are given once and stay; a taken one is refused; who hears a signal leads to the step") {
    Signals h;
    h.show();
    h.press("give_addresses");
    CHECK(h.signal("b1.made").address.rfind("%IX", 0) == 0);
    CHECK(h.signal("infeed_belt.run").address.rfind("%QX", 0) == 0);
    const std::string kept = h.signal("marker.busy").address;
    h.click("marker.busy");
    h.type("signal_comment", "lamp over the marker");
    h.settle();
    CHECK(h.signal("marker.busy").comment == "lamp over the marker");
    h.type("signal_address", QString::fromStdString(h.signal("b1.made").address));
    h.settle();
    CHECK(!h.told.isEmpty());
    CHECK(h.signal("marker.busy").address == kept);
    h.click("tester.free");
    QTest::mouseClick(h.child<QCheckBox>("signal_lane"), Qt::LeftButton, {}, QPoint(8, 10));
    h.settle();
    CHECK(h.w().view_options.signal_lanes() == QStringList{"tester.free"});
    h.press("signal_use");
    CHECK(h.w().selection.first().device == "arm1");
    CHECK(!h.w().selection.first().step.isEmpty());
}

TEST_CASE("a device without an arm gets a signal, an input, a number, steps and a side task on its card") {
    Signals h;
    h.w().selection.select("marker");
    h.settle();
    h.press("fold_signals");
    h.press("fold_signals");
    h.type("field_marker_own_signals_0", "lamp");
    h.settle();
    CHECK(h.w().open.cell()->signal("marker.lamp") >= 0);
    h.press("add_input_marker");
    h.enter("input_marker_in1", "tester.busy and not lamp");
    REQUIRE(h.signal("marker.in1").source);
    h.type("input_marker_in1_name", "go");
    h.settle();
    REQUIRE(h.w().open.cell()->signal("marker.go") >= 0);
    h.enter("input_marker_start", "tester.count > 0");
    CHECK(h.signal("marker.start").source->text() == "tester.count > 0");
    h.press("field_marker_own_numbers_add");
    CHECK(h.w().open.cell()->signal("marker.own_1") >= 0);
    const auto add = [&](const char* menu, const QString& what) {
        for (QAction* a : h.child<QToolButton>(menu)->menu()->actions())
            if (a->text() == what) return a->trigger(), h.settle();
        FAIL("no step \"" << what.toStdString() << "\"");
    };
    add("add_step", "Set a signal");
    add("add_step", "Dwell");
    const auto& d = [&]() -> const cell::Device& {
        return h.w().open.cell()->devices[h.w().open.cell()->device("marker")];
    };
    CHECK(d().task.steps.size() == 2);
    for (QAction* a : h.child<QToolButton>("add_step")->menu()->actions()) CHECK(a->text() != "Pick");
    h.w().selection.select("marker");
    h.settle();
    add("add_step_first", "Dwell");
    CHECK(d().task.first.size() == 1);
    h.w().selection.select("marker");
    h.settle();
    h.press("add_side_marker");
    REQUIRE(d().side_tasks.size() == 1);
    add("add_step_side_tasks_t1_steps", "Wait for a signal");
    REQUIRE(d().side_tasks.front().steps.size() == 1);
    // The step that was added is chosen: a condition instead of its signal.
    h.enter("step_field_condition", "marker.own_1 > 2");
    REQUIRE(d().side_tasks.front().steps.front().condition);
    CHECK(d().side_tasks.front().steps.front().signal < 0);  // the one goes where the other is said
    CHECK(h.told.isEmpty());
    h.w().selection.select("marker");
    h.settle();
    h.press("side_marker_t1_starts");
    CHECK(d().side_tasks.front().when_asked);
    h.press("side_marker_t1_remove");
    CHECK(d().side_tasks.empty());
}

TEST_CASE(
    "variants that are not looked at keep an instant, not their run; looked at they have it again, and the time "
    "stays") {
    Signals h;
    h.settle_all();
    const auto other = h.w().results.of("B");
    REQUIRE(other);
    CHECK(other->run->trace.blocks.empty());
    CHECK(other->figures.cycle_s);
    const double cycle = *other->figures.cycle_s;
    // What stands where at that instant is what the whole run says.
    geometry::Frame at, whole;
    h.w().playhead.set_time(20);
    REQUIRE(h.w().playhead.time() == 20);
    h.w().open.set_variant("B");

    CHECK(h.w().results.end_time() > 30);
    CHECK(h.w().playhead.time() == 20);
    h.settle_all();
    const auto now = h.w().results.shown();
    REQUIRE(now);
    CHECK(now->run->trace.blocks.size() > 100);
    CHECK(*now->figures.cycle_s == cycle);
    const auto t = simulation::ticks(other->typical_s());
    int parts = 0;
    for (std::size_t p = 0; p < other->run->trace.parts.size(); ++p) {
        const int part = static_cast<int>(p);
        const bool there = other->run->trace.part_frame(*other->cell, part, t, at);
        REQUIRE(there == now->run->trace.part_frame(*now->cell, part, t, whole));
        if (!there) continue;
        ++parts;
        CHECK(at.matrix() == whole.matrix());
    }
    CHECK(parts > 3);
    CHECK(h.w().results.of("A")->run->trace.blocks.empty());
}

TEST_CASE("further solutions of an arm are not drawn once it has another model") {
    Signals h;
    h.w().selection.select("arm1");
    h.w().hand.set_ghosts("arm1", {kinematics::JointVector::Zero(4)});
    h.settle();
    CHECK(!h.window.grab().isNull());
}
