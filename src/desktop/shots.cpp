#include "shots.h"
#include "which_arm_dialog.h"

#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QImageReader>
#include <QPainter>
#include <QPushButton>
#include <algorithm>
#include <cstdio>

#include "main_window.h"
#include "settle.h"

namespace escarp::desktop {
int take_shots(MainWindow& window, const QString& folder, const QString& size) {
    QDir().mkpath(folder);
    const QString second = QFileInfo(window.workspace().file()).dir().filePath("lens-kitting.escarp"),
                  third = QFileInfo(window.workspace().file()).dir().filePath("seedling-trays.escarp");
    const QStringList parts = size.split('x');
    window.resize(parts.value(0).toInt(), parts.value(1).toInt());
    Workspace& w = window.workspace();
    bool good = true;
    const auto check = [&](bool done, const QString& what) {
        if (!done) std::fprintf(stderr, "escarp: %s\n", qPrintable(what));
        good = good && done;
    };
    const auto calm = [&](const QString& before) {
        check(settle(window), QString("the window did not come to rest before \"%1\"").arg(before));
    };
    const auto save = [&](const auto& picture, const QString& name) {
        check(picture.save(folder + "/" + name + ".png"), QString("%1/%2.png cannot be written").arg(folder, name));
    };
    const auto shot = [&](const QString& name) {
        calm(name);
        save(window.grab(), name);
    };
    calm("the first picture");
    const auto act = [&](const char* name) { window.findChild<QAction*>(name)->trigger(); };
    const auto at_cycle = [&](double into) {
        const auto e = w.evaluation();
        if (e && e->run->steady) w.set_time(simulation::seconds(e->run->steady->from) + into);
    };
    // The layout drawing, as a picture of its SVG.
    const QString svg = folder + "/layout-drawing.svg";
    const bool drawn = window.layout_actions()->hand_on("draw", svg);
    check(drawn, "the layout drawing cannot be written");
    if (drawn) {
        QImageReader reader(svg);
        reader.setScaledSize(QSize(1600, 1131));
        QImage page(1600, 1131, QImage::Format_RGB32);
        page.fill(Qt::white);
        QPainter(&page).drawImage(0, 0, reader.read());
        save(page, "layout-drawing");
        QFile::remove(svg);
    }
    window.floor()->fit(), window.model()->fit();
    window.ribbon()->show_cycle();
    const auto variants = w.document().variants();
    at_cycle(3.2);
    shot("main");
    w.select("arm1");
    shot("arm-selected");
    act("arm_by_hand");
    act("jog_z_plus");
    act("jog_y_plus");
    if (auto* ghosts = window.findChild<QCheckBox*>("solution_ghosts")) ghosts->setChecked(true);
    w.select({});
    w.select("arm1");
    window.model()->fit_selection();
    act("jog_z_plus");
    shot("arm-by-hand");
    if (auto* ghosts = window.findChild<QCheckBox*>("solution_ghosts")) ghosts->setChecked(false);
    window.model()->fit();
    act("motion_plot");
    at_cycle(3.2);
    shot("motion");
    act("findings");
    {
        inspection::Cache cache;
        WhichArmDialog which(w, "Arm 2", study::which_arm(w.layout(), "arm2", cache), &window);
        which.show();
        calm("which-arm");
        save(which.grab(), "which-arm");
    }
    if (variants.size() > 1) {
        w.set_variant(QString::fromStdString(variants[1].id));
        settle(window);
        w.select({});
        const auto e = w.evaluation();
        if (e && e->inspection->clearance.device_a >= 0) w.set_time(e->inspection->clearance.when_s);
        shot("near-collision");
    }
    if (variants.size() > 2) {
        w.set_variant(QString::fromStdString(variants[2].id));
        settle(window);
        const auto e = w.evaluation();
        const auto& findings = e->inspection->findings;
        const auto way =
            std::find_if(findings.begin(), findings.end(), [](const auto& f) { return !f.ways_out.empty(); });
        if (way != findings.end()) {
            w.select(QString::fromStdString(way->device), QString::fromStdString(way->step));
            if (way->when_s) w.set_time(*way->when_s);
            shot("out-of-reach");
            w.try_out(way->ways_out.front().edit, true);
            settle(window);
            at_cycle(3.0);
            shot("way-out");
            w.drop_draft();
        }
        settle(window);
        act("compare");
        const auto* spreads = window.findChild<Spreads*>();
        while (!spreads->complete()) QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        shot("side-by-side");
        act("compare");
    }
    w.set_variant(QString::fromStdString(w.document().baseline()));
    settle(window);
    w.select("arm1");
    act("base_field");
    act("add_device_menu");
    shot("base-field");
    act("base_field");
    act("top");
    act("worksheet");
    w.select("arm2", "s1");
    at_cycle(2.0);
    act("front");
    act("model_top");
    shot("front-view");
    act("top");
    act("model_free");
    w.select("arm2");
    window.findChild<CellPanel*>("cell_panel")->open(QString::fromStdString(w.cell()->part_types.front().id));
    shot("cell");
    window.tabs()->show_page(VariantTabs::Page::signals);
    window.signals_page()->choose("tester.free");
    settle(window);
    shot("signals");
    w.set_variant("B");
    window.tabs()->show_page(VariantTabs::Page::studies);
    window.studies_page()->choose("quick_and_clear");
    if (auto* ask = window.findChild<QPushButton*>("ask_study")) {
        const auto rest = [&] {
            while (window.studies_page()->busy()) QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        };
        rest();
        ask->click();
        rest();
        shot("studies");
    }
    w.set_variant("A");
    window.tabs()->show_page(VariantTabs::Page::cell);
    act("manual");
    if (auto* manual = window.findChild<QDialog*>("manual")) {
        save(manual->grab(), "manual");
        manual->hide();
    }
    act("worksheet");
    w.select({});
    w.start_new();
    for (const char* name : {"first_arm", "first_table", "first_supply", "first_collect", "first_task"}) {
        for (auto* button : window.findChildren<QPushButton*>(name))
            if (button->isVisible()) {
                button->click();
                break;
            }
        calm("first-cell");
    }
    act("worksheet");
    window.floor()->fit(), window.model()->fit();
    at_cycle(1.2);
    window.ribbon()->show_cycle();
    shot("first-cell");
    // The second example, where it lies beside the file.
    w.forget_journal();
    if (QFile::exists(second) && window.open_file(second)) {
        settle(window);
        window.floor()->fit(), window.model()->fit();
        window.ribbon()->show_cycle();
        at_cycle(3.0);
        act("arm_by_hand");
        w.select("loader");
        settle(window);
        shot("lens-kitting");
        act("findings");
        window.tabs()->show_page(VariantTabs::Page::build);
        window.build()->begin("pallet2100");
        for (int i = 0; i < 3; ++i) window.build()->choose_link(1);
        for (int i = 0; i < 5; ++i) window.build()->jog(1);
        shot("build");
        w.forget_journal();
    }
    // The third: an arm that meets what rides by.
    if (QFile::exists(third) && window.open_file(third)) {
        settle(window);
        window.tabs()->show_page(VariantTabs::Page::cell);
        w.select("filler", "p1");
        window.floor()->fit(), window.model()->fit();
        w.set_time(62.0);
        settle(window);
        shot("seedling-trays");
        w.forget_journal();
    }
    return good ? 0 : 1;
}

}  // namespace escarp::desktop
