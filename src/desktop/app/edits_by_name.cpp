#include "edits_by_name.h"

#include <QAction>

#include <desktop/dialogs/import_geometry.h>
#include <desktop/dialogs/table_dialog.h>
#include <desktop/looks/plain_text.h>
#include <motion/stopped.h>
#include <study/named_edits.h>

namespace escarp::desktop {
namespace {

/// What is new is selected.
void select_made(Workspace& workspace, const cell::json& made) {
    if (!made.is_object()) return;
    QStringList devices;
    if (made.contains("device")) devices << QString::fromStdString(made["device"].get<std::string>());
    for (const cell::json& id : made.value("devices", cell::json::array()))
        devices << QString::fromStdString(id.get<std::string>());
    if (!devices.isEmpty()) workspace.selection.select_devices(devices);
}

void carry_out(const cell::NamedEdit& edit, Workspace& workspace, QWidget* window) {
    cell::json said = cell::json::object();
    if (!edit.arguments.empty()) {
        TableDialog dialog(
            QString::fromStdString(edit.name), edit.arguments, workspace, "edit", TableDialog::Ends::carry_out, window);
        if (dialog.exec() != QDialog::Accepted) return;
        said = dialog.said();
    }
    said["do"] = edit.name;
    try {
        const cell::Layout layout = workspace.open.layout();
        std::optional<cell::Change> made;
        run_beside(window, QObject::tr("Working out: %1").arg(QString::fromStdString(edit.name)),
            [&](const exchange::LoadWatch& watch) {
                made = cell::carry_out(layout, said, study::named_edits());
                motion::throw_if_stopped(watch.cancel);
            });
        const cell::Change& change = *made;
        if (workspace.open.replace(change.document, QString::fromStdString(change.name)))
            select_made(workspace, change.made);
    } catch (const motion::Cancelled&) {
    } catch (const cell::InputError& e) {
        const cell::Problem& first = e.problems().front();
        const std::string where = first.where.empty() ? std::string() : first.where + ": ";
        Q_EMIT workspace.open.refused(
            QObject::tr("Nothing was changed"), QString::fromStdString(where + first.message));
    }
}

}  // namespace

void add_edits_by_name(Workspace& workspace, QWidget* window, const LayoutActions::Make& make) {
    for (const cell::NamedEdit& edit : study::named_edits()) {
        const QString name = QString::fromStdString(edit.name);
        const QString dots = edit.arguments.empty() ? QString() : QStringLiteral(" \u2026");
        QAction* action =
            make("edit_" + QString(name).replace(' ', '_'), QObject::tr("Edit by name: %1").arg(name) + dots, {},
                [&edit, &workspace, window] { carry_out(edit, workspace, window); });
        action->setToolTip(plain(QString::fromStdString(edit.help)));
    }
}

}  // namespace escarp::desktop
