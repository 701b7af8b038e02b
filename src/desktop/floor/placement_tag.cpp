#include "placement_tag.h"

#include <QGridLayout>
#include <QPainter>
#include <QStyle>

#include <desktop/fields/path_drag.h>
#include <desktop/fields/typed_number.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

namespace escarp::desktop {

using geometry::Frame;

PlacementTag::PlacementTag(OpenCell& open, Selection& selection, ViewOptions& view_options, QWidget* parent)
    : QWidget(parent), open_(open), selection_(selection), view_options_(view_options) {
    setObjectName("placement_tag");
    setAttribute(Qt::WA_NoMousePropagation);  // the Floor below it would let the selection go
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(8, 22, 8, 6);
    grid->setHorizontalSpacing(4);
    grid->setVerticalSpacing(3);
    const auto field = [&](const QString& label, const QString& name, const QString& unit, double range, int row,
                           int column, Number number) {
        auto* l = plain_label(label, this);
        auto* f = new NumberField(unit, -range, range, this);
        can_be_varied(open_, l, [this, key = QString(name).replace("place_", "")] {
            const QString unit_of = key == "turn" ? "_deg" : "_mm";
            return cell::at_device(selection_.first().device.toStdString()) / "placement" /
                   (key + unit_of).toStdString();
        });
        f->setObjectName(name);
        f->setAccessibleName(tr("%1 in %2").arg(label, unit));
        f->setFixedWidth(66);
        grid->addWidget(l, row, 2 * column);
        grid->addWidget(f, row, 2 * column + 1);
        connect(f, &NumberField::tried, this, [this, number](double v) { open_.try_quietly(edit_for(number, v)); });
        connect(f, &NumberField::gave_up, this, [this] { open_.drop_draft(); });
        connect(f, &NumberField::changed, this, [this, number](double v) {
            open_.drop_draft();
            const cell::Edit edit = edit_for(number, v);
            if (edit.operations.empty() || !open_.apply(edit)) show_device();
        });
        return f;
    };
    x_ = field(tr("X"), "place_x", "mm", 1e5, 0, 0, Number::x);
    y_ = field(tr("Y"), "place_y", "mm", 1e5, 0, 1, Number::y);
    z_ = field(tr("Z"), "place_z", "mm", 1e5, 1, 0, Number::z);
    turn_ = field(tr("turn"), "place_turn", "deg", 3600, 1, 1, Number::turn);
    relative_ = new QComboBox(this);
    relative_->setObjectName("place_frame");
    relative_->setAccessibleName(tr("Frame that the numbers are relative to"));
    relative_->setToolTip(tr("The frame that the numbers are relative to; they are converted when it changes"));
    relative_->setFixedHeight(19);
    grid->addWidget(relative_, 2, 0, 1, 4);
    connect(relative_, &QComboBox::activated, this, [this] {
        reading_ = relative_->currentData().toString();
        show_device();
    });
    setCursor(Qt::ArrowCursor);
    hide();
}

Frame PlacementTag::frame() const {
    const cell::Cell& c = *open_.cell();
    const int device = c.device(selection_.first().device.toStdString());
    if (reading_ == "floor") return Frame::Identity();
    const int other = c.device(reading_.toStdString());
    if (other >= 0 && other != device && !c.stands_on(other, device)) return cell::reading_frame(c, other);
    return cell::host_frame(c, device);
}

cell::Edit PlacementTag::edit_for(Number number, double value) const {
    // Read from the document itself: a draft under way must not add up.
    const auto c = open_.layout().shared_cell();
    const int device = c->device(selection_.first().device.toStdString());
    if (device < 0) return {};
    const cell::Device& d = c->devices[device];
    const Frame to = frame();
    cell::Placement p = cell::placement_of(to.inverse() * d.world);
    (number == Number::x ? p.x : number == Number::y ? p.y : number == Number::z ? p.z : p.turn) = value;
    const Frame world = to * cell::frame_of(p);
    std::vector<int> all;
    for (const QString& id : selection_.all()) all.push_back(c->device(id.toStdString()));
    if (all.size() > 1 && number != Number::turn)
        return cell::move_by(*c, all, world.translation() - d.world.translation());
    return {tr("Place %1").arg(QString::fromStdString(d.name)).toStdString(), cell::place_at(*c, device, world)};
}

void PlacementTag::fill_frames() {
    const cell::Cell& c = *open_.cell();
    const int device = c.device(selection_.first().device.toStdString());
    const cell::Device& d = c.devices[device];
    const QSignalBlocker quiet(relative_);
    relative_->clear();
    relative_->addItem(d.host >= 0 ? tr("from %1, its host").arg(QString::fromStdString(c.devices[d.host].name))
                                   : tr("from the floor"),
        "host");
    if (d.host >= 0) relative_->addItem(tr("from the floor"), "floor");
    for (const int other : indices(c.devices)) {
        if (other != device && !c.stands_on(other, device))
            relative_->addItem(tr("from %1").arg(QString::fromStdString(c.devices[other].name)),
                QString::fromStdString(c.devices[other].id));
    }
    const int now = relative_->findData(reading_);
    relative_->setCurrentIndex(std::max(0, now));
}

void PlacementTag::show_device() {
    const cell::Cell& c = *open_.cell();
    const int index = c.device(selection_.first().device.toStdString());
    setVisible(index >= 0 && view_options_.shown() != Shown::nothing());
    if (index < 0) return;
    const cell::Device& d = c.devices[index];
    if (!open_.trying()) fill_frames();
    const cell::Placement p = cell::placement_of(frame().inverse() * d.world);
    x_->set_value(p.x);
    y_->set_value(p.y);
    z_->set_value(p.z);
    turn_->set_value(p.turn);
    const auto& altered = open_.altered();
    const cell::Path at = cell::at_device(d.id) / "placement";
    for (auto [field, key] : {std::pair{x_, "x_mm"}, {y_, "y_mm"}, {z_, "z_mm"}, {turn_, "turn_deg"}}) {
        field->setEnabled(!d.locked);
        const auto found = altered.find(at / key);
        field->setProperty("altered", found != altered.end());
        field->style()->polish(field);
        field->setToolTip(
            d.locked ? tr("The device is locked")
            : found != altered.end()
                ? tr("Altered in this variant; the baseline has %1")
                      .arg(found->second.is_number() ? shown_number(found->second.get<double>()) : tr("none"))
                : tr("Units and sums are understood: 1.2 m, 650+45, 1/4 turn"));
    }
    // On a host the numbers are relative to its top: where that is in the world stands below them.
    layout()->setContentsMargins(8, 22, 8, d.host >= 0 || relative_->currentIndex() > 0 ? 20 : 6);
    adjustSize();
    update();
}

void PlacementTag::enter(const QString& field) {
    if (auto* f = findChild<NumberField*>(field)) f->setFocus(), f->selectAll();
}

void PlacementTag::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme::accent, 1));
    p.setBrush(theme::panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
    const cell::Cell& c = *open_.cell();
    const int index = c.device(selection_.first().device.toStdString());
    if (index < 0) return;
    const cell::Device& d = c.devices[index];
    const auto others = selection_.all().size() - 1;
    QString on = d.host >= 0 ? tr("on %1").arg(QString::fromStdString(c.devices[d.host].name)) : tr("on the floor");
    if (d.locked) on = tr("locked");
    if (others > 0) on = tr("and %1 more").arg(others);
    p.setFont(theme::font(11, true));
    p.setPen(theme::muted);
    const double wide = std::min(QFontMetricsF(theme::font(11)).horizontalAdvance(on) + 2, width() * 0.55);
    theme::text(p, QRectF(8, 4, width() - 22 - wide, 16), QString::fromStdString(d.name));
    p.setFont(theme::font(11));
    p.setPen(d.locked ? theme::watch_text : theme::good);
    theme::text(p, QRectF(width() - wide - 8, 4, wide, 16), on, Qt::AlignRight | Qt::AlignVCenter);
    if (d.host < 0 && relative_->currentIndex() <= 0) return;
    const geometry::Vector3 world = 1e3 * d.world.translation();
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    theme::text(p, QRectF(8, height() - 18, width() - 16, 14),
        tr("world %1, %2, %3").arg(world.x(), 0, 'f', 1).arg(world.y(), 0, 'f', 1).arg(world.z(), 0, 'f', 1));
}

}  // namespace escarp::desktop
