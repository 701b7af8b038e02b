// What the hands meet: the field that has the keyboard keeps it, undo works wherever it is, a wheel scrolls.

#include <QLineEdit>
#include <QScrollArea>
#include <QScrollBar>
#include <QWheelEvent>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::desktop;
using escarp::tests::Bench;

TEST_CASE("after Enter and Tab the next field has the keyboard, and what is typed takes the place of its value") {
    Bench b;
    b.action("takt")->trigger();
    auto* takt = b.child<QLineEdit>("cell_takt_s");
    takt->setFocus();
    takt->selectAll();
    QTest::keyClicks(takt, "6.1");
    QTest::keyClick(takt, Qt::Key_Tab);
    b.settle();
    CHECK(b.w().open.document().tree()["takt_s"] == 6.1);
    auto* next = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    REQUIRE(next);
    const QString name = next->objectName();
    CHECK(name.startsWith("cell_"));
    CHECK(name != "cell_takt_s");
    QTest::keyClicks(next, "44");
    CHECK(next->text() == "44");
    QTest::keyClick(next, Qt::Key_Return);
    b.settle();
    auto* again = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    REQUIRE(again);
    CHECK(again->objectName() == name);
}

TEST_CASE("undo and redo by key work while a field has the keyboard; a text that is being typed has its own") {
    Bench b;
    b.action("takt")->trigger();
    const double before = b.w().open.document().tree()["takt_s"];
    b.type("cell_takt_s", "7.5");
    REQUIRE(b.w().open.document().tree()["takt_s"] == 7.5);
    auto* takt = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    REQUIRE(takt);
    QTest::keyClick(takt, Qt::Key_Z, Qt::ControlModifier);
    b.settle();
    CHECK(b.w().open.document().tree()["takt_s"] == before);
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    b.settle();
    CHECK(b.w().open.document().tree()["takt_s"] == 7.5);
    // Half a number is taken back letter by letter, and the cell stays what it is.
    takt = b.child<QLineEdit>("cell_takt_s");
    takt->setFocus();
    takt->selectAll();
    QTest::keyClicks(takt, "9");
    QTest::keyClick(takt, Qt::Key_Z, Qt::ControlModifier);
    CHECK(takt->text() == "7.5");
    CHECK(b.w().open.document().tree()["takt_s"] == 7.5);
}

TEST_CASE("a device that is deleted from its own card leaves the keyboard with the view: undo brings it back") {
    Bench b;
    const std::size_t devices = b.w().open.document().tree()["devices"].size();
    b.click_floor(b.on_floor("marker"));
    b.window.floor()->setFocus();
    QTest::keyClick(b.window.floor(), Qt::Key_Delete);
    b.settle();
    REQUIRE(b.w().open.document().tree()["devices"].size() < devices);
    auto* has = QApplication::focusWidget();
    REQUIRE(has);
    QTest::keyClick(has, Qt::Key_Z, Qt::ControlModifier);
    b.settle();
    CHECK(b.w().open.document().tree()["devices"].size() == devices);
}

TEST_CASE("a form that is made anew stays scrolled where it was") {
    Bench b;
    b.window.resize(1280, 620);
    b.click_floor(b.on_floor("tester"));
    auto* field = b.child<QLineEdit>("field_tester_process_s");
    QScrollArea* area = nullptr;
    for (QWidget* w = field->parentWidget(); w && !area; w = w->parentWidget()) area = qobject_cast<QScrollArea*>(w);
    REQUIRE(area);
    area->ensureWidgetVisible(field);
    QScrollBar* bar = area->verticalScrollBar();
    bar->setValue(bar->maximum());
    const int at = bar->value();
    b.type(field, "4.2");
    QTRY_COMPARE(bar->value(), std::min(at, bar->maximum()));
    CHECK(b.w().open.document().resolved("A")["devices"].is_array());
}
