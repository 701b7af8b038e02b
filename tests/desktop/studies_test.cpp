#include <QDragEnterEvent>
#include <QLineEdit>
#include <QMimeData>
#include <QTableWidget>

#include <desktop/pages/side_by_side.h>
#include <desktop/pages/studies_page.h>
#include <desktop/panels/history_panel.h>
#include <desktop/panels/verdict_strip.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct Studies : Bench {
    StudiesPage& page() { return *window.studies_page(); }
    void open() {
        action("studies")->trigger();
        settle();
        REQUIRE(page().isVisible());
        done();
    }
    void done() {
        REQUIRE(QTest::qWaitFor([this] { return !page().busy(); }, 120'000));
        QApplication::processEvents();
    }
    void press(const QString& name) {
        QTest::mouseClick(child<QAbstractButton>(name), Qt::LeftButton);
        settle();
    }
    void ask() {
        press("ask_study");
        done();
    }
    QString text(const QString& label) { return child<QLabel>(label)->text(); }
    const cell::json& asked(const std::string& id) {
        const cell::json* found = cell::find(w().open.resolved(), "/studies/" + id);
        REQUIRE(found);
        return *found;
    }
};

}  // namespace

TEST_CASE(
    "a sweep is asked by dragging a number into the sentence; it fills, is stopped and gone on with; the best point is "
    "opened and made a variant") {
    Studies s;
    s.w().open.set_variant("B");
    s.w().selection.select("pedestal1");
    s.settle();
    // A hand on a number's name does not let go of what is selected behind it.
    auto* tag = s.child<QWidget>("placement_tag");
    for (QLabel* label : tag->findChildren<QLabel*>())
        if (label->text() == "X") QTest::mouseClick(label, Qt::LeftButton);
    QTest::mouseClick(tag, Qt::LeftButton, {}, QPoint(3, 3));
    CHECK(s.w().selection.first().device == "pedestal1");
    // The number's name on the tag at the device is carried to the studies' tab, and dropped into the sentence.
    QMimeData data;
    data.setData("application/x-escarp-path", "/devices/pedestal1/placement/x_mm");
    auto* tab = s.child<QToolButton>("studies_tab");
    QDragEnterEvent enter(QPoint(5, 5), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(tab, &enter);
    CHECK(enter.isAccepted());
    s.settle();
    REQUIRE(s.page().isVisible());
    s.done();
    s.action("new_sweep")->trigger();
    s.settle();
    const std::string id = s.page().chosen().toStdString();
    CHECK(s.asked(id)["vary"].empty());
    auto* sentence = s.child<QWidget>("study_sentence");
    QDragEnterEvent over(QPoint(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(sentence, &over);
    CHECK(over.isAccepted());
    QDropEvent drop(QPointF(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(sentence, &drop);
    REQUIRE(QTest::qWaitFor([&] { return s.asked(id)["vary"].size() == 1; }, 20'000));
    s.settle();
    CHECK(s.asked(id)["vary"][0] ==
          cell::json{{"at", "/devices/pedestal1/placement/x_mm"}, {"from", 1250.0}, {"to", 1750.0}, {"steps", 11}});
    CHECK(s.text("varied_0") == "Pedestal 1 x");
    s.type("from_0", "1400");
    s.type("to_0", "1.7 m");
    s.type("steps_0", "61");
    CHECK(s.asked(id)["vary"][0]["to"] == 1700);
    CHECK(s.asked(id)["vary"][0]["steps"] == 61);
    // The studies are the cell's, whichever variant they were made in.
    CHECK(s.w().open.document().differences("B").size() == 12);

    s.press("ask_study");
    REQUIRE(QTest::qWaitFor([&] { return s.page().answer() && s.page().answer()->tried.size() >= 5; }, 60'000));
    CHECK(s.page().plot()->kind() == "line");
    const std::size_t so_far = s.page().answer()->tried.size();
    if (s.page().busy()) {
        s.press("stop_study");
        s.done();
        CHECK(s.text("study_state").contains("Stopped"));
    }
    s.ask();
    REQUIRE(s.page().answer());
    CHECK(s.page().answer()->whole);
    CHECK(s.page().answer()->kept_runs >= std::min<std::size_t>(so_far, 5));
    CHECK(s.page().answer()->tried.size() == 61);
    CHECK(s.text("study_words").startsWith("The least cycle is"));
    auto* table = s.child<QTableWidget>("points_table");
    CHECK(table->rowCount() == 61);

    // A click on a point chooses it, its layout is seen; the table does the same.
    const int best = s.page().answer()->best;
    REQUIRE(best >= 0);
    const auto at = s.page().plot()->place_of(0);
    REQUIRE(at);
    QTest::mouseClick(s.page().plot()->findChild<QWidget*>(), Qt::LeftButton, {}, at->toPoint());
    CHECK(s.text("point_words").startsWith("Pedestal 1 x 1400 mm"));
    CHECK(s.child<QLabel>("point_picture")->pixmap().width() > 100);
    table->selectRow(0);
    const double cycle = s.page().answer()->tried[static_cast<std::size_t>(best)].figure("cycle_s");
    CHECK(s.text("point_words").contains(QString::number(cycle, 'f', 3)));

    // Looked at in the cell, without being taken.
    s.press("look_at_point");
    s.settle();
    CHECK(s.w().open.previewing());
    CHECK(s.window.floor()->isVisible());
    CHECK(s.cycle() == QString::number(cycle, 'f', 2));
    s.w().open.drop_draft();
    s.settle();
    s.open();
    s.press("point_to_variant");
    s.settle();
    CHECK(s.w().open.document().variants().size() == 5);
    CHECK(*s.w().results.shown()->figures.cycle_s == cycle);
    const cell::json* x = cell::find(s.w().open.resolved(), "/devices/pedestal1/placement/x_mm");
    REQUIRE(x);
    CHECK(*x == s.page().answer()->tried[static_cast<std::size_t>(best)].point[0]);

    // The variant is another cell: what was found is not passed off as its own.
    s.open();
    CHECK(s.page().out_of_date());
    CHECK(s.text("study_state").contains("has changed since"));
    CHECK(s.child<QPushButton>("ask_study")->text() == "Ask anew");
    // What is in the file is found again by the next window, without being run.
    s.w().open.set_variant("B");
    s.settle();
    REQUIRE(s.w().open.save_as(s.w().open.file()));
    Studies other;
    REQUIRE(QFile::copy(s.room.filePath("leak-test.results"), other.room.filePath("again.results")));
    REQUIRE(QFile::copy(s.w().open.file(), other.room.filePath("again.escarp")));
    REQUIRE(other.window.open_file(other.room.filePath("again.escarp")));
    other.w().open.set_variant("B");
    other.settle();
    other.open();
    other.page().choose(QString::fromStdString(id));
    other.done();
    REQUIRE(other.page().answer());
    CHECK(other.page().answer()->runs == 0);
    CHECK(other.page().answer()->tried.size() == 61);
}

TEST_CASE("a search with two figures: its front is seen, brushed, and what is brushed is listed") {
    Studies s;
    s.w().open.set_variant("B");
    s.settle();
    s.open();
    s.page().choose("quick_and_clear");
    s.done();
    s.type("tries", "48");
    s.ask();
    REQUIRE(s.page().answer());
    CHECK(s.page().plot()->kind() == "scatter");
    CHECK(s.page().answer()->front.size() > 1);
    CHECK(s.text("study_words").contains("beaten by none"));
    auto* table = s.child<QTableWidget>("points_table");
    const int all = table->rowCount();
    CHECK(all == static_cast<int>(s.page().answer()->tried.size()));
    auto* plot = s.page().plot()->findChild<QWidget*>();
    const auto chosen = s.page().plot()->place_of(s.page().answer()->front.front());
    REQUIRE(chosen);
    const QPoint middle = chosen->toPoint();
    QTest::mousePress(plot, Qt::LeftButton, {}, middle - QPoint(25, 25));
    for (int i = 1; i <= 5; ++i) QTest::mouseMove(plot, middle - QPoint(25, 25) + QPoint(10, 10) * i);
    QTest::mouseRelease(plot, Qt::LeftButton, {}, middle + QPoint(25, 25));
    QApplication::processEvents();
    REQUIRE(!s.page().plot()->brushed().empty());
    CHECK(table->rowCount() == static_cast<int>(s.page().plot()->brushed().size()));
    CHECK(table->rowCount() < all);
    // A click beside everything lets go.
    QTest::mouseClick(plot, Qt::LeftButton, {}, QPoint(plot->width() - 30, 20));
    QApplication::processEvents();
    CHECK(table->rowCount() == all);
    // One figure less: a search for one.
    s.press("drop_look_at_1");
    CHECK(s.asked("quick_and_clear")["look_at"] == cell::json{"cycle_s"});
    CHECK_FALSE(s.page().answer()->study.look_at.size() == 1);  // until it is asked again
    s.ask();
    CHECK(s.page().plot()->kind() == "tries");
    CHECK(s.page().answer()->front.empty());
}

TEST_CASE("a study is made, filled in and removed by hand; what cannot be asked is said beside the button") {
    Studies s;
    s.open();
    s.action("new_repetitions")->trigger();
    s.settle();
    const std::string id = s.page().chosen().toStdString();
    CHECK(s.asked(id)["repetitions"] == 30);
    s.ask();
    CHECK(s.text("study_words").contains("Nothing in this cell is left to chance"));
    s.w().open.set_variant("D");
    s.settle();
    s.type("repetitions", "12");
    s.type("until", "0.5");
    CHECK(s.asked(id)["until_pct"] == 0.5);
    s.ask();
    CHECK(s.page().plot()->kind() == "runs");
    CHECK(s.text("study_words").contains("in 1"));  // 10 or 12 repetitions
    s.type("until", "0");
    CHECK_FALSE(s.asked(id).contains("until_pct"));

    s.page().choose("stand");
    s.done();
    s.press("add_keep");
    CHECK(s.asked("stand")["keep"].size() == 2);
    s.type("keep_value_1", "120");
    CHECK(s.asked("stand")["keep"][1]["at_least"] == 120);
    s.press("drop_keep_0");
    CHECK(s.asked("stand")["keep"].size() == 1);
    s.press("add_look_at");
    CHECK(s.asked("stand")["look_at"].size() == 3);
    s.press("drop_varied_0");
    CHECK(s.asked("stand")["vary"].empty());
    s.ask();
    CHECK(s.text("study_state").contains("Something to vary is expected"));
    // By the label's menu on a card, from anywhere.
    Q_EMIT s.w().open.wants_to_vary("/devices/tester/process_s");
    REQUIRE(QTest::qWaitFor([&] { return s.asked("stand")["vary"].size() == 1; }, 20'000));
    s.settle();
    CHECK(s.asked("stand")["vary"][0]["at"] == "/devices/tester/process_s");
    CHECK(s.text("varied_0") == "Tester process time");
    const auto before = s.w().open.cell()->studies.size();
    s.press("remove_study");
    CHECK(s.w().open.cell()->studies.size() == before - 1);
    s.w().open.undo();
    s.settle();
    CHECK(s.w().open.cell()->studies.size() == before);
}

TEST_CASE("gains are ranked, and stand at the steps that they are of until the cell changes") {
    Studies s;
    s.open();
    s.page().choose("seconds");
    s.ask();
    REQUIRE(s.page().answer());
    REQUIRE(s.page().answer()->gains);
    CHECK(s.page().plot()->kind() == "gains");
    CHECK(s.text("study_words").contains("0.1"));
    auto* table = s.child<QTableWidget>("points_table");
    const auto& all = s.page().answer()->gains->all;
    CHECK(table->rowCount() == static_cast<int>(all.size()));
    const auto step = std::find_if(all.begin(), all.end(), [](const study::Gain& g) { return g.step >= 0; });
    REQUIRE(step != all.end());
    const int row = static_cast<int>(step - all.begin());
    table->scrollToItem(table->item(row, 0));
    const QPoint at = table->visualItemRect(table->item(row, 0)).center();
    QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, at);
    QTest::mouseDClick(table->viewport(), Qt::LeftButton, {}, at);
    s.settle();
    CHECK(s.window.floor()->isVisible());
    CHECK(s.w().selection.first().device == "arm2");
    REQUIRE(!s.w().selection.first().step.isEmpty());
    auto* line = s.child<QWidget>("step_arm2_" + s.w().selection.first().step);
    CHECK(line->toolTip().contains("0.1 s less here takes"));
    REQUIRE(s.w().open.apply({"", {cell::Operation::set("/devices/marker/process_s", 2.2)}}));
    s.settle();
    CHECK_FALSE(s.child<QWidget>("step_arm2_" + s.w().selection.first().step)->toolTip().contains("0.1 s less"));
}

TEST_CASE("a variant with chance in it shows what its mean may be out by; Side by side says who is better") {
    Studies s;
    s.w().open.set_variant("D");
    s.settle_all();
    const auto value = [&] {
        s.window.verdict()->repaint();
        return s.window.verdict()->note("cycle");
    };
    REQUIRE(QTest::qWaitFor(
        [&] {
            auto* c = s.window.findChild<Comparison*>();
            return c->words().contains("B is better than A by 0.67") && value().size() > 0;
        },
        120'000));
    auto* comparison = s.window.findChild<Comparison*>();
    CHECK(comparison->words().contains("D cannot be told from B yet"));
    CHECK_FALSE(comparison->words().contains("Nothing in these cells is random"));
    CHECK(comparison->shown("cycle", "D") == s.cycle());
    CHECK(comparison->order() == QStringList{"A", "B", "C", "D"});
    comparison->sort_by("cycle");
    CHECK(comparison->order().first() == "B");
    CHECK(comparison->order().last() == "C");
    comparison->sort_by("floor");
    CHECK(comparison->order() != QStringList{"A", "B", "C", "D"});
    comparison->sort_by("floor");
    CHECK(comparison->order() == QStringList{"A", "B", "C", "D"});
    CHECK(comparison->differs("floor"));
    CHECK_FALSE(comparison->differs("price"));  // nobody has said any
}

TEST_CASE("history: a point for each edit, with its figures; a click goes back to it, and on again") {
    Bench b;
    b.action("history")->trigger();
    b.settle();
    auto* history = b.child<HistoryPanel>("history");
    CHECK(history->count() == 1);
    const double before = *history->value("cycle", 0);
    for (const double s : {2.6, 3.1}) {
        REQUIRE(b.w().open.apply({"Slower marker", {cell::Operation::set("/devices/marker/process_s", s)}}));
        b.settle();
    }
    REQUIRE(history->count() == 3);
    CHECK(history->shown() == 2);
    CHECK(*history->value("cycle", 2) > *history->value("cycle", 1));
    CHECK(*history->value("cycle", 1) > before);
    CHECK(history->place_of("cycle", 2)->y() < history->place_of("cycle", 0)->y());  // a longer cycle stands higher
    QTest::mouseClick(history, Qt::LeftButton, {}, history->place_of("cycle", 0)->toPoint());
    b.settle();
    CHECK(history->shown() == 0);
    CHECK(history->count() == 3);  // what can be done again is still there
    CHECK(*b.w().results.shown()->figures.cycle_s == before);
    QTest::mouseClick(history, Qt::LeftButton, {}, history->place_of("cycle", 1)->toPoint());
    b.settle();
    CHECK(history->shown() == 1);
    CHECK(cell::find(b.w().open.resolved(), "/devices/marker/process_s")->get<double>() == 2.6);
    // Another edit from here: the way that was left is gone.
    REQUIRE(b.w().open.apply({"Quicker marker", {cell::Operation::set("/devices/marker/process_s", 1.0)}}));
    b.settle();
    CHECK(history->count() == 3);
    CHECK(*history->value("cycle", 2) < before);
    // Another variant has a line of its own.
    b.w().open.set_variant("B");
    b.settle();
    CHECK(history->shown() == 2);
    CHECK_FALSE(history->value("cycle", 0));
}

TEST_CASE("history: of more edits than are kept the oldest go, and the figures stay with theirs") {
    Bench b;
    b.action("history")->trigger();
    auto* history = b.child<HistoryPanel>("history");
    // One that is seen in the figures, among many that are not.
    constexpr int before = 30, after = 490;
    const auto rename = [&](int i) {
        REQUIRE(b.w().open.apply({"Rename", {cell::Operation::set("/name", "Cell " + std::to_string(i))}}));
    };
    for (int i = 0; i < before; ++i) rename(i);
    b.settle();
    const double usual = *history->value("cycle", before);
    REQUIRE(b.w().open.apply({"Slow", {cell::Operation::set("/devices/tester/process_s", 20)}}));
    b.settle();
    const double slow = *history->value("cycle", before + 1);
    REQUIRE(slow > usual + 1);
    for (int i = 0; i < after; ++i) rename(1000 + i);
    b.settle();
    CHECK(b.w().open.history().depth() == 500);
    const int gone = b.w().open.history().forgotten();
    CHECK(gone == before + 1 + after - 500);
    CHECK(history->count() == 501);
    CHECK(history->shown() == 500);
    CHECK(history->value("cycle", before - gone) == usual);
    CHECK(history->value("cycle", before + 1 - gone) == slow);
    history->go_to(before - gone);
    b.settle();
    CHECK(b.w().results.shown()->figures.cycle_s == usual);
    CHECK(b.w().open.history().depth() == before - gone);
    history->go_to(history->count() - 1);
    b.settle();
    CHECK(b.w().open.cell()->name == "Cell " + std::to_string(1000 + after - 1));
    CHECK(b.w().results.shown()->figures.cycle_s == slow);
}
