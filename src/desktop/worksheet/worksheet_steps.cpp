// The steps of a task on a card of the Worksheet: the fields of the one that is selected, and the menu that adds one.

#include <QMenu>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>
#include <algorithm>

#include <cell/edits/compose.h>
#include <cell/edits/task_edits.h>
#include <cell/model/device_kind.h>
#include <desktop/fields/field_editors.h>
#include <desktop/looks/plain_text.h>

#include "worksheet.h"

namespace escarp::desktop {

void Worksheet::add_step_fields(
    QVBoxLayout* layout, const cell::Device& d, const cell::Step& s, const cell::json& cell) {
    FieldGrid grid = new_field_grid(layout);
    const cell::json* found = cell::find(cell, "/" + s.path);
    const QString title = tr("Change step %1 of %2").arg(s.number + 1).arg(QString::fromStdString(d.name));
    const EditedGroup group{"/" + s.path, found ? *found : cell::json::object(), "step_field_", title, &d, &s};
    FieldEditors editors(workspace_.open, workspace_.results, grid, this, group);
    editors.add(s.kind->fields());
    editors.add(cell::field::flag("enabled", tr("enabled").toStdString(), true));
    add_step_buttons(layout, d, s);
}

/// What can be done with a step as a whole.
void Worksheet::add_step_buttons(QVBoxLayout* layout, const cell::Device& d, const cell::Step& s) {
    auto* row = new QHBoxLayout;
    row->setContentsMargins(14, 0, 4, 4);
    row->setSpacing(0);
    const auto button = [&](const QString& text, const QString& name, auto act) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setProperty("link", true);
        b->setToolTip(name == "step_up" ? tr("Move up") : name == "step_down" ? tr("Move down") : QString());
        b->setAccessibleName(b->toolTip().isEmpty() ? text : b->toolTip());
        connect(b, &QPushButton::clicked, this, [this, act] { QTimer::singleShot(0, this, act); });
        row->addWidget(b);
    };
    const std::string path = "/" + s.path;
    button(QStringLiteral("\u2191"), "step_up",
        [this, path] { workspace_.open.apply(cell::shift_step(workspace_.open.layout(), path, -1)); });
    button(QStringLiteral("\u2193"), "step_down",
        [this, path] { workspace_.open.apply(cell::shift_step(workspace_.open.layout(), path, 1)); });
    const auto edited = [this, device = QString::fromStdString(d.id)](
                            const std::function<cell::Edit(const cell::Layout&, std::string*)>& edit) {
        try {
            std::string id;
            if (workspace_.open.apply(edit(workspace_.open.layout(), &id)) && !id.empty())
                workspace_.selection.select(device, QString::fromStdString(id));
        } catch (const cell::InputError& e) {
            Q_EMIT workspace_.open.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
        }
    };
    button(tr("copy"), "step_copy", [edited, path] {
        edited([&](const cell::Layout& l, std::string* id) {
            return cell::move_step(l, path, {path, false}, true, id);
        });
    });
    if (cell::find_field(s.kind->fields(), "block"))
        button(tr("unpack"), "step_unpack", [edited, path] {
            edited([&](const cell::Layout& l, std::string*) { return cell::unpack_block(l, path); });
        });
    else
        button(tr("block"), "step_block", [this, edited, path] {
            std::vector<std::string> taken;
            for (const cell::StepBlock& b : workspace_.open.cell()->blocks) taken.push_back(b.name);
            std::string name = tr("Block").toStdString() + " 1";
            for (int i = 2; std::find(taken.begin(), taken.end(), name) != taken.end(); ++i)
                name = tr("Block").toStdString() + " " + std::to_string(i);
            edited([&](const cell::Layout& l, std::string* id) { return cell::make_block(l, path, name, id); });
        });
    button(tr("remove"), "step_remove", [this, path, device = QString::fromStdString(d.id)] {
        if (workspace_.open.apply({tr("Remove step").toStdString(), {cell::Operation::remove(path)}}))
            workspace_.selection.select(device);
    });
    row->addStretch(1);
    layout->addLayout(row);
}

void Worksheet::add_step_menu(
    QVBoxLayout* layout, const cell::Device& d, const QString& text, const std::string& list) {
    auto* add = new QToolButton;
    add->setText(text);
    QString name = "add_step";
    if (!list.empty()) name += "_" + QString::fromStdString(list).section('/', 3).replace('/', '_');
    add->setObjectName(name);
    add->setProperty("link", true);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    const bool main = list.find("/side_tasks/") == std::string::npos;
    using Use = cell::StepKind::ArmUse;
    for (const auto& kind : workspace_.open.layout().kinds().steps()) {
        const Use use = kind->arm_use();
        if ((use != Use::none && !d.arm) || (use == Use::moves && !main)) continue;
        menu->addAction(tr(kind->label().c_str()), this, [this, what = kind->id(), device = d.id, list] {
            // After the selected step of this list, else at its end.
            std::string place = list;
            const std::string in = list.empty() ? cell::at_device(device) / "task" : list;
            for (const cell::Device& o : workspace_.open.cell()->devices)
                if (o.id == device)
                    for (const cell::Step* s : cell::all_steps(o))
                        if (s->id == workspace_.selection.first().step.toStdString() &&
                            ("/" + s->path).rfind(in + "/", 0) == 0)
                            place = "/" + s->path;
            QTimer::singleShot(0, this, [=, this] {
                try {
                    std::string id;
                    if (workspace_.open.apply(cell::add_step(workspace_.open.layout(), device, what, place, &id)))
                        workspace_.selection.select(QString::fromStdString(device), QString::fromStdString(id));
                } catch (const cell::InputError& e) {
                    Q_EMIT workspace_.open.refused(
                        tr("The step was not added"), QString::fromStdString(e.problems().front().message));
                }
            });
        });
    }
    add->setMenu(menu);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(22, 1, 4, 1);
    row->addWidget(add);
    row->addStretch(1);
    layout->addLayout(row);
}

}  // namespace escarp::desktop
