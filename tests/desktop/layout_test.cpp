// Laying out by mouse and keyboard alone.
#include <QRegularExpression>

#include <cell/document/safe_file.h>
#include <cell/edits/arrange.h>
#include <cell/edits/named/named_edit.h>
#include <desktop/dialogs/table_dialog.h>
#include <study/named_edits.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;
using geometry::Vector3;

namespace {

struct Hands : Bench {
    Hands(bool demo = false) : Bench(demo) {}
    FloorView* floor() { return window.floor(); }
    const cell::Device& named(const QString& name) {
        for (const cell::Device& d : w().open.cell()->devices)
            if (d.name == name.toStdString()) return d;
        FAIL("no device named " << name.toStdString());
        return w().open.cell()->devices.front();
    }
    /// Finds an entry of the catalogue by typing and clicks it.
    void take(const QString& label) {
        QTest::keyClick(&window, Qt::Key_N);
        auto* line = child<QLineEdit>("catalogue_search");
        line->selectAll();
        QTest::keyClicks(line, label);
        auto* list = child<QListWidget>("catalogue_list");
        for (int i = 0; i < list->count(); ++i)
            if (list->item(i)->text() == label) {
                QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(i)).center());
                return;
            }
        FAIL("not in the catalogue: " << label.toStdString());
    }
    void put(const QString& label, double x, double y) {
        take(label);
        const QPoint at = floor()->pixel_of({x, y, 0}).toPoint();
        REQUIRE(floor()->rect().contains(at));
        QTest::mouseMove(floor(), at - QPoint(3, 0));
        QTest::mouseClick(floor(), Qt::LeftButton, Qt::AltModifier, at);
        settle();
        REQUIRE(!floor()->placing());
    }
    void exact(const char* field, const QString& text) { type(child<QLineEdit>(field), text); }
    void choose(const QString& box, const QString& text) {
        auto* combo = child<QComboBox>(box);
        const int index = combo->findText(text, Qt::MatchContains);
        QString all;
        for (int i = 0; i < combo->count(); ++i) all += combo->itemText(i) + "; ";
        INFO(all.toStdString());
        REQUIRE(index >= 0);
        combo->setFocus();
        combo->setCurrentIndex(0);
        for (int i = 0; i < index; ++i) QTest::keyClick(combo, Qt::Key_Down);
        if (combo->currentIndex() == 0) Q_EMIT combo->activated(0);
        settle();
    }
    void step(const QString& what) {
        auto* add = child<QToolButton>("add_step");
        QTimer::singleShot(50, [&] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            if (!menu) return;
            for (QAction* a : menu->actions())
                if (a->text() == what)
                    return QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(a).center());
        });
        QTest::mouseClick(add, Qt::LeftButton);
        settle();
    }
    /// On the body of a device, where nothing lies above it.
    void click(const QString& name, Qt::KeyboardModifiers keys = {}) {
        const cell::Device& d = named(name);
        click_floor(floor()->pixel_of(d.world.translation()).toPoint(), keys);
        settle();
    }
};

}  // namespace

TEST_CASE(
    "an empty floor becomes a cell with pedestal, arm, a conveyor with a bend, a table, a part and a cycle, by hand "
    "alone") {
    Hands b;
    REQUIRE(b.w().open.cell()->devices.empty());
    CHECK(b.child<QWidget>("first_steps")->isVisible());
    b.put("Pedestal", -0.4, 0);
    b.exact("place_x", "0");
    b.exact("place_y", "0");
    b.put("Six-axis 900", 0, 0);  // set down on the pedestal it stands on it
    CHECK(b.w().open.cell()->devices[1].host == 0);
    b.exact("place_x", "0");
    b.exact("place_y", "0");
    b.put("Conveyor", -0.7, 1.0);
    QTest::keyClick(&b.window, Qt::Key_W);
    b.exact("field_conveyor_length_mm", "0.6 m");
    b.exact("field_conveyor_height_mm", "700");
    b.window.findChild<QAction*>("fit")->trigger();
    b.put("Conveyor bend", 0.3, 1.1);
    QTest::keyClick(&b.window, Qt::Key_W);
    b.exact("field_conveyor_bend_bend_deg", "-90");
    b.exact("field_conveyor_bend_height_mm", "700");
    b.exact("field_conveyor_bend_radius_mm", "400");
    // Dragged near the end of the first it joins it.
    const cell::Device* belt = &b.named("Conveyor");
    const cell::Device* bend = &b.named("Conveyor bend");
    const geometry::Frame goal = belt->world * belt->ends[1] * bend->ends[0].inverse();
    const QPoint from = b.floor()
                            ->pixel_of(bend->world * Vector3(bend->seats[0].at.translation().x() - 0.05,
                                                         bend->seats[0].at.translation().y(), 0))
                            .toPoint();
    QPoint by = (b.floor()->pixel_of(goal.translation()) - b.floor()->pixel_of(bend->world.translation())).toPoint() +
                QPoint(4, -3);
    QPoint grip = from;
    for (const geometry::Body& body : bend->bodies) {  // a piece of the bed that nothing covers
        grip = b.floor()->pixel_of(bend->world * body.at * body.shape.centre()).toPoint();
        if (body.name == "bed") break;
    }
    b.drag_floor(grip, by);
    belt = &b.named("Conveyor"), bend = &b.named("Conveyor bend");
    CHECK(((belt->world * belt->ends[1]).translation() - (bend->world * bend->ends[0]).translation()).norm() < 1e-6);
    // The first hands on to the bend.
    b.click("Conveyor");
    b.choose("field_conveyor_to", "Conveyor bend");
    b.put("Infeed", belt->world.translation().x() - 0.2, belt->world.translation().y());
    CHECK(b.named("Infeed").host == b.w().open.cell()->device("conveyor"));
    b.put("Table", 0.15, -0.6);
    b.put("Empty tray", 0.15, -0.6);  // set down on the table it stands on it
    CHECK(b.named("Empty tray").host >= 0);
    b.click("Pedestal");
    if (b.w().selection.first().device != "six_axis_900") b.click("Six-axis 900");

    QTest::keyClick(&b.window, Qt::Key_W);
    b.step("Pick");
    QTest::keyClick(&b.window, Qt::Key_W);
    b.choose("step_field_from", "Conveyor bend");
    b.step("Place");
    b.choose("step_field_in", "Empty tray");
    b.settle();
    INFO(b.told.join(" | ").toStdString());
    CHECK(QRegularExpression("^[0-9]+\\.[0-9]+").match(b.cycle()).hasMatch());
    const auto e = b.w().results.shown();
    REQUIRE(e);
    REQUIRE(e->figures.cycle_s);
    CHECK(*e->figures.cycle_s > 2);
    CHECK(*e->figures.cycle_s < 20);
}

TEST_CASE("a block stands exactly 350 mm in front of an arm's base after four actions") {
    Hands b;
    b.put("Six-axis 900", 0.3, -0.2);
    b.exact("place_turn", "30");
    REQUIRE(b.w().selection.first().device == "six_axis_900");
    // 1: from the catalogue by keyboard, it comes in front of the arm.
    QTest::keyClick(&b.window, Qt::Key_N);
    auto* line = b.child<QLineEdit>("catalogue_search");
    QTest::keyClicks(line, "Block");
    QTest::keyClick(line, Qt::Key_Return);
    b.settle();
    REQUIRE(b.w().selection.first().device == "block");
    // 2: numbers from the arm. 3: the distance. (It is in line with the arm already.)
    b.choose("place_frame", "Six-axis 900");
    b.exact("place_x", "350");
    const cell::Device &arm = b.named("Six-axis 900"), &block = b.named("Block");
    const Vector3 seen = arm.world.inverse() * block.world.translation();
    CHECK(seen.x() == Approx(0.35).margin(1e-9));
    CHECK(seen.y() == Approx(0).margin(1e-4));
    CHECK(block.world.translation().z() == Approx(0).margin(1e-9));
}

TEST_CASE("the first steps lead from the empty floor to a cycle in five clicks") {
    Hands b;
    for (const char* name : {"first_arm", "first_table", "first_supply", "first_collect", "first_task"}) {
        QTest::mouseClick(b.child<QPushButton>(name), Qt::LeftButton);
        b.settle();
        b.settle();
    }
    INFO(b.told.join(" | ").toStdString());
    const auto e = b.w().results.shown();
    REQUIRE(e);
    std::string said;
    for (const auto& f : e->inspection->findings) said += f.title + ": " + f.text + "; ";
    INFO(said);
    REQUIRE(e->figures.cycle_s);
    CHECK(e->run->steady);
    CHECK(std::none_of(e->inspection->findings.begin(), e->inspection->findings.end(),
        [](const auto& f) { return f.severity == inspection::Severity::stop; }));
    CHECK(!b.window.findChild<QWidget*>("first_steps")->isVisible());
}

TEST_CASE("a dimension that is typed into moves the device; what is half typed never reaches the cell") {
    Hands b(true);
    b.w().selection.select("tester");
    b.settle();
    REQUIRE(!b.floor()->dimensions().empty());
    const auto d = b.floor()->dimensions().front();
    const cell::Document before = b.w().open.document();
    QTest::mouseClick(b.floor(), Qt::LeftButton, {}, d.box.center().toPoint());
    auto* field = b.child<QLineEdit>("dimension");
    field->selectAll();
    QTest::keyClicks(field, "7 apples");
    CHECK(b.w().open.document() == before);
    QTest::keyClick(field, Qt::Key_Escape);
    b.settle();
    CHECK(b.w().open.document() == before);
    CHECK(!b.w().open.trying());
    const Vector3 stood = b.named("Tester").world.translation();
    QTest::mouseClick(b.floor(), Qt::LeftButton, {}, d.box.center().toPoint());
    b.type(b.child<QLineEdit>("dimension"), "100+23");
    const Vector3 moved = b.named("Tester").world.translation() - stood;
    CHECK(moved.dot(d.away) == Approx(0.123 - d.metres).margin(1e-6));
    CHECK(b.w().open.history().undo_name().contains("Tester"));
}

TEST_CASE("the drawing follows while a number is typed, Escape takes it back") {
    Hands b(true);
    b.w().selection.select("tester");
    b.settle();
    const double stood = b.named("Tester").world.translation().x();
    auto* x = b.child<QLineEdit>("place_x");
    x->setFocus();
    x->selectAll();
    QTest::keyClicks(x, "2400");
    CHECK(b.w().open.trying());
    CHECK(b.named("Tester").world.translation().x() == Approx(2.4));
    QTest::keyClick(x, Qt::Key_Escape);
    CHECK(!b.w().open.trying());
    CHECK(b.named("Tester").world.translation().x() == Approx(stood));
    CHECK(!b.w().open.modified());
}

TEST_CASE("several are selected with Shift, moved together, grouped, locked, hidden and shown alone") {
    Hands b(true);
    b.click("Tester");
    b.click("Marker", Qt::ShiftModifier);
    CHECK(b.w().selection.all() == QStringList({"tester", "marker"}));
    const Vector3 a = b.named("Tester").world.translation(), c = b.named("Marker").world.translation();
    b.floor()->setFocus();
    QTest::keyClick(b.floor(), Qt::Key_Right);
    QTest::keyClick(b.floor(), Qt::Key_Up, Qt::ShiftModifier);
    b.settle();
    CHECK((b.named("Tester").world.translation() - a - Vector3(0.01, 0.001, 0)).norm() < 1e-9);
    CHECK((b.named("Marker").world.translation() - c - Vector3(0.01, 0.001, 0)).norm() < 1e-9);
    QTest::keyClick(&b.window, Qt::Key_G, Qt::ControlModifier);
    b.settle();
    b.w().selection.select({});
    b.click("Marker");
    CHECK(b.w().selection.all().size() == 2);
    QTest::keyClick(&b.window, Qt::Key_L, Qt::ControlModifier);
    b.settle();
    const Vector3 locked = b.named("Marker").world.translation();
    b.drag_floor(b.on_floor("marker"), {40, 0});
    CHECK(b.named("Marker").world.translation() == locked);
    QTest::keyClick(&b.window, Qt::Key_H, Qt::ShiftModifier);
    CHECK(b.w().view_options.hidden("arm1"));
    CHECK(!b.w().view_options.hidden("marker"));
    QTest::keyClick(&b.window, Qt::Key_H, Qt::ControlModifier);
    CHECK(b.w().view_options.hidden().isEmpty());
    b.click("Marker");
    QTest::keyClick(&b.window, Qt::Key_H);
    CHECK(b.w().view_options.hidden("marker"));
    b.w().selection.select({});
    b.click("Marker");
    CHECK(b.w().selection.first().device.isEmpty());  // what is hidden is not hit
}

TEST_CASE("turned by the handle and by keys, in steps and freely") {
    Hands b(true);
    b.w().selection.select("cabinet");
    b.settle();
    const cell::Device& d = b.named("Control cabinet");
    const QPointF origin = b.floor()->pixel_of(d.world.translation());
    const double ahead = d.extent().high.x();
    const QPointF edge = b.floor()->pixel_of(d.world * Vector3(ahead, 0, 0));
    const QPointF handle =
        origin + (edge - origin) * ((QLineF(origin, edge).length() + 22) / QLineF(origin, edge).length());
    const QPointF goal = origin + QPointF(60, -62);  // about 45 degrees
    b.drag_floor(handle.toPoint(), (goal - handle).toPoint());
    CHECK(geometry::to_triple(b.named("Control cabinet").world.linear()).z() * 180 / geometry::pi ==
          Approx(45).margin(1e-6));
    b.floor()->setFocus();
    QTest::keyClick(b.floor(), Qt::Key_Comma);
    b.settle();
    CHECK(geometry::to_triple(b.named("Control cabinet").world.linear()).z() * 180 / geometry::pi ==
          Approx(60).margin(1e-6));
    QTest::keyClick(b.floor(), Qt::Key_Semicolon);
    b.settle();
    CHECK(geometry::to_triple(b.named("Control cabinet").world.linear()).z() * 180 / geometry::pi ==
          Approx(61).margin(1e-6));
}

TEST_CASE("what stands on a removed device is asked about") {
    Hands b(true);
    b.w().selection.select("pedestal1");
    b.answers << static_cast<int>(QMessageBox::Cancel);
    b.action("remove")->trigger();
    CHECK(b.w().open.cell()->device("pedestal1") >= 0);
    REQUIRE(!b.told.isEmpty());
    CHECK(b.told.last().contains("Arm 1"));
    b.answers << 1;
    const Vector3 stood = b.named("Arm 1").world.translation();
    b.action("remove")->trigger();
    b.settle();
    CHECK(b.w().open.cell()->device("pedestal1") < 0);
    CHECK((b.named("Arm 1").world.translation() - stood).norm() < 1e-9);
}

TEST_CASE("measuring between two corners gives their distance") {
    Hands b(true);
    const auto corner = [&](const char* id, double x, double y) {
        const cell::Cell& c = *b.w().open.cell();
        const geometry::Box3 box = cell::world_extent(c, c.device(id));
        return Vector3(x < 0 ? box.low.x() : box.high.x(), y < 0 ? box.low.y() : box.high.y(), 0);
    };
    const Vector3 one = corner("tester", 1, 1), two = corner("marker", -1, -1);
    QTest::keyClick(&b.window, Qt::Key_M);
    REQUIRE(b.floor()->measuring());
    b.click_floor(b.floor()->pixel_of(one).toPoint() + QPoint(2, 1));
    b.click_floor(b.floor()->pixel_of(two).toPoint() + QPoint(-1, 2));
    const double expected = 1e3 * (two - one).norm();
    CHECK(b.floor()->measured().section(' ', 0, 0).toDouble() == Approx(expected).margin(0.06));
    QTest::keyClick(b.floor(), Qt::Key_Escape);
    CHECK(!b.floor()->measuring());
}

TEST_CASE("a fence is drawn corner by corner; a marking closed on its first corner") {
    Hands b;
    b.take("Fence run");
    for (const Vector3& p : {Vector3(-1, -1, 0), Vector3(1, -1, 0), Vector3(1, 0.6, 0)})
        b.click_floor(b.floor()->pixel_of(p).toPoint());
    QTest::keyClick(b.floor(), Qt::Key_Return);
    b.settle();
    const auto box = cell::world_extent(*b.w().open.cell(), 0);
    CHECK(box.high.x() - box.low.x() == Approx(2.05).margin(0.06));
    CHECK(box.high.y() - box.low.y() == Approx(1.65).margin(0.06));
    b.take("Floor marking");
    for (const Vector3& p :
        {Vector3(-0.5, -0.5, 0), Vector3(0.5, -0.5, 0), Vector3(0.5, 0.5, 0), Vector3(-0.5, -0.5, 0)})
        b.click_floor(b.floor()->pixel_of(p).toPoint());
    b.settle();
    REQUIRE(b.w().open.cell()->devices.size() == 2);
    CHECK(b.w().open.resolved()["devices"][1]["closed"] == true);
}

TEST_CASE("an own device kept in the catalogue can be placed in another cell, with what it needs") {
    Hands b(true);
    b.w().selection.select("arm1");
    b.window.layout_actions()->name_instead = [](const QString&) { return QString("Loader arm"); };
    b.action("keep_own")->trigger();
    b.action("new")->trigger();
    b.settle();
    b.put("Loader arm", 0, 0);
    REQUIRE(b.w().open.cell()->devices.size() == 1);
    CHECK(b.w().open.cell()->devices[0].arm);
    CHECK(b.w().open.cell()->devices[0].arm->tool);
    CHECK(b.w().open.cell()->devices[0].task.empty());
}

TEST_CASE("the base field leads to a base from which every pose is reached") {
    Hands b(true);
    b.w().open.set_variant("C");
    b.settle();
    const auto out = [&] {
        int n = 0;
        for (const auto& p : b.w().results.shown()->inspection->poses) n += !p.reached;
        return n;
    };
    REQUIRE(out() > 0);
    int arm = -1;
    for (const auto& p : b.w().results.shown()->inspection->poses)
        if (!p.reached) arm = p.arm;
    b.w().selection.select(QString::fromStdString(b.w().results.shown()->cell->devices[arm].id));
    b.action("base_field")->trigger();
    CHECK(b.w().view_options.shown().base);
    b.window.grab();
    REQUIRE(b.floor()->take_best_base());
    b.settle();
    int left = 0;
    for (const auto& p : b.w().results.shown()->inspection->poses) left += !p.reached && p.arm == arm;
    CHECK(left == 0);
}

TEST_CASE("views are stored and come back; a clean view shows no words") {
    Hands b(true);
    b.w().selection.select("tester");
    b.action("fit_selection")->trigger();
    const QPointF near = b.floor()->pixel_of({2, 0.5, 0});
    b.window.layout_actions()->name_instead = [](const QString&) { return QString("Tester close"); };
    b.action("store_view")->trigger();
    b.action("front")->trigger();
    CHECK(b.floor()->side() == Side::front);
    const cell::json views = b.w().open.document().tree()["views"];
    REQUIRE(views.size() == 1);
    b.floor()->set_view_state(views[0]["floor"]);
    CHECK(b.floor()->side() == Side::top);
    CHECK(QLineF(b.floor()->pixel_of({2, 0.5, 0}), near).length() < 0.6);
    b.action("clean")->setChecked(true);
    CHECK(b.w().view_options.shown() == Shown::nothing());
    CHECK(!b.window.findChild<QWidget*>("placement_tag")->isVisible());
    b.action("clean")->setChecked(false);
    CHECK(b.w().view_options.shown().names);
}

TEST_CASE("the list finds devices by typing; hiding and locking from it") {
    Hands b(true);
    QTest::keyClick(&b.window, Qt::Key_F, Qt::ControlModifier);
    auto* line = b.child<QLineEdit>("device_search");
    QTest::keyClicks(line, "mark");
    auto* tree = b.child<QTreeWidget>("device_tree");
    QStringList seen;
    for (int i = 0; i < tree->topLevelItemCount(); ++i)
        if (!tree->topLevelItem(i)->isHidden()) seen << tree->topLevelItem(i)->text(0);
    REQUIRE(seen == QStringList("Marker"));
    for (int i = 0; i < tree->topLevelItemCount(); ++i) {
        QTreeWidgetItem* item = tree->topLevelItem(i);
        if (item->isHidden()) continue;
        QTest::mouseClick(tree->viewport(), Qt::LeftButton, {}, tree->visualItemRect(item).topLeft() + QPoint(25, 6));
        CHECK(b.w().selection.first().device == "marker");
        item->setCheckState(1, Qt::Unchecked);
        break;
    }
    b.settle();
    CHECK(b.w().view_options.hidden("marker"));
}

TEST_CASE("drawings, placements and pictures are written; what cannot be written is said") {
    Hands b(true);
    LayoutActions* l = b.window.layout_actions();
    CHECK(l->hand_on("draw", b.room.filePath("a.pdf")));
    CHECK(l->hand_on("draw", b.room.filePath("a.svg")));
    CHECK(l->hand_on("placements", b.room.filePath("a.csv")));
    for (const char* what : {"floor", "model", "window"}) {
        CHECK(l->save_picture(what, b.room.filePath(QString(what) + ".png")));
        const QImage image(b.room.filePath(QString(what) + ".png"));
        CHECK(image.width() > 200);
    }
    CHECK(!l->hand_on("draw", b.room.filePath("b.pdf"), {{"scale", 1}}));
    CHECK(b.told.last().contains("does not fit"));
    CHECK(!l->hand_on("draw", b.room.filePath("b.pdf"), {{"sheet", "B7"}}));
    CHECK(b.told.last().contains("A3"));
    // Each exporter has an action in the menu, and asks for what its table says.
    for (const exchange::Exporter& e : exchange::exporters())
        CHECK(b.window.findChild<QAction*>("export_" + QString::fromStdString(e.name)));
    const cell::Fields& options = exchange::exporters().front().options;
    TableDialog dialog("Drawing", options, b.w(), "export", TableDialog::Ends::save, &b.window);
    CHECK(dialog.said()["sheet"] == "A3");
    CHECK_FALSE(dialog.said().contains("scale"));
    dialog.findChild<QLineEdit*>("export_scale")->setText("25");
    dialog.findChild<QComboBox*>("export_sheet")->setCurrentText("A1");
    CHECK(dialog.said()["scale"] == 25);
    CHECK(dialog.said()["sheet"] == "A1");
    CHECK(!l->hand_on("placements", "/nowhere/at/all.csv"));
}

TEST_CASE("every edit that has a name is found under it, asks by its table and is carried out as on the command line") {
    Hands b(true);
    for (const cell::NamedEdit& e : study::named_edits())
        CHECK(b.window.findChild<QAction*>("edit_" + QString::fromStdString(e.name).replace(' ', '_')));
    const auto say = [&](const QString& name, const std::function<void(TableDialog&)>& fill) {
        bool asked = false;
        QTimer::singleShot(0, &b.window, [&] {
            auto* dialog = qobject_cast<TableDialog*>(QApplication::activeModalWidget());
            REQUIRE(dialog);
            asked = true;
            fill(*dialog);
            dialog->accept();
        });
        b.window.findChild<QAction*>(name)->trigger();
        CHECK(asked);
    };
    b.w().selection.select_devices({"marker", "rejects"});
    const auto x_of = [&](const char* id) {
        return b.w().open.cell()->devices[b.w().open.cell()->device(id)].world.translation().x();
    };
    const double before = x_of("marker"), other = x_of("rejects");
    say("edit_move_devices", [](TableDialog& d) {
        CHECK(d.findChild<QLineEdit*>("edit_devices")->text().contains("marker"));  // what is selected
        d.findChild<QLineEdit*>("edit_x_mm")->setText("20 + 5");
    });
    CHECK(x_of("marker") == Approx(before + 0.025));
    CHECK(x_of("rejects") == Approx(other + 0.025));
    CHECK(b.w().open.history().depth() == 1);
    // What is new is selected.
    say("edit_add_device", [](TableDialog& d) {
        d.findChild<QLineEdit*>("edit_kind")->setText("beam");
        d.findChild<QLineEdit*>("edit_with")->setText("{\"length_mm\": 321}");
    });
    const int made = b.w().open.cell()->device(b.w().selection.first().device.toStdString());
    REQUIRE(made >= 0);
    CHECK(b.w().open.cell()->devices[made].kind->id() == "beam");
    // What does not fit is refused with its place, and nothing is changed.
    const std::string text = b.w().open.document().text();
    say("edit_move_devices", [](TableDialog& d) { d.findChild<QLineEdit*>("edit_x_mm")->setText("far"); });
    CHECK(b.told.last().contains("x_mm"));
    CHECK(b.w().open.document().text() == text);
}

TEST_CASE(
    "a session that ends without saving is offered again; two windows do not write one file; a file changed by another "
    "program is noticed") {
    Hands b(true);
    const QString file = b.w().open.file();
    const cell::Document before = b.w().open.document();
    {  // a second window on the same file gets a copy
        MainWindow other;
        QStringList heard;
        other.answer_instead([&](const QString& text) { return heard << text, static_cast<int>(QMessageBox::Cancel); });
        REQUIRE(other.open_file(file));
        CHECK(other.workspace().open.kept().is_copy());
        CHECK(other.workspace().open.file().isEmpty());
        CHECK(heard.join(" ").contains("another window"));
        CHECK(!other.workspace().open.save_as(file));
        other.workspace().open.forget_journal();
    }
    b.w().selection.select("tester");
    b.exact("place_x", "2123");
    const cell::Document edited = b.w().open.document();
    // As after a crash: the journal is there, nobody holds it.
    const QString journal = b.room.filePath(".leak-test.escarp.edits");
    REQUIRE(QFile::exists(journal));
    const QString second = b.room.filePath("second.escarp");
    REQUIRE(QFile::copy(file, second));
    REQUIRE(QFile::copy(journal, b.room.filePath(".second.escarp.edits")));
    b.answers << 0;
    REQUIRE(b.window.open_file(second));
    b.settle();
    CHECK(b.told.last().contains("Unsaved edits"));
    CHECK(b.w().open.document() == edited);
    CHECK(b.w().open.can_undo());
    b.w().open.undo();
    CHECK(b.w().open.document() == before);
    b.w().open.redo();
    REQUIRE(b.w().open.save_as(second));
    // Another program writes it; what is offered first keeps the edits.
    b.answers << 0;
    QFile out(second);
    REQUIRE(out.open(QIODevice::Append));
    out.write("\n");
    out.close();
    CHECK(wait_until([&] { return b.told.last().contains("Another program has changed"); }));
    CHECK(b.w().open.kept().changed_outside());
    CHECK(b.w().open.document() == edited);
    // Reading it again is a step that can be undone.
    b.w().selection.select("tester");
    b.settle();
    b.exact("place_x", "2222");
    const cell::Document later = b.w().open.document();
    b.action("reload")->trigger();
    b.settle();
    CHECK(b.w().open.document() == edited);
    CHECK(!b.w().open.modified());
    CHECK(!b.w().open.kept().changed_outside());
    b.w().open.undo();
    CHECK(b.w().open.document() == later);
}

TEST_CASE(
    "a CAD file becomes a structure in the window, kept inside or linked; a missing link shows the last known shape "
    "and says so") {
    Hands b(true);
    QString stl = "solid block\n";
    const double s[3] = {300, 200, 400};
    const int faces[12][3] = {{0, 2, 1}, {1, 2, 3}, {4, 5, 6}, {5, 7, 6}, {0, 1, 4}, {1, 5, 4}, {2, 6, 3}, {3, 6, 7},
        {0, 4, 2}, {2, 4, 6}, {1, 3, 5}, {3, 7, 5}};
    for (const auto& f : faces) {
        stl += "facet normal 0 0 0\nouter loop\n";
        for (const int c : f)
            stl += QString("vertex %1 %2 %3\n").arg(c & 1 ? s[0] : 0).arg(c & 2 ? s[1] : 0).arg(c & 4 ? s[2] : 0);
        stl += "endloop\nendfacet\n";
    }
    stl += "endsolid\n";
    QFile file(b.room.filePath("press.stl"));
    REQUIRE(file.open(QIODevice::WriteOnly));
    file.write(stl.toUtf8());
    file.close();
    exchange::ImportOptions o;
    o.name = "Press";
    REQUIRE(b.window.importer()->import_file(file.fileName(), o, exchange::ImportAs::structure, false));
    b.settle();
    CHECK(b.named("Press").extent().high.z() == Approx(0.4).margin(1e-4));
    CHECK(b.named("Press").extent().low.z() == Approx(0).margin(1e-4));
    REQUIRE(b.w().open.surfaces().find(b.w().open.document().tree()["meshes"][0]["id"]));
    CHECK(b.w().open.surfaces().find(b.w().open.document().tree()["meshes"][0]["id"])->surface);
    b.window.grab();
    o.name = "Linked press";
    REQUIRE(b.window.importer()->import_file(file.fileName(), o, exchange::ImportAs::structure, true));
    const QString saved = b.w().open.file();
    REQUIRE(b.w().open.save_as(saved));
    CHECK(b.w().open.document().tree()["meshes"][1]["link"]["file"] == "press.stl");
    REQUIRE(QFile::remove(file.fileName()));
    b.told.clear();
    REQUIRE(b.window.open_file(saved));
    REQUIRE(wait_until([&] { return !b.told.isEmpty(); }));
    CHECK(b.told.last().contains("press.stl"));
    CHECK(b.named("Linked press").extent().high.z() == Approx(0.4).margin(1e-4));
    b.window.grab();
    CHECK(!b.window.importer()->import_file("/no/such.stl", o, exchange::ImportAs::structure, false));
}

TEST_CASE("in a variant altered values are marked and can be put back or handed on") {
    Hands b(true);
    b.w().open.set_variant("B");
    b.settle();
    const double base = cell::find(b.w().open.document().resolved("A"), "/devices/tester/process_s")->get<double>();
    b.w().selection.select("tester");
    b.settle();
    b.exact("field_tester_process_s", QString::number(base + 1));
    REQUIRE(b.w().open.altered().count("/devices/tester/process_s"));
    auto* field = b.child<QLineEdit>("field_tester_process_s");
    CHECK(field->property("altered").toBool());
    CHECK(field->toolTip().contains(QString::number(base)));
    Q_EMIT field->customContextMenuRequested(QPoint(4, 4));
    auto* menu = b.window.findChild<QMenu*>("altered_menu");
    REQUIRE(menu);
    REQUIRE(menu->actions().size() == 4);  // and one to vary it in a study
    menu->actions()[1]->trigger();
    menu->close();
    b.settle();
    CHECK(cell::find(b.w().open.document().resolved("A"), "/devices/tester/process_s")->get<double>() == base + 1);
    CHECK(!b.w().open.altered().count("/devices/tester/process_s"));
}

TEST_CASE("a picture lies under the Floor and is scaled by two points and their true distance") {
    Hands b(true);
    QImage image(400, 200, QImage::Format_RGB32);
    image.fill(Qt::red);
    const QString file = b.room.filePath("hall.png");
    REQUIRE(image.save(file));
    LayoutActions* l = b.window.layout_actions();
    REQUIRE(l->take_picture_under(file));
    CHECK(b.w().open.history().undo_name().contains("Picture"));
    // Two points that are 2.5 m apart on the picture as it lies are 5 m apart in truth: it is twice as wide then.
    REQUIRE(l->scale_picture_under({1, 1, 0}, {3.5, 1, 0}, 5.0));
    const cell::json under = b.w().open.document().tree()["underlay"];
    CHECK(under["width_mm"].get<double>() == Approx(10000));
    CHECK(under["x_mm"].get<double>() == Approx(-1000));
    b.action("clean")->setChecked(true);
    const QImage drawn = b.floor()->grab().toImage();
    const QPoint at = b.floor()->pixel_of({0.3, 1.6, 0}).toPoint();
    REQUIRE(drawn.rect().contains(at));
    CHECK(QColor(drawn.pixel(at)).red() > QColor(drawn.pixel(at)).green() + 40);
    CHECK(!l->take_picture_under(b.room.filePath("none.png")));
    QFile broken(b.room.filePath("broken.png"));
    REQUIRE(broken.open(QIODevice::WriteOnly));
    broken.write("not a picture");
    broken.close();
    CHECK(!l->take_picture_under(broken.fileName()));
    b.action("picture_drop")->trigger();
    CHECK(!b.w().open.document().tree().contains("underlay"));
}

TEST_CASE("what only a draft had is not selected any more once that is dropped, and nothing is done with it") {
    Bench b;
    cell::json box = {{"id", "passing"}, {"name", "Passing"}, {"kind", "structure"}, {"shape", "box"},
        {"length_mm", 200}, {"width_mm", 200}, {"height_mm", 200}};
    for (const bool whole : {true, false}) {
        REQUIRE(b.w().open.try_out({"add", {cell::Operation::add("/devices", box)}}, true));
        if (whole) b.w().selection.select("passing");
        else b.w().selection.select_devices({"arm1", "passing"});
        CHECK(b.w().selection.all().contains("passing"));
        b.w().open.drop_draft();
        CHECK_FALSE(b.w().selection.all().contains("passing"));
        CHECK(b.w().selection.indexes().size() == (whole ? 0u : 1u));
    }
    b.w().selection.select("no_such_device");
    CHECK(b.w().selection.all().isEmpty());
    const auto before = b.w().open.document();
    for (const char* action :
        {"array_ring", "array_rows", "align_left", "distribute_x", "mirror_x", "duplicate", "lock", "group", "ungroup",
            "turn_left", "keep_own", "hide", "best_base", "leave_out", "which_arm", "remove"})
        b.action(action)->trigger();
    b.settle();
    CHECK(b.w().open.document() == before);
}
