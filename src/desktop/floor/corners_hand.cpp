#include "corners_hand.h"

#include <cell/edits/snap.h>
#include <desktop/fields/typed_number.h>
#include <desktop/looks/theme.h>

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Vector3;

Vector3 CornersHand::corner(const Pointer& at) const {
    const Vector3 there = floor_.floor_point(at.pixel);
    if (!at.snaps()) return there;
    return cell::snap_point(*floor_.workspace().open.cell(), there, snap_pixels / floor_.plan().scale);
}

void CornersHand::move(const Pointer& at) {
    hover_ = corner(at);
    floor_.update();
}

void CornersHand::draw(QPainter& p) const {
    if (corners_.empty()) return;
    QPolygonF line;
    for (const Vector3& q : corners_) line << floor_.pixel_of(q);
    if (goes_on()) line << floor_.pixel_of(hover_);
    p.setPen(QPen(theme::accent, 1.6));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
    for (const QPointF& q : line) p.drawEllipse(q, 3, 3);
    const auto [a, b] = told();
    const auto mm = [](double metres) { return shown_number(std::round(1e4 * metres) / 10); };
    const QString words = FloorView::tr("%1   x %2   y %3").arg(mm((b - a).norm()), mm((b - a).x()), mm((b - a).y()));
    p.setFont(theme::font(11, true));
    QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(words) + 10, 17);
    box.moveCenter((floor_.pixel_of(a) + floor_.pixel_of(b)) / 2 + QPointF(0, -14));
    p.fillRect(box, QColor(0xF4, 0xE8, 0xDC));
    p.setPen(theme::accent);
    p.drawText(box, Qt::AlignCenter, words);
}

}  // namespace escarp::desktop
