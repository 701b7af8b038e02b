// Each view by itself: what it shows, and what a click or a key in it does.

#include <catch2/catch.hpp>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::desktop;
using escarp::tests::Bench;

namespace {

double placed(Bench& b, const std::string& device, const char* key) {
    return cell::find(b.w().open.resolved(), "/devices/" + device + "/placement/" + key)->get<double>();
}

/// Share of the picture that is not its most common colour: an empty view has next to none.
double drawn(const QImage& image) {
    std::map<QRgb, int> colours;
    int all = 0;
    for (int y = 0; y < image.height(); y += 3)
        for (int x = 0; x < image.width(); x += 3) ++colours[image.pixel(x, y)], ++all;
    int most = 0;
    for (const auto& [colour, n] : colours) most = std::max(most, n);
    return 1.0 - static_cast<double>(most) / all;
}

}  // namespace

TEST_CASE("a click on a figure goes to what decides it") {
    Bench b;
    const auto click = [&](double share) {
        b.w().selection.select({});
        b.w().playhead.set_time(0);
        QTest::mouseClick(
            b.window.verdict(), Qt::LeftButton, {}, QPoint(static_cast<int>(b.window.verdict()->width() * share), 40));
        b.settle();
    };
    const auto e = b.w().results.shown();
    click(0.5);  // clearance
    CHECK(b.w().playhead.time() == Approx(e->inspection->clearance.when_s));
    CHECK(b.w().selection.first().device.toStdString() == e->cell->devices[e->inspection->clearance.device_a].id);
    click(0.33);  // reach: the tightest pose's step
    const auto& pose = e->inspection->poses[e->inspection->tightest_pose];
    CHECK(b.w().selection.first().step.toStdString() == pose.step_id);
    CHECK(b.w().playhead.time() > 0);
    click(0.05);  // cycle: the longest piece of the chain
    CHECK(!b.w().selection.first().device.isEmpty());
    click(0.8);  // waiting
    CHECK(b.w().selection.first().device == "arm1");
}

TEST_CASE("arrow keys nudge what is selected, in two step sizes, each an edit that can be undone") {
    Bench b;
    b.click_floor(b.on_floor("marker"));
    const double x = placed(b, "marker", "x_mm"), y = placed(b, "marker", "y_mm");
    QTest::keyClick(b.window.floor(), Qt::Key_Right);
    b.settle();
    CHECK(placed(b, "marker", "x_mm") == x + 10);
    QTest::keyClick(b.window.floor(), Qt::Key_Up, Qt::ShiftModifier);
    b.settle();
    CHECK(placed(b, "marker", "y_mm") == y + 1);
    b.action("undo")->trigger();
    b.action("undo")->trigger();
    b.settle();
    CHECK(!b.w().open.modified());
}

TEST_CASE("small things near big ones: cycling through what lies under the pointer") {
    Bench b;
    // The beam's heads stand beside the belt's end, the housing waits there.
    const cell::Cell& c = *b.w().open.cell();
    const QPoint at = b.window.floor()->pixel_of(c.devices[c.device("b1")].world.translation()).toPoint();
    std::set<QString> seen;
    b.click_floor(at);
    seen.insert(b.w().selection.first().device);
    for (int i = 0; i < 4; ++i) {
        b.click_floor(at, Qt::ControlModifier);
        seen.insert(b.w().selection.first().device);
    }
    CHECK(seen.size() >= 2);
    CHECK(seen.count("b1"));
    b.click_floor(QPoint(20, b.window.floor()->height() - 20));  // empty floor
    CHECK(b.w().selection.first().device.isEmpty());
}

TEST_CASE("wheel and drag move the view, not the cell; fit brings everything back") {
    Bench b;
    FloorView* floor = b.window.floor();
    const QPointF before = floor->pixel_of({2, 0.5, 0});
    QWheelEvent wheel(QPointF(200, 200), floor->mapToGlobal(QPointF(200, 200)), QPoint(), QPoint(0, 240), Qt::NoButton,
        Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(floor, &wheel);
    CHECK(floor->pixel_of({2, 0.5, 0}) != before);
    b.drag_floor(QPoint(20, floor->height() - 30), QPoint(40, -20));
    CHECK(!b.w().open.modified());
    b.action("fit")->trigger();
    CHECK((floor->pixel_of({2, 0.5, 0}) - before).manhattanLength() < 1.0);
}

TEST_CASE("every view draws something, in every variant and from every side") {
    Bench b;
    for (const char* v : {"A", "B", "C"}) {
        b.w().open.set_variant(v);
        b.settle();
        for (const char* side : {"front", "side", "top"}) {
            b.action(side)->trigger();
            b.settle();
            CHECK(drawn(b.window.floor()->grab().toImage()) > 0.08);
        }
        for (const char* view : {"model_top", "model_front", "model_side", "model_free"}) {
            b.action(view)->trigger();
            b.settle();
            CHECK(drawn(b.window.model()->picture()) > 0.05);
        }
        CHECK(drawn(b.window.ribbon()->grab().toImage()) > 0.15);
        CHECK(drawn(b.window.verdict()->grab().toImage()) > 0.1);
    }
}

TEST_CASE("the Model's picture follows the time, the eye and edits; it is an ordinary widget of the window") {
    Bench b;
    ModelView* model = b.window.model();
    REQUIRE(model->working());
    for (const QWidget* w : b.window.findChildren<QWidget*>()) REQUIRE(!w->inherits("QOpenGLWidget"));
    const auto shown = [&] {  // as the window shows it, not drawn for the asking
        b.settle();
        return static_cast<QWidget*>(model)->grab().toImage();
    };
    b.w().playhead.set_time(20);
    const QImage first = shown();
    CHECK(shown() == first);
    b.w().playhead.set_time(21.3);
    const QImage later = shown();
    CHECK(later != first);
    b.w().playhead.set_time(20);
    CHECK(shown() == first);
    model->look(-0.4, 0.9);
    const QImage beside = shown();
    CHECK(beside != first);
    REQUIRE(b.w().open.apply({"Move", {cell::Operation::set("/devices/cabinet/placement/x_mm", 2500.0)}}));
    CHECK(shown() != beside);
    // A thousand instants in a row: the picture that stays is that of the last.
    b.w().open.undo();
    model->look(-0.4, 0.9);
    for (int i = 0; i < 1000; ++i) {
        b.w().playhead.set_time(0.02 * i);
        QApplication::processEvents();
    }
    b.w().playhead.set_time(20);
    CHECK(shown() == beside);
    b.window.resize(1100, 760);
    b.settle();
    CHECK(model->picture().size() == model->size());
}

TEST_CASE("what the Model keeps from picture to picture shows what a new one shows, shadows too") {
    Bench b;
    ModelView* model = b.window.model();
    const SweptShown swept(b.w().results, b.w().selection, b.w().view_options);
    const auto same = [&] {
        b.settle();
        const cell::json view = model->view_state();
        model->set_view_state(view);  // numbers are rounded alike
        ModelView fresh(b.w(), swept);
        fresh.resize(model->size());
        fresh.set_view_state(view);
        return model->picture() == fresh.picture();
    };
    const auto drag = [&](const QPoint& by, Qt::KeyboardModifiers keys) {
        const QPoint from(60, 120);
        QTest::mousePress(model, Qt::LeftButton, keys, from);
        QMouseEvent move(
            QEvent::MouseMove, from + by, model->mapToGlobal(from + by), Qt::NoButton, Qt::LeftButton, keys);
        QApplication::sendEvent(model, &move);
        QTest::mouseRelease(model, Qt::LeftButton, keys, from + by);
        b.settle();
    };
    const auto move_marker = [&](double x) {
        REQUIRE(b.w().open.apply({"Move", {cell::Operation::set("/devices/marker/placement/x_mm", x)}}));
    };
    CHECK(same());
    drag({50, 20}, {});
    CHECK(same());
    b.w().playhead.set_time(21.3);  // the shadows move, the floor does not
    CHECK(same());
    drag({230, 90}, Qt::ShiftModifier);  // the floor under the eye is another
    CHECK(same());
    QWheelEvent nearer(
        {100, 100}, model->mapToGlobal(QPointF(100, 100)), {}, {0, 1200}, Qt::NoButton, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(model, &nearer);  // and less of it
    CHECK(same());
    move_marker(2650);
    CHECK(same());
    b.w().open.undo();
    CHECK(same());
    b.w().selection.select("marker");
    CHECK(same());
    b.w().selection.select({});
    CHECK(same());
}

TEST_CASE("the Floor's kept layers show what a fresh picture shows, after scrubbing, panning, choosing and editing") {
    Bench b, fresh;
    FloorView* floor = b.window.floor();
    const auto same = [&] {
        fresh.w().playhead.set_time(b.w().playhead.time());
        fresh.w().selection.select(b.w().selection.first().device, b.w().selection.first().step);
        b.settle(), fresh.settle();
        return floor->grab().toImage() == fresh.window.floor()->grab().toImage();
    };
    b.w().playhead.set_time(30);
    (void)floor->grab();
    b.w().playhead.set_time(12.4);
    CHECK(same());
    b.w().selection.select("marker");
    CHECK(same());
    b.w().selection.select({});
    const QPoint from(200, 200), by(37, -21);
    for (FloorView* view : {floor, fresh.window.floor()}) {
        QTest::mousePress(view, Qt::MiddleButton, {}, from);
        for (int i = 1; i <= 5; ++i) {
            QMouseEvent move(QEvent::MouseMove, QPointF(from + by * i / 5),
                QPointF(view->mapToGlobal(from + by * i / 5)), Qt::NoButton, Qt::MiddleButton, {});
            QApplication::sendEvent(view, &move);
            if (view == floor) (void)view->grab();
        }
        QTest::mouseRelease(view, Qt::MiddleButton, {}, from + by);
    }
    CHECK(same());
    for (Bench* one : {&b, &fresh})
        REQUIRE(one->w().open.apply({"Move", {cell::Operation::set("/devices/marker/placement/x_mm", 2650.0)}}));
    CHECK(same());
}

TEST_CASE("a click in the Model selects the body under it") {
    Bench b;
    ModelView* model = b.window.model();
    std::set<QString> seen;
    for (int y = 60; y < model->height() - 60; y += 12)
        for (int x = 10; x < model->width() - 10; x += 24) {
            b.w().selection.select({});
            QTest::mouseClick(model, Qt::LeftButton, {}, QPoint(x, y));
            if (!b.w().selection.first().device.isEmpty()) seen.insert(b.w().selection.first().device);
        }
    CHECK(seen.size() >= 6);
    CHECK(seen.count("cabinet"));
    CHECK((seen.count("arm1") || seen.count("arm2")));
}

TEST_CASE("a device's parameters are edited in its card; what stands on what can be changed") {
    Bench b;
    b.w().selection.select("tester");
    b.settle();
    const QString before = b.cycle();
    b.type(b.child<NumberField>("field_tester_process_s"), "12 s");
    CHECK(b.cycle() != before);
    CHECK((*cell::find(b.w().open.resolved(), "/devices/tester/process_s")) == 12.0);
    b.type(b.child<NumberField>("field_tester_rows"), "1");
    CHECK(b.w().open.cell()->devices[b.w().open.cell()->device("tester")].seats.size() == 1);
    CHECK((*cell::find(b.w().open.resolved(), "/devices/tester/rows")).is_number_integer());
    auto* host = b.child<QComboBox>("field_tester_host");
    CHECK(host->findData("arm1") < 0);  // nothing stands on an arm
    CHECK(host->findData("cabinet") >= 0);
    while (b.w().open.can_undo()) b.w().open.undo();
    b.settle();
    CHECK(b.cycle() == before);
}

TEST_CASE("F2 renames, Ctrl+D duplicates with a free name") {
    Bench b;
    b.w().selection.select("cabinet");
    QTest::keyClick(&b.window, Qt::Key_F2);
    b.settle();
    auto* name = b.child<QLineEdit>("name_cabinet");
    QTest::keyClicks(name, "Switch cabinet");
    QTest::keyClick(name, Qt::Key_Return);
    b.settle();
    CHECK(b.w().open.cell()->devices[b.w().open.cell()->device("cabinet")].name == "Switch cabinet");
    QTest::keyClick(&b.window, Qt::Key_D, Qt::ControlModifier);
    b.settle();
    CHECK(b.w().open.cell()->devices.back().name == "Switch cabinet 2");
    CHECK(b.w().open.cell()->devices.back().id != "cabinet");
}

TEST_CASE("showing a finding goes to its instant and selects what it is about") {
    Bench b;
    b.w().open.set_variant("B");
    b.settle();
    const auto& findings = b.w().results.shown()->inspection->findings;
    REQUIRE(!findings.empty());
    QTest::mouseClick(b.child<QPushButton>("show"), Qt::LeftButton);
    b.settle();
    CHECK(b.w().playhead.time() == Approx(*findings.front().when_s));
    CHECK(b.w().selection.first().device.toStdString() == findings.front().devices.front());
}

TEST_CASE("a plan in Side by side opens its variant") {
    Bench b;
    b.action("compare")->trigger();
    b.settle_all();
    CHECK(!b.window.verdict()->isVisible());
    Comparison* c = b.window.side_by_side()->comparison();
    QTest::mouseClick(c, Qt::LeftButton, {}, QPoint(static_cast<int>(c->width() * 0.55), 120));
    b.settle();
    CHECK(b.w().open.variant() == "B");
    CHECK(b.window.verdict()->isVisible());
    CHECK(b.window.tabs()->page() == VariantTabs::cell_page);
}

TEST_CASE("the Model is drawn again, smoothly, when nothing moves any more") {
    Bench b;
    ModelView* model = b.window.model();
    REQUIRE(model->working());
    b.w().playhead.set_time(20);
    b.settle();
    const QImage quick = static_cast<QWidget*>(model)->grab().toImage();
    model->set_refining(true);
    b.w().playhead.set_time(20.001);
    b.w().playhead.set_time(20);
    b.settle();
    const QImage smooth = static_cast<QWidget*>(model)->grab().toImage();
    REQUIRE(smooth.size() == quick.size());
    CHECK(smooth != quick);
    // It is the same picture but for its edges: in the mean the tones agree, and there are more of them.
    double difference = 0;
    std::set<QRgb> few, many;
    for (int y = 40; y < quick.height() - 80; ++y)
        for (int x = 0; x < quick.width(); ++x) {
            difference += qGray(quick.pixel(x, y)) - qGray(smooth.pixel(x, y));
            few.insert(quick.pixel(x, y)), many.insert(smooth.pixel(x, y));
        }
    // Wires are a pixel wide in either and so a little paler.
    CHECK(std::abs(difference) / (quick.width() * quick.height()) < 6);
    CHECK(many.size() > few.size());
}

TEST_CASE("no two actions of the window have the same key") {
    Bench b;
    QMap<QString, QString> seen;
    for (const QAction* a : b.window.findChildren<QAction*>()) {
        if (a->shortcut().isEmpty()) continue;
        const QString key = a->shortcut().toString();
        INFO(key.toStdString() << ": " << a->objectName().toStdString() << ", " << seen.value(key).toStdString());
        CHECK(!seen.contains(key));
        seen[key] = a->objectName();
    }
    CHECK(seen.size() > 40);
}
