#include "main_window.h"

#include <QAction>
#include <QCloseEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QSettings>
#include <QSplitter>
#include <QVBoxLayout>

#include <cell/names.h>
#include <simulation/kinds.h>

#include "action_finder.h"
#include "theme.h"
#include "typed_number.h"

namespace escarp::desktop {
namespace {
constexpr int most_recent = 8;
const char* file_filter = "Escarp cells (*.escarp)";
}  // namespace

MainWindow::MainWindow() {
    setObjectName("main_window");
    resize(1280, 800);
    make_layout();
    make_actions();
    make_menus();
    connect(&workspace_, &Workspace::refused, this, &MainWindow::tell);
    connect(&workspace_, &Workspace::document_changed, this, [this] {
        renew_title();
        renew_actions();
    });
    connect(&workspace_, &Workspace::evaluated, this, &MainWindow::renew_title);
    connect(&workspace_, &Workspace::selection_changed, this, &MainWindow::renew_actions);
    connect(&workspace_, &Workspace::playing_changed, this, [this] { action("play")->setText(workspace_.playing() ? tr("Pause") : tr("Play")); });
    connect(tabs_, &VariantTabs::comparing_changed, this, [this](bool on) {
        pages_->setCurrentIndex(on ? 1 : 0);
        verdict_->setVisible(!on);  // the comparison has every figure itself
    });
    connect(comparison_->comparison(), &Comparison::chosen, this, [this](const QString& id) {
        tabs_->set_comparing(false);
        workspace_.set_variant(id);
    });
    connect(worksheet_, &Worksheet::wants_device, this, [this](const QPoint& at) { place_->popup(at); });
    renew_title();
    renew_actions();
}

void MainWindow::make_layout() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    verdict_ = new VerdictStrip(workspace_);
    tabs_ = new VariantTabs(workspace_);
    worksheet_ = new Worksheet(workspace_);
    floor_ = new FloorView(workspace_);
    model_ = new ModelView(workspace_);
    findings_ = new FindingsPanel(workspace_);
    ribbon_ = new CycleRibbon(workspace_);
    comparison_ = new SideBySide(workspace_);
    auto* across = new QSplitter(Qt::Horizontal);
    for (QWidget* w : std::initializer_list<QWidget*>{worksheet_, floor_, model_, findings_}) across->addWidget(w);
    across->setHandleWidth(1);
    across->setChildrenCollapsible(false);
    across->setSizes({236, 474, 336, 234});
    across->setStretchFactor(0, 0), across->setStretchFactor(1, 3), across->setStretchFactor(2, 2), across->setStretchFactor(3, 0);
    auto* down = new QSplitter(Qt::Vertical);
    down->addWidget(across);
    down->addWidget(ribbon_);
    down->setHandleWidth(1);
    down->setChildrenCollapsible(false);
    down->setSizes({440, 232});
    down->setStretchFactor(0, 1), down->setStretchFactor(1, 0);
    pages_ = new QStackedWidget;
    pages_->addWidget(down);
    pages_->addWidget(comparison_);
    column->addWidget(verdict_);
    column->addWidget(tabs_);
    column->addWidget(pages_, 1);
    setCentralWidget(page);
    status_ = new QLabel;
    status_->setObjectName("status");
}

QAction* MainWindow::action(const QString& name, const QString& text, const QKeySequence& key, std::function<void()> act) {
    auto* a = new QAction(text, this);
    a->setObjectName(name);
    if (!key.isEmpty()) a->setShortcut(key);
    a->setShortcutContext(Qt::WindowShortcut);
    connect(a, &QAction::triggered, this, [act] { act(); });
    addAction(a);
    return a;
}

void MainWindow::make_actions() {
    action("new", tr("New"), QKeySequence::New, [this] { if (may_lose_work()) workspace_.start_new(); });
    action("open", tr("Open \u2026"), QKeySequence::Open, [this] { open(); });
    action("save", tr("Save"), QKeySequence::Save, [this] { save(); });
    action("save_as", tr("Save as \u2026"), QKeySequence("Ctrl+Shift+S"), [this] { save_as(); });
    action("quit", tr("Quit"), QKeySequence("Ctrl+Q"), [this] { close(); });
    action("undo", tr("Undo"), QKeySequence::Undo, [this] { workspace_.undo(); });
    action("redo", tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { workspace_.redo(); });
    action("remove", tr("Remove"), QKeySequence::Delete, [this] { remove_selected(); });
    action("duplicate", tr("Duplicate device"), QKeySequence("Ctrl+D"), [this] { duplicate_selected(); });
    action("rename", tr("Rename device"), QKeySequence("F2"), [this] {
        workspace_.select(workspace_.selection().device);
        if (auto* line = worksheet_->findChild<QLineEdit*>("name_" + workspace_.selection().device)) line->setFocus(), line->selectAll();
    });
    action("takt", tr("Takt \u2026"), {}, [this] { choose_takt(); });
    action("find", tr("Find an action \u2026"), QKeySequence("Ctrl+K"), [this] { find_action(); });
    action("add_device_menu", tr("Add a device \u2026"), QKeySequence("N"), [this] { place_->popup(worksheet_->mapToGlobal(QPoint(20, 60))); });
    action("play", tr("Play"), QKeySequence("Space"), [this] { workspace_.play(!workspace_.playing()); });
    action("previous", tr("\u25c0 event"), QKeySequence("["), [this] { workspace_.play(false), workspace_.step_event(-1); });
    action("next", tr("event \u25b6"), QKeySequence("]"), [this] { workspace_.play(false), workspace_.step_event(1); });
    action("to_start", tr("To the beginning"), QKeySequence("Home"), [this] { workspace_.set_time(0); });
    action("to_cycle", tr("Steady cycle"), QKeySequence("C"), [this] {
        const auto e = workspace_.evaluation();
        if (e && e->run->steady) workspace_.set_time(simulation::seconds(e->run->steady->from));
        ribbon_->show_cycle();
    });
    action("fit", tr("Fit everything"), QKeySequence("F"), [this] { floor_->fit(), model_->fit(); });
    action("top", tr("Floor from above"), QKeySequence("1"), [this] { floor_->set_side(Side::top); });
    action("front", tr("Floor from the front"), QKeySequence("2"), [this] { floor_->set_side(Side::front); });
    action("side", tr("Floor from the side"), QKeySequence("3"), [this] { floor_->set_side(Side::side); });
    action("model_top", tr("Model from above"), QKeySequence("4"), [this] { model_->look(-geometry::pi / 2, geometry::pi / 2); });
    action("model_front", tr("Model from the front"), QKeySequence("5"), [this] { model_->look(-geometry::pi / 2, 0); });
    action("model_side", tr("Model from the side"), QKeySequence("6"), [this] { model_->look(0, 0); });
    action("model_free", tr("Model from a corner"), QKeySequence("7"), [this] { model_->look(-1.15, 0.62); });
    QAction* reach = action("reach", tr("Reach on the Floor"), QKeySequence("R"), [] {});
    reach->setCheckable(true);
    reach->setChecked(true);
    connect(reach, &QAction::toggled, floor_, &FloorView::set_reach_shown);
    action("compare", tr("Side by side"), QKeySequence("Ctrl+B"), [this] { tabs_->set_comparing(!tabs_->comparing()); });
    action("variant_new", tr("New variant \u2026"), QKeySequence("Ctrl+Shift+N"), [this] { tabs_->add_variant(); });
    action("variant_rename", tr("Rename this variant \u2026"), {}, [this] { tabs_->rename(workspace_.variant()); });
    action("variant_baseline", tr("Make this variant the baseline"), {}, [this] { tabs_->make_baseline(workspace_.variant()); });
    action("variant_drop", tr("Drop this variant"), {}, [this] { tabs_->drop(workspace_.variant()); });
    action("about", tr("About Escarp"), {}, [this] {
        tell(tr("Escarp %1").arg(QCoreApplication::applicationVersion()), tr("Lays out robot cells, runs their cycle, checks reach and clearance, compares variants.\nEvery figure is current after every edit.\n\nFree software under the GNU General Public License, version 3 or later."));
    });
}

void MainWindow::make_menus() {
    const auto menu = [this](const QString& title, const QStringList& names) {
        QMenu* m = menuBar()->addMenu(title);
        for (const QString& name : names) {
            if (name.isEmpty()) m->addSeparator();
            else m->addAction(action(name));
        }
        return m;
    };
    QMenu* file = menu(tr("&File"), {"new", "open", "save", "save_as", ""});
    recent_ = file->addMenu(tr("Recent files"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fill_recent);
    file->addSeparator();
    file->addAction(action("quit"));
    menu(tr("&Edit"), {"undo", "redo", "", "duplicate", "rename", "remove", "", "takt", "", "find"});
    place_ = menuBar()->addMenu(tr("&Place"));
    fill_place();
    menu(tr("&Work"), {"play", "previous", "next", "to_start", "to_cycle"});
    menu(tr("&Compare"), {"compare", "", "variant_new", "variant_rename", "variant_baseline", "variant_drop"});
    menu(tr("&View"), {"fit", "reach", "", "top", "front", "side", "", "model_free", "model_top", "model_front", "model_side"});
    menu(tr("&Help"), {"find", "about"});
    status_->setStyleSheet("color: #1B7A78; font-size: 11px; padding-right: 12px;");
    menuBar()->setCornerWidget(status_, Qt::TopRightCorner);
    ribbon_->add_actions({action("previous"), action("play"), action("next"), action("to_cycle")});
}

void MainWindow::fill_place() {
    for (const cell::Offering& what : cell::offerings(simulation::standard_kinds())) {
        auto* a = place_->addAction(QString::fromStdString(what.label), this, [this, what] { add_device(what); });
        a->setObjectName("place_" + QString::fromStdString(what.kind + (what.model.empty() ? what.label : what.model)));
        addAction(a);
    }
}

void MainWindow::add_device(const cell::Offering& what) {
    try {
        std::string id;
        const cell::Edit edit = cell::add_device(workspace_.document(), workspace_.variant().toStdString(), simulation::standard_kinds(), what, workspace_.selection().device.toStdString(), &id);
        if (!workspace_.apply(edit)) return;
        workspace_.select(QString::fromStdString(id));
    } catch (const cell::InputError& e) {
        tell(tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

void MainWindow::remove_selected() {
    const Selection s = workspace_.selection();
    if (s.device.isEmpty()) return;
    try {
        if (!s.step.isEmpty()) {
            for (const cell::Device& d : workspace_.cell()->devices)
                for (const cell::Step* step : cell::all_steps(d.task))
                    if (QString::fromStdString(d.id) == s.device && QString::fromStdString(step->id) == s.step && workspace_.apply({tr("Remove step").toStdString(), {cell::Operation::remove("/" + step->path)}})) return workspace_.select(s.device);
            return;
        }
        workspace_.apply(cell::remove_device(workspace_.document(), workspace_.variant().toStdString(), simulation::standard_kinds(), s.device.toStdString()));
    } catch (const cell::InputError& e) {
        tell(tr("Nothing was removed"), QString::fromStdString(e.problems().front().message));
    }
}

void MainWindow::duplicate_selected() {
    const std::string id = workspace_.selection().device.toStdString();
    const cell::json tree = workspace_.resolved();
    const cell::json* device = cell::find(tree, "/devices/" + id);
    if (id.empty() || !device) return;
    cell::json copy = *device;
    copy["id"] = cell::free_id(workspace_.document().tree(), copy.value("name", "copy"));
    copy["name"] = cell::free_name(tree, copy.value("name", "copy"));
    copy.erase("task");  // work is not done twice
    copy["placement"]["x_mm"] = copy["placement"].value("x_mm", 0.0) + 300.0;
    if (workspace_.apply({tr("Duplicate %1").arg(QString::fromStdString(device->value("name", ""))).toStdString(), {cell::Operation::add("/devices", copy)}})) workspace_.select(QString::fromStdString(copy["id"].get<std::string>()));
}

void MainWindow::choose_takt() {
    bool ok = false;
    const QString now = shown_number(workspace_.cell()->takt);
    const QString text = QInputDialog::getText(this, tr("Takt"), tr("Time per part that the line demands, in s (0: none):"), QLineEdit::Normal, now, &ok);
    if (!ok) return;
    const std::optional<double> takt = typed_number(text, "s");
    if (!takt || *takt < 0 || *takt > 1e5) return tell(tr("The takt is unchanged"), tr("\"%1\" is not a time in seconds.").arg(text));
    workspace_.apply({tr("Change takt").toStdString(), {cell::Operation::set("/takt_s", *takt)}});
}

void MainWindow::find_action() {
    QList<QAction*> all;
    for (QAction* a : actions())
        if (!a->text().isEmpty() && a->objectName() != "find") all << a;
    ActionFinder finder(all, this);
    finder.exec();
}

void MainWindow::renew_title() {
    const QString name = workspace_.file().isEmpty() ? tr("not saved yet") : QFileInfo(workspace_.file()).fileName();
    setWindowTitle(QString("%1%2 \u2014 %3").arg(workspace_.modified() ? "*" : "", name, QString::fromStdString(workspace_.document().name())));
    const bool fresh = workspace_.current();
    const QString error = workspace_.error_of(workspace_.variant());
    const QString figures = !fresh ? tr("figures are being recomputed") : !error.isEmpty() ? tr("\u2715 this variant cannot be computed") : tr("every figure current (%1 ms)").arg(std::max(1.0, std::round(workspace_.took_ms())));
    status_->setText((workspace_.trying() ? tr("trying: %1").arg(workspace_.draft_name()) : workspace_.modified() ? tr("changed") : workspace_.file().isEmpty() ? tr("new") : tr("saved")) + QStringLiteral(" \u00b7 ") + figures);
    status_->setStyleSheet(QString("color: %1; font-size: 11px; padding: 7px 12px 0 0;").arg((fresh && error.isEmpty() ? theme::good : theme::watch_text).name()));
    status_->adjustSize();
    menuBar()->setCornerWidget(status_, Qt::TopRightCorner);
    status_->show();
}

void MainWindow::renew_actions() {
    action("undo")->setEnabled(workspace_.can_undo());
    action("undo")->setText(workspace_.can_undo() ? tr("Undo %1").arg(workspace_.undo_name()) : tr("Undo"));
    action("redo")->setEnabled(workspace_.can_redo());
    action("redo")->setText(workspace_.can_redo() ? tr("Redo %1").arg(workspace_.redo_name()) : tr("Redo"));
    const bool chosen = !workspace_.selection().device.isEmpty();
    for (const char* name : {"remove", "duplicate", "rename"}) action(name)->setEnabled(chosen);
}

bool MainWindow::may_lose_work() {
    if (!workspace_.modified()) return true;
    const QString text = tr("The cell has changes that are not saved.");
    int answer = QMessageBox::Cancel;
    if (ask_instead) answer = ask_instead(text);
    else answer = QMessageBox::warning(this, tr("Not saved"), text, QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
    if (answer == QMessageBox::Save) return save();
    return answer == QMessageBox::Discard;
}

bool MainWindow::save() {
    if (workspace_.file().isEmpty()) return save_as();
    return workspace_.save_as(workspace_.file());
}

bool MainWindow::save_as() {
    QString file = QFileDialog::getSaveFileName(this, tr("Save the cell"), workspace_.file(), tr(file_filter));
    if (file.isEmpty()) return false;
    if (!file.endsWith(".escarp")) file += ".escarp";
    if (!workspace_.save_as(file)) return false;
    remember(file);
    return true;
}

void MainWindow::open() {
    if (!may_lose_work()) return;
    const QString file = QFileDialog::getOpenFileName(this, tr("Open a cell"), workspace_.file(), tr(file_filter));
    if (!file.isEmpty()) open_file(file);
}

bool MainWindow::open_file(const QString& file) {
    if (!workspace_.open(file)) return false;
    tabs_->set_comparing(false);
    remember(file);
    floor_->fit();
    model_->fit();
    ribbon_->show_cycle();
    return true;
}

void MainWindow::remember(const QString& file) {
    QSettings settings;
    QStringList files = settings.value("recent").toStringList();
    const QString path = QFileInfo(file).absoluteFilePath();
    files.removeAll(path);
    files.prepend(path);
    settings.setValue("recent", files.mid(0, most_recent));
}

void MainWindow::fill_recent() {
    recent_->clear();
    for (const QString& file : QSettings().value("recent").toStringList())
        recent_->addAction(file, this, [this, file] { if (may_lose_work()) open_file(file); });
    if (recent_->isEmpty()) recent_->addAction(tr("none yet"))->setEnabled(false);
}

void MainWindow::tell(const QString& title, const QString& text) {
    if (ask_instead) {
        ask_instead(title + ": " + text);
        return;
    }
    QMessageBox::information(this, title, text);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (may_lose_work()) event->accept();
    else event->ignore();
}

}  // namespace escarp::desktop
