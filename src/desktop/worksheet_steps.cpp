// The steps of a task on a card of the Worksheet: the fields of the one that is selected, and the menu that adds one.

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>
#include <algorithm>

#include <cell/compose.h>
#include <cell/task_edits.h>
#include <simulation/kinds.h>

#include "arm_words.h"
#include "field_grid.h"
#include "number_field.h"
#include "plain_text.h"
#include "worksheet.h"

namespace escarp::desktop {

void Worksheet::add_step_fields(
    QVBoxLayout* layout, const cell::Device& d, const cell::Step& s, const cell::json& cell) {
    FieldGrid grid = new_field_grid(layout);
    const std::string at = "/" + s.path + "/";
    const cell::json* found = cell::find(cell, "/" + s.path);
    const cell::json values = found ? *found : cell::json::object();
    const QString title = tr("Change step %1 of %2").arg(s.number + 1).arg(QString::fromStdString(d.name));
    const auto number = [&](const QString& label, const std::string& key, double now, double low, double high,
                            bool whole = false) {
        const QString unit = QString::fromStdString(cell::unit_sign(key));
        auto* field = new NumberField(unit, low, high);
        field->setObjectName(QString::fromStdString("step_field_" + key));
        field->set_value(values.contains(key) && values[key].is_number() ? values[key].get<double>() : now);
        connect(field, &NumberField::changed, this, [this, path = at + key, title, whole](double v) {
            QTimer::singleShot(0, this,
                [=, this] { set_value(path, whole ? cell::json(static_cast<long long>(v)) : cell::json(v), title); });
        });
        grid.add(label, field, unit);
    };
    const auto choice = [&](const QString& label, const std::string& key,
                            const std::vector<std::pair<QString, cell::json>>& choices, const cell::json& now) {
        auto* box = new QComboBox;
        box->setObjectName(QString::fromStdString("step_field_" + key));
        for (const auto& [text, value] : choices) {
            box->addItem(text);
            if (value == now) box->setCurrentIndex(box->count() - 1);
        }
        connect(box, &QComboBox::activated, this, [this, choices, path = at + key, title](int index) {
            QTimer::singleShot(0, this, [=, this, value = choices[index].second] { set_value(path, value, title); });
        });
        grid.add(label, box);
    };
    const auto flag = [&](const QString& label, const std::string& key, bool now) {
        auto* box = new QCheckBox;
        box->setObjectName(QString::fromStdString("step_field_" + key));
        box->setChecked(values.value(key, now));
        connect(box, &QCheckBox::clicked, this, [this, path = at + key, title](bool on) {
            QTimer::singleShot(0, this, [=, this] { set_value(path, on, title); });
        });
        grid.add(label, box);
    };
    const auto manner = [&] {
        number(tr("acceleration"), "acceleration_pct", 100, 1, 100);
        number(tr("fly-by corner"), "corner_mm", 0, 0, 2000);
        std::vector<std::pair<QString, cell::json>> postures{{tr("chosen by the planner"), -1}};
        if (const auto e = workspace_.evaluation(); e && d.arm && s.posture < 0) {  // and which that is
            const int arm = e->cell->device(d.id);
            for (const simulation::Block& b : e->run->trace.blocks)
                if (arm >= 0 && b.device == arm && b.step == s.number && b.to != simulation::never &&
                    b.kind != simulation::BlockKind::wait && b.kind != simulation::BlockKind::straight_out) {
                    const bool there = b.kind == simulation::BlockKind::grip ||
                                       b.kind == simulation::BlockKind::release || s.kind == cell::StepKind::move;
                    if (!there) continue;
                    if (const auto now =
                            cell::posture_at(*e->cell->devices[arm].arm, e->run->trace.joints(*e->cell, arm, b.to)))
                        postures.front().first = tr("planner: %1").arg(posture_name(*now));
                    break;
                }
        }
        if (d.arm)
            for (const int k : cell::postures_of(*d.arm)) postures.emplace_back(posture_name(k), k);
        choice(tr("joint solution"), "posture", postures, values.value("posture", -1));
        if (d.arm && !d.arm->solver->free_joints().empty()) {
            const kinematics::Joint& free = d.arm->model->mechanism.joints[d.arm->solver->free_joints().front()];
            const bool hinge = free.type == kinematics::JointType::hinge;
            const double unit = hinge ? geometry::pi / 180 : 1e-3;
            const std::string key = hinge ? "held_deg" : "held_mm";
            const QString name = QString::fromStdString(free.name);
            auto* hold = new QCheckBox;
            hold->setObjectName("step_hold");
            hold->setChecked(values.contains(key));
            hold->setToolTip(plain(tr("Else the planner chooses where %1 stands").arg(name)));
            connect(hold, &QCheckBox::clicked, this,
                [this, path = at + key, title, middle = std::round(0.5 * (free.low + free.high) / unit)](bool on) {
                    QTimer::singleShot(0, this, [=, this] {
                        if (on) set_value(path, middle, title);
                        else workspace_.apply({title.toStdString(), {cell::Operation::remove(path)}});
                    });
                });
            grid.add(tr("hold %1").arg(name), hold);
            if (values.contains(key)) number(tr("%1 at").arg(name), key, 0, free.low / unit, free.high / unit);
        }
        flag(tr("detour"), "detour", true);
    };
    const auto motion = [&] {
        number(tr("speed"), "speed_pct", 100, 1, 100);
        number(tr("straight speed"), "straight_speed_pct", 100, 1, 100);
        number(tr("approach"), "approach_mm", 80, 0, 2000);
        number(tr("retreat"), "retreat_mm", 80, 0, 2000);
        number(tr("turn"), "turn_deg", 0, -360, 360);
        manner();
    };
    const auto seated = [&](const std::string& key, bool picks) {
        std::vector<std::pair<QString, cell::json>> choices;
        for (const cell::Device& o : workspace_.cell()->devices) {
            if (o.seats.empty()) continue;
            const simulation::Kind& kind = simulation::kind_of(o);
            if (!(picks ? kind.pick_seats(o) : kind.place_seats(o)).empty())
                choices.emplace_back(QString::fromStdString(o.name), o.id);
        }
        choice(picks ? tr("from") : tr("in"), key, choices, values.value(key, ""));
    };
    switch (s.kind) {
        case cell::StepKind::pick: seated("from", true), motion(); break;
        case cell::StepKind::place: seated("in", false), motion(); break;
        case cell::StepKind::delay: number(tr("dwell"), "time_s", 1, 0, 1e5); break;
        case cell::StepKind::repeat: number(tr("times"), "times", 1, 1, 100000, true); break;
        case cell::StepKind::if_part:
            choice(tr("part is"), "part", {{tr("reject"), "reject"}, {tr("good"), "good"}}, values.value("part", ""));
            break;
        case cell::StepKind::move: {
            std::vector<std::pair<QString, cell::json>> poses;
            for (const cell::Pose& p : d.poses) poses.emplace_back(QString::fromStdString(p.name), p.id);
            choice(tr("pose"), "pose", poses, values.value("pose", ""));
            choice(tr("by"), "by", {{tr("joint move"), "joint"}, {tr("straight move"), "straight"}},
                values.value("by", "joint"));
            const bool straight = values.value("by", "joint") == "straight";
            number(tr("speed"), straight && values.contains("straight_speed_pct") ? "straight_speed_pct" : "speed_pct",
                100, 1, 100);
            manner();
            break;
        }
        case cell::StepKind::gripper:
            choice(tr("jaws"), "to", {{tr("close"), "close"}, {tr("open"), "open"}}, values.value("to", "close"));
            break;
        case cell::StepKind::act: number(tr("takes"), "time_s", 0.5, 0, 1e5); break;
        case cell::StepKind::use: {
            std::vector<std::pair<QString, cell::json>> tools;
            if (d.arm)
                for (const cell::MountedTool& t : d.arm->tools)
                    tools.emplace_back(QString::fromStdString(t.model->name), t.model->id);
            choice(tr("tool"), "tool", tools, values.value("tool", ""));
            number(tr("takes"), "time_s", 0, 0, 1e4);
            break;
        }
        case cell::StepKind::block: {
            std::vector<std::pair<QString, cell::json>> blocks;
            for (const cell::StepBlock& b : workspace_.cell()->blocks)
                blocks.emplace_back(QString::fromStdString(b.name), b.id);
            choice(tr("block"), "block", blocks, values.value("block", ""));
            const auto used = std::find_if(workspace_.cell()->blocks.begin(), workspace_.cell()->blocks.end(),
                [&](const cell::StepBlock& b) { return b.id == values.value("block", ""); });
            if (used != workspace_.cell()->blocks.end()) {
                auto* line = new QLineEdit(QString::fromStdString(used->name));
                line->setObjectName("step_field_block_name");
                connect(line, &QLineEdit::editingFinished, this,
                    [this, line, title, path = "/blocks/" + used->id + "/name"] {
                        if (!line->isModified() || line->text().trimmed().isEmpty()) return;
                        line->setModified(false);
                        QTimer::singleShot(0, this, [this, path, title, name = line->text().trimmed().toStdString()] {
                            set_value(path, name, title);
                        });
                    });
                grid.add(tr("its name"), line);
            }
            break;
        }
        case cell::StepKind::wait:
        case cell::StepKind::set: {
            std::vector<std::pair<QString, cell::json>> signals_known;
            for (const cell::Device& o : workspace_.cell()->devices)
                for (const std::string& name : o.signals)
                    if (s.kind == cell::StepKind::wait || o.id == d.id)
                        signals_known.emplace_back(QString::fromStdString(o.name + " " + name), o.id + "." + name);
            choice(tr("signal"), "signal", signals_known, values.value("signal", ""));
            const std::string key = s.kind == cell::StepKind::wait ? "is" : "to";
            choice(s.kind == cell::StepKind::wait ? tr("until it is") : tr("to"), key,
                {{tr("on"), true}, {tr("off"), false}}, values.value(key, true));
            break;
        }
    }
    flag(tr("enabled"), "enabled", true);
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
        [this, path] { workspace_.apply(cell::shift_step(workspace_.layout(), path, -1)); });
    button(QStringLiteral("\u2193"), "step_down",
        [this, path] { workspace_.apply(cell::shift_step(workspace_.layout(), path, 1)); });
    const auto edited = [this, device = QString::fromStdString(d.id)](
                            const std::function<cell::Edit(const cell::Layout&, std::string*)>& edit) {
        try {
            std::string id;
            if (workspace_.apply(edit(workspace_.layout(), &id)) && !id.empty())
                workspace_.select(device, QString::fromStdString(id));
        } catch (const cell::InputError& e) {
            Q_EMIT workspace_.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
        }
    };
    button(tr("copy"), "step_copy", [edited, path] {
        edited([&](const cell::Layout& l, std::string* id) {
            return cell::move_step(l, path, {path, false}, true, id);
        });
    });
    if (s.kind == cell::StepKind::block)
        button(tr("unpack"), "step_unpack", [edited, path] {
            edited([&](const cell::Layout& l, std::string*) { return cell::unpack_block(l, path); });
        });
    else
        button(tr("block"), "step_block", [this, edited, path] {
            std::vector<std::string> taken;
            for (const cell::StepBlock& b : workspace_.cell()->blocks) taken.push_back(b.name);
            std::string name = tr("Block").toStdString() + " 1";
            for (int i = 2; std::find(taken.begin(), taken.end(), name) != taken.end(); ++i)
                name = tr("Block").toStdString() + " " + std::to_string(i);
            edited([&](const cell::Layout& l, std::string* id) { return cell::make_block(l, path, name, id); });
        });
    button(tr("remove"), "step_remove", [this, path, device = QString::fromStdString(d.id)] {
        if (workspace_.apply({tr("Remove step").toStdString(), {cell::Operation::remove(path)}}))
            workspace_.select(device);
    });
    row->addStretch(1);
    layout->addLayout(row);
}

void Worksheet::add_step_menu(QVBoxLayout* layout, const cell::Device& d) {
    auto* add = new QToolButton;
    add->setText(tr("+ step"));
    add->setObjectName("add_step");
    add->setProperty("link", true);
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    const std::pair<const char*, QString> kinds[] = {{"pick", tr("Pick")}, {"place", tr("Place")},
        {"wait", tr("Wait for a signal")}, {"move", tr("Move to a pose")}, {"delay", tr("Dwell")},
        {"if", tr("If the part is \u2026")}, {"repeat", tr("Repeat")}, {"gripper", tr("Open or close the tool")},
        {"act", tr("Tool action")}, {"use", tr("Use another tool")}, {"block", tr("Block of steps")}};
    for (const auto& [word, label] : kinds)
        menu->addAction(label, this, [this, what = std::string(word), device = d.id] {
            // After the selected step of this task, else at its end.
            std::string after;
            for (const cell::Device& o : workspace_.cell()->devices)
                if (o.id == device)
                    for (const cell::Step* s : cell::all_steps(o.task))
                        if (s->id == workspace_.selection().step.toStdString()) after = "/" + s->path;
            QTimer::singleShot(0, this, [=, this] {
                try {
                    std::string id;
                    if (workspace_.apply(cell::add_step(workspace_.layout(), device, what, after, &id)))
                        workspace_.select(QString::fromStdString(device), QString::fromStdString(id));
                } catch (const cell::InputError& e) {
                    Q_EMIT workspace_.refused(
                        tr("The step was not added"), QString::fromStdString(e.problems().front().message));
                }
            });
        });
    add->setMenu(menu);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(22, 1, 4, 1);
    row->addWidget(add);
    row->addStretch(1);
    layout->addLayout(row);
}

}  // namespace escarp::desktop
