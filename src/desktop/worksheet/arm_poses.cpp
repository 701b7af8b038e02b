// The poses of the arm that is looked at: names, what they ride on, which steps use them.

#include <QPushButton>
#include <QTimer>

#include <cell/edits/poses.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

#include "arm_panel.h"

namespace escarp::desktop {

void ArmPanel::add_poses() {
    title(tr("POSES"));
    for (const cell::Pose& p : device().poses) {
        add_pose(p);
        add_pose_note(p);
    }
    auto* line = new QHBoxLayout;
    name_ = new QLineEdit;
    name_->setObjectName("new_pose_name");
    name_->setPlaceholderText(tr("name of a new pose"));
    host_ = new QComboBox;
    host_->setObjectName("new_pose_host");
    host_->addItem(tr("floor"), "");
    host_->addItem(tr("joint values"), "*");
    for (const cell::Device& o : workspace_.open.cell()->devices)
        if (o.id != device().id) host_->addItem(QString::fromStdString(o.name), QString::fromStdString(o.id));
    host_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    host_->setMinimumContentsLength(5);
    line->addWidget(name_, 1);
    line->addWidget(host_, 1);
    rows_->addLayout(line);
    auto* keep = new QPushButton(tr("Store where the arm stands"));
    keep->setObjectName("store_pose");
    connect(keep, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, this, &ArmPanel::store); });
    rows_->addWidget(keep);
}

/// Its name, and what it rides on.
void ArmPanel::add_pose(const cell::Pose& p) {
    const cell::Device& d = device();
    auto* line = new QHBoxLayout;
    auto* name = new QLineEdit(QString::fromStdString(p.name));
    name->setObjectName(QString::fromStdString("pose_name_" + p.id));
    name->setCursorPosition(0);
    connect(name, &QLineEdit::editingFinished, this, [this, name, arm = d.id, id = p.id] {
        if (!name->isModified()) return;
        name->setModified(false);
        QTimer::singleShot(0, this, [this, arm, id, text = name->text().toStdString()] {
            apply([&] { return cell::rename_pose(workspace_.open.layout(), arm, id, text); });
            built_.clear();
            rebuild();
        });
    });
    auto* host = new QComboBox;
    host->setObjectName(QString::fromStdString("pose_host_" + p.id));
    host->setToolTip(tr("What the pose rides on"));
    host->addItem(tr("joint values"), "*");
    host->addItem(tr("floor"), "");
    for (const cell::Device& o : workspace_.open.cell()->devices)
        if (o.id != d.id) host->addItem(QString::fromStdString(o.name), QString::fromStdString(o.id));
    host->setCurrentIndex(p.joints ? 0 : std::max(1, host->findData(QString::fromStdString(p.relative_to))));
    host->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    host->setMinimumContentsLength(5);
    connect(host, &QComboBox::activated, this, [this, host, arm = d.id, id = p.id] {
        const std::string to = host->currentData().toString().toStdString();
        QTimer::singleShot(0, this, [=, this] {
            apply([&] {
                return cell::rehost_pose(
                    workspace_.open.layout(), arm, id, {to == "*", to == "*" ? std::string() : to});
            });
        });
    });
    line->addWidget(name, 1);
    line->addWidget(host, 1);
    rows_->addLayout(line);
}

/// Which steps use it, and what can be done with it.
void ArmPanel::add_pose_note(const cell::Pose& p) {
    const cell::Device& d = device();
    const auto evaluation = workspace_.results.shown();
    const auto uses = cell::uses_of_pose(d, p.id);
    const bool unreached = evaluation && std::any_of(evaluation->inspection->poses.begin(),
                                             evaluation->inspection->poses.end(), [&](const inspection::PoseNeed& n) {
                                                 return n.seat < 0 && !n.reached &&
                                                        evaluation->cell->devices[n.arm].id == d.id &&
                                                        n.label == p.name;
                                             });
    auto* second = new QHBoxLayout;
    QString text = uses.empty() ? tr("not used") : tr("used by step");
    for (std::size_t i = 0; i < uses.size(); ++i) text += QString(i ? ", %1" : " %1").arg(uses[i]->number + 1);
    if (unreached) text = tr("\u2715 out of reach \u00b7 ") + text;
    auto* note = plain_label(text);
    note->setObjectName(QString::fromStdString("pose_note_" + p.id));
    note->setFont(theme::font(10));
    note->setStyleSheet(QString("color: %1;")
                            .arg(unreached      ? theme::stop.name()
                                 : uses.empty() ? theme::watch_text.name()
                                                : theme::muted.name()));
    second->addWidget(note, 1);
    const auto button = [&](const QString& caption, const char* what, auto act) {
        auto* b = link_button(caption, QString::fromStdString(std::string("pose_") + what + "_" + p.id));
        connect(b, &QPushButton::clicked, this, [this, act] { QTimer::singleShot(0, this, act); });
        second->addWidget(b);
    };
    button(tr("go"), "go", [this, id = p.id] {
        if (index() < 0) return;
        const cell::Pose* pose = device().pose(id);
        if (!pose) return;
        if (pose->joints) take(*pose->joints);
        else go(device().world.inverse() * cell::pose_in_world(*workspace_.open.cell(), device(), *pose));
    });
    button(tr("set here"), "set",
        [this, arm = d.id, id = p.id, joints_stored = p.joints.has_value(), relative = p.relative_to] {
            apply([&] {
                return cell::store_pose(workspace_.open.layout(), arm, {}, joints(), {joints_stored, relative}, id);
            });
        });
    button(QStringLiteral("\u00d7"), "remove",
        [this, arm = d.id, id = p.id] { apply([&] { return cell::remove_pose(workspace_.open.layout(), arm, id); }); });
    rows_->addLayout(second);
}

}  // namespace escarp::desktop
