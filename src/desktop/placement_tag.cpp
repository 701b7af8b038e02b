#include <QGridLayout>
#include <QLabel>
#include <QPainter>

#include "floor_view.h"
#include "theme.h"

namespace escarp::desktop {

PlacementTag::PlacementTag(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName("placement_tag");
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(8, 22, 8, 6);
    grid->setHorizontalSpacing(4);
    grid->setVerticalSpacing(3);
    const auto field = [&](const QString& label, const QString& name, const QString& unit, double range, int row, int column) {
        auto* l = new QLabel(label, this);
        auto* f = new NumberField(unit, -range, range, this);
        f->setObjectName(name);
        f->setAccessibleName(tr("%1 in %2").arg(label, unit));
        f->setFixedWidth(62);
        grid->addWidget(l, row, 2 * column);
        grid->addWidget(f, row, 2 * column + 1);
        return f;
    };
    x_ = field(tr("X"), "place_x", "mm", 1e5, 0, 0);
    y_ = field(tr("Y"), "place_y", "mm", 1e5, 0, 1);
    z_ = field(tr("Z"), "place_z", "mm", 1e5, 1, 0);
    turn_ = field(tr("turn"), "place_turn", "deg", 3600, 1, 1);
    connect(x_, &NumberField::changed, this, [this](double v) { send("x_mm", v); });
    connect(y_, &NumberField::changed, this, [this](double v) { send("y_mm", v); });
    connect(z_, &NumberField::changed, this, [this](double v) { send("z_mm", v); });
    connect(turn_, &NumberField::changed, this, [this](double v) { send("turn_deg", v); });
    setCursor(Qt::ArrowCursor);
    hide();
}

void PlacementTag::send(const QString& key, double value) {
    const QString id = workspace_.selection().device;
    const int index = workspace_.cell()->device(id.toStdString());
    if (index < 0) return;
    const std::string name = workspace_.cell()->devices[static_cast<std::size_t>(index)].name;
    workspace_.apply({(tr("Place %1").arg(QString::fromStdString(name))).toStdString(), {cell::Operation::set("/devices/" + id.toStdString() + "/placement/" + key.toStdString(), value)}});
}

void PlacementTag::show_device() {
    const int index = workspace_.cell()->device(workspace_.selection().device.toStdString());
    setVisible(index >= 0);
    if (index < 0) return;
    const cell::Device& d = workspace_.cell()->devices[static_cast<std::size_t>(index)];
    const cell::json cell = workspace_.resolved();
    const cell::json* placement = cell::find(cell, "/devices/" + d.id + "/placement");
    const auto value = [&](const char* key) { return placement && placement->contains(key) && (*placement)[key].is_number() ? (*placement)[key].get<double>() : 0.0; };
    x_->set_value(value("x_mm"));
    y_->set_value(value("y_mm"));
    z_->set_value(value("z_mm"));
    turn_->set_value(value("turn_deg"));
    // On a host the numbers are relative to its top: where that is in the world stands below them.
    layout()->setContentsMargins(8, 22, 8, d.host >= 0 ? 20 : 6);
    adjustSize();
    update();
}

void PlacementTag::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme::accent, 1));
    p.setBrush(theme::panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
    const int index = workspace_.cell()->device(workspace_.selection().device.toStdString());
    if (index < 0) return;
    const cell::Device& d = workspace_.cell()->devices[static_cast<std::size_t>(index)];
    const QString host = d.host >= 0 ? tr("on %1").arg(QString::fromStdString(workspace_.cell()->devices[static_cast<std::size_t>(d.host)].name)) : tr("on the floor");
    p.setFont(theme::font(11, true));
    p.setPen(theme::muted);
    const double wide = QFontMetricsF(theme::font(11)).horizontalAdvance(host) + 2;
    theme::text(p, QRectF(8, 4, width() - 22 - wide, 16), QString::fromStdString(d.name));
    p.setFont(theme::font(11));
    p.setPen(theme::good);
    p.drawText(QRectF(width() - wide - 8, 4, wide, 16), Qt::AlignRight | Qt::AlignVCenter, host);
    if (d.host < 0) return;
    const geometry::Vector3 world = 1e3 * d.world.translation();
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    theme::text(p, QRectF(8, height() - 18, width() - 16, 14), tr("world %1, %2, %3").arg(world.x(), 0, 'f', 1).arg(world.y(), 0, 'f', 1).arg(world.z(), 0, 'f', 1));
}

}  // namespace escarp::desktop
