#include "main_window.h"

#include <QAction>
#include <QCloseEvent>
#include <QFileInfo>
#include <QInputDialog>
#include <QMenu>
#include <QMenuBar>
#include <QPushButton>
#include <QSplitter>
#include <QVBoxLayout>

#include <desktop/dialogs/action_finder.h>
#include <desktop/dialogs/manual_dialog.h>
#include <desktop/dialogs/shape_dialog.h>
#include <desktop/dialogs/which_arm_dialog.h>
#include <desktop/fields/typed_number.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <desktop/panels/history_panel.h>
#include <desktop/panels/live_panel.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

#include "edits_by_name.h"
#include "keyboard.h"
#include "questions_by_name.h"

namespace escarp::desktop {
MainWindow::MainWindow(std::shared_ptr<inspection::Cache> cache)
    : workspace_(std::move(cache)), questions_(this), files_(new CellFiles(workspace_, questions_, this)) {
    setObjectName("main_window");
    resize(1280, 800);
    make_layout();
    make_actions();
    const LayoutActions::Make make = [this](const QString& name, const QString& text, const QKeySequence& key,
                                         std::function<void()> act) { return action(name, text, key, std::move(act)); };
    layout_ = new LayoutActions(workspace_, questions_, floor_, model_, catalogue_, this, make);
    add_edits_by_name(workspace_, this, make);
    add_questions_by_name(workspace_, this, make);
    make_menus();
    follow_document();
    follow_pages();
    renew_title();
    renew_actions();
}

void MainWindow::follow_document() {
    connect(&workspace_.open, &OpenCell::refused, this,
        [this](const QString& title, const QString& text) { questions_.tell(title, text); });
    connect(files_, &CellFiles::opened, this, [this] {
        tabs_->show_page(VariantTabs::cell_page);
        floor_->fit();
        model_->look_at_the_work();
        ribbon_->show_cycle();
    });
    connect(files_, &CellFiles::brought_back, this, [this] {
        floor_->fit();
        model_->fit();
    });
    connect(&workspace_.open, &OpenCell::document_changed, this, [this] {
        renew_title();
        renew_actions();
    });
    connect(&workspace_.results, &Results::evaluated, this, &MainWindow::renew_title);
    connect(&workspace_.results, &Results::zones_found, this, &MainWindow::renew_title);
    connect(&workspace_.selection, &Selection::selection_changed, this, &MainWindow::renew_actions);
    connect(catalogue_, &CataloguePanel::chosen, floor_, &FloorView::place);
    connect(catalogue_, &CataloguePanel::taken, this, &MainWindow::add_device);
    connect(first_steps_, &FirstSteps::wants_catalogue, this, [this] { show_panel("catalogue"); });
    connect(&workspace_.playhead, &Playhead::playing_changed, this,
        [this] { action("play")->setText(workspace_.playhead.playing() ? tr("Pause") : tr("Play")); });
}

/// What a page or a panel asks for, and another one shows.
void MainWindow::follow_pages() {
    connect(tabs_, &VariantTabs::page_changed, this, [this] {
        const auto place = places_.find(tabs_->page());
        if (place == places_.end()) pages_->setCurrentIndex(0);
        else pages_->setCurrentWidget(place->second.widget);
        verdict_->setVisible(tabs_->page() != "compare");  // the comparison has every figure itself
        renew_actions();
        if (building())
            build_->open(build_->building().model.is_null() ? std::string() : build_->building().model.value("id", ""));
    });
    connect(signals_, &SignalsPage::wants_io_list, this, [this] { action("export_io-list")->trigger(); });
    connect(signals_, &SignalsPage::wants_step, this, [this](const QString& device, const QString& step) {
        tabs_->show_page(VariantTabs::cell_page);
        show_panel("worksheet");
        workspace_.selection.select(device, step);
    });
    connect(studies_, &StudiesPage::wants_step, this, [this](const QString& device, const QString& step) {
        tabs_->show_page(VariantTabs::cell_page);
        show_panel("worksheet");
        workspace_.selection.select(device, step);
    });
    connect(studies_, &StudiesPage::wants_cell, this, [this] { tabs_->show_page(VariantTabs::cell_page); });
    connect(&workspace_.open, &OpenCell::wants_to_vary, this, [this] { tabs_->show_page("studies"); });
    connect(verdict_, &VerdictStrip::wants_signals, this, [this] { tabs_->show_page("signals"); });
    connect(build_, &BuildPage::placed, this, [this] {
        tabs_->show_page(VariantTabs::cell_page);
        floor_->fit(), model_->fit();
        show_panel("arm_by_hand");
    });
    connect(comparison_->comparison(), &Comparison::chosen, this, [this](const QString& id) {
        tabs_->show_page(VariantTabs::cell_page);
        workspace_.open.set_variant(id);
    });
    connect(worksheet_, &Worksheet::wants_device, this, [this] { show_panel("catalogue"); });
    connect(worksheet_, &Worksheet::wants_part, cell_, &CellPanel::offer_parts);
    connect(cell_, &CellPanel::wants_to_be_seen, this, [this] { show_panel("cell"); });
    connect(cell_, &CellPanel::wants_import, this, [this] { import_->choose_file(); });
}

void MainWindow::make_layout() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    const auto* spreads = new Spreads(workspace_.open, workspace_.results, this);
    verdict_ = new VerdictStrip(workspace_, *spreads);
    tabs_ = new VariantTabs(workspace_.open);
    worksheet_ = new Worksheet(workspace_);
    const auto* swept = new SweptShown(workspace_.results, workspace_.selection, workspace_.view_options, this);
    floor_ = new FloorView(workspace_, *swept);
    model_ = new ModelView(workspace_, *swept);
    findings_ = new FindingsPanel(workspace_, *spreads);
    ribbon_ = new CycleRibbon(workspace_);
    comparison_ = new SideBySide(workspace_.open, workspace_.results, *spreads);
    auto* across = new QSplitter(Qt::Horizontal);
    catalogue_ = new CataloguePanel(workspace_.open);
    devices_ = new DeviceList(workspace_.open, workspace_.selection, workspace_.view_options);
    cell_ = new CellPanel(workspace_.open, workspace_.results, workspace_.selection);
    first_steps_ = new FirstSteps(workspace_.open, workspace_.results, workspace_.selection, floor_);
    command_ = new CommandSession(workspace_.open, this);
    arm_ = new ArmPanel(workspace_, *command_);
    plot_ = new MotionPlot(workspace_.results, workspace_.selection, workspace_.playhead);
    left_ = new PanelColumn, right_ = new PanelColumn;
    for (PanelColumn* side : {left_, right_}) connect(side, &PanelColumn::asked_for, this, &MainWindow::show_panel);
    for (QWidget* w : std::initializer_list<QWidget*>{left_, floor_, model_, right_}) across->addWidget(w);
    across->setHandleWidth(1);
    across->setChildrenCollapsible(false);
    across->setSizes({250, 470, 326, 234});
    across->setStretchFactor(0, 0), across->setStretchFactor(1, 3), across->setStretchFactor(2, 2),
        across->setStretchFactor(3, 0);
    auto* down = new QSplitter(Qt::Vertical);
    down->addWidget(across);
    down->addWidget(ribbon_);
    down->setHandleWidth(1);
    down->setChildrenCollapsible(false);
    down->setSizes({440, 232});
    down->setStretchFactor(0, 1), down->setStretchFactor(1, 0);
    pages_ = new QStackedWidget;
    pages_->addWidget(down);
    build_ = new BuildPage(workspace_.open, workspace_.selection);
    signals_ = new SignalsPage(workspace_);
    studies_ = new StudiesPage(workspace_.open, workspace_.results);
    history_ = new HistoryPanel(workspace_.open, workspace_.results, *spreads);
    live_ = new LiveSession(workspace_.open, workspace_.results, workspace_.playhead, this);
    record_ = new RecordSession(workspace_.open, workspace_.results, this);
    make_places();
    column->addWidget(verdict_);
    column->addWidget(tabs_);
    column->addWidget(pages_, 1);
    panels_ = {right_, model_, left_, floor_};
    page->setMinimumSize(360, 240);  // what does not fit folds
    setCentralWidget(page);
    new Keyboard(this, [this]() -> QWidget* {
        for (QWidget* view : std::initializer_list<QWidget*>{floor_, model_, ribbon_})
            if (view->isVisible()) return view;
        return pages_->currentWidget();
    });
    status_ = plain_label();
    status_->setObjectName("status");
}

/// Panels and pages in the order of their tabs: a new one is a widget and a row here.
void MainWindow::make_places() {
    const auto by_hand = [this](bool on) {
        return [this, on] {
            if (!on) workspace_.hand.let_go();
            ByHand how = workspace_.hand.how();
            how.on = on, how.picking = false;
            workspace_.hand.set_how(how);
        };
    };
    add_panel(left_, {"worksheet", tr("Worksheet"), tr("Worksheet"), "W", "Worksheet", worksheet_});
    add_panel(left_, {"catalogue", tr("Catalogue"), tr("Catalogue: add a device"), "N", "Catalogue", catalogue_,
                         [this] { catalogue_->search(); }});
    add_panel(left_, {"device_list", tr("Devices"), tr("Find a device by name"), "Ctrl+F", "Devices", devices_,
                         [this] { devices_->search(); }});
    add_panel(
        left_, {"cell", tr("Cell"), tr("The cell: settings, parts, tools, pairs left out"), "Shift+C", "Cell", cell_});
    add_panel(right_, {"findings", tr("Findings"), tr("Findings"), "Shift+J", "Findings", findings_, by_hand(false)});
    add_panel(right_, {"arm_by_hand", tr("By hand"), tr("Arm by hand: joints, jogging, poses"), "J", "Arm by hand",
                          arm_, by_hand(true)});
    add_panel(right_, {"motion_plot", tr("Motion"), tr("Motion of the arm against its limits"), "Ctrl+J", "Motion",
                          plot_, by_hand(false)});
    add_panel(right_, {"history", tr("History"), tr("History: figures after each edit"), "Shift+Y", "History", history_,
                          by_hand(false)});
    add_panel(
        right_, {"live", tr("Live"), tr("Live run: against a controller, by the clock"), "Shift+L", "Live runs",
                    new LivePanel(workspace_.open, workspace_.playhead, *live_, *record_, *command_), by_hand(false)});
    add_page({"compare", tr("Side by side"), tr("Side by side"), "Ctrl+B", "Variants", comparison_});
    add_page({"studies", tr("Studies"), tr("Studies: vary, search, repeat"), "Shift+T", "Studies", studies_, {}, true});
    add_page({"signals", tr("Signals"), tr("Signals"), "Shift+S", "Signals", signals_});
    add_page({"build", tr("Build"), tr("Build: mechanisms of your own"), "Ctrl+M", "Build", build_, [this] {
                  const int arm = workspace_.open.cell()->device(workspace_.selection.first().device.toStdString());
                  if (arm >= 0 && workspace_.open.cell()->devices[arm].arm) build_->open();
              }});
}

void MainWindow::add_panel(PanelColumn* column, Place place) {
    column->add(place.id, place.tab, place.widget);
    place.widget->setProperty(manual_section, place.manual);
    action(place.id, place.words, QKeySequence(place.key), [this, id = place.id] { show_panel(id); });
    places_.emplace(place.id, std::move(place));
}

/// Its action opens it, and goes back to the cell where it is open.
void MainWindow::add_page(Place place) {
    pages_->addWidget(place.widget);
    place.widget->setProperty(manual_section, place.manual);
    tabs_->add_page({place.id, place.tab, place.takes_numbers});
    action(place.id, place.words, QKeySequence(place.key), [this, id = place.id, opened = place.opened] {
        const bool there = tabs_->page() == id;
        tabs_->show_page(there ? QString(VariantTabs::cell_page) : id);
        if (!there && opened) opened();
    });
    places_.emplace(place.id, std::move(place));
}

void MainWindow::show_panel(const QString& id) {
    PanelColumn* column = left_->has(id) ? left_ : right_;
    asked_for_ = column;
    fold();
    column->show_panel(id);
    if (const Place& place = places_.at(id); place.opened) place.opened();
}

QAction* MainWindow::action(
    const QString& name, const QString& text, const QKeySequence& key, std::function<void()> act) {
    auto* a = new QAction(text, this);
    a->setObjectName(name);
    if (!key.isEmpty()) a->setShortcut(key);
    a->setShortcutContext(Qt::WindowShortcut);
    connect(a, &QAction::triggered, this, [act] { act(); });
    addAction(a);
    return a;
}

void MainWindow::make_actions() {
    make_edit_actions();
    make_panel_actions();
    make_jog_actions();
    make_play_actions();
    make_view_actions();
    make_page_actions();
    make_help_actions();
}

void MainWindow::make_edit_actions() {
    action("new", tr("New"), QKeySequence::New, [this] {
        if (!files_->may_lose_work()) return;
        workspace_.open.start_new();
        first_steps_->begin();
    });
    action("open", tr("Open \u2026"), QKeySequence::Open, [this] { files_->choose(); });
    action("save", tr("Save"), QKeySequence::Save, [this] { files_->save(); });
    action("save_as", tr("Save as \u2026"), QKeySequence("Ctrl+Shift+S"), [this] { files_->save_as(); });
    action("quit", tr("Quit"), QKeySequence("Ctrl+Q"), [this] { close(); });
    action("undo", tr("Undo"), QKeySequence::Undo, [this] { workspace_.open.undo(); });
    action("redo", tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { workspace_.open.redo(); });
    action("remove", tr("Remove"), QKeySequence::Delete, [this] { remove_selected(); });
    action("rename", tr("Rename device"), QKeySequence("F2"), [this] {
        workspace_.selection.select(workspace_.selection.first().device);
        show_panel("worksheet");
        if (auto* line = worksheet_->findChild<QLineEdit*>("name_" + workspace_.selection.first().device))
            line->setFocus(), line->selectAll();
    });
    import_ = new ImportGeometry(workspace_.open, workspace_.selection, this);
    action("import", tr("Import geometry \u2026"), QKeySequence("Ctrl+I"), [this] { import_->choose_file(); });
    action("read_urdf", tr("Read an arm (URDF) \u2026"), {}, [this] {
        tabs_->show_page("build");
        build_->choose_urdf();
    });
    action("reload", tr("Read the file again"), {}, [this] {
        if (!workspace_.open.file().isEmpty()) files_->open(workspace_.open.file());  // undo brings back what was here
    });
}

void MainWindow::make_panel_actions() {
    action("takt", tr("Takt \u2026"), {}, [this] {
        show_panel("cell");
        if (auto* line = cell_->findChild<QLineEdit*>("cell_takt_s")) line->setFocus(), line->selectAll();
    });
    action("add_part", tr("New part \u2026"), QKeySequence("Shift+N"), [this] {
        show_panel("cell");
        cell_->offer_parts(cell_->mapToGlobal(QPoint(20, 20)));
    });
    action("find", tr("Find an action \u2026"), QKeySequence("Ctrl+K"), [this] { find_action(); });
    action("which_arm", tr("Which arm? Give this task to every arm"), QKeySequence("Shift+W"),
        [this] { ask_which_arm(workspace_.open, workspace_.selection, this); });
    action("shape_for_checks", tr("Shape of imported geometry for checks"), QKeySequence("Shift+K"),
        [this] { ask_for_shape(workspace_.open, workspace_.selection, this); });
    action("stop_sending", tr("Live: stop all sending"), QKeySequence("Ctrl+."), [this] {
        live_->cut();
        command_->cut();
    });
}

void MainWindow::make_jog_actions() {
    const auto jog = [this](const QString& name, const QString& text, const char* key, int axis, int direction) {
        action(name, text, QKeySequence(key), [this, axis, direction] {
            if (building()) return build_->jog(direction);
            show_panel("arm_by_hand");
            arm_->jog(axis, direction);
        });
    };
    jog("jog_x_plus", tr("Jog +X"), "Alt+Right", 0, 1), jog("jog_x_minus", tr("Jog \u2212X"), "Alt+Left", 0, -1);
    jog("jog_z_plus", tr("Jog +Z"), "Alt+PgUp", 2, 1), jog("jog_z_minus", tr("Jog \u2212Z"), "Alt+PgDown", 2, -1);
    for (const int direction : {1, -1})
        action(direction > 0 ? "jog_y_plus" : "jog_y_minus",
            direction > 0 ? tr("Jog +Y, or the next joint") : tr("Jog \u2212Y, or the joint before"),
            QKeySequence(direction > 0 ? "Alt+Up" : "Alt+Down"), [this, direction] {
                if (building()) return build_->choose_link(-direction);
                show_panel("arm_by_hand");
                if (arm_->by_joint()) arm_->choose_joint(-direction);
                else arm_->jog(1, direction);
            });
    action("tool_straight_down", tr("Tool straight down"), QKeySequence("Alt+D"), [this] { arm_->straight_down(); });
}

void MainWindow::make_play_actions() {
    action("play", tr("Play"), QKeySequence("Space"),
        [this] { workspace_.playhead.play(!workspace_.playhead.playing()); });
    action("previous", tr("\u25c0 event"), QKeySequence("["),
        [this] { workspace_.playhead.play(false), workspace_.playhead.step_event(-1); });
    action("next", tr("event \u25b6"), QKeySequence("]"),
        [this] { workspace_.playhead.play(false), workspace_.playhead.step_event(1); });
    action("to_start", tr("To the beginning"), QKeySequence("Home"), [this] { workspace_.playhead.set_time(0); });
    action("to_cycle", tr("Steady cycle"), QKeySequence("C"), [this] {
        const auto e = workspace_.results.shown();
        if (e && e->run->steady) workspace_.playhead.set_time(simulation::seconds(e->run->steady->from));
        ribbon_->show_cycle();
    });
}

void MainWindow::make_view_actions() {
    action("fit", tr("Fit everything"), QKeySequence("F"), [this] { floor_->fit(), model_->fit(); });
    action("top", tr("Floor from above"), QKeySequence("1"), [this] { floor_->set_side(Side::top); });
    action("front", tr("Floor from the front"), QKeySequence("2"), [this] { floor_->set_side(Side::front); });
    action("side", tr("Floor from the side"), QKeySequence("3"), [this] { floor_->set_side(Side::side); });
    action("model_top", tr("Model from above"), QKeySequence("4"),
        [this] { model_->look(-geometry::pi / 2, geometry::pi / 2); });
    action(
        "model_front", tr("Model from the front"), QKeySequence("5"), [this] { model_->look(-geometry::pi / 2, 0); });
    action("model_side", tr("Model from the side"), QKeySequence("6"), [this] { model_->look(0, 0); });
    action("model_free", tr("Model from a corner"), QKeySequence("7"), [this] { model_->look(-1.15, 0.62); });
}

void MainWindow::make_page_actions() {
    action("let_go_forced", tr("Let go of all forced signals"), {}, [this] { workspace_.results.let_go_forced(); });
    action("variant_new", tr("New variant \u2026"), QKeySequence("Ctrl+Shift+N"), [this] { tabs_->add_variant(); });
    action(
        "variant_rename", tr("Rename this variant \u2026"), {}, [this] { tabs_->rename(workspace_.open.variant()); });
    action("variant_baseline", tr("Make this variant the baseline"), {},
        [this] { tabs_->make_baseline(workspace_.open.variant()); });
    action("variant_drop", tr("Drop this variant"), {}, [this] { tabs_->drop(workspace_.open.variant()); });
}

void MainWindow::make_help_actions() {
    action("manual", tr("Manual \u2026"), {}, [this] { show_manual("A first cell"); });
    action(
        "what_is_this", tr("What is this? About the part of the window under the pointer"), QKeySequence("F1"), [this] {
            const QWidget* under = QApplication::widgetAt(QCursor::pos());
            if (!under || under->window() != this) under = QApplication::focusWidget();
            show_manual(ManualDialog::section_of(under));
        });
    action("about", tr("About Escarp"), {}, [this] {
        questions_.tell(tr("Escarp %1").arg(QCoreApplication::applicationVersion()),
            tr("Lays out robot cells, runs their cycle, checks reach and clearance, compares variants.\nEvery figure "
               "is current after every edit.\n\nFree software under the GNU General Public License, version 3 or "
               "later."));
    });
}

/// Panels that the window has no room for are folded away, the Floor last; they come back as there is room, or when
/// they are asked for.
void MainWindow::fold() {
    int needed = 0;
    for (const QWidget* p : panels_) needed += std::max(p->minimumWidth(), p->minimumSizeHint().width()) + 1;
    std::vector<QWidget*> order(panels_.begin(), panels_.end());
    std::stable_partition(order.begin(), order.end(),
        [this](const QWidget* p) { return p != asked_for_; });  // what was asked for stays longest
    for (QWidget* p : order) {
        const bool fits = needed <= width() || p == order.back();
        if (!fits) needed -= std::max(p->minimumWidth(), p->minimumSizeHint().width()) + 1;
        p->setVisible(fits);
    }
    const int high = height() - menuBar()->sizeHint().height() - tabs_->height();
    verdict_->setVisible(high >= 72 + 200);
    ribbon_->setVisible(high >= 72 + 200 + ribbon_->minimumHeight());
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    fold();
}

void MainWindow::make_menus() {
    const auto by_name = [this](const QString& title, const QString& prefix) {
        auto* m = new QMenu(title, this);
        for (QAction* a : actions())
            if (a->objectName().startsWith(prefix)) m->addAction(a);
        return m;
    };
    const auto menu = [this](const QString& title, const QStringList& names) {
        QMenu* m = menuBar()->addMenu(title);
        for (const QString& name : names) {
            if (name.isEmpty()) m->addSeparator();
            else m->addAction(action(name));
        }
        return m;
    };
    QMenu* file = menu(tr("&File"), {"new", "open", "save", "save_as", ""});
    QMenu* recent = file->addMenu(tr("Recent files"));
    connect(recent, &QMenu::aboutToShow, this, [this, recent] { files_->fill_recent(recent); });
    file->addAction(action("reload"));
    file->addSeparator();
    file->addAction(action("import"));
    file->addAction(action("read_urdf"));
    layout_->fill_export(file->addMenu(tr("Hand on")));
    file->addSeparator();
    file->addAction(action("quit"));
    QMenu* edit = menu(tr("&Edit"), {"undo", "redo", "", "rename", "remove", "select_all", "", "add_part", "cell",
                                        "takt", "", "device_list", "find"});
    edit->addMenu(by_name(tr("Edit by name"), "edit_"));
    place_ = menuBar()->addMenu(tr("&Place"));
    fill_place();
    layout_->fill_arrange(menuBar()->addMenu(tr("&Arrange")));
    QMenu* work = menu(tr("&Work"),
        {"play", "previous", "next", "to_start", "to_cycle", "", "arm_by_hand", "findings", "motion_plot", "history",
            "signals", "studies", "let_go_forced", "which_arm", "shape_for_checks", "build", "", "jog_x_plus",
            "jog_x_minus", "jog_y_plus", "jog_y_minus", "jog_z_plus", "jog_z_minus", "tool_straight_down"});
    work->addMenu(by_name(tr("Ask about this cell"), "ask_"));
    menu(tr("&Compare"), {"compare", "", "variant_new", "variant_rename", "variant_baseline", "variant_drop"});
    QMenu* view = menu(tr("&View"), {"fit"});
    layout_->fill_view(view);
    view->addSeparator();
    for (const char* name : {"top", "front", "side", "corner"}) view->addAction(action(name));
    view->addSeparator();
    for (const char* name : {"model_free", "model_top", "model_front", "model_side"}) view->addAction(action(name));
    menu(tr("&Help"), {"manual", "what_is_this", "find", "about"});
    status_->setStyleSheet("color: #1B7A78; font-size: 11px; padding-right: 12px;");
    menuBar()->setCornerWidget(status_, Qt::TopRightCorner);
    ribbon_->add_actions({action("previous"), action("play"), action("next"), action("to_cycle")});
}

void MainWindow::fill_place() {
    for (const cell::Offering& what : cell::offerings(simulation::standard_kinds())) {
        auto* a =
            place_->addAction(menu_text(QString::fromStdString(what.label)), this, [this, what] { add_device(what); });
        a->setObjectName("place_" + QString::fromStdString(what.kind + (what.model.empty() ? what.label : what.model)));
        addAction(a);
    }
}

void MainWindow::add_device(const cell::Offering& what) {
    try {
        std::string id;
        const cell::Edit edit =
            cell::add_device(workspace_.open.layout(), what, workspace_.selection.first().device.toStdString(), &id);
        if (!workspace_.open.apply(edit)) return;
        workspace_.selection.select(QString::fromStdString(id));
    } catch (const cell::InputError& e) {
        questions_.tell(tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

void MainWindow::remove_selected() {
    if (building()) return build_->remove();
    const Selected s = workspace_.selection.first();
    if (s.device.isEmpty()) return;
    try {
        if (!s.step.isEmpty()) {
            for (const cell::Device& d : workspace_.open.cell()->devices)
                for (const cell::Step* step : cell::all_steps(d))
                    if (QString::fromStdString(d.id) == s.device && QString::fromStdString(step->id) == s.step &&
                        workspace_.open.apply(
                            {tr("Remove step").toStdString(), {cell::Operation::remove("/" + step->path)}}))
                        return workspace_.selection.select(s.device);
            return;
        }
        layout_->remove_selected();
    } catch (const cell::InputError& e) {
        questions_.tell(tr("Nothing was removed"), QString::fromStdString(e.problems().front().message));
    }
}

void MainWindow::show_manual(const QString& section) {
    if (!manual_) manual_ = new ManualDialog(actions(), this);
    manual_->show_section(section);
    manual_->show();
    manual_->raise();
}

void MainWindow::find_action() {
    QList<QAction*> all;
    for (QAction* a : actions())
        if (!a->text().isEmpty() && a->objectName() != "find") all << a;
    ActionFinder finder(all, this);
    finder.exec();
}

void MainWindow::renew_title() {
    const QString name = workspace_.open.kept().is_copy()   ? tr("copy, not saved")
                         : workspace_.open.file().isEmpty() ? tr("not saved yet")
                                                            : QFileInfo(workspace_.open.file()).fileName();
    setWindowTitle(QString("%1%2 \u2014 %3")
                       .arg(workspace_.open.modified() ? "*" : "", title_text(name),
                           title_text(QString::fromStdString(workspace_.open.document().name()))));
    const bool fresh = workspace_.results.current();
    const auto own = workspace_.results.of(workspace_.open.variant());
    const bool still = own && !own->complete;
    const QString error = workspace_.results.error_of(workspace_.open.variant());
    const QString figures =
        !fresh ? tr("figures are being recomputed")
        : !error.isEmpty()
            ? tr("\u2715 this variant cannot be computed")
            : (still ? tr("cycle, reach and clearance current (%1 ms); zones, people and lock-up still being "
                          "worked out")
                     : tr("every figure current (%1 ms)"))
                  .arg(std::max(1.0, std::round(workspace_.results.took_ms())));
    status_->setText((workspace_.open.trying()              ? tr("trying: %1").arg(workspace_.open.draft_name())
                         : workspace_.open.modified()       ? tr("changed")
                         : workspace_.open.file().isEmpty() ? tr("new")
                                                            : tr("saved")) +
                     QStringLiteral(" \u00b7 ") + figures);
    if (!workspace_.open.kept().unsafe().isEmpty())
        status_->setText(
            tr("\u2715 edits are not written down: %1").arg(workspace_.open.kept().unsafe().section('\n', 0, 0)));
    status_->setStyleSheet(QString("color: %1; font-size: 11px; padding: 7px 12px 0 0;")
                               .arg((fresh && error.isEmpty() ? theme::good : theme::watch_text).name()));
    status_->adjustSize();
    menuBar()->setCornerWidget(status_, Qt::TopRightCorner);
    status_->show();
}

void MainWindow::renew_actions() {
    action("undo")->setEnabled(workspace_.open.can_undo());
    action("undo")->setText(
        workspace_.open.can_undo() ? menu_text(tr("Undo %1").arg(workspace_.open.history().undo_name())) : tr("Undo"));
    action("redo")->setEnabled(workspace_.open.can_redo());
    action("redo")->setText(
        workspace_.open.can_redo() ? menu_text(tr("Redo %1").arg(workspace_.open.history().redo_name())) : tr("Redo"));
    const bool chosen = !workspace_.selection.first().device.isEmpty();
    for (const char* name : {"remove", "rename"}) {
        action(name)->setEnabled(chosen || building());
        action(name)->setProperty("needs", tr("select a device first"));
    }
    action("undo")->setProperty("needs", tr("nothing was changed yet"));
    action("redo")->setProperty("needs", tr("nothing was undone"));
    layout_->renew();
}

bool MainWindow::settled(bool every_variant) const {
    if (!workspace_.settled(every_variant) || !floor_->fields_current()) return false;
    const auto views = findChildren<SceneView*>();
    return std::all_of(views.begin(), views.end(), [](const SceneView* v) { return v->picture_current(); });
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (files_->may_lose_work()) {
        workspace_.open.forget_journal();
        event->accept();
    } else {
        event->ignore();
    }
}

}  // namespace escarp::desktop
