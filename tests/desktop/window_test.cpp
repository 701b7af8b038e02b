// The real window, driven by mouse and key. Run under a display (Xvfb is enough).

#include <catch2/catch.hpp>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::desktop;
using escarp::tests::Bench;

TEST_CASE("the demo opens with every figure filled in, and the window never shows stale figures as current") {
    Bench b;
    CHECK(b.cycle() == "5.83");
    CHECK(b.window.verdict()->shown("reach") == "8 / 8");
    CHECK(b.window.verdict()->shown("clearance") == "30");
    CHECK(b.window.model()->working());
    CHECK(b.window.windowTitle().contains("leak-test.escarp"));
    CHECK(b.window.findChild<QLabel*>("status")->text().contains("current"));
    b.w().open.try_out({"x", {cell::Operation::set("/devices/marker/process_s", 3.0)}});
    CHECK(!b.w().results.current());
    CHECK(b.window.findChild<QLabel*>("status")->text().contains("recomputed"));
    b.settle();
    CHECK(b.cycle() != "5.83");
    b.w().open.drop_draft();
    b.settle();
    CHECK(b.cycle() == "5.83");
    CHECK(!b.w().open.modified());
}

TEST_CASE("a device dragged with the mouse changes the cycle figure at once, and undo brings both back") {
    Bench b;
    const QString before = b.cycle();
    const QPoint marker = b.on_floor("marker");
    const double x = b.w().open.cell()->devices[b.w().open.cell()->device("marker")].world.translation().x();
    QTest::mousePress(b.window.floor(), Qt::LeftButton, {}, marker);
    for (int i = 1; i <= 8; ++i) {
        QTest::mouseMove(b.window.floor(), marker + QPoint(2 * i, i));
        QApplication::processEvents();
    }
    b.settle();
    CHECK(b.w().open.trying());  // figures are live while the button is still held
    CHECK(b.cycle() != before);
    QTest::mouseRelease(b.window.floor(), Qt::LeftButton, {}, marker + QPoint(16, 8));
    b.settle();
    CHECK(!b.w().open.trying());
    CHECK(b.w().open.modified());
    const double moved = b.w().open.cell()->devices[b.w().open.cell()->device("marker")].world.translation().x();
    CHECK(moved > x + 0.02);
    CHECK(std::abs(std::remainder(moved, 0.01)) < 1e-6);  // the grid holds
    CHECK(b.w().selection.first().device == "marker");
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    b.settle();
    CHECK(b.cycle() == before);
    CHECK(!b.w().open.modified());
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    b.settle();
    CHECK(b.cycle() != before);
}

TEST_CASE("dragging an arm takes its pedestal along; escape drops a drag") {
    Bench b;
    const QPoint arm = b.on_floor("arm1");
    const auto place = [&](const char* id) -> geometry::Vector3 {
        return b.w().open.cell()->devices[b.w().open.cell()->device(id)].world.translation();
    };
    const geometry::Vector3 arm_before = place("arm1"), pedestal_before = place("pedestal1");
    b.drag_floor(arm, QPoint(-20, 0));
    CHECK((place("arm1") - arm_before - (place("pedestal1") - pedestal_before)).norm() < 1e-9);
    CHECK(place("arm1").x() < arm_before.x() - 0.03);
    QTest::keyClick(&b.window, Qt::Key_Z, Qt::ControlModifier);
    b.settle();
    QTest::mousePress(b.window.floor(), Qt::LeftButton, {}, arm);
    QTest::mouseMove(b.window.floor(), arm + QPoint(10, 10));
    QTest::mouseMove(b.window.floor(), arm + QPoint(20, 20));
    QTest::keyClick(b.window.floor(), Qt::Key_Escape);
    QTest::mouseRelease(b.window.floor(), Qt::LeftButton, {}, arm + QPoint(20, 20));
    b.settle();
    CHECK(!b.w().open.modified());
}

TEST_CASE("a placement is typed with units and sums, and nonsense never reaches the cell") {
    Bench b;
    b.click_floor(b.on_floor("marker"));
    REQUIRE(b.w().selection.first().device == "marker");
    b.type(b.child<NumberField>("place_x"), "2.7 m + 35");
    const auto x = [&] { return (*cell::find(b.w().open.resolved(), "/devices/marker/placement/x_mm")).get<double>(); };
    CHECK(x() == 2735.0);
    b.type(b.child<NumberField>("place_turn"), "1/4 turn");
    CHECK((*cell::find(b.w().open.resolved(), "/devices/marker/placement/turn_deg")) == 90.0);
    b.type(b.child<NumberField>("place_x"), "two metres");
    CHECK(x() == 2735.0);
    CHECK(b.child<NumberField>("place_x")->text() == "2735");
    b.type(b.child<NumberField>("place_x"), "1e9");
    CHECK(x() == 2735.0);
}

TEST_CASE("scrubbing the ribbon moves the arm, and Floor and Model with it") {
    Bench b;
    const auto joints = [&] { return b.w().shown.scene().mover(b.w().open.cell()->device("arm1"))->q; };
    CycleRibbon* ribbon = b.window.ribbon();
    const double from = simulation::seconds(b.w().results.shown()->run->steady->from);
    const auto x = [&](double s) { return QPoint(static_cast<int>(ribbon->pixel_of(s)), 30); };
    QTest::mousePress(ribbon, Qt::LeftButton, {}, x(from + 0.5));
    const double first = b.w().playhead.time();
    CHECK(first == Approx(from + 0.5).margin(0.03));
    const auto before = joints();
    const QImage floor_before = b.window.floor()->grab().toImage();
    QTest::mouseMove(ribbon, x(from + 4.0));
    QTest::mouseMove(ribbon, x(from + 4.5));
    QTest::mouseRelease(ribbon, Qt::LeftButton, {}, x(from + 4.5));
    b.settle();
    CHECK(b.w().playhead.time() == Approx(from + 4.5).margin(0.03));
    CHECK((joints() - before).norm() > 0.05);
    CHECK(b.window.floor()->grab().toImage() != floor_before);
    // Back again: the same instant, the same posture.
    QTest::mouseClick(ribbon, Qt::LeftButton, {}, x(from + 0.5));
    CHECK(b.w().playhead.time() == Approx(first).margin(1e-9));
    CHECK((joints() - before).norm() < 1e-9);
}

TEST_CASE("a finding's way out is previewed, then taken") {
    Bench b;
    QTest::mouseClick(b.child<QToolButton>("variant_C"), Qt::LeftButton);
    b.settle();
    REQUIRE(b.w().open.variant() == "C");
    CHECK(b.cycle() == QString::fromUtf8("\u2013"));
    CHECK(b.window.verdict()->shown("reach") == "7 / 8");
    auto* way = b.child<QLabel>("way_0");
    QTest::mouseClick(way, Qt::LeftButton, {}, QPoint(12, 8));
    b.settle();
    REQUIRE(b.w().open.previewing());
    CHECK(b.window.verdict()->shown("reach") == "8 / 8");
    CHECK(!b.w().open.modified());
    QTest::mouseClick(b.child<QPushButton>("leave_trial"), Qt::LeftButton);
    b.settle();
    CHECK(b.window.verdict()->shown("reach") == "7 / 8");
    QTest::mouseClick(b.child<QLabel>("way_0"), Qt::LeftButton, {}, QPoint(12, 8));
    b.settle();
    QTest::mouseClick(b.child<QPushButton>("take_trial"), Qt::LeftButton);
    b.settle();
    CHECK(!b.w().open.trying());
    CHECK(b.w().open.modified());
    CHECK(b.window.verdict()->shown("reach") == "8 / 8");
    CHECK(b.cycle().toDouble() > 5);
    CHECK(b.w().open.document().differences("A").empty());  // the baseline is untouched
}

TEST_CASE("a step's number is edited in the Worksheet; selecting one place selects everywhere") {
    Bench b;
    const QString before = b.cycle();
    QTest::mouseClick(b.child<StepLine>("step_arm2_s1"), Qt::LeftButton);
    b.settle();
    CHECK(b.w().selection.first() == Selected{"arm2", "s1"});
    b.type(b.child<NumberField>("step_field_speed_pct"), "100");
    CHECK((*cell::find(b.w().open.resolved(), "/devices/arm2/task/s1/speed_pct")) == 100.0);
    CHECK(b.cycle() != before);
    // A block in the ribbon selects its step.
    const auto& trace = b.w().results.shown()->run->trace;
    const int arm1 = b.w().open.cell()->device("arm1");
    for (const simulation::Block& block : trace.blocks) {
        if (block.device != arm1 || block.kind != simulation::BlockKind::move ||
            block.from < b.w().results.shown()->run->steady->from)
            continue;
        QTest::mouseClick(b.window.ribbon(), Qt::LeftButton, {},
            QPoint(
                static_cast<int>(b.window.ribbon()->pixel_of(0.5 * simulation::seconds(block.from + block.to))), 52));
        break;
    }
    CHECK(b.w().selection.first().device == "arm1");
    CHECK(!b.w().selection.first().step.isEmpty());
}

TEST_CASE("devices and steps are added and removed; names that are taken are refused with a suggestion") {
    Bench b;
    const std::size_t devices = b.w().open.cell()->devices.size();
    b.action("place_structureTable")->trigger();
    b.settle();
    CHECK(b.w().open.cell()->devices.size() == devices + 1);
    const QString id = b.w().selection.first().device;
    b.type(b.child<QLineEdit>("name_" + id), "Tester");
    CHECK(b.told.join(' ').contains("Tester 2"));
    CHECK(b.w().open.cell()->devices.back().name == "Table");
    b.action("remove")->trigger();
    b.settle();
    CHECK(b.w().open.cell()->devices.size() == devices);
    b.w().selection.select("arm1", "s2");
    b.settle();
    auto* add = b.child<QToolButton>("add_step");
    const std::size_t steps = b.w().open.cell()->devices[b.w().open.cell()->device("arm1")].task.steps.size();
    for (QAction* a : add->menu()->actions())
        if (a->text() == "Dwell") a->trigger();
    b.settle();
    CHECK(b.w().open.cell()->devices[b.w().open.cell()->device("arm1")].task.steps.size() == steps + 1);
    CHECK(b.cycle().toDouble() > 0);
    QTest::keyClick(&b.window, Qt::Key_Delete);
    b.settle();
    CHECK(b.w().open.cell()->devices[b.w().open.cell()->device("arm1")].task.steps.size() == steps);
    CHECK(b.w().open.history().undo_name().contains("Remove"));
}

TEST_CASE("play runs on, pauses, and steps from event to event") {
    Bench b;
    b.w().playhead.set_time(10);
    QTest::keyClick(b.window.floor(), Qt::Key_Space);
    REQUIRE(b.w().playhead.playing());
    REQUIRE(wait_until([&] { return b.w().playhead.time() > 10.2; }));
    QTest::keyClick(b.window.floor(), Qt::Key_Space);
    CHECK(!b.w().playhead.playing());
    CHECK(b.w().playhead.time() > 10.1);
    CHECK(b.w().playhead.time() < 14);
    b.w().playhead.set_time(20);
    QTest::keyClick(b.window.floor(), Qt::Key_BracketRight);
    const double next = b.w().playhead.time();
    CHECK(next > 20);
    QTest::keyClick(b.window.floor(), Qt::Key_BracketLeft);
    CHECK(b.w().playhead.time() < next);
}

TEST_CASE("variants: made, renamed through the document, compared side by side, chosen as baseline, dropped") {
    Bench b;
    const std::string id = b.w().open.document().free_variant_id();
    REQUIRE(b.w().open.replace(b.w().open.document().with_variant(id, "Try", "B"), "New variant"));
    b.settle();
    QTest::mouseClick(b.child<QToolButton>("compare_tab"), Qt::LeftButton);
    b.settle_all();
    Comparison* c = b.window.side_by_side()->comparison();
    CHECK(c->isVisible());
    CHECK(c->shown("cycle", "A") == "5.83");
    CHECK(c->shown("cycle", QString::fromStdString(id)) == c->shown("cycle", "B"));
    CHECK(c->shown("reach", "C") == "7 / 8");
    CHECK(b.w().open.replace(b.w().open.document().with_baseline("B"), "Choose baseline"));
    CHECK(b.w().open.document().baseline() == "B");
    CHECK(b.w().open.replace(b.w().open.document().without_variant("A"), "Drop"));
    b.settle();
    CHECK(b.w().open.document().variants().size() == 4);
    for (int i = 0; i < 3; ++i) b.w().open.undo();
    b.settle();
    CHECK(!b.w().open.modified());
}

TEST_CASE("work is not lost: closing asks, saving keeps, a change that makes no sense is refused") {
    Bench b;
    const QTemporaryDir folder;
    const QString file = folder.filePath("mine.escarp");
    CHECK(b.w().open.apply({"x", {cell::Operation::set("/devices/marker/process_s", 2.5)}}));
    b.settle();
    CHECK(!b.window.close());  // the answer was "cancel"
    CHECK(b.told.join(' ').contains("not saved"));
    CHECK(b.window.isVisible());
    CHECK(b.w().open.save_as(file));
    CHECK(!b.w().open.modified());
    b.told.clear();
    CHECK(!b.w().open.apply({"x", {cell::Operation::set("/devices/marker/process_s", -4)}}));
    CHECK(b.told.join(' ').contains("process_s"));
    CHECK(!b.w().open.modified());
    CHECK(b.window.open_file(file));
    CHECK((*cell::find(b.w().open.resolved(), "/devices/marker/process_s")) == 2.5);
    b.told.clear();
    CHECK(!b.window.open_file(folder.filePath("none.escarp")));
    CHECK(b.told.join(' ').contains("cannot be opened"));
    CHECK((*cell::find(b.w().open.resolved(), "/devices/marker/process_s")) == 2.5);
    CHECK(b.window.close());
}

TEST_CASE("from an empty floor to a first cycle time, by menu and key alone") {
    Bench b(false);
    CHECK(b.w().open.cell()->devices.empty());
    b.action("place_conveyorConveyor")->trigger();
    b.settle();
    b.action("place_infeedInfeed")->trigger();
    b.settle();
    b.action("place_structurePedestal")->trigger();
    b.settle();
    b.type(b.child<NumberField>("place_x"), "700");
    b.type(b.child<NumberField>("place_y"), "-500");
    b.action("place_armsix900")->trigger();  // stands on the selected pedestal
    b.settle();
    const QString arm = b.w().selection.first().device;
    CHECK(b.w().open.cell()->devices.back().host == b.w().open.cell()->device("pedestal"));
    b.w().selection.select({});
    b.action("place_outfeedOutfeed")->trigger();
    b.settle();
    b.type(b.child<NumberField>("place_x"), "1.25 m");
    b.type(b.child<NumberField>("place_y"), "-500");
    b.w().selection.select(arm);
    for (const char* step : {"Pick", "Place"}) {
        b.settle();
        for (QAction* a : b.child<QToolButton>("add_step")->menu()->actions())
            if (a->text() == step) a->trigger();
        b.settle();
    }
    CHECK(b.window.verdict()->shown("reach") == "2 / 2");
    CHECK(b.cycle().toDouble() == Approx(6.0).margin(0.01));  // the infeed's interval sets the pace
    CHECK(b.told.isEmpty());
}

TEST_CASE("the list of actions finds and runs one") {
    Bench b;
    QTimer::singleShot(300, [&] {
        auto* finder = QApplication::activeModalWidget();
        REQUIRE(finder);
        QTest::keyClicks(finder->findChild<QLineEdit*>(), "side front");
        QTest::keyClick(finder->findChild<QLineEdit*>(), Qt::Key_Escape);
    });
    b.action("find")->trigger();
    QTimer::singleShot(300, [&] {
        auto* finder = QApplication::activeModalWidget();
        QTest::keyClicks(finder->findChild<QLineEdit*>(), "floor front");
        QTest::keyClick(finder->findChild<QLineEdit*>(), Qt::Key_Return);
    });
    b.action("find")->trigger();
    CHECK(b.window.floor()->side() == Side::front);
}

TEST_CASE("the smallest and the largest usual window clip nothing away") {
    Bench b;
    for (const QSize size : {QSize(1280, 800), QSize(1920, 1080)}) {
        b.window.resize(size);
        b.settle();
        for (QWidget* view : std::initializer_list<QWidget*>{
                 b.window.floor(), b.window.model(), b.window.ribbon(), b.window.verdict()}) {
            CHECK(view->isVisible());
            CHECK(b.window.rect().contains(QRect(view->mapTo(&b.window, QPoint(0, 0)), view->size())));
        }
        CHECK(b.window.floor()->width() > 300);
    }
}
