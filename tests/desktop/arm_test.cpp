// The selected arm by hand: joints, jogging, poses, and steps that use them.

#include <QCheckBox>
#include <QDragEnterEvent>
#include <QMimeData>
#include <QTableWidget>
#include <QTimer>

#include <desktop/session/step_path.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct ArmHands : Bench {
    ArmHands() {
        w().selection.select("arm1");
        QTest::keyClick(&window, Qt::Key_J);
        settle();
    }
    kinematics::JointVector joints() { return w().hand.joints(w().open.cell()->device("arm1")); }
    geometry::Frame tool() {
        const cell::Device& d = w().open.cell()->devices[w().open.cell()->device("arm1")];
        return d.world * d.arm->model->flange_frame(joints()) * d.arm->tool_frame;
    }
    void key(Qt::Key k, Qt::KeyboardModifiers m) { QTest::keyClick(&window, k, m); }
    void press(const QString& name) {
        child<QPushButton>(name)->click();
        settle();
    }
    /// The eye of the Model, so that handles and bodies are large enough to be hit.
    void comes_near() {
        const geometry::Vector3 at = 1e3 * arm().world.translation();
        window.model()->set_view_state({{"turn_deg", -66}, {"tilt_deg", 35}, {"distance_mm", 4200},
            {"at_mm", {at.x() + 300, at.y(), at.z() + 300}}});
        settle();
    }
    const cell::Device& arm() { return w().open.cell()->devices[w().open.cell()->device("arm1")]; }
};

}  // namespace

TEST_CASE("jogging by key moves the tool by the increment, in world and tool directions, and nothing is edited") {
    ArmHands h;
    const bool before_modified = h.w().open.modified();
    const geometry::Frame start = h.tool();
    h.type("jog_mm", "25");
    h.key(Qt::Key_Right, Qt::AltModifier);
    CHECK((h.tool().translation() - start.translation() - geometry::Vector3(0.025, 0, 0)).norm() < 1e-6);
    h.key(Qt::Key_PageUp, Qt::AltModifier);
    h.key(Qt::Key_PageUp, Qt::AltModifier);
    CHECK((h.tool().translation() - start.translation() - geometry::Vector3(0.025, 0, 0.05)).norm() < 1e-6);
    CHECK(geometry::gap(h.tool(), start).angle < 1e-6);
    h.child<QComboBox>("jog_frame")->setCurrentIndex(2);
    const geometry::Frame now = h.tool();
    h.key(Qt::Key_Up, Qt::AltModifier);
    CHECK((h.tool().translation() - now * geometry::Vector3(0, 0.025, 0)).norm() < 1e-6);
    h.press("jog_plus_Rz");
    CHECK(geometry::gap(h.tool(), now).angle == Approx(5 * geometry::pi / 180).margin(1e-6));
    CHECK(h.child<QLabel>("arm_state")->text().contains("by hand"));
    CHECK(h.child<QLabel>("jog_clearance")->text().contains("clearance"));
    CHECK(h.w().open.modified() == before_modified);
    h.press("jog_back");
    CHECK((h.tool().translation() - start.translation()).norm() < 1e-9);
}

TEST_CASE("joint jogging stops at the limit and says so; a slider and a number move the same joint") {
    ArmHands h;
    h.child<QComboBox>("jog_frame")->setCurrentIndex(3);
    h.type("jog_deg", "90");
    const double high = h.arm().arm->model->mechanism.joints[0].high;
    for (int i = 0; i < 6; ++i) h.key(Qt::Key_Right, Qt::AltModifier);
    CHECK(h.joints()[0] == Approx(high));
    CHECK(h.child<QLabel>("jog_said")->text().contains("J1"));
    h.type("joint_value_2", "-10");
    CHECK(h.joints()[2] == Approx(-10 * geometry::pi / 180).margin(1e-6));
    auto* slider = h.child<QSlider>("joint_slider_1");
    const double before = h.joints()[1];
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_Right);
    CHECK(h.joints()[1] > before);
}

TEST_CASE(
    "a pose is stored from where the arm stands, rides with its host, is used, renamed everywhere and protected") {
    ArmHands h;
    h.key(Qt::Key_PageUp, Qt::AltModifier);
    h.key(Qt::Key_D, Qt::AltModifier);
    const geometry::Frame stood = h.tool();
    CHECK(stood.linear().col(2).z() == Approx(-1).margin(1e-9));
    h.child<QLineEdit>("new_pose_name")->setText("Above tester");
    auto* host = h.child<QComboBox>("new_pose_host");
    host->setCurrentIndex(host->findText("Tester"));
    h.press("store_pose");
    h.settle();
    const auto find = [&]() -> const cell::Pose& {
        for (const cell::Pose& p : h.arm().poses)
            if (p.name == "Above tester" || p.name == "Lookout") return p;
        FAIL("pose missing");
        return h.arm().poses.front();
    };
    CHECK(find().relative_to == "tester");
    const std::string id = find().id;
    CHECK(h.child<QLabel>(QString::fromStdString("pose_note_" + id))->text().contains("not used"));
    // used by a step
    const std::string step = R"({"id": "x1", "do": "move", "pose": ")" + id + "\"}";
    REQUIRE(h.w().open.apply({"Add step", {cell::Operation::add("/devices/arm1/task", cell::json::parse(step))}}));
    h.settle();
    CHECK(h.child<QLabel>(QString::fromStdString("pose_note_" + id))->text().contains("used by step"));
    const QString cycle = h.cycle();
    // another host place: the pose rides along, and the cycle follows
    REQUIRE(h.w().open.apply({"Move Tester", {cell::Operation::set("/devices/tester/placement/x_mm", 2060.0)}}));
    h.settle();
    const int arm = h.w().open.cell()->device("arm1");
    const cell::Device& d = h.w().open.cell()->devices[arm];
    const geometry::Frame now = h.w().open.cell()->devices[h.w().open.cell()->device("tester")].world * find().at;
    CHECK((now.translation() - stood.translation() - geometry::Vector3(-0.04, 0, 0)).norm() < 1e-6);
    CHECK(d.poses.size() == 2);
    CHECK(h.cycle() != cycle);
    // renamed, and not removed while used
    auto* name = h.child<QLineEdit>(QString::fromStdString("pose_name_" + id));
    name->setFocus();
    name->selectAll();
    QTest::keyClicks(name, "Lookout");
    QTest::keyClick(name, Qt::Key_Return);
    h.settle();
    CHECK(find().name == "Lookout");
    h.press(QString::fromStdString("pose_remove_" + id));
    CHECK(h.told.size() == 1);
    CHECK(h.told.front().contains("step"));
    // go there
    h.press(QString::fromStdString("pose_go_" + id));
    CHECK((h.tool().translation() - now.translation()).norm() < 1e-6);
    // as joint values it no longer rides
    auto* rides = h.child<QComboBox>(QString::fromStdString("pose_host_" + id));
    rides->setCurrentIndex(0);
    Q_EMIT rides->activated(0);
    h.settle();
    CHECK(find().joints.has_value());
}

TEST_CASE("all joint solutions are listed with their margins; choosing one shows the arm in it") {
    ArmHands h;
    const geometry::Frame tool = h.tool();
    const kinematics::JointVector before = h.joints();
    h.settle();
    QStringList seen;
    for (auto* b : h.window.findChildren<QPushButton*>())
        if (b->isVisible() && b->objectName().startsWith("solution_")) seen << b->text();
    CHECK(seen.size() == 8);
    for (const QString& text : seen) CHECK((text.contains("in hand") || text.contains("over")));
    for (auto* b : h.window.findChildren<QPushButton*>())
        if (b->isVisible() && b->isEnabled() && b->objectName().startsWith("solution_") &&
            !b->text().startsWith(QChar(0x25C6))) {
            b->click();
            break;
        }
    h.settle();
    CHECK((h.joints() - before).norm() > 0.1);
    CHECK(geometry::gap(h.tool(), tool).distance < 1e-9);
}

TEST_CASE("which arm: the table agrees with the verdict, and choosing one swaps the arm and keeps the task") {
    ArmHands h;
    h.w().selection.select("arm2");
    const std::size_t steps =
        cell::all_steps(h.w().open.cell()->devices[h.w().open.cell()->device("arm2")].task).size();
    bool looked = false;
    QTimer timer;
    QObject::connect(&timer, &QTimer::timeout, [&] {
        auto* dialog = h.window.findChild<QDialog*>("which_arm_dialog");
        if (!dialog || !dialog->isVisible() || looked) return;
        looked = true;
        auto* table = dialog->findChild<QTableWidget*>("which_arm_table");
        CHECK(table->rowCount() >= 11);
        CHECK(table->item(0, 0)->text().contains("as it is"));
        CHECK(table->item(0, 4)->text().startsWith(h.cycle().left(4)));
        for (int row = 1; row < table->rowCount(); ++row)
            if (table->item(row, 0)->text() == "Six-axis 1400") table->selectRow(row);
        dialog->findChild<QPushButton*>("take_here")->click();
    });
    timer.start(30);
    h.action("which_arm")->trigger();
    h.settle();
    REQUIRE(looked);
    const cell::Device& d = h.w().open.cell()->devices[h.w().open.cell()->device("arm2")];
    CHECK(d.arm->model->id == "six1400");
    CHECK(cell::all_steps(d).size() == steps);
    h.w().open.undo();
    CHECK(h.w().open.cell()->devices[h.w().open.cell()->device("arm2")].arm->model->id == "six900");
}

TEST_CASE("the motion plot shows the selected arm within its limits, and a click on it moves the time") {
    ArmHands h;
    h.action("motion_plot")->trigger();
    h.settle();
    auto* plot = h.child<MotionPlot>("motion_plot");
    for (const auto what : {MotionPlot::What::position, MotionPlot::What::rate, MotionPlot::What::acceleration}) {
        plot->show_what(what);
        REQUIRE(plot->curves().values.size() == 6);
        double most = 0;
        for (const auto& curve : plot->curves().values)
            for (const double v : curve) most = std::max(most, std::abs(v));
        CHECK(most <= 1.005);
        CHECK(most > 0.2);
    }
    // The tool: its place, and the speed and acceleration that follow from it.
    plot->show_what(MotionPlot::What::tool_position);
    REQUIRE(plot->curves().values.size() == 3);
    const auto place = plot->curves();
    const int index = h.w().open.cell()->device("arm1");
    const cell::Device& arm = h.w().open.cell()->devices[index];
    for (const std::size_t i : {std::size_t{0}, std::size_t{123}, std::size_t{456}}) {
        const auto q =
            h.w().results.shown()->run->trace.joints(*h.w().open.cell(), index, simulation::ticks(place.times[i]));
        const geometry::Vector3 tool =
            (arm.world * arm.arm->model->flange_frame(q) * arm.arm->tool_frame).translation() * 1e3;
        for (int k = 0; k < 3; ++k) CHECK(place.values[k][i] == Approx(tool[k]).margin(0.01));
    }
    plot->show_what(MotionPlot::What::tool_speed);
    REQUIRE(plot->curves().values.size() == 1);
    const auto speed = plot->curves();
    CHECK(*speed.limit == arm.arm->model->line_speed);
    double way = 0, summed = 0;
    for (std::size_t i = 0; i + 1 < place.times.size(); ++i) {
        geometry::Vector3 step;
        for (int k = 0; k < 3; ++k) step[k] = place.values[k][i + 1] - place.values[k][i];
        way += step.norm() * 1e-3;
        summed += 0.5 * (speed.values[0][i] + speed.values[0][i + 1]) * (place.times[i + 1] - place.times[i]);
    }
    CHECK(summed == Approx(way).epsilon(0.02));
    plot->show_what(MotionPlot::What::tool_acceleration);
    const double most = *std::max_element(plot->curves().values[0].begin(), plot->curves().values[0].end());
    CHECK(most > 1);
    CHECK(most < 80);
    CHECK(plot->curves().high >= most);
    for (const double share : {0.2, 0.9}) {
        const double t = std::lerp(plot->curves().times.front(), plot->curves().times.back(), share);
        const QPoint at = plot->place_of(t).toPoint();
        QWidget* under = plot->childAt(at);
        QTest::mouseClick(under, Qt::LeftButton, {}, under->mapFrom(plot, at));
        CHECK(h.w().playhead.time() == Approx(t).margin(0.15));  // a pixel and a bit
    }
}

TEST_CASE("handles in the Model move the tool along and about the directions chosen, and it stops where the arm ends") {
    ArmHands h;
    ModelView* model = h.window.model();
    REQUIRE(model->working());
    h.comes_near();
    h.key(Qt::Key_D, Qt::AltModifier);
    const auto drag = [&](const geometry::Vector3& from, const geometry::Vector3& to, Qt::KeyboardModifiers keys = {}) {
        const QPoint a = model->pixel_of(from)->toPoint(), b = model->pixel_of(to)->toPoint();
        QTest::mousePress(model, Qt::LeftButton, keys, a);
        for (int i = 1; i <= 6; ++i) QTest::mouseMove(model, a + (b - a) * i / 6);
        QTest::mouseRelease(model, Qt::LeftButton, keys, b);
        h.settle();
    };
    const geometry::Frame start = h.tool();
    const geometry::Vector3 x = geometry::Vector3::UnitX(), z = geometry::Vector3::UnitZ();
    drag(start.translation() + 0.2 * z, start.translation() + 0.3 * z);
    geometry::Vector3 moved = h.tool().translation() - start.translation();
    CHECK(moved.z() == Approx(0.1).margin(0.012));
    CHECK(moved.head<2>().norm() < 1e-6);
    CHECK(geometry::gap(h.tool(), start).angle < 1e-6);
    // About the tool's own z: the point stays.
    h.child<QComboBox>("jog_frame")->setCurrentIndex(2);
    const geometry::Frame before = h.tool();
    const double size = 0.72 * 0.09 * (model->view_state()["distance_mm"].get<double>() * 1e-3);
    const auto on_ring = [&](double angle) {
        return geometry::Vector3(before * geometry::Vector3(size * std::cos(angle), size * std::sin(angle), 0));
    };
    drag(on_ring(0.6), on_ring(1.0));
    CHECK((h.tool().translation() - before.translation()).norm() < 1e-6);
    CHECK(geometry::gap(h.tool(), before).angle == Approx(0.4).margin(0.08));
    CHECK((h.tool().linear().col(2) - before.linear().col(2)).norm() < 1e-6);
    // Far beyond the reach: it goes as far as it can, says why, and nothing leaps.
    h.child<QComboBox>("jog_frame")->setCurrentIndex(0);
    const kinematics::JointVector q = h.joints();
    const geometry::Vector3 at = h.tool().translation();
    drag(at + 0.2 * x, at + 1.6 * x);
    CHECK(h.arm().arm->model->mechanism.within_limits(h.joints(), 1e-6));
    CHECK_FALSE(h.child<QLabel>("jog_said")->text().isEmpty());
    CHECK((h.joints() - q).cwiseAbs().maxCoeff() < 2.5);
    CHECK_FALSE(h.w().open.modified());
}

TEST_CASE("a link is dragged by its joint, the tool on the Floor in its plane, and a surface is picked to work on") {
    ArmHands h;
    ModelView* model = h.window.model();
    h.comes_near();
    h.child<QComboBox>("jog_frame")->setCurrentIndex(3);
    const auto& m = h.arm().arm->model->mechanism;
    std::vector<geometry::Frame> frames;
    m.link_frames(h.joints(), h.arm().world, frames);
    const geometry::Box3 box = geometry::bounds(m.links[2].bodies, frames[2]);
    const QPoint a = model->pixel_of(0.5 * (box.low + box.high))->toPoint();
    const kinematics::JointVector before = h.joints();
    QTest::mousePress(model, Qt::LeftButton, {}, a);
    for (int i = 1; i <= 6; ++i) QTest::mouseMove(model, a + QPoint(4 * i, 2 * i));
    QTest::mouseRelease(model, Qt::LeftButton, {}, a + QPoint(24, 12));
    h.settle();
    int changed = 0;
    for (int j = 0; j < before.size(); ++j) changed += std::abs(h.joints()[j] - before[j]) > 1e-6;
    CHECK(changed == 1);
    h.press("jog_back");
    // On the Floor
    h.child<QComboBox>("jog_frame")->setCurrentIndex(0);
    h.key(Qt::Key_PageUp, Qt::AltModifier);
    const geometry::Frame start = h.tool();
    FloorView* floor = h.window.floor();
    const QPoint from = floor->pixel_of(start.translation()).toPoint(),
                 to = floor->pixel_of(start.translation() + geometry::Vector3(0.06, -0.08, 0)).toPoint();
    QTest::mousePress(floor, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 6; ++i) QTest::mouseMove(floor, from + (to - from) * i / 6);
    QTest::mouseRelease(floor, Qt::LeftButton, {}, to);
    h.settle();
    const geometry::Vector3 moved = h.tool().translation() - start.translation();
    CHECK(moved.x() == Approx(0.06).margin(0.012));
    CHECK(moved.y() == Approx(-0.08).margin(0.012));
    CHECK(moved.z() == Approx(0).margin(1e-6));
    CHECK_FALSE(h.w().open.modified());
    // The top of the tester, seen from the corner: the tool comes to stand on it.
    const cell::Device& tester = h.w().open.cell()->devices[h.w().open.cell()->device("tester")];
    const geometry::Box3 top = tester.extent();
    h.press("jog_pick");
    bool picked = false;
    for (double share : {0.15, 0.85}) {  // beside the nests
        const geometry::Vector3 wish =
            tester.world * geometry::Vector3(top.low.x() + share * (top.high.x() - top.low.x()),
                               top.low.y() + share * (top.high.y() - top.low.y()), top.high.z());
        if (picked) break;
        QTest::mouseClick(model, Qt::LeftButton, {}, model->pixel_of(wish)->toPoint());
        h.settle();
        picked = h.tool().linear().col(2).z() < -0.999;
    }
    CHECK(picked);
    CHECK(h.w().selection.first().device == "arm1");
}

TEST_CASE("every other joint solution can be shown as a ghost in the Model") {
    ArmHands h;
    auto* box = h.child<QCheckBox>("solution_ghosts");
    CHECK(h.w().hand.ghosts().empty());
    box->setChecked(true);
    h.settle();
    CHECK(h.w().hand.ghosts_for() == "arm1");
    const auto ghosts = h.w().hand.ghosts();
    CHECK(ghosts.size() >= 1);
    for (const auto& q : ghosts) {
        CHECK(geometry::gap(h.arm().world * h.arm().arm->model->flange_frame(q) * h.arm().arm->tool_frame, h.tool())
                  .distance < 1e-9);
        CHECK(h.arm().arm->model->mechanism.within_limits(q));
    }
    box->setChecked(false);
    h.settle();
    CHECK(h.w().hand.ghosts().empty());
}

TEST_CASE("steps are dragged to another place, copied with Ctrl, made into a named block, and their way is drawn") {
    Bench b;
    const auto task = [&]() -> const std::vector<cell::Step>& {
        return b.w().open.cell()->devices[b.w().open.cell()->device("arm1")].task.steps;
    };
    const auto order = [&] {
        QString out;
        for (const cell::Step& s : task()) out += QString::fromStdString(s.id) + " ";
        return out;
    };
    const auto drop = [&](const QString& what, const QString& on, bool before, Qt::KeyboardModifiers keys = {}) {
        QMimeData data;
        data.setData(StepLine::mime_type, ("/devices/arm1/task/" + what).toUtf8());
        auto* line = b.child<StepLine>("step_arm1_" + on);
        const QPointF at(30, before ? 3 : line->height() - 3);
        QDragEnterEvent enter(at.toPoint(), Qt::MoveAction, &data, Qt::LeftButton, keys);
        QApplication::sendEvent(line, &enter);
        CHECK(enter.isAccepted());
        QDragMoveEvent move(at.toPoint(), Qt::MoveAction, &data, Qt::LeftButton, keys);
        QApplication::sendEvent(line, &move);
        QDropEvent event(at, Qt::MoveAction, &data, Qt::LeftButton, keys);
        QApplication::sendEvent(line, &event);
        b.settle();
    };
    const QString before = order();
    REQUIRE(before.startsWith("s1 s2 s3"));
    drop("s1", "s3", false);
    CHECK(order().startsWith("s2 s3 s1"));
    b.action("undo")->trigger();
    b.settle();
    CHECK(order() == before);
    drop("s3", "s1", true);
    CHECK(order().startsWith("s3 s1 s2"));
    b.action("undo")->trigger();
    b.settle();
    const std::size_t count = task().size();
    drop("s6", "s4", false, Qt::ControlModifier);
    CHECK(task().size() == count + 1);
    for (std::size_t i = 0; i + 1 < task().size(); ++i)
        if (task()[i].id == "s4") CHECK(task()[i + 1].kind->id() == "set");
    b.action("undo")->trigger();
    b.settle();
    // An empty group takes a step into it; one with steps in it stays as it is.
    const std::size_t lines = b.window.findChildren<StepLine*>().size();
    REQUIRE(b.w().open.apply(
        {"Add group", {cell::Operation::add("/devices/arm1/task",
                          {{"id", "g1"}, {"do", "repeat"}, {"times", 2}, {"steps", cell::json::array()}}, "s6")}}));
    b.settle();
    drop("s6", "g1", false);
    const auto group = std::find_if(task().begin(), task().end(), [](const cell::Step& s) { return s.id == "g1"; });
    REQUIRE(group != task().end());
    REQUIRE(group->then.size() == 1);
    CHECK(group->then.front().id == "s6");
    CHECK(static_cast<std::size_t>(b.window.findChildren<StepLine*>().size()) == lines + 1);
    b.action("undo")->trigger();
    b.action("undo")->trigger();
    b.settle();
    CHECK(order() == before);
    const QString cycle = b.cycle();
    b.w().selection.select("arm1", "s2");
    b.settle();
    // Its way: from where the arm was to above the belt, down, and up again.
    const auto path = step_path(*b.w().results.shown(), b.w().open.cell()->device("arm1"), "s2");
    REQUIRE(path.size() == 3);
    double approach = 0;
    for (const cell::Step& s : task())
        if (s.id == "s2") approach = s.approach;
    CHECK((path[1].front() - path[0].back()).norm() < 1e-6);
    CHECK(path[1].front().z() - path[1].back().z() == Approx(approach).margin(1e-6));
    CHECK((path[2].front() - path[1].back()).norm() < 1e-6);
    b.child<QPushButton>("step_block")->click();
    b.settle();
    REQUIRE(b.w().open.cell()->blocks.size() == 1);
    b.type(b.child<QLineEdit>("step_field_block_name"), "Fetch");
    CHECK(b.w().open.cell()->blocks.front().name == "Fetch");
    CHECK(b.cycle() == cycle);
    b.child<QPushButton>("step_unpack")->click();
    b.settle();
    CHECK(b.cycle() == cycle);
    CHECK(task().size() == count);
    CHECK(b.told.isEmpty());
}

TEST_CASE("what is held in the Model is let go when its arm is no longer the one moved by hand") {
    ArmHands h;
    ModelView* model = h.window.model();
    h.comes_near();
    h.child<QComboBox>("jog_frame")->setCurrentIndex(3);
    const auto& m = h.arm().arm->model->mechanism;
    std::vector<geometry::Frame> frames;
    m.link_frames(h.joints(), h.arm().world, frames);
    const geometry::Box3 box = geometry::bounds(m.links[2].bodies, frames[2]);
    const QPoint a = model->pixel_of(0.5 * (box.low + box.high))->toPoint();
    const kinematics::JointVector before = h.joints();
    QTest::mousePress(model, Qt::LeftButton, {}, a);
    QTest::mouseMove(model, a + QPoint(8, 4));
    h.settle();
    const kinematics::JointVector held = h.joints();
    CHECK((held - before).cwiseAbs().maxCoeff() > 1e-6);
    const std::string arm = h.arm().id;
    // Chosen by a key or by another view while the button is down.
    for (const char* other : {"", "tester", "arm2"}) {
        h.w().selection.select(other);
        h.settle();
        CHECK_FALSE(static_cast<QWidget*>(model)->grab().isNull());
        QTest::mouseMove(model, a + QPoint(16, 8));
        h.settle();
    }
    QTest::mouseRelease(model, Qt::LeftButton, {}, a + QPoint(16, 8));
    const cell::Cell& c = *h.w().open.cell();
    CHECK((h.w().hand.joints(c.device("arm2")) - c.devices[c.device("arm2")].arm->ready).cwiseAbs().maxCoeff() < 4);
    CHECK_FALSE(h.w().open.modified());
}
