#include "layout_actions.h"

#include <QBuffer>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLineEdit>

#include <cell/text/disk.h>
#include <cell/text/names.h>
#include <desktop/dialogs/import_geometry.h>
#include <desktop/dialogs/numbers_dialog.h>
#include <desktop/dialogs/table_dialog.h>
#include <desktop/looks/plain_text.h>
#include <desktop/panels/findings_panel.h>
#include <exchange/question.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

QString export_name(const exchange::Exporter& exporter) { return "export_" + QString::fromStdString(exporter.name); }

}  // namespace

using geometry::Frame;
using geometry::Vector3;

LayoutActions::LayoutActions(Workspace& workspace, const Questions& questions, FloorView* floor, ModelView* model,
    CataloguePanel* catalogue, QWidget* window, const Make& make)
    : QObject(window),
      workspace_(workspace),
      questions_(questions),
      floor_(floor),
      model_(model),
      catalogue_(catalogue),
      window_(window) {
    make_arranging(make);
    make_choosing(make);
    make_seeing(make);
    make_exporting(make);
    connect(floor_, &FloorView::asks_menu, this, &LayoutActions::pop_menu);
}

QAction* LayoutActions::find(const QString& name) const { return window_->findChild<QAction*>(name); }

std::vector<std::string> LayoutActions::ids() const {
    std::vector<std::string> out;
    for (const QString& id : workspace_.selection.all()) out.push_back(id.toStdString());
    return out;
}

void LayoutActions::apply(const std::function<cell::Edit()>& edit) {
    try {
        const cell::Edit made = edit();
        if (!made.operations.empty()) workspace_.open.apply(made);
    } catch (const cell::InputError& e) {
        Q_EMIT workspace_.open.refused(tr("Nothing was changed"), QString::fromStdString(e.problems().front().message));
    }
}

void LayoutActions::make_arranging(const Make& make) {
    const std::tuple<const char*, QString, cell::AlignAt> aligns[] = {
        {"align_left", tr("Align left edges"), cell::AlignAt::left},
        {"align_right", tr("Align right edges"), cell::AlignAt::right},
        {"align_front", tr("Align front edges"), cell::AlignAt::front},
        {"align_back", tr("Align back edges"), cell::AlignAt::back},
        {"align_middle_x", tr("Align middles on one line along y"), cell::AlignAt::middle_x},
        {"align_middle_y", tr("Align middles on one line along x"), cell::AlignAt::middle_y}};
    for (const auto& [name, text, how] : aligns)
        make(name, text, {}, [this, how = how] {
            apply([&] { return cell::align(*workspace_.open.cell(), workspace_.selection.indexes(), how); });
        });
    make("distribute_x", tr("Equal gaps along x"), {}, [this] {
        apply([&] { return cell::distribute(*workspace_.open.cell(), workspace_.selection.indexes(), 0); });
    });
    make("distribute_y", tr("Equal gaps along y"), {}, [this] {
        apply([&] { return cell::distribute(*workspace_.open.cell(), workspace_.selection.indexes(), 1); });
    });
    for (const int axis : {0, 1})
        make(axis == 0 ? "mirror_x" : "mirror_y", axis == 0 ? tr("Mirror left and right") : tr("Mirror front and back"),
            {}, [this, axis] {
                apply([&] {
                    geometry::Box3 all;
                    for (const int i : workspace_.selection.indexes()) {
                        const geometry::Box3 b = cell::world_extent(*workspace_.open.cell(), i);
                        all.add(b.low), all.add(b.high);
                    }
                    return cell::mirror(workspace_.open.layout(), ids(), axis, 0.5 * (all.low[axis] + all.high[axis]));
                });
            });
    make("duplicate", tr("Duplicate"), QKeySequence("Ctrl+D"), [this] { duplicate(); });
    make("array_rows", tr("Copies in rows \u2026"), QKeySequence("Ctrl+Shift+D"), [this] { array_rows(); });
    make("array_ring", tr("Copies on a circle \u2026"), {}, [this] { array_ring(); });
    make("turn_left", tr("Turn by 15\u00b0 to the left  ( , )"), {}, [this] { floor_->turn(geometry::pi / 12); });
    make("turn_right", tr("Turn by 15\u00b0 to the right  ( . )"), {}, [this] { floor_->turn(-geometry::pi / 12); });
    make("turn_quarter", tr("Quarter turn"), QKeySequence("Q"), [this] { floor_->turn(geometry::pi / 2); });
    make("group", tr("Group"), QKeySequence("Ctrl+G"), [this] { group(); });
    make("ungroup", tr("Ungroup"), QKeySequence("Ctrl+Shift+G"), [this] { ungroup(); });
    make("lock", tr("Lock or unlock"), QKeySequence("Ctrl+L"), [this] { lock(); });
}

void LayoutActions::make_choosing(const Make& make) {
    make("select_all", tr("Select everything"), QKeySequence::SelectAll, [this] {
        QStringList all;
        for (const cell::Device& d : workspace_.open.cell()->devices)
            if (!workspace_.view_options.hidden(d.id)) all << QString::fromStdString(d.id);
        workspace_.selection.select_devices(all);
    });
    make("keep_own", tr("Keep in my catalogue \u2026"), {}, [this] {
        const int i = workspace_.open.cell()->device(workspace_.selection.first().device.toStdString());
        if (i < 0) return;
        const QString name = ask_name(tr("Keep in my catalogue"), tr("Name of the device in the catalogue:"),
            QString::fromStdString(workspace_.open.cell()->devices[i].name));
        if (!name.isEmpty()) catalogue_->keep_own(workspace_.selection.first().device, name);
    });
    make("leave_out", tr("Leave this pair out of the clearance \u2026"), {}, [this] {
        const auto pair = ids();
        if (pair.size() == 2) leave_out(workspace_.open, window_, {pair[0], pair[1]});
    });
    make("measure", tr("Measure between two points"), QKeySequence("M"), [this] { floor_->measure(); });
    make("best_base", tr("Put the arm where it reaches best"), {}, [this] {
        if (!floor_->take_best_base())
            Q_EMIT workspace_.open.refused(tr("Nothing was changed"),
                tr("Select an arm that has a pick or a place in its task. If it has, no position of its base reaches "
                   "every pose: bring what it works at closer together."));
    });
}

void LayoutActions::group() {
    const auto all = ids();
    if (all.size() < 2) return;
    cell::Edit edit{tr("Group %1 devices").arg(all.size()).toStdString(), {}};
    std::string name;
    for (int n = 1; name.empty(); ++n) {
        name = "group " + std::to_string(n);
        for (const cell::Device& d : workspace_.open.cell()->devices)
            if (d.group == name) name.clear();
    }
    for (const std::string& id : all)
        edit.operations.push_back(cell::Operation::set(cell::at_device(id) / "group", name));
    workspace_.open.apply(edit);
}

void LayoutActions::ungroup() {
    cell::Edit edit{tr("Ungroup").toStdString(), {}};
    for (const int i : workspace_.selection.indexes())
        if (const cell::Device& d = workspace_.open.cell()->devices[i]; !d.group.empty())
            edit.operations.push_back(cell::Operation::remove(cell::at_device(d.id) / "group"));
    if (!edit.operations.empty()) workspace_.open.apply(edit);
}

void LayoutActions::lock() {
    const std::vector<int> all = workspace_.selection.indexes();
    if (all.empty()) return;
    const bool lock = !workspace_.open.cell()->devices[all.front()].locked;
    cell::Edit edit{(lock ? tr("Lock") : tr("Unlock")).toStdString(), {}};
    for (const int i : all) {
        const cell::Device& d = workspace_.open.cell()->devices[i];
        if (lock && !d.locked) edit.operations.push_back(cell::Operation::set(cell::at_device(d.id) / "locked", true));
        if (!lock && d.locked) edit.operations.push_back(cell::Operation::remove(cell::at_device(d.id) / "locked"));
    }
    workspace_.open.apply(edit);
}

void LayoutActions::make_seeing(const Make& make) {
    make("hide", tr("Hide"), QKeySequence("H"), [this] {
        QSet<QString> hidden = workspace_.view_options.hidden();
        for (const QString& id : workspace_.selection.all()) hidden.insert(id);
        workspace_.view_options.set_hidden(hidden);
    });
    make("show_alone", tr("Show alone"), QKeySequence("Shift+H"), [this] {
        QSet<QString> hidden;
        for (const cell::Device& d : workspace_.open.cell()->devices)
            if (!workspace_.selection.has(d.id)) hidden.insert(QString::fromStdString(d.id));
        if (static_cast<std::size_t>(hidden.size()) < workspace_.open.cell()->devices.size())
            workspace_.view_options.set_hidden(hidden);
    });
    make("show_all", tr("Show everything"), QKeySequence("Ctrl+H"), [this] { workspace_.view_options.set_hidden({}); });
    make("fit_selection", tr("Fit what is selected"), QKeySequence("Shift+F"),
        [this] { floor_->fit_selection(), model_->fit_selection(); });
    const auto toggle = [&](const char* name, const QString& text, const QKeySequence& key, bool Shown::*member) {
        QAction* a = make(name, text, key, [] {});
        a->setCheckable(true);
        a->setChecked(workspace_.view_options.shown().*member);
        connect(a, &QAction::toggled, this, [this, member](bool on) {
            Shown shown = workspace_.view_options.shown();
            shown.*member = on;
            workspace_.view_options.set_shown(shown);
        });
        connect(&workspace_.view_options, &ViewOptions::shown_changed, a, [this, a, member] {
            const QSignalBlocker quiet(a);
            a->setChecked(workspace_.view_options.shown().*member);
        });
    };
    toggle("reach", tr("Reach on the Floor"), QKeySequence("R"), &Shown::reach);
    toggle("base_field", tr("Where the arm's base may stand"), QKeySequence("B"), &Shown::base);
    toggle("zones", tr("Shared zones"), QKeySequence("Z"), &Shown::zones);
    toggle("swept", tr("What the selected mover sweeps"), QKeySequence("V"), &Shown::swept);
    make("working_height", tr("Height of reach and outline \u2026"), QKeySequence("Shift+V"), [this] { ask_height(); });
    QAction* usual = make("usual_height", tr("Height where the arm works"), {}, [this] { show_height({}); });
    usual->setEnabled(false);
    usual->setProperty("needs", tr("no other height is shown"));
    connect(&workspace_.view_options, &ViewOptions::shown_changed, usual,
        [this, usual] { usual->setEnabled(workspace_.view_options.shown().height.has_value()); });
    toggle("nearness", tr("Clearance over time"), QKeySequence("D"), &Shown::nearness);
    toggle("names", tr("Names"), {}, &Shown::names);
    toggle("model_names", tr("Names in the Model"), {}, &Shown::model_names);
    toggle("frames", tr("Frames"), {}, &Shown::frames);
    toggle("dimensions", tr("Dimensions to the neighbours"), {}, &Shown::dimensions);
    toggle("helpers", tr("Beams, arrows and the floor's outline"), {}, &Shown::helpers);
    QAction* clean = make("clean", tr("Clean view: only what stands there"), QKeySequence("Ctrl+Shift+C"), [] {});
    clean->setCheckable(true);
    connect(clean, &QAction::toggled, this, [this, before = Shown{}](bool on) mutable {
        if (on) before = workspace_.view_options.shown();
        workspace_.view_options.set_shown(on ? Shown::nothing() : before);
    });
    make("corner", tr("Floor from a corner"), QKeySequence("8"), [this] { floor_->set_side(Side::corner); });
    make("store_view", tr("Store this view \u2026"), {}, [this] { store_view(); });
}

void LayoutActions::make_exporting(const Make& make) {
    make("picture_under", tr("Picture under the Floor \u2026"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(window_, tr("Picture under the Floor"),
            QFileInfo(workspace_.open.file()).absolutePath(), tr("Pictures (*.png *.jpg *.jpeg *.svg)"));
        if (!file.isEmpty()) take_picture_under(file);
    });
    make("picture_scale", tr("Scale the picture by two points \u2026"), {}, [this] {
        if (!workspace_.open.document().tree().contains("underlay"))
            return Q_EMIT workspace_.open.refused(
                tr("Nothing to scale"), tr("There is no picture under the Floor yet."));
        floor_->measure();
        connect(
            floor_, &FloorView::points_measured, this,
            [this](const Vector3& a, const Vector3& b) {
                NumbersDialog dialog(tr("Distance of the two points"),
                    {{"true_distance", tr("in truth"), "mm", 1, 1e6, std::round(1e3 * (b - a).norm())}}, window_);
                if (dialog.exec() == QDialog::Accepted) scale_picture_under(a, b, 1e-3 * dialog.values().front());
            },
            static_cast<Qt::ConnectionType>(Qt::QueuedConnection | Qt::SingleShotConnection));
    });
    make("picture_drop", tr("Take the picture away"), {}, [this] {
        const cell::Document& d = workspace_.open.document();
        if (d.tree().contains("underlay"))
            workspace_.open.replace(
                d.edited(d.baseline(), {"", {cell::Operation::remove("/underlay")}}), tr("Take the picture away"));
    });
    for (const exchange::Exporter& exporter : exchange::exporters())
        make(export_name(exporter), tr("%1 \u2026").arg(QString::fromStdString(exporter.label)),
            exporter.name == "draw" ? QKeySequence("Ctrl+P") : QKeySequence(),
            [this, &exporter] { ask_export(exporter); });
    for (const auto& [what, text] : {std::pair{"floor", tr("Picture of the Floor \u2026")},
             {"model", tr("Picture of the Model \u2026")}, {"window", tr("Picture of the window \u2026")}})
        make(QString("picture_") + what, text, {}, [this, what = QString(what)] {
            const QString file = QFileDialog::getSaveFileName(
                window_, tr("Save the picture"), default_file("png"), tr("Pictures (*.png)"));
            if (!file.isEmpty()) save_picture(what, file);
        });
}

void LayoutActions::fill_arrange(QMenu* m) const {
    for (const char* name : {"duplicate", "array_rows", "array_ring", "", "align_left", "align_right", "align_front",
             "align_back", "align_middle_x", "align_middle_y", "", "distribute_x", "distribute_y", "", "mirror_x",
             "mirror_y", "turn_left", "turn_right", "turn_quarter", "", "group", "ungroup", "lock", "leave_out", "",
             "measure", "best_base", "", "keep_own"}) {
        if (!*name) m->addSeparator();
        else m->addAction(find(name));
    }
}

void LayoutActions::fill_view(QMenu* m) {
    QMenu* views = m->addMenu(tr("Stored views"));
    connect(views, &QMenu::aboutToShow, this, [this, views] { fill_views(views); });
    for (const char* name : {"fit_selection", "hide", "show_alone", "show_all", "", "reach", "base_field", "zones",
             "swept", "working_height", "usual_height", "nearness", "names", "model_names", "frames", "dimensions",
             "helpers", "clean", "", "picture_under", "picture_scale", "picture_drop"}) {
        if (!*name) m->addSeparator();
        else m->addAction(find(name));
    }
}

void LayoutActions::fill_export(QMenu* m) const {
    for (const exchange::Exporter& exporter : exchange::exporters()) m->addAction(find(export_name(exporter)));
    m->addSeparator();
    for (const char* name : {"picture_floor", "picture_model", "picture_window"}) m->addAction(find(name));
}

void LayoutActions::renew() {
    const auto selected = workspace_.selection.all().size();
    const auto when = [this](std::initializer_list<const char*> names, bool possible, const QString& needs) {
        for (const char* name : names) {
            find(name)->setEnabled(possible);
            find(name)->setProperty("needs", needs);
        }
    };
    when({"duplicate", "array_rows", "array_ring", "mirror_x", "mirror_y", "turn_left", "turn_right", "turn_quarter",
             "lock", "hide", "show_alone", "keep_own", "fit_selection"},
        selected > 0, tr("select a device first"));
    when({"align_left", "align_right", "align_front", "align_back", "align_middle_x", "align_middle_y", "group"},
        selected > 1, tr("select two devices or more"));
    when({"distribute_x", "distribute_y"}, selected > 2, tr("select three devices or more"));
    when({"leave_out"}, selected == 2, tr("select two devices"));
    bool grouped = false;
    for (const int i : workspace_.selection.indexes())
        grouped = grouped || !workspace_.open.cell()->devices[i].group.empty();
    when({"ungroup"}, grouped, tr("select a device of a group"));
    when({"best_base"}, floor_->base_arm() >= 0, tr("select an arm that picks or places"));
}

void LayoutActions::pop_menu(const QPoint& global, const QList<int>& under) {
    auto* menu = new QMenu(window_);
    menu->setObjectName("floor_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const cell::Cell& c = *workspace_.open.cell();
    for (const int i : under) {
        const cell::Device& d = c.devices[i];
        QAction* a = menu->addAction(menu_text(tr("%1   %2").arg(QString::fromStdString(d.name),
                                         QString::fromStdString(d.kind->label()).toLower())),
            this, [this, id = QString::fromStdString(d.id)] { workspace_.selection.select(id); });
        a->setObjectName("under_" + QString::fromStdString(d.id));
        a->setCheckable(true);
        a->setChecked(workspace_.selection.has(d.id));
    }
    if (!under.isEmpty()) {
        if (!workspace_.selection.has(c.devices[under.front()].id))
            workspace_.selection.select(QString::fromStdString(c.devices[under.front()].id));
        menu->addSeparator();
        for (const char* name : {"duplicate", "array_rows", "turn_quarter", "mirror_x", "mirror_y", "group", "ungroup",
                 "lock", "hide", "show_alone", "keep_own", "remove"})
            if (find(name)->isEnabled()) menu->addAction(find(name));
    } else {
        for (const char* name : {"catalogue", "measure", "select_all", "show_all", "fit"}) menu->addAction(find(name));
    }
    menu->popup(global);
}

void LayoutActions::duplicate() {
    if (ids().empty()) return;
    geometry::Box3 all;
    for (const int i : workspace_.selection.indexes()) {
        const geometry::Box3 b = cell::world_extent(*workspace_.open.cell(), i);
        all.add(b.low), all.add(b.high);
    }
    // Beside it, clear of it: to the right by its width and 100 mm.
    copies({geometry::make_frame({std::round(10 * (all.high.x() - all.low.x()) + 1) / 10, 0, 0})});
}

void LayoutActions::copies(const std::vector<Frame>& by) {
    apply([&] {
        std::vector<std::string> made;
        const cell::Edit edit = cell::copy(workspace_.open.layout(), ids(), by, &made);
        QStringList copied;
        for (const std::string& id : made) copied << QString::fromStdString(id);
        if (workspace_.open.apply(edit)) workspace_.selection.select_devices(copied);
        return cell::Edit{};
    });
}

void LayoutActions::array_rows() {
    const std::vector<int> chosen = workspace_.selection.indexes();
    if (chosen.empty()) return;
    const geometry::Box3 b = cell::world_extent(*workspace_.open.cell(), chosen.front());
    const double dx = std::ceil(1e-2 * 1e3 * (b.high.x() - b.low.x())) * 100,
                 dy = std::ceil(1e-2 * 1e3 * (b.high.y() - b.low.y())) * 100;
    NumbersDialog dialog(tr("Copies in rows"),
        {{"array_columns", tr("along x"), "", 1, 100, 3}, {"array_dx", tr("pitch x"), "mm", -1e5, 1e5, dx},
            {"array_rows_count", tr("along y"), "", 1, 100, 1}, {"array_dy", tr("pitch y"), "mm", -1e5, 1e5, dy}},
        window_);
    const auto frames = [](const std::vector<double>& v) {
        return cell::grid_of(static_cast<int>(v[0]), static_cast<int>(v[2]), 1e-3 * v[1], 1e-3 * v[3]);
    };
    const auto show = [&](const std::vector<double>& v) {
        try {
            const auto by = frames(v);
            if (by.empty()) workspace_.open.drop_draft();
            else workspace_.open.try_quietly(cell::copy(workspace_.open.layout(), ids(), by));
        } catch (const cell::InputError&) {
            workspace_.open.drop_draft();  // too many; said when it is confirmed
        }
    };
    dialog.tried = show;
    show(dialog.values());
    const bool good = dialog.exec() == QDialog::Accepted;
    workspace_.open.drop_draft();
    if (good && !frames(dialog.values()).empty()) copies(frames(dialog.values()));
}

void LayoutActions::array_ring() {
    const std::vector<int> chosen = workspace_.selection.indexes();
    if (chosen.empty()) return;
    const Vector3 at = 1e3 * workspace_.open.cell()->devices[chosen.front()].world.translation();
    NumbersDialog dialog(tr("Copies on a circle"),
        {{"ring_count", tr("how many in all"), "", 2, 200, 6},
            {"ring_x", tr("centre X"), "mm", -1e5, 1e5, std::round(at.x()) - 1000},
            {"ring_y", tr("centre Y"), "mm", -1e5, 1e5, std::round(at.y())},
            {"ring_angle", tr("over"), "deg", -360, 360, 360}},
        window_);
    const auto frames = [](const std::vector<double>& v) {
        return cell::ring_of(static_cast<int>(v[0]), {1e-3 * v[1], 1e-3 * v[2], 0}, v[3] * geometry::pi / 180);
    };
    const auto show = [&](const std::vector<double>& v) {
        try {
            workspace_.open.try_quietly(cell::copy(workspace_.open.layout(), ids(), frames(v)));
        } catch (const cell::InputError&) {
            workspace_.open.drop_draft();
        }
    };
    dialog.tried = show;
    show(dialog.values());
    const bool good = dialog.exec() == QDialog::Accepted;
    workspace_.open.drop_draft();
    if (good) copies(frames(dialog.values()));
}

void LayoutActions::show_height(std::optional<double> metres) {
    Shown shown = workspace_.view_options.shown();
    shown.height = metres;
    workspace_.view_options.set_shown(shown);
}

/// Seen on the Floor while it is typed.
void LayoutActions::ask_height() {
    const std::optional<double> before = workspace_.view_options.shown().height;
    NumbersDialog dialog(tr("Height of reach and outline"),
        {{"height", tr("Above the floor"), "mm", 0, 10000, std::round(1e3 * floor_->working_height())}}, window_);
    dialog.tried = [this](const std::vector<double>& now) { show_height(1e-3 * now.front()); };
    if (dialog.exec() == QDialog::Accepted) show_height(1e-3 * dialog.values().front());
    else show_height(before);
}

QString LayoutActions::ask_name(const QString& title, const QString& label, const QString& now) {
    if (name_instead) return name_instead(title);
    bool ok = false;
    const QString name = QInputDialog::getText(window_, title, plain(label), QLineEdit::Normal, now, &ok).trimmed();
    return ok ? name : QString();
}

void LayoutActions::remove_selected() {
    const auto all = ids();
    if (all.empty()) return;
    const cell::Cell& c = *workspace_.open.cell();
    QStringList riders;
    for (std::size_t i = 0; i < c.devices.size(); ++i) {
        const int host = c.devices[i].host;
        if (host >= 0 && workspace_.selection.has(c.devices[host].id) && !workspace_.selection.has(c.devices[i].id))
            riders << QString::fromStdString(c.devices[i].name);
    }
    cell::Riders what = cell::Riders::lower;
    if (!riders.isEmpty()) {
        const QString text = tr("%1 stands on what is taken away. What should it do?").arg(riders.join(", "));
        const int answer =
            questions_.ask(tr("Remove"), text, {tr("Set it down"), tr("Stay where it is"), tr("Remove it too")});
        if (answer < 0 || answer > 2) return;
        what = answer == 1 ? cell::Riders::keep_height : answer == 2 ? cell::Riders::remove : cell::Riders::lower;
    }
    apply([&] { return cell::remove_devices(workspace_.open.layout(), all, what); });
    if (workspace_.open.cell()->device(workspace_.selection.first().device.toStdString()) < 0)
        workspace_.selection.select({});
}

void LayoutActions::store_view() {
    const QString name = ask_name(tr("Store this view"), tr("Name of the view:"),
        tr("View %1").arg(workspace_.open.document().tree().value("views", cell::json::array()).size() + 1));
    if (name.isEmpty()) return;
    const cell::Document& d = workspace_.open.document();
    cell::json views = d.tree().value("views", cell::json::array());
    const cell::json view = {{"id", cell::free_id(d.tree(), name.toStdString())}, {"name", name.toStdString()},
        {"floor", floor_->view_state()}, {"model", model_->view_state()}};
    bool replaced = false;
    for (cell::json& v : views)
        if (v.value("name", "") == name.toStdString()) v = view, replaced = true;
    if (!replaced) views.push_back(view);
    set_of_cell("/views", views, tr("Store view %1").arg(name));
}

bool LayoutActions::set_of_cell(const std::string& at, const cell::json& value, const QString& name) {
    const cell::Document& d = workspace_.open.document();
    try {
        return workspace_.open.replace(d.edited(d.baseline(), {"", {cell::Operation::set(at, value)}}), name);
    } catch (const cell::InputError& e) {
        Q_EMIT workspace_.open.refused(tr("Nothing was changed"), QString::fromStdString(e.problems().front().message));
        return false;
    }
}

bool LayoutActions::take_picture_under(const QString& file) {
    QString why;
    const cell::json underlay = FloorPicture::from_file(file, &why);
    if (!underlay.is_null()) return set_of_cell("/underlay", underlay, tr("Picture under the Floor"));
    Q_EMIT workspace_.open.refused(tr("The picture was not taken"), why);
    return false;
}

bool LayoutActions::scale_picture_under(const Vector3& a, const Vector3& b, double distance) {
    const cell::json now = workspace_.open.document().tree().value("underlay", cell::json());
    return now.is_object() &&
           set_of_cell("/underlay", FloorPicture::scaled(now, a, b, distance), tr("Scale the picture"));
}

void LayoutActions::fill_views(QMenu* menu) {
    menu->clear();
    menu->addAction(find("store_view"));
    const cell::json views = workspace_.open.document().tree().value("views", cell::json::array());
    if (!views.empty()) menu->addSeparator();
    for (const cell::json& v : views) {
        if (!v.is_object() || !v.contains("floor")) continue;
        QAction* a = menu->addAction(menu_text(QString::fromStdString(v.value("name", ""))), this, [this, v] {
            try {
                floor_->set_view_state(v["floor"]);
                if (v.contains("model")) model_->set_view_state(v["model"]);
            } catch (const cell::json::exception&) {
                Q_EMIT workspace_.open.refused(
                    tr("The view cannot be shown"), tr("Its numbers in the file do not fit; store it again."));
            }
        });
        a->setObjectName("view_" + QString::fromStdString(v.value("id", "")));
    }
}

QString LayoutActions::default_file(const QString& ending) const {
    if (workspace_.open.file().isEmpty()) return "layout." + ending;
    const QFileInfo info(workspace_.open.file());
    return info.absolutePath() + "/" + info.completeBaseName() + "." + ending;
}

void LayoutActions::ask_export(const exchange::Exporter& exporter) {
    cell::json said = cell::json::object();
    if (!exporter.options.empty()) {
        TableDialog dialog(QString::fromStdString(exporter.label), exporter.options, workspace_, "export",
            TableDialog::Ends::save, window_);
        if (dialog.exec() != QDialog::Accepted) return;
        said = dialog.said();
    }
    QStringList filters;
    for (const std::string& ending : exporter.endings) filters << "*." + QString::fromStdString(ending);
    QString file = QFileDialog::getSaveFileName(window_, QString::fromStdString(exporter.label),
        default_file(QString::fromStdString(exporter.endings.front())), filters.join(";;"));
    if (file.isEmpty()) return;
    const bool ends_well = std::any_of(exporter.endings.begin(), exporter.endings.end(),
        [&](const std::string& e) { return file.endsWith("." + QString::fromStdString(e)); });
    if (!ends_well) file += "." + QString::fromStdString(exporter.endings.front());
    hand_on(QString::fromStdString(exporter.name), file, said);
}

bool LayoutActions::hand_on(const QString& name, const QString& file, const cell::json& said) {
    try {
        for (const exchange::Exporter& exporter : exchange::exporters())
            if (exporter.name == name.toStdString()) {
                cell::check_target(file.toStdString(), exporter.endings, {workspace_.open.file().toStdString()});
                const cell::Layout layout = workspace_.open.layout();
                run_beside(
                    window_, tr("Writing %1").arg(QFileInfo(file).fileName()), [&](const exchange::LoadWatch& w) {
                        study::EvaluateOptions how;
                        how.stop = w.cancel;
                        exchange::export_to(exporter, layout, said, file.toStdString(), how);
                    });
            }
        return true;
    } catch (const motion::Cancelled&) {
        return false;
    } catch (const cell::InputError& e) {
        const cell::Problem& p = e.problems().front();
        Q_EMIT workspace_.open.refused(tr("Nothing was written"),
            tr("%1: %2").arg(QString::fromStdString(p.where), QString::fromStdString(p.message)));
        return false;
    }
}

bool LayoutActions::write(const QString& file, const std::string& bytes, const QString& otherwise) {
    try {
        cell::check_target(file.toStdString(), {}, {workspace_.open.file().toStdString()});
        cell::write_file(file.toStdString(), bytes);
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT workspace_.open.refused(
            otherwise, tr("%1: %2").arg(file, QString::fromStdString(e.problems().front().message)));
        return false;
    }
}

bool LayoutActions::save_picture(const QString& what, const QString& file) {
    const QImage picture = what == "model"   ? model_->picture()
                           : what == "floor" ? floor_->grab().toImage()
                                             : window_->grab().toImage();
    QByteArray bytes;
    QBuffer buffer(&bytes);
    picture.save(&buffer, "PNG");
    return write(file, bytes.toStdString(), tr("The picture was not saved"));
}

}  // namespace escarp::desktop
