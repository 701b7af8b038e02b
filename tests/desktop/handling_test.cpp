// Parts, tools, the cell's settings, signals and pairs left out, made by mouse and key; and every field of every table.

#include <QCheckBox>
#include <QProcess>
#include <QTimer>

#include <cell/edits/arrange.h>
#include <cell/model/tables.h>
#include <desktop/app/session_log.h>
#include <desktop/dialogs/action_finder.h>
#include <desktop/dialogs/manual_dialog.h>
#include <desktop/pages/cell_panel.h>
#include <desktop/pages/handling_view.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct Making : Bench {
    explicit Making(bool demo = true) : Bench(demo) {}
    void press(const QString& name) {
        QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton);
        settle();
    }
    void choose(const QString& box, const QString& words) {
        auto* combo = child<QComboBox>(box);
        const int index = combo->findText(words, Qt::MatchContains);
        INFO(box.toStdString() << ": " << words.toStdString());
        REQUIRE(index >= 0);
        combo->setCurrentIndex(index);
        Q_EMIT combo->activated(index);
        settle();
    }
    /// An entry of a menu that has come up.
    void pick(const QString& menu, const QString& words) {
        for (auto* found : window.findChildren<QMenu*>(menu))
            if (found->isVisible())
                for (QAction* a : found->actions())
                    if (a->text().contains(words) && a->isEnabled()) {
                        const QRect at = found->actionGeometry(a);
                        QTest::mouseClick(found, Qt::LeftButton, {}, at.center());
                        settle();
                        return;
                    }
        FAIL("no entry " << words.toStdString() << " in " << menu.toStdString());
    }
    /// The answer to the next question for a line of text.
    void answers(const QString& text) {
        QTimer::singleShot(0, &window, [this, text] {
            auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
            if (!dialog) return answers(text);  // it has not come up yet
            dialog->setTextValue(text);
            dialog->accept();
        });
    }
    const cell::json& tree() { return w().open.resolved(); }
    const cell::PartType& part(const std::string& id) {
        const cell::Cell& c = *w().open.cell();
        REQUIRE(c.part_type(id) >= 0);
        return c.part_types[c.part_type(id)];
    }
};

}  // namespace

TEST_CASE("a part is made in three clicks, changed, gripped elsewhere by hand, copied and removed with who uses it") {
    Making h;
    QTest::mouseClick(h.child<QPushButton>("add_part_too"), Qt::LeftButton);  // one
    h.pick("part_menu", "box");                                               // two
    const std::string id = h.w().open.cell()->part_types.back().id;
    CHECK(h.part(id).name == "Box");
    h.type("part_name", "Bracket");
    h.type("part_mass_kg", "1.2");
    h.type("part_bodies_0_size_mm_x", "200");
    CHECK(h.part(id).name == "Bracket");
    CHECK(h.part(id).mass == Approx(1.2));
    CHECK(h.part(id).length == Approx(0.2));
    // The grip is dragged to the right in the front view, then turned by its lever.
    auto* view = h.child<HandlingView>("handling_view");
    QTest::mouseClick(
        h.child<QToolButton>("handling_" + QString::number(static_cast<int>(Side::front))), Qt::LeftButton);
    h.settle();
    const geometry::Frame before = h.part(id).grips.front().at;
    const QPoint from = view->origin().toPoint();
    QTest::mousePress(view, Qt::LeftButton, {}, from);
    QTest::mouseMove(view, from + QPoint(12, 0));
    QTest::mouseMove(view, from + QPoint(24, 0));
    QTest::mouseRelease(view, Qt::LeftButton, {}, from + QPoint(24, 0));
    h.settle();
    const geometry::Frame moved = h.part(id).grips.front().at;
    CHECK(moved.translation().x() > before.translation().x() + 0.01);
    CHECK(moved.translation().y() == Approx(before.translation().y()).margin(1e-9));
    const QPoint lever = view->lever().toPoint(), middle = view->origin().toPoint(), arm = lever - middle;
    QTest::mousePress(view, Qt::LeftButton, {}, lever);
    for (const double turn : {0.2, 0.5, 0.785})
        QTest::mouseMove(
            view, middle + QPoint(static_cast<int>(std::lround(arm.x() * std::cos(turn) - arm.y() * std::sin(turn))),
                               static_cast<int>(std::lround(arm.x() * std::sin(turn) + arm.y() * std::cos(turn)))));
    QTest::mouseRelease(view, Qt::LeftButton, {}, QPoint());
    h.settle();
    const geometry::Frame turned = h.part(id).grips.front().at;
    CHECK(geometry::gap(turned, moved).angle == Approx(geometry::pi / 4).margin(1e-3));
    CHECK((turned.translation() - moved.translation()).norm() < 1e-9);
    // Undo takes the turn back as one step.
    h.action("undo")->trigger();
    h.settle();
    CHECK(geometry::gap(h.part(id).grips.front().at, moved).angle < 1e-6);
    h.press("copy_" + QString::fromStdString(id));
    const std::string copy = h.w().open.cell()->part_types.back().id;
    CHECK(copy != id);
    h.press("remove_" + QString::fromStdString(copy));
    CHECK(h.w().open.cell()->part_type(copy) < 0);
    // The demo's own part is used: another takes its place.
    const std::string used = h.w().open.cell()->part_types.front().id;
    QTest::mouseClick(
        h.child<QWidget>("cell_card_" + QString::fromStdString(used)), Qt::LeftButton, {}, QPoint(20, 10));
    h.settle();
    QTest::mouseClick(h.child<QPushButton>("remove_" + QString::fromStdString(used)), Qt::LeftButton);
    h.settle();
    h.pick("removal_menu", "Bracket takes its place");
    CHECK(h.w().open.cell()->part_type(used) < 0);
    CHECK(h.tree()["devices"].dump().find("\"" + used + "\"") == std::string::npos);
    CHECK(h.told.isEmpty());
}

TEST_CASE("tools are made, their frame dragged, and put on an arm") {
    Making h;
    h.w().selection.select("arm2");
    h.action("cell")->trigger();
    h.settle();
    QTest::mouseClick(h.child<QPushButton>("add_tool"), Qt::LeftButton);
    h.settle();
    h.pick("tool_menu", "Double gripper");
    const auto tools = [&] { return h.w().open.cell()->devices[h.w().open.cell()->device("arm2")].arm->tools; };
    REQUIRE(tools().size() == 2);
    const std::string id = tools()[0].model->id;
    auto* view = h.child<HandlingView>("handling_view");
    const geometry::Frame before = tools()[0].model->frame;
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Up, Qt::ShiftModifier);
    h.settle();
    CHECK((tools()[0].model->frame.translation() - before.translation()).norm() == Approx(0.01).margin(2e-3));
    h.type("tool_force_N", "90");
    CHECK(tools()[0].model->force == 90);
    CHECK(h.told.isEmpty());
}

TEST_CASE("settings of the cell, and a pair left out with a reason and judged again, in the window") {
    Making h;
    h.action("takt")->trigger();
    CHECK(h.window.focusWidget()->objectName() == "cell_takt_s");
    h.type("cell_takt_s", "9");
    h.type("cell_safety_distance_mm", "3.5 cm");
    h.type("cell_seed", "7");
    h.type("cell_horizon_s", "600");
    h.type("cell_name", "Leak test two");
    const cell::Cell& c = *h.w().open.cell();
    CHECK(c.takt == 9);
    CHECK(c.safety_distance == Approx(0.035));
    CHECK(c.seed == 7);
    CHECK(c.horizon == 600);
    CHECK(c.name == "Leak test two");
    h.w().selection.select_devices({"arm1", "tester"});
    const std::size_t before = h.w().open.cell()->exclusions.size();
    h.press("add_pair");
    REQUIRE(h.w().open.cell()->exclusions.size() == before + 1);
    const QString last = QString::number(before);
    h.type("pair_reason_" + last, "guided by hand");
    CHECK(h.w().open.cell()->exclusions.back().reason == "guided by hand");
    h.press("take_back_" + last);
    CHECK(h.w().open.cell()->exclusions.size() == before);
    h.answers("a hose");
    h.action("leave_out")->trigger();
    h.settle();
    REQUIRE(h.w().open.cell()->exclusions.size() == before + 1);
    CHECK(h.w().open.cell()->exclusions.back().reason == "a hose");
    // Of a body alone, of a body of each, and of a body with all else.
    h.choose("pair_" + last + "_a_body", "forearm");
    CHECK(h.w().open.cell()->exclusions.back().body_a == "forearm");
    h.choose("pair_" + last + "_b", "Arm 2");
    h.choose("pair_" + last + "_b_body", "tool");
    CHECK(h.w().open.cell()->exclusions.back().b == h.w().open.cell()->device("arm2"));
    CHECK(h.w().open.cell()->exclusions.back().body_b == "tool");
    h.choose("pair_" + last + "_b_body", "all of it");
    h.choose("pair_" + last + "_b", "all others");
    CHECK(h.w().open.cell()->exclusions.back().b < 0);
    h.press("take_back_" + last);
    CHECK(h.w().open.cell()->exclusions.size() == before);
    CHECK(h.told.isEmpty());
}

TEST_CASE("two bodies that pass too near are left out from their finding, and only they") {
    Making h;
    h.w().open.set_variant("B");
    h.settle();
    const auto near = [&] {
        for (const inspection::Finding& f : h.w().results.shown()->inspection->findings)
            if (f.id == "clearance:arm1:arm2") return f.bodies;
        return std::vector<std::string>();
    };
    const auto first = near();
    REQUIRE(first.size() == 2);
    h.answers("rubber");
    h.press("leave_bodies_out");
    h.settle();
    REQUIRE(h.w().open.cell()->exclusions.size() == 1);
    const cell::Exclusion& x = h.w().open.cell()->exclusions.back();
    CHECK((x.body_a == first[0] && x.body_b == first[1] && x.reason == "rubber"));
    CHECK(near() != first);
    h.w().open.undo();
    h.settle();
    CHECK(near() == first);
}

namespace {

/// Everything that stands in a table and can be edited is changed in the window, and the document has it.
void every_field(Making& h, const cell::Fields& fields, const std::string& at, const QString& names, int& tried) {
    using Type = cell::Field::Type;
    for (const cell::Field& f : fields) {
        if (f.old) continue;
        const QString name = names + QString::fromStdString(f.key);
        INFO(at << "/" << f.key);
        const auto value = [&] {
            const cell::json* found = cell::find(h.tree(), at + "/" + f.key);
            return found ? *found : cell::json();
        };
        const cell::json before = value();
        switch (f.type) {
            case Type::number:
            case Type::whole: {
                const double now = before.is_number()    ? before.get<double>()
                                   : f.usual.is_number() ? f.usual.get<double>()
                                                         : f.low;
                const double step = f.type == Type::whole ? 1 : std::min(0.5, 0.25 * (f.high - f.low));
                const double to = now + step <= f.high ? now + step : now - step;
                h.type(name, QString::number(to, 'g', 10));
                if (!h.told.isEmpty()) {  // another key forbids it; it was at least asked
                    h.told.clear();
                    break;
                }
                CHECK(value() == to);
                break;
            }
            case Type::flag: {
                if (!f.said.empty()) {
                    auto* box = h.child<QComboBox>(name);
                    h.choose(name, box->itemText(1 - box->currentIndex()));
                } else {
                    QTest::mouseClick(h.child<QCheckBox>(name), Qt::LeftButton, {}, QPoint(6, 9));
                    h.settle();
                }
                if (h.told.isEmpty())
                    CHECK(value() == !(before.is_boolean() ? before.get<bool>() : f.usual.get<bool>()));
                h.told.clear();
                break;
            }
            case Type::text: {
                if (f.key == "name" || f.key == "reason") break;  // by tests of their own
                h.type(name, "words");
                CHECK(value() == "words");
                break;
            }
            case Type::choice: {
                auto* box = h.child<QComboBox>(name);
                REQUIRE(box->count() >= 2);
                const int other = box->currentIndex() == 0 ? 1 : 0;
                h.choose(name, box->itemText(other));
                if (h.told.isEmpty()) CHECK(value() != before);
                h.told.clear();
                break;
            }
            case Type::vector:
                h.type(name + "_y", "7");
                if (h.told.isEmpty()) CHECK(value()[1] == 7);
                h.told.clear();
                break;
            case Type::points:
            case Type::numbers:
            case Type::colour: h.child<QWidget>(name); break;
            case Type::device:
            case Type::arm:
            case Type::part_type:
            case Type::giver:
            case Type::taker:
            case Type::signal:
            case Type::own_signal:
            case Type::pose:
            case Type::grip:
            case Type::body:
            case Type::tool:
            case Type::block:
            case Type::posture:
            case Type::arm_model: CHECK(h.child<QComboBox>(name)->count() >= 1); break;
            case Type::group: {
                const bool comes_and_goes = f.most == 1 && !cell::find(h.tree(), at + "/" + f.key);
                if (comes_and_goes) h.press(name + "_add");
                every_field(h, f.inner(), at + "/" + f.key, name + "_", tried);
                if (!comes_and_goes) break;
                h.press(name + "_remove");
                CHECK_FALSE(cell::find(h.tree(), at + "/" + f.key));
                break;
            }
            case Type::bodies: h.child<QPushButton>(name + "_add"); break;
            case Type::list: break;
            default: continue;
        }
        ++tried;
    }
}

}  // namespace

TEST_CASE("every key of every table can be set in the window") {
    Making h(false);
    const QString file = h.room.filePath("everything.escarp");
    REQUIRE(QFile::copy(QString(ESCARP_CASES) + "/everything.escarp", file));
    REQUIRE(h.window.open_file(file));
    h.settle();
    int tried = 0;
    std::set<std::string> kinds, steps;
    const cell::json devices = h.tree()["devices"];
    for (const cell::json& d : devices) {
        const std::string id = d["id"], kind = d["kind"];
        const cell::DeviceKind* found = h.w().open.layout().kinds().find(kind);
        REQUIRE(found);
        if (kinds.insert(kind).second && kind != "arm") {
            h.w().selection.select(QString::fromStdString(id));
            h.settle();
            every_field(h, found->fields(), "/devices/" + id, QString::fromStdString("field_" + id + "_"), tried);
        }
        const cell::Cell& c = *h.w().open.cell();
        std::vector<std::pair<std::string, std::string>> own;  // one step of each kind
        for (const cell::Step* s : cell::all_steps(c.devices[c.device(id)].task))
            if (!s->shared && steps.insert(s->kind->id()).second) own.emplace_back(s->id, "/" + s->path);
        for (const auto& [step, path] : own) {
            h.w().selection.select(QString::fromStdString(id), QString::fromStdString(step));
            h.settle();
            const std::string word = cell::find(h.tree(), path)->value("do", "");
            cell::Fields fields = h.w().open.layout().kinds().find_step(word)->fields();
            std::erase_if(fields, [](const cell::Field& f) { return f.type == cell::Field::Type::held; });
            every_field(h, fields, path, "step_field_", tried);
        }
    }
    CHECK(kinds.size() == h.w().open.layout().kinds().all().size());
    CHECK(steps.size() == h.w().open.layout().kinds().steps().size());
    h.action("cell")->trigger();
    h.settle();
    const std::string part = h.w().open.cell()->part_types.front().id, tool = h.w().open.cell()->tool_models.front().id;
    QTest::mouseClick(
        h.child<QWidget>("cell_card_" + QString::fromStdString(part)), Qt::LeftButton, {}, QPoint(20, 10));
    h.settle();
    every_field(h, cell::part_type_fields(), "/part_types/" + part, "part_", tried);
    h.press("part_grips_add");
    h.press("part_bodies_add");
    QTest::mouseClick(
        h.child<QWidget>("cell_card_" + QString::fromStdString(tool)), Qt::LeftButton, {}, QPoint(20, 10));
    h.settle();
    every_field(h, cell::tool_model_fields(), "/tool_models/" + tool, "tool_", tried);
    CHECK(tried > 120);
}

TEST_CASE("from an empty floor to a cell with an own part, a double gripper, a handshake and a pair left out") {
    Making h(false);
    const auto place = [&](const char* what, double x, double y) {
        h.action("catalogue")->trigger();
        h.type("catalogue_search", what);
        // Enter has put it where there is room; it is moved where it belongs.
        const std::string id = h.w().selection.first().device.toStdString();
        const cell::Cell& c = *h.w().open.cell();
        const int device = c.device(id);
        REQUIRE(device >= 0);
        geometry::Frame to = c.devices[device].world;
        to.translation().x() = 1e-3 * x, to.translation().y() = 1e-3 * y;
        h.w().open.apply({"move", cell::place_at(c, device, to, -1)});
        h.settle();
        return QString::fromStdString(id);
    };
    // An own part: a box with its grip at the side.
    QTest::mouseClick(h.child<QPushButton>("add_part_too"), Qt::LeftButton);
    h.pick("part_menu", "box");
    h.type("part_bodies_0_size_mm_z", "80");
    h.type("part_grips_top_at_mm_x", "40");
    h.type("part_grips_top_at_mm_z", "70");
    const QString first = place("Six-axis arm 900", 0, 0), second = place("Six-axis arm 900", 2500, 0);
    const QString tray = place("Tray", 550, 0), goal = place("Tray", 3050, 0);
    // The first arm gets an own double gripper, and a signal.
    h.w().selection.select(first);
    h.action("cell")->trigger();
    QTest::mouseClick(h.child<QPushButton>("add_tool"), Qt::LeftButton);
    h.settle();
    h.pick("tool_menu", "Double gripper");
    CHECK(h.w().open.cell()->devices[h.w().open.cell()->device(first.toStdString())].arm->tools.size() == 2);
    h.action("worksheet")->trigger();
    h.w().selection.select(first);
    h.settle();
    h.type("field_" + first + "_own_signals_0", "done");
    h.w().selection.select(second);
    h.settle();
    h.type("field_" + second + "_own_signals_0", "ready");
    const auto add = [&](const QString& device, const QString& words) {
        h.w().selection.select(device);
        h.settle();
        auto* menu = h.child<QToolButton>("add_step")->menu();
        for (QAction* a : menu->actions())
            if (a->text() == words) {
                a->trigger();
                h.settle();
                return;
            }
        FAIL("no step " << words.toStdString());
    };
    // A handshake: the first says it is done, the second waits for it, says that it is ready, the first waits for that.
    add(first, "Dwell");
    h.type("step_field_time_s", "2");
    add(first, "Set a signal");
    add(second, "Wait for a signal");
    h.choose("step_field_signal", "done");
    add(second, "Dwell");
    h.type("step_field_time_s", "1");
    add(second, "Set a signal");
    add(first, "Wait for a signal");
    h.choose("step_field_signal", "ready");
    h.w().selection.select_devices({first, tray});
    h.action("cell")->trigger();
    h.press("add_pair");
    h.type("pair_reason_0", "the tray is taken out");
    h.type("cell_safety_distance_mm", "35");
    INFO(h.told.join("; ").toStdString());
    CHECK(h.told.isEmpty());
    const QString file = h.room.filePath("own.escarp");
    REQUIRE(h.w().open.save_as(file));
    QProcess cli;
    cli.start(ESCARP_CLI, {"run", file, "--json"});
    REQUIRE(cli.waitForFinished(120000));
    CHECK(cli.exitCode() == 0);
    const auto result = cell::json::parse(cli.readAllStandardOutput().toStdString());
    CHECK(result.contains("cycle_s"));
    const cell::Document read = cell::Document::load(file.toStdString());
    CHECK(read.tree()["safety_distance_mm"] == 35);
    CHECK(read.tree()["excluded_pairs"][0]["reason"] == "the tray is taken out");
    CHECK(read.tree()["part_types"][0]["grips"][0]["at_mm"][0] == 40);
    CHECK(read.tree()["tool_models"].size() >= 2);
    (void)goal;
}

TEST_CASE("numbers change by key, not by the wheel, and hold only when they are taken") {
    Making h;
    h.action("takt")->trigger();
    auto* line = h.child<QLineEdit>("cell_takt_s");
    CHECK(line->text() == "5.3");
    QTest::keyClick(line, Qt::Key_Up);
    CHECK(line->text() == "5.4");
    QTest::keyClick(line, Qt::Key_Down, Qt::ShiftModifier);
    CHECK(line->text() == "4.4");
    CHECK(h.w().open.document().tree()["takt_s"] == 5.3);
    QTest::keyClick(line, Qt::Key_Return);
    h.settle();
    CHECK(h.w().open.document().tree()["takt_s"] == 4.4);
    line = h.child<QLineEdit>("cell_safety_distance_mm");
    const QPointF at(5, 5);
    QWheelEvent turn(at, line->mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(line, &turn);  // without the keyboard it is the panel's
    CHECK(line->text() == "30");
    line->setFocus();
    QApplication::sendEvent(line, &turn);
    CHECK(line->text() == "30");  // nor with it: the wheel scrolls
    QTest::keyClick(line, Qt::Key_Escape);
    h.settle();
    CHECK(line->text() == "30");
    CHECK(h.w().open.cell()->safety_distance == Approx(0.03));
}

TEST_CASE("the manual is searched, says all keys and fields, and knows what is under the pointer") {
    Making h;
    h.action("manual")->trigger();
    auto* page = h.window.findChild<QTextBrowser*>("manual_page");
    REQUIRE(page);
    CHECK(page->toPlainText().contains("Place an arm"));
    auto* search = h.window.findChild<QLineEdit*>("manual_search");
    auto* sections = h.window.findChild<QListWidget*>("manual_sections");
    const int all = sections->count();
    QTest::keyClicks(search, "handshake");
    CHECK(sections->count() == 1);
    CHECK(page->toPlainText().contains("handshake"));
    CHECK(page->textCursor().selectedText() == "handshake");
    search->clear();
    CHECK(sections->count() == all);
    sections->setCurrentRow(all - 2);
    for (QAction* a : h.window.actions())
        if (!a->shortcut().isEmpty()) {
            INFO(a->text().toStdString());
            CHECK(page->toPlainText().contains(a->shortcut().toString(QKeySequence::NativeText)));
        }
    sections->setCurrentRow(all - 1);
    for (const auto& kind : h.w().open.layout().kinds().steps())
        CHECK(page->toPlainText().contains(QString::fromStdString(kind->label())));
    CHECK(ManualDialog::section_of(h.window.floor()) == "Floor");
    CHECK(ManualDialog::section_of(h.child<QPushButton>("add_part_too")) == "Worksheet");
    CHECK(ManualDialog::section_of(h.window.findChild<QWidget*>("ribbon")) == "Cycle ribbon");
}

TEST_CASE("what is not possible now stands grey in the list of actions, with the reason, and cannot be run") {
    Making h;
    h.w().selection.select("");
    h.settle();
    bool looked = false;
    QTimer::singleShot(0, &h.window, [&] {
        auto* finder = qobject_cast<ActionFinder*>(QApplication::activeModalWidget());
        REQUIRE(finder);
        auto* list = finder->findChild<QListWidget*>();
        auto* line = finder->findChild<QLineEdit*>();
        QTest::keyClicks(line, "align left");
        REQUIRE(list->count() == 1);
        CHECK(list->item(0)->text().contains("select two devices or more"));
        CHECK_FALSE(list->item(0)->flags() & Qt::ItemIsEnabled);
        QTest::keyClick(line, Qt::Key_Return);
        CHECK(finder->isVisible());
        line->clear();
        CHECK(list->count() > 60);
        CHECK(list->item(0)->flags() & Qt::ItemIsEnabled);
        looked = true;
        finder->reject();
    });
    h.action("find")->trigger();
    CHECK(looked);
}

TEST_CASE("the log says what was opened, changed and refused, a line each, and never grows beyond its bound") {
    Making h;
    const QString folder = h.room.filePath("log");
    const auto lines = [&] {
        QFile file(folder + "/escarp.log");
        return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
    };
    {
        const SessionLog log(h.w().open, h.w().results, nullptr, folder);
        REQUIRE(h.w().open.apply({"Move\nMarker", {cell::Operation::set("/devices/marker/placement/x_mm", 2500)}}));
        CHECK_FALSE(h.w().open.apply({"Nonsense", {cell::Operation::set("/devices/marker/process_s", -1)}}));
        h.settle();
        CHECK(lines().contains("leak-test.escarp: "));
        CHECK(lines().contains("edit: Move Marker"));
        CHECK(lines().contains("refused: "));
        for (int i = 0; i < 1500; ++i) Q_EMIT h.w().open.refused("Title", QString(1900, 'x'));
    }
    CHECK(QFileInfo(folder + "/escarp.log").size() <= (1 << 20));
    CHECK(QFileInfo(folder + "/escarp.1.log").size() <= (1 << 20));
    CHECK(QDir(folder).entryList(QDir::Files).size() == 2);
    CHECK(lines().endsWith("ends\n"));
}
