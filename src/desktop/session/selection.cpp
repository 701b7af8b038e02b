#include "selection.h"

namespace escarp::desktop {

Selection::Selection(const OpenCell& open, QObject* parent) : QObject(parent), open_(open) {
    connect(&open_, &OpenCell::begins, this, [this] { first_ = {}, also_.clear(); });
    connect(&open_, &OpenCell::begun, this, &Selection::selection_changed);
    connect(&open_, &OpenCell::renewed, this, &Selection::leave_what_is_gone);
}

/// What is not there any more is not selected: also where only a draft had it.
void Selection::leave_what_is_gone() {
    if (!open_.trying())
        also_.removeIf([&](const QString& id) {
            return !cell::find(open_.document().tree(), cell::at_device(id.toStdString())) &&
                   open_.variant() == QString::fromStdString(open_.document().baseline());
        });
    if (!first_.device.isEmpty() && open_.cell()->device(first_.device.toStdString()) < 0) select({});
}

void Selection::select(const QString& device, const QString& step) {
    const Selected next{device, step};
    if (next == first_ && also_.isEmpty()) return;
    first_ = next;
    also_.clear();
    Q_EMIT selection_changed();
}

void Selection::select_devices(const QStringList& devices) {
    const Selected next{devices.value(0), {}};
    const QStringList rest = devices.mid(1);
    if (next == first_ && rest == also_) return;
    first_ = next;
    also_ = rest;
    Q_EMIT selection_changed();
}

void Selection::toggle(const QString& device) {
    QStringList devices = all();
    if (!devices.removeOne(device)) devices << device;
    select_devices(devices);
}

QStringList Selection::all() const {
    QStringList devices;
    for (const QString& id : QStringList{first_.device} + also_)
        if (open_.cell()->device(id.toStdString()) >= 0 && !devices.contains(id)) devices << id;
    return devices;
}

bool Selection::has(const std::string& device) const {
    const QString id = QString::fromStdString(device);
    return id == first_.device || also_.contains(id);
}

std::vector<int> Selection::indexes() const {
    std::vector<int> out;
    for (const QString& id : all()) out.push_back(open_.cell()->device(id.toStdString()));
    return out;
}

QStringList Selection::group_of(const QString& device) const {
    QStringList devices{device};
    const cell::Cell& cell = *open_.cell();
    const int index = cell.device(device.toStdString());
    if (index < 0) return devices;
    const std::string& group = cell.devices[index].group;
    for (const cell::Device& d : cell.devices)
        if (!group.empty() && d.group == group && QString::fromStdString(d.id) != device)
            devices << QString::fromStdString(d.id);
    return devices;
}

}  // namespace escarp::desktop
