#include "shots.h"

#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QImageReader>
#include <QPainter>
#include <QProcess>
#include <QPushButton>
#include <algorithm>
#include <cstdio>

#include <desktop/dialogs/which_arm_dialog.h>
#include <desktop/session/live_session.h>

#include "main_window.h"
#include "settle.h"

namespace escarp::desktop {
namespace {

/// One picture after the other, each of the window at rest.
class Shots {
public:
    Shots(MainWindow& window, const QString& folder) : window_(window), w_(window.workspace()), folder_(folder) {
        calm("the first picture");
    }
    bool good() const { return good_; }

    /// As a picture of its SVG.
    void layout_drawing() {
        const QString svg = folder_ + "/layout-drawing.svg";
        const bool drawn = window_.layout_actions()->hand_on("draw", svg);
        check(drawn, "the layout drawing cannot be written");
        if (!drawn) return;
        QImageReader reader(svg);
        reader.setScaledSize(QSize(1600, 1131));
        QImage page(1600, 1131, QImage::Format_RGB32);
        page.fill(Qt::white);
        QPainter(&page).drawImage(0, 0, reader.read());
        save(page, "layout-drawing");
        QFile::remove(svg);
    }
    void cycle_and_arm() {
        fit();
        at_cycle(3.2);
        shot("main");
        w_.selection.select("arm1");
        shot("arm-selected");
        act("arm_by_hand");
        act("jog_z_plus");
        act("jog_y_plus");
        show_ghosts(true);
        w_.selection.select({});
        w_.selection.select("arm1");
        window_.model()->fit_selection();
        act("jog_z_plus");
        shot("arm-by-hand");
        show_ghosts(false);
        window_.model()->fit();
        act("motion_plot");
        at_cycle(3.2);
        shot("motion");
        act("findings");
        inspection::Cache cache;
        WhichArmDialog which(
            w_.open, w_.selection, "Arm 2", study::which_arm(w_.open.layout(), "arm2", cache), &window_);
        which.show();
        calm("which-arm");
        save(which.grab(), "which-arm");
    }
    void variants() {
        const auto all = w_.open.document().variants();
        if (all.size() > 1) {
            show_variant(all[1].id);
            w_.selection.select({});
            const auto e = w_.results.shown();
            if (e && e->inspection->clearance.device_a >= 0) w_.playhead.set_time(e->inspection->clearance.when_s);
            shot("near-collision");
        }
        if (all.size() > 2) {
            show_variant(all[2].id);
            way_out();
            act("compare");
            const auto* spreads = window_.findChild<Spreads*>();
            while (!spreads->complete()) QApplication::processEvents(QEventLoop::WaitForMoreEvents);
            shot("side-by-side");
            act("compare");
        }
        show_variant(w_.open.document().baseline());
    }
    void floor_and_cell() {
        w_.selection.select("arm1");
        act("base_field");
        act("catalogue");
        shot("base-field");
        act("base_field");
        act("top");
        act("worksheet");
        w_.selection.select("arm2", "s1");
        at_cycle(2.0);
        w_.selection.select("arm2");
        window_.findChild<CellPanel*>("cell_panel")
            ->open(QString::fromStdString(w_.open.cell()->part_types.front().id));
        shot("cell");
    }
    void other_pages() {
        window_.tabs()->show_page("signals");
        window_.signals_page()->choose("tester.free");
        settle(window_);
        shot("signals");
        w_.open.set_variant("B");
        window_.tabs()->show_page("studies");
        window_.studies_page()->choose("quick_and_clear");
        if (auto* ask = window_.findChild<QPushButton*>("ask_study")) {
            const auto rest = [&] {
                while (window_.studies_page()->busy()) QApplication::processEvents(QEventLoop::WaitForMoreEvents);
            };
            rest();
            ask->click();
            rest();
            shot("studies");
        }
        w_.open.set_variant("A");
        window_.tabs()->show_page(VariantTabs::cell_page);
        act("manual");
        if (auto* manual = window_.findChild<QDialog*>("manual")) {
            save(manual->grab(), "manual");
            manual->hide();
        }
    }
    void first_cell() {
        act("worksheet");
        w_.selection.select({});
        w_.open.start_new();
        for (const char* name : {"first_arm", "first_table", "first_supply", "first_collect", "first_task"}) {
            for (auto* button : window_.findChildren<QPushButton*>(name))
                if (button->isVisible()) {
                    button->click();
                    break;
                }
            calm("first-cell");
        }
        act("worksheet");
        fit();
        at_cycle(1.2);
        shot("first-cell");
        w_.open.forget_journal();
    }
    /// The second example, and an arm that is built.
    void lens_kitting(const QString& file) {
        if (!QFile::exists(file) || !window_.open_file(file)) return;
        settle(window_);
        fit();
        at_cycle(3.0);
        act("arm_by_hand");
        w_.selection.select("loader");
        settle(window_);
        shot("lens-kitting");
        act("findings");
        window_.tabs()->show_page("build");
        window_.build()->begin("pallet2100");
        for (int i = 0; i < 3; ++i) window_.build()->choose_link(1);
        for (int i = 0; i < 5; ++i) window_.build()->jog(1);
        shot("build");
        w_.open.forget_journal();
    }
    /// The third: an arm that meets what rides by.
    void seedling_trays(const QString& file) {
        if (!QFile::exists(file) || !window_.open_file(file)) return;
        settle(window_);
        window_.tabs()->show_page(VariantTabs::cell_page);
        w_.selection.select("filler", "p1");
        fit();
        w_.playhead.set_time(62.0);
        settle(window_);
        shot("seedling-trays");
        w_.open.forget_journal();
    }
    /// The fourth: run live, with the stand-in controller that lies beside this program.
    void twin_testers(const QString& file) {
        if (!QFile::exists(file) || !window_.open_file(file)) return;
        show_variant("C");
        fit();
        act("live");
        LiveSession* live = window_.findChild<LiveSession*>();
        LiveSession::Wish wish;
        wish.links = {"plc"}, wish.rate = 5;
        QProcess controller;
        controller.start(QCoreApplication::applicationDirPath() + "/escarp-controller",
            {QFileInfo(file).dir().filePath("twin-testers.st"), "--scan-ms", "5"});
        check(controller.waitForStarted() && live->start(wish), "the live run was not begun");
        constexpr double long_enough = 22;  // s
        while (live->running() && simulation::seconds(live->status().now) < long_enough)
            QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
        live->pause(true);
        while (live->running() && (!live->judged() || live->links().front().status.exchanges == 0))
            QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
        shot("live");
        live->end();
        controller.terminate();
        controller.waitForFinished();
        live->leave();
        w_.open.forget_journal();
    }

private:
    void check(bool done, const QString& what) {
        if (!done) std::fprintf(stderr, "escarp: %s\n", qPrintable(what));
        good_ = good_ && done;
    }
    void calm(const QString& before) {
        check(settle(window_), QString("the window did not come to rest before \"%1\"").arg(before));
    }
    template <typename Picture>
    void save(const Picture& picture, const QString& name) {
        check(picture.save(folder_ + "/" + name + ".png"), QString("%1/%2.png cannot be written").arg(folder_, name));
    }
    void shot(const QString& name) {
        calm(name);
        save(window_.grab(), name);
    }
    /// The panel is made anew whenever another arm is selected: the box is looked for each time.
    void show_ghosts(bool on) {
        if (auto* box = window_.findChild<QCheckBox*>("solution_ghosts")) box->setChecked(on);
    }
    void act(const char* name) { window_.findChild<QAction*>(name)->trigger(); }
    void fit() {
        window_.floor()->fit(), window_.model()->fit();
        window_.ribbon()->show_cycle();
    }
    void at_cycle(double into) {
        const auto e = w_.results.shown();
        if (e && e->run->steady) w_.playhead.set_time(simulation::seconds(e->run->steady->from) + into);
    }
    void show_variant(const std::string& id) {
        w_.open.set_variant(QString::fromStdString(id));
        settle(window_);
    }
    /// Of a pose that is not reached.
    void way_out() {
        const auto e = w_.results.shown();
        const auto& findings = e->inspection->findings;
        const auto way =
            std::find_if(findings.begin(), findings.end(), [](const auto& f) { return !f.ways_out.empty(); });
        if (way == findings.end()) return;
        w_.selection.select(QString::fromStdString(way->device), QString::fromStdString(way->step));
        if (way->when_s) w_.playhead.set_time(*way->when_s);
        w_.open.try_out(way->ways_out.front().edit, true);
        settle(window_);
        at_cycle(3.0);
        shot("way-out");
        w_.open.drop_draft();
        settle(window_);
    }

    MainWindow& window_;
    Workspace& w_;
    const QString folder_;
    bool good_ = true;
};

}  // namespace

int take_shots(MainWindow& window, const QString& folder, const QString& size) {
    QDir().mkpath(folder);
    const QDir beside = QFileInfo(window.workspace().open.file()).dir();
    const QStringList parts = size.split('x');
    window.resize(parts.value(0).toInt(), parts.value(1).toInt());
    Shots shots(window, folder);
    shots.layout_drawing();
    shots.cycle_and_arm();
    shots.variants();
    shots.floor_and_cell();
    shots.other_pages();
    shots.first_cell();
    shots.lens_kitting(beside.filePath("lens-kitting.escarp"));
    shots.seedling_trays(beside.filePath("seedling-trays.escarp"));
    shots.twin_testers(beside.filePath("twin-testers.escarp"));
    return shots.good() ? 0 : 1;
}

}  // namespace escarp::desktop
