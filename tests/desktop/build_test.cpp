// Build: mechanisms from nothing, their mistakes, and the work they are given.

#include <QCheckBox>
#include <QFile>
#include <QTreeWidget>

#include <cell/model/catalogue.h>
#include <exchange/urdf.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct BuildHands : Bench {
    explicit BuildHands(bool demo = false) : Bench(demo) {
        action("build")->trigger();
        settle();
    }
    BuildPage& page() { return *window.build(); }
    const Building& building() { return page().building(); }
    void press(const QString& name) {
        child<QPushButton>(name)->click();
        settle();
    }
    /// A value of the model, typed into its field.
    void set(const QString& path, const QString& text) { type(child<QLineEdit>(path), text); }
    void choose(const QString& name, const QString& data) {
        auto* box = child<QComboBox>(name);
        const int at = box->findData(data);
        REQUIRE(at >= 0);
        box->setCurrentIndex(at);
        Q_EMIT box->activated(at);
        settle();
    }
    void begin_empty() {
        for (auto* a : child<QToolButton>("build_new")->menu()->actions())
            if (a->objectName() == "build_empty") a->trigger();
        settle();
    }
    QString verdict() { return child<QLabel>("build_verdict")->text(); }
    QStringList mistakes() {
        QStringList all;
        auto* list = window.findChild<QListWidget*>("build_mistakes");
        for (int i = 0; i < list->count(); ++i) all << list->item(i)->text();
        return all;
    }
    void key(Qt::Key k) { QTest::keyClick(&window, k, Qt::AltModifier); }
    const cell::Device& device(const char* name) {
        for (const cell::Device& d : w().open.cell()->devices)
            if (d.name == name) return d;
        FAIL("no device " << name);
        return w().open.cell()->devices.front();
    }
    void store_pose(const QString& name) {
        child<QLineEdit>("new_pose_name")->setText(name);
        auto* host = child<QComboBox>("new_pose_host");
        host->setCurrentIndex(host->findData("*"));
        press("store_pose");
    }
    void add_move(const QString& device, const QString& pose) {
        w().selection.select(device);
        settle();
        for (QAction* a : child<QToolButton>("add_step")->menu()->actions())
            if (a->text() == "Move to a pose") a->trigger();
        settle();
        auto* box = child<QComboBox>("step_field_pose");
        const int at = box->findText(pose);
        REQUIRE(at >= 0);
        box->setCurrentIndex(at);
        Q_EMIT box->activated(at);
        settle();
    }
};

}  // namespace

TEST_CASE(
    "a planar mechanism of three hinges is built from nothing, jogged by key, given poses and a task, and its cycle "
    "read") {
    BuildHands h;
    CHECK(h.building().model.is_null());
    h.begin_empty();
    // Nothing moves yet: named at once, and nothing is lost.
    CHECK(h.verdict().contains("to mend"));
    REQUIRE(h.mistakes().size() >= 1);
    h.type(h.child<QLineEdit>("build_name"), "Planar three");
    for (int i = 0; i < 3; ++i) {
        h.press("build_add_hinge");
        const QString joint = QString("/joints/%1/").arg(i);
        h.choose("joint_axis", "0 0 1");
        h.set(joint + "at_mm/0", i == 0 ? "0" : i == 1 ? "300" : "250");
        h.set(joint + "at_mm/2", i == 0 ? "60" : "0");
        const QString body = QString("/links/%1/bodies/0/").arg(i + 1);
        h.set(body + "size_mm/0", i == 0 ? "300" : i == 1 ? "250" : "80");
        h.set(body + "size_mm/2", "40");
        h.set(body + "at_mm/0", i == 0 ? "150" : i == 1 ? "125" : "40");
    }
    h.set("/flange/at_mm/0", "80");
    h.set("/flange/at_mm/2", "0");
    CHECK(h.mistakes().isEmpty());
    CHECK(h.verdict().contains("closed form, parallel hinges"));
    // By key: the joint of the link that is chosen, by the increment, up to its limit.
    h.type(h.child<QLineEdit>("build_step_deg"), "30");
    h.key(Qt::Key_Right);
    CHECK(h.building().values.at("J3") == Approx(geometry::pi / 6));
    const geometry::Vector3 tip = h.page().view()->point_of(3, {0.08, 0, 0});
    CHECK((tip - geometry::Vector3(0.55 + 0.08 * std::cos(geometry::pi / 6), 0.08 * std::sin(geometry::pi / 6), 0.06))
              .norm() < 1e-9);
    for (int i = 0; i < 4; ++i) h.key(Qt::Key_Right);
    CHECK(h.building().values.at("J3") == Approx(geometry::pi / 2));
    h.key(Qt::Key_Up);  // the link before
    h.key(Qt::Key_Left);
    CHECK(h.building().values.at("J2") == Approx(-geometry::pi / 6));
    // Placed, jogged there, poses stored, a task made, the cycle read.
    h.press("build_place");
    REQUIRE(h.w().open.cell()->devices.size() == 1);
    CHECK(h.device("Planar three").arm->model->mechanism.size() == 3);
    const QString id = QString::fromStdString(h.device("Planar three").id);
    h.child<QComboBox>("jog_frame")->setCurrentIndex(3);
    h.type(h.child<QLineEdit>("jog_deg"), "45");
    h.store_pose("folded");
    h.key(Qt::Key_Right);
    CHECK(h.w().hand.joints(0)[0] == Approx(geometry::pi / 4));
    h.store_pose("out");
    h.add_move(id, "out");
    h.add_move(id, "folded");
    REQUIRE(h.device("Planar three").task.steps.size() == 2);
    // 45 deg at 90 deg/s and 360 deg/s2: v/a + d/v = 0.75 s, there and back.
    CHECK(h.cycle().toDouble() == Approx(1.5).margin(0.005));
    CHECK(h.told.isEmpty());
}

TEST_CASE("a lift with a turntable is built from nothing; another zero position keeps where everything is") {
    BuildHands h;
    h.begin_empty();
    h.type(h.child<QLineEdit>("build_name"), "Lift");
    h.press("build_add_slide");
    h.set("/joints/0/max_mm", "1 m");
    h.set("/joints/0/acceleration_mm_s2", "1000");
    h.press("build_add_hinge");
    h.choose("joint_axis", "0 0 1");
    h.set("/joints/1/max_deg", "1/2 turn");
    CHECK(h.mistakes().isEmpty());
    CHECK(h.building().draft.joints[1].joint.high == Approx(geometry::pi));
    h.press("build_place");
    const QString id = QString::fromStdString(h.device("Lift").id);
    h.store_pose("low");
    h.child<QComboBox>("jog_frame")->setCurrentIndex(3);
    h.type(h.child<QLineEdit>("jog_mm"), "1000");
    h.key(Qt::Key_Right);
    h.key(Qt::Key_Up);  // the joint before the first is the last: the turntable
    h.type(h.child<QLineEdit>("jog_deg"), "90");
    h.key(Qt::Key_Right);
    h.store_pose("high");
    h.add_move(id, "high");
    h.add_move(id, "low");
    // 1 m at 0.5 m/s and 1 m/s2: 2.5 s; the quarter turn is shorter.
    CHECK(h.cycle().toDouble() == Approx(5.0).margin(0.005));
    const auto high = [&] {
        for (const cell::Pose& p : h.device("Lift").poses)
            if (p.name == "high") return p.joints.value();
        FAIL("pose missing");
        return kinematics::JointVector();
    };
    CHECK(high()[0] == Approx(1.0));
    CHECK(high()[1] == Approx(geometry::pi / 2));
    // The table's zero is a quarter turn on: taught values follow, and the tool stays where it was.
    const geometry::Frame before = h.device("Lift").arm->model->flange_frame(high());
    h.action("build")->trigger();
    h.settle();
    h.window.findChild<QTreeWidget*>("build_tree")->setFocus();
    h.key(Qt::Key_Down), h.key(Qt::Key_Down);
    REQUIRE(h.building().link == 2);
    h.type(h.child<QLineEdit>("try_value_J2"), "90");
    h.press("zero_here");
    CHECK(h.mistakes().isEmpty());
    CHECK(high()[1] == Approx(0.0).margin(1e-9));
    CHECK(geometry::gap(h.device("Lift").arm->model->flange_frame(high()), before).distance < 1e-9);
    CHECK(geometry::gap(h.device("Lift").arm->model->flange_frame(high()), before).angle < 1e-6);
    CHECK(h.building().draft.joints[1].joint.low == Approx(-geometry::pi));
    CHECK(h.cycle().toDouble() == Approx(5.0).margin(0.005));
    // A joint more: the taught poses get a value for it.
    h.press("build_add_hinge");
    CHECK(h.mistakes().isEmpty());
    CHECK(high().size() == 3);
    h.action("undo")->trigger();
    h.settle();
    CHECK(high().size() == 2);
    CHECK(h.told.isEmpty());
}

TEST_CASE("mistakes are named as they are made, the cell keeps what it had, and they survive saving and opening") {
    BuildHands h;
    h.begin_empty();
    h.press("build_add_hinge");
    h.press("build_add_slide");
    h.press("build_place");
    const auto limit = [&] { return h.w().open.cell()->devices.front().arm->model->mechanism.joints[1].high; };
    CHECK(limit() == Approx(0.3));
    h.action("build")->trigger();
    h.settle();
    h.page().choose_link(-1);
    h.settle();
    REQUIRE(h.building().link == 2);
    h.set("/joints/1/max_mm", "-20");
    REQUIRE(h.mistakes().size() == 1);
    CHECK(h.mistakes().front().contains("Joint J2"));
    CHECK(h.mistakes().front().contains("reversed"));
    CHECK(limit() == Approx(0.3));
    h.set("/links/2/bodies/0/size_mm/1", "0");
    CHECK(h.mistakes().size() == 2);
    CHECK(h.mistakes().join(' ').contains("no size"));
    h.choose("joint_axis", "");
    h.set("/joints/1/axis/2", "1");
    CHECK(h.building().draft.joints[1].joint.axis.isApprox(geometry::Vector3(1, 1, 1).normalized()));
    h.choose("joint_parent", "1");
    h.page().choose_link(-1);
    h.settle();
    h.choose("joint_parent", "2");  // each on the other
    CHECK(h.mistakes().join(' ').contains("no path to the base"));
    // Through the file and back.
    const QString file = h.room.filePath("half.escarp");
    REQUIRE(h.w().open.save_as(file));
    REQUIRE(h.window.open_file(file));
    h.settle();
    h.action("build")->trigger();
    h.settle();
    CHECK(h.child<QComboBox>("build_models")->currentText().contains("to mend"));
    CHECK(h.mistakes().join(' ').contains("no path to the base"));
    // Mended one by one; then it is in the cell.
    h.page().choose_link(1);
    h.settle();
    h.choose("joint_parent", "0");
    h.page().choose_link(1);
    h.settle();
    h.choose("joint_axis", "0 0 1");
    h.set("/joints/1/max_mm", "450");
    h.set("/links/2/bodies/0/size_mm/1", "80");
    CHECK(h.mistakes().isEmpty());
    CHECK(limit() == Approx(0.45));
    CHECK(h.w().open.document().tree().value("unfinished_models", cell::json::array()).empty());
}

TEST_CASE("an arm read from a robot description is placed, given a tool and a pick-and-place, and works") {
    BuildHands h;
    cell::json tree = cell::Document().tree();
    for (const cell::json& m : cell::catalogue_arms())
        if (m["id"] == "six900") tree["arm_models"].push_back(m);
    const QString file = h.room.filePath("six.urdf");
    exchange::write_urdf(tree, "six900", file.toStdString());
    // What is wrong is told, and nothing changes.
    QFile broken(h.room.filePath("broken.urdf"));
    REQUIRE(broken.open(QIODevice::WriteOnly));
    broken.write("<robot name='x'><link name='a'/><link name='b'/></robot>");
    broken.close();
    CHECK_FALSE(h.page().read_urdf(broken.fileName()));
    CHECK(h.told.join(' ').contains("both hang on nothing"));
    CHECK(!h.w().open.modified());
    h.told.clear();
    REQUIRE(h.page().read_urdf(file));
    h.settle();
    CHECK(h.verdict().contains("spherical wrist"));
    CHECK(h.mistakes().join(' ').contains("no accelerations"));  // the notes stand in the same list
    h.type(h.child<QLineEdit>("build_payload"), "8");
    for (const char* device : {"place_conveyorConveyor", "place_infeedInfeed", "place_structurePedestal"}) {
        h.action("build")->trigger();  // to the Floor and back: the cell lives on meanwhile
        h.action(device)->trigger();
        h.settle();
        if (QString(device).contains("Pedestal")) {
            h.type(h.child<NumberField>("place_x"), "700");
            h.type(h.child<NumberField>("place_y"), "-500");
        }
        h.w().selection.select({});
        h.action("build")->trigger();
        h.settle();
    }
    h.press("build_place");
    const QString id = h.w().selection.first().device;
    auto* host = h.child<QComboBox>("field_" + id + "_host");
    host->setCurrentIndex(host->findText("Pedestal"));
    Q_EMIT host->activated(host->currentIndex());
    h.settle();
    h.type(h.child<NumberField>("place_x"), "0");
    h.type(h.child<NumberField>("place_y"), "0");
    h.type(h.child<NumberField>("place_z"), "0");
    h.choose("field_" + id + "_tool", "jaw120");
    REQUIRE(h.w().open.cell()->devices.back().arm->tool);
    h.w().selection.select({});
    h.action("place_outfeedOutfeed")->trigger();
    h.settle();
    h.type(h.child<NumberField>("place_x"), "1.25 m");
    h.type(h.child<NumberField>("place_y"), "-500");
    h.w().selection.select(id);
    for (const char* step : {"Pick", "Place"}) {
        h.settle();
        for (QAction* a : h.child<QToolButton>("add_step")->menu()->actions())
            if (a->text() == step) a->trigger();
        h.settle();
    }
    CHECK(h.window.verdict()->shown("reach") == "2 / 2");
    CHECK(h.cycle().toDouble() == Approx(6.0).margin(0.01));
    // On a travel axis its taught values get one more, and lose it again.
    h.w().selection.select(id);
    h.settle();
    h.store_pose("rest");
    auto* travel = h.child<QCheckBox>("field_" + id + "_travel");
    travel->click();
    h.settle();
    const auto arm = [&]() -> const cell::Device& {
        return h.w().open.cell()->devices[h.w().open.cell()->device(id.toStdString())];
    };
    CHECK(arm().arm->model->mechanism.size() == 7);
    CHECK(arm().poses.front().joints->size() == 7);
    h.type(h.child<NumberField>("field_" + id + "_travel_length_mm"), "1.5 m");
    CHECK(arm().arm->model->mechanism.joints[0].high == Approx(1.5));
    h.child<QCheckBox>("field_" + id + "_travel")->click();
    h.settle();
    CHECK(arm().poses.front().joints->size() == 6);
    // A second tool, 60 mm along the flange's x.
    h.choose("field_" + id + "_more_tools_1", "jaw60");
    h.type(h.child<NumberField>("field_" + id + "_more_tools_1_at_mm_0"), "60");
    REQUIRE(arm().arm->tools.size() == 2);
    CHECK(arm().arm->tools[1].at.translation().x() == Approx(0.06));
    CHECK(h.told.isEmpty());
}

TEST_CASE(
    "a link dragged in the picture turns by its joint; followers go along; a copy of a catalogue arm can be changed") {
    BuildHands h(true);
    for (auto* a : h.child<QToolButton>("build_new")->menu()->actions())
        if (a->text() == "Copy of Palletiser 2100") a->trigger();
    h.settle();
    CHECK(h.mistakes().isEmpty());
    BuildView* view = h.page().view();
    REQUIRE(view->working());
    const auto forearm = [&] {
        for (std::size_t l = 0; l < h.building().draft.links.size(); ++l)
            if (h.building().draft.links[l].name == "forearm") return static_cast<int>(l);
        return -1;
    }();
    REQUIRE(forearm > 0);
    const geometry::Vector3 held{0.8, 0, 0};
    const QPoint from = view->pixel_of(view->point_of(forearm, held))->toPoint();
    QTest::mousePress(view, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 10; ++i) QTest::mouseMove(view, from + QPoint(0, 4 * i));
    QTest::mouseRelease(view, Qt::LeftButton, {}, from + QPoint(0, 40));
    h.settle();
    // The forearm follows J3: that is the joint that is tried.
    REQUIRE(h.building().values.count("J3") == 1);
    CHECK(h.building().values.at("J3") > 0.05);
    const auto frames = h.building().draft.frames(h.building().values);
    CHECK(frames.back().linear().col(2).cross(geometry::Vector3::UnitZ()).norm() < 1e-9);  // the flange stays level
    // Its own speed, without the catalogue's arm changing.
    h.page().choose_link(1);
    h.settle();
    h.set("/joints/0/speed_deg_s", "70");
    CHECK(h.building().draft.model.mechanism.joints[0].speed == Approx(70 * geometry::pi / 180));
    h.action("undo")->trigger();
    h.settle();
    CHECK(h.building().draft.model.mechanism.joints[0].speed == Approx(150 * geometry::pi / 180));
    QTest::keyClick(&h.window, Qt::Key_Delete);
    h.settle();
    CHECK(h.building().draft.links.size() == 6);
    CHECK(h.cycle() == "5.83");
}
