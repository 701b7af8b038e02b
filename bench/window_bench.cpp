// The window with many devices under software GL: opening, dragging, panning. Ratios to a plain reference in the same
// run: painting and reading everything anew for every frame.

#include <QApplication>
#include <QElapsedTimer>
#include <QFile>
#include <QSurfaceFormat>
#include <QTemporaryDir>
#include <QTest>
#include <algorithm>
#include <cstdio>
#include <numeric>

#include <desktop/app/main_window.h>
#include <desktop/app/settle.h>
#include <desktop/looks/theme.h>

#include "support/cells.h"

using namespace escarp;
using namespace escarp::desktop;

namespace {

double median(std::vector<double> v) {
    std::sort(v.begin(), v.end());
    return v.empty() ? 0 : v[v.size() / 2];
}

/// Milliseconds of each frame while something is moved over the Floor, its repaint included.
std::vector<double> frames(FloorView* floor, const QPoint& from, const QPoint& step, Qt::MouseButton button) {
    std::vector<double> out;
    QTest::mousePress(floor, button, Qt::AltModifier, from);
    for (int i = 1; i <= 60; ++i) {
        QElapsedTimer clock;
        clock.start();
        QMouseEvent move(QEvent::MouseMove, from + step * i, floor->mapToGlobal(from + step * i), Qt::NoButton, button,
            Qt::AltModifier);
        QApplication::sendEvent(floor, &move);
        floor->repaint();
        QApplication::processEvents();
        out.push_back(static_cast<double>(clock.nsecsElapsed()) * 1e-6);
    }
    QTest::mouseRelease(floor, button, Qt::AltModifier, from + step * 60);
    return out;
}

/// Milliseconds of each step of the time cursor, the Floor and the ribbon repainted; how many pictures of the Model
/// came meanwhile.
std::vector<double> scrub(MainWindow& window, int& pictures) {
    std::vector<double> out;
    Workspace& w = window.workspace();
    const auto counts =
        QObject::connect(window.model()->findChild<SceneDrawer*>(), &SceneDrawer::drawn, &window, [&] { ++pictures; });
    const double from = 0.5 * w.results.end_time();
    for (int i = 1; i <= 60; ++i) {
        QElapsedTimer clock;
        clock.start();
        w.playhead.set_time(from + 0.05 * i);
        window.floor()->repaint();
        window.ribbon()->repaint();
        QApplication::processEvents();
        out.push_back(static_cast<double>(clock.nsecsElapsed()) * 1e-6);
    }
    QObject::disconnect(counts);
    return out;
}

/// The eye goes round: from a movement of the mouse to the new picture of the Model on the screen. `smooth`: from the
/// last movement to the smooth picture.
std::vector<double> go_round(MainWindow& window, double& smooth) {
    std::vector<double> out;
    ModelView* model = window.model();
    bool drawn = false;
    const auto told = QObject::connect(
        window.model()->findChild<SceneDrawer*>(), &SceneDrawer::drawn, &window, [&] { drawn = true; });
    QTest::mousePress(model, Qt::LeftButton, {}, QPoint(40, 120));
    for (int i = 1; i <= 40; ++i) {
        QElapsedTimer clock;
        clock.start();
        const QPoint at(40 + 2 * i, 120);
        QMouseEvent move(QEvent::MouseMove, at, model->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(model, &move);
        drawn = false;
        while (!drawn) QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
        model->repaint();
        out.push_back(static_cast<double>(clock.nsecsElapsed()) * 1e-6);
    }
    QObject::disconnect(told);
    QElapsedTimer clock;
    clock.start();
    while (!model->picture_current())
        QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
    smooth = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    QTest::mouseRelease(model, Qt::LeftButton, {}, QPoint(120, 120));
    return out;
}

/// A ball of a million triangles comes in while a timer asks for its turn every 5 ms: the longest it had to wait.
void import_million(MainWindow& window, const QString& file) {
    QFile out(file);
    if (!out.open(QIODevice::WriteOnly)) return;
    QByteArray bytes(80, ' ');
    const int n = 500;
    const quint32 count = 2u * n * 2u * n;
    bytes.append(reinterpret_cast<const char*>(&count), 4);
    const auto point = [&](int i, int j) {
        const double a = geometry::pi * i / n, b = geometry::pi * j / n;
        const float p[3] = {static_cast<float>(250 * std::sin(a) * std::cos(b)),
            static_cast<float>(250 * std::sin(a) * std::sin(b)), static_cast<float>(250 * std::cos(a))};
        bytes.append(reinterpret_cast<const char*>(p), 12);
    };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < 2 * n; ++j)
            for (const bool upper : {true, false}) {
                bytes.append(12, '\0');
                point(i, j), point(i + 1, upper ? j : j + 1), point(upper ? i + 1 : i, j + 1);
                bytes.append(2, '\0');
            }
    out.write(bytes);
    out.close();
    QElapsedTimer all, turn;
    double longest = 0;
    QTimer timer;
    QObject::connect(&timer, &QTimer::timeout, [&] {
        longest = std::max(longest, static_cast<double>(turn.nsecsElapsed()) * 1e-6);
        turn.restart();
    });
    all.start(), turn.start();
    timer.start(5);
    exchange::ImportOptions o;
    o.name = "Ball";
    const bool good = window.importer()->import_file(file, o, exchange::ImportAs::structure, false);
    const double took = static_cast<double>(all.nsecsElapsed()) * 1e-6;
    window.model()->repaint();
    std::printf(
        "STL of %u triangles %s in %.0f ms; the window answered within %.0f ms all the while, shown after %.0f ms\n",
        count, good ? "imported" : "NOT imported", took, longest, static_cast<double>(all.nsecsElapsed()) * 1e-6);
}

}  // namespace

int main(int argc, char** argv) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
    const QTemporaryDir home;
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"}) qputenv(name, home.path().toUtf8());
    QApplication app(argc, argv);
    app.setStyle("Fusion");
    app.setStyleSheet(theme::style_sheet());
    for (const int count : {14, 300}) {
        const cell::Document d = tests::crowded(count);
        const std::string file = home.filePath(QString("crowded%1.escarp").arg(count)).toStdString();
        d.save(file);
        QElapsedTimer clock;
        clock.start();
        MainWindow window;
        window.resize(1280, 800);
        window.open_file(QString::fromStdString(file));
        window.show();
        while (!QTest::qWaitForWindowExposed(&window, 20)) {
        }
        window.floor()->repaint();
        QApplication::processEvents();
        const double shown = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
        settle(window, false);
        const double current = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
        // The plain way: the whole cell read and the whole plan painted.
        std::vector<double> plain;
        for (int i = 0; i < 5; ++i) {
            clock.restart();
            for (int k = 0; k < 2; ++k)
                cell::read_cell(cell::Document::parse(d.text()).resolved(d.baseline()), simulation::standard_kinds());
            window.grab();
            plain.push_back(static_cast<double>(clock.nsecsElapsed()) * 1e-6);
        }
        window.workspace().selection.select("tester");
        QApplication::processEvents();
        FloorView* floor = window.floor();
        const cell::Cell& c = *window.workspace().open.cell();
        const QPoint on = floor->pixel_of(c.devices[c.device("tester")].world.translation()).toPoint();
        std::vector<double> drag = frames(floor, on, {1, 1}, Qt::LeftButton);
        const double worst = *std::max_element(drag.begin(), drag.end());
        std::vector<double> pan = frames(floor, {200, 200}, {2, 1}, Qt::MiddleButton);
        int pictures = 0;
        const std::vector<double> scrubbed = scrub(window, pictures);
        const double all_scrubbed = std::accumulate(scrubbed.begin(), scrubbed.end(), 0.0);
        double smooth = 0;
        const std::vector<double> round = go_round(window, smooth);
        std::printf(
            "%3d devices: scrubbing %5.1f ms a step (worst %5.1f, %5.1f steps/s), the Model with %4.1f pictures/s "
            "meanwhile; going round the Model %5.1f ms a picture (%4.1f/s), smooth after %4.0f ms of rest\n",
            count, median(scrubbed), *std::max_element(scrubbed.begin(), scrubbed.end()), 1000 / median(scrubbed),
            1000 * pictures / all_scrubbed, median(round), 1000 / median(round), smooth);
        std::printf(
            "%3d devices: shown after %6.0f ms, every figure after %6.0f ms; drag %6.1f ms a frame (worst %6.1f, %5.1f "
            "frames/s), pan %6.1f ms; plain frame %7.1f ms, %5.1f x slower than ours\n",
            count, shown, current, median(drag), worst, 1000 / median(drag), median(pan), median(plain),
            median(plain) / median(drag));
        if (count == 14) import_million(window, home.filePath("ball.stl"));
        window.workspace().open.forget_journal();
    }
    return 0;
}
