#pragma once
// A real window with the demo (or an empty floor) in it, and hands to drive it.

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>
#include <catch2/catch.hpp>

#include <desktop/app/main_window.h>
#include <desktop/app/settle.h>
#include <desktop/worksheet/step_line.h>

namespace escarp::tests {

using namespace escarp::desktop;

struct Bench {
    /// What one has found out of the demo, the next one knows: the same figures are asked for again and again.
    static const std::shared_ptr<inspection::Cache>& known() {
        static const auto cache = std::make_shared<inspection::Cache>();
        return cache;
    }
    MainWindow window{known()};
    QStringList told;
    QList<int> answers;  ///< to the questions to come; Cancel when there are none left
    QTemporaryDir room;

    explicit Bench(bool demo = true) {
        window.answer_instead([this](const QString& text) {
            told << text;
            return answers.isEmpty() ? static_cast<int>(QMessageBox::Cancel) : answers.takeFirst();
        });
        // Smooth pictures would be waited for at every step.
        for (SceneView* view : window.findChildren<SceneView*>()) view->set_refining(false);
        // Fields are looked for where they are, not behind a fold.
        for (const char* group : {"place", "arm", "moves", "signals", "conveyor_0", "infeed_0", "fixture_0", "lift_0",
                 "turntable_0", "camera_0", "interlock_0"})
            window.findChild<Worksheet*>()->unfold(group);
        window.resize(1280, 800);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window));
        window.activateWindow();
        if (!window.isActiveWindow()) makes_active();
        REQUIRE(room.isValid());
        const QString copy = room.filePath("leak-test.escarp");
        REQUIRE(QFile::copy(ESCARP_DEMO, copy));
        if (demo) REQUIRE(window.open_file(copy));
        settle();
    }
    /// A bare X server has no window manager that would give the window the keyboard.
    void makes_active() {
        QT_WARNING_PUSH
        QT_WARNING_DISABLE_DEPRECATED
        QApplication::setActiveWindow(&window);
        QT_WARNING_POP
    }
    ~Bench() { w().open.forget_journal(); }
    Workspace& w() { return window.workspace(); }
    /// What is shown is current, and nothing that was asked for is still to come.
    void settle() { REQUIRE(desktop::settle(window, false)); }
    void settle_all() { REQUIRE(desktop::settle(window, true)); }
    QString cycle() { return window.verdict()->shown("cycle"); }
    QAction* action(const char* name) {
        auto* a = window.findChild<QAction*>(name);
        REQUIRE(a);
        return a;
    }
    template <typename Widget>
    Widget* child(const QString& name) {
        // Rebuilt cards leave their old widgets to be deleted: the one that is seen counts.
        for (auto* found : window.findChildren<Widget*>(name))
            if (found->isVisible()) return found;
        FAIL("no visible widget named " << name.toStdString());
        return nullptr;
    }
    /// Into a line, and Enter.
    void type(const QString& name, const QString& text) {
        auto* line = child<QLineEdit>(name);
        line->setFocus();
        line->selectAll();
        QTest::keyClicks(line, text);
        QTest::keyClick(line, Qt::Key_Return);
        settle();
    }
    QPoint on_floor(const std::string& device) {
        const cell::Cell& c = *w().open.cell();
        return window.floor()->pixel_of(c.devices[c.device(device)].world.translation()).toPoint();
    }
    void click_floor(const QPoint& at, Qt::KeyboardModifiers keys = {}) {
        QTest::mouseClick(window.floor(), Qt::LeftButton, keys, at);
        settle();
    }
    void drag_floor(const QPoint& from, const QPoint& by) {
        QTest::mousePress(window.floor(), Qt::LeftButton, {}, from);
        for (int i = 1; i <= 8; ++i) {
            QTest::mouseMove(window.floor(), from + by * i / 8);
            QApplication::processEvents();
        }
        QTest::mouseRelease(window.floor(), Qt::LeftButton, {}, from + by);
        settle();
    }
    void type(QLineEdit* field, const QString& text) {
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
        settle();
    }
};

}  // namespace escarp::tests
