#include "band_hand.h"

#include <desktop/looks/theme.h>
#include <geometry/indices.h>

#include "floor_view.h"

namespace escarp::desktop {

void BandHand::move(const Pointer& at) {
    now_ = at.pixel;
    floor_.update();
}

void BandHand::release(const Pointer& at) {
    const Workspace& workspace = floor_.workspace();
    const QRectF band = QRectF(pressed_, at.pixel).normalized();
    const cell::Cell& c = *workspace.open.cell();
    QStringList inside = workspace.selection.all();
    for (const int i : indices(c.devices)) {
        const QString id = QString::fromStdString(c.devices[i].id);
        if (!workspace.view_options.hidden(c.devices[i].id) && band.contains(floor_.pixel_box(i)) &&
            !inside.contains(id))
            inside << id;
    }
    floor_.workspace().selection.select_devices(inside);
}

void BandHand::draw(QPainter& p) const {
    p.setPen(QPen(theme::accent, 1, Qt::DashLine));
    p.setBrush(QColor(0xB4, 0x52, 0x1B, 18));
    p.drawRect(QRectF(pressed_, now_).normalized());
}

}  // namespace escarp::desktop
