// What the ribbon draws: lanes of work, flow, signals, zones and clearance, the axis, the chain of why, the cursor.

#include <algorithm>
#include <cmath>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <inspection/why.h>

#include "cycle_ribbon.h"

namespace escarp::desktop {
namespace {

using simulation::Block;
using simulation::BlockKind;
using simulation::seconds;

constexpr double nearness_shown = 0.25;  // m: up to there

}  // namespace

void CycleRibbon::draw_block(QPainter& p, int index, const Lane& lane, double y) const {
    const auto e = laid_out();
    const Block& b = e->run->trace.blocks[index];
    const QRectF box = block_box(b, lane, y);
    if (box.right() < left || box.left() > width()) return;
    const study::Category c = study::category(b.kind);
    const bool waits = b.kind == BlockKind::wait;
    const QColor colour = b.kind == BlockKind::dwell ? theme::muted : theme::category_colour(c);
    p.setPen(Qt::NoPen);
    if (waits) {
        p.fillRect(box, QColor(0xEF, 0xEB, 0xE0));
        p.fillRect(box, theme::hatch(QColor(0x9A, 0xA2, 0xA6)));
    } else {
        p.setBrush(colour);
        p.drawRoundedRect(box.adjusted(0.5, 0, -0.5, 0), 2, 2);
    }
    if (chain_.count(index) && !waits) {
        p.setPen(QPen(theme::accent, 2));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(box.adjusted(1, 0.5, -1, -0.5), 2, 2);
    }
    const cell::Device& d = e->cell->devices[b.device];
    bool chosen = false;
    if (!workspace_.selection.first().step.isEmpty() && d.id == workspace_.selection.first().device.toStdString())
        for (const cell::Step* s : cell::all_steps(d))
            chosen = chosen || (s->number == b.step && s->id == workspace_.selection.first().step.toStdString());
    if (chosen) {
        p.setPen(QPen(theme::ink, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawRect(box.adjusted(0, -2, 0, 2));
    }
    const QRectF shown = box.intersected(QRectF(left, 0, width(), height()));
    p.setFont(theme::font(lane.rows > 1 ? 9 : 10));
    QString label = QString::fromStdString(e->run->trace.describe(*e->cell, b));
    if (b.kind == BlockKind::process && b.to != simulation::never)
        label = QString("%1 s").arg(seconds(b.to - b.from), 0, 'f', 1);
    if (waits) label.remove(0, label.startsWith("wait for ") ? 9 : 0);
    const double needs = QFontMetricsF(p.font()).horizontalAdvance(label);
    if (shown.width() < 18 || (shown.width() < needs + 4 && shown.width() < 46) || lane.rows > 2) return;
    p.setPen(waits ? theme::ink : QColor(Qt::white));
    if (waits) {
        QRectF back(0, 0, std::min(needs + 6, shown.width() - 2), box.height() - 4);
        back.moveCenter(shown.center());
        p.fillRect(back, QColor(0xF6, 0xF2, 0xE8));
    }
    theme::text(p, shown.adjusted(3, 0, -3, 0), label, Qt::AlignCenter);
}

void CycleRibbon::draw_flow(QPainter& p, const Lane& lane, double y) const {
    const auto e = laid_out();
    p.setPen(QPen(QColor(0xCF, 0xBF, 0x97), 1, Qt::DotLine));
    p.drawLine(QPointF(left, y + lane_height() / 2), QPointF(width() - 14, y + lane_height() / 2));
    for (const int index : blocks_[lane.device]) {
        const double x = pixel_of(seconds(e->run->trace.blocks[index].from));
        if (x < left || x > width()) continue;
        p.setPen(QPen(theme::ink, 1));
        p.setBrush(theme::part);
        p.drawEllipse(QPointF(x, y + lane_height() / 2), 7, 7);
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(QPointF(x, y + lane_height() / 2), 3.5, 3.5);
    }
}

void CycleRibbon::draw_level(QPainter& p, const Lane& lane, double y) const {
    const auto e = laid_out();
    if (lane.signal < 0 || lane.signal >= static_cast<int>(e->run->trace.signals.size())) return;
    const simulation::SignalRecord* s = &e->run->trace.signals[lane.signal];
    double low = 0, high = 1;
    if (!e->cell->signals[lane.signal].on_off())
        for (const auto& [t, value] : s->changes) low = std::min(low, value), high = std::max(high, value);
    const auto level = [&](double value) {
        return y + lane_height() - 6 - (value - low) / (high - low) * (lane_height() - 11);
    };
    QPolygonF line;
    const auto from = static_cast<simulation::Ticks>(from_ * 1e9);
    double now = s->at(from);
    line << QPointF(left, level(now));
    for (const auto& [t, value] : s->changes) {
        if (seconds(t) <= from_ || seconds(t) > std::min(from_ + span_, workspace_.results.end_time())) continue;
        const double x = pixel_of(seconds(t));
        line << QPointF(x, level(now)) << QPointF(x, level(value));
        now = value;
    }
    line << QPointF(pixel_of(std::min(from_ + span_, workspace_.results.end_time())), level(now));
    p.setPen(QPen(theme::accent, 1.6));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(line);
}

/// The least distance of each stretch of time: what stands below the safety distance is crimson.
void CycleRibbon::draw_nearness(QPainter& p, double y) const {
    const inspection::ClearanceCurve* curve = nearness_->curve();
    p.setFont(theme::font(9));
    if (!curve) {
        p.setPen(theme::muted);
        p.drawText(QRectF(left + 6, y, 300, lane_height()), Qt::AlignVCenter, tr("being looked at"));
        return;
    }
    const double base = y + lane_height() - 3, full = lane_height() - 6;
    const auto height = [&](double metres) { return full * std::sqrt(std::clamp(metres / nearness_shown, 0.0, 1.0)); };
    const double safe = workspace_.open.cell()->safety_distance;
    const double step = (curve->to - curve->from) / static_cast<double>(curve->bins.size());
    p.setPen(Qt::NoPen);
    for (std::size_t i = 0; i < curve->bins.size(); ++i) {
        const inspection::LeastClearance& c = curve->bins[i];
        const double a = pixel_of(curve->from + static_cast<double>(i) * step),
                     b = pixel_of(curve->from + static_cast<double>(i + 1) * step);
        const double up = c.device_a < 0 ? full : std::max(1.0, height(c.distance));
        p.setBrush(c.device_a >= 0 && c.distance < c.keeps ? theme::stop : QColor(0x5C, 0x8A, 0x86, 150));
        p.drawRect(QRectF(a, base - up, b - a + 0.3, up));
    }
    p.setPen(QPen(theme::stop, 1, Qt::DashLine));
    p.drawLine(QPointF(left, base - height(safe)), QPointF(width() - 14, base - height(safe)));
    const QString title = nearness_->title();
    QRectF back(left + 4, y + 3, QFontMetricsF(p.font()).horizontalAdvance(title) + 8, 12);
    p.fillRect(back, theme::panel);
    p.setPen(theme::ink);
    p.drawText(back, Qt::AlignCenter, title);
}

/// Who is inside when: one mover above, the other below; both at once is filled over the whole lane.
void CycleRibbon::draw_zone(QPainter& p, const Lane& lane, double y) const {
    const auto e = laid_out();
    const inspection::Zone& z = e->zones->all[lane.zone];
    const auto stretch = [&](simulation::Ticks from, simulation::Ticks to, double top, double height) {
        return QRectF(QPointF(pixel_of(seconds(from)), top), QPointF(pixel_of(seconds(to)), top + height));
    };
    const double half = 0.5 * (lane_height() - 5);
    for (int side = 0; side < 2; ++side)
        for (const inspection::ZoneVisit& v : z.sides[side].visits) {
            const QRectF box = stretch(v.enters, v.leaves, y + 2 + side * half, half - 1);
            if (box.right() < left || box.left() > width()) continue;
            p.setPen(QPen(theme::stop, 1));
            p.setBrush(theme::hatch(theme::stop));
            p.drawRect(box);
            const QString name = QString::fromStdString(e->cell->devices[z.sides[side].device].name);
            p.setFont(theme::font(8));
            const double needs = QFontMetricsF(p.font()).horizontalAdvance(name);
            if (box.width() < needs + 10 || half < 8) continue;
            QRectF back(0, 0, needs + 6, half - 2);
            back.moveCenter(box.center());
            p.fillRect(back, theme::panel);
            p.setPen(theme::stop);
            p.drawText(back, Qt::AlignCenter, name);
        }
    p.setPen(Qt::NoPen);
    p.setBrush(theme::stop);
    for (const inspection::ZoneVisit& v : z.sides[0].visits)
        for (const inspection::ZoneVisit& w : z.sides[1].visits)
            if (v.enters < w.leaves && w.enters < v.leaves)
                p.drawRect(stretch(std::max(v.enters, w.enters), std::min(v.leaves, w.leaves), y + 2, 2 * half - 1));
}

void CycleRibbon::draw_axis(QPainter& p) const {
    double step = 0.1;
    static constexpr double steps[] = {0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600};
    for (const double s : steps)
        if ((step = s) / span_ * (width() - left) > 60) break;
    p.setFont(theme::font(10));
    for (double t = std::ceil(from_ / step) * step; t <= from_ + span_ + 1e-9; t += step) {
        const double x = pixel_of(t);
        p.setPen(QPen(QColor(0xE9, 0xE3, 0xD4), 1));
        p.drawLine(QPointF(x, header), QPointF(x, height() - bottom));
        p.setPen(theme::muted);
        p.drawText(QRectF(x - 40, height() - bottom + 3, 80, 14), Qt::AlignCenter,
            QString("%1 s").arg(t, 0, 'f', step < 1 ? 1 : 0));
    }
}

void CycleRibbon::draw_bracket(QPainter& p) const {
    const auto e = laid_out();
    if (!e->run->steady) return;
    const double x0 = pixel_of(seconds(e->run->steady->from)),
                 x1 = pixel_of(seconds(e->run->steady->from + e->run->steady->period));
    p.setPen(QPen(theme::ink, 1.4));
    const double y = header - 8, a = std::max(left, x0), b = std::min(width() - 14.0, x1);
    if (b <= a) return;
    p.drawLine(QPointF(a, y), QPointF(b, y));
    if (x0 >= left) p.drawLine(QPointF(x0, y), QPointF(x0, y + 6));
    if (x1 <= width() - 14) p.drawLine(QPointF(x1, y), QPointF(x1, y + 6));
}

/// What the selected device waits for at the cursor, from lane to lane.
void CycleRibbon::draw_why(QPainter& p) const {
    const auto e = laid_out();
    const int device = e->cell->device(workspace_.selection.first().device.toStdString());
    if (device < 0 || workspace_.playhead.playing()) return;
    const inspection::Why why =
        inspection::why(*e->cell, *e->run, device, static_cast<simulation::Ticks>(workspace_.playhead.time() * 1e9));
    const double x = pixel_of(workspace_.playhead.time());
    if (why.chain.size() < 2 || !why.chain.front().waits || x < left || x > width()) return;
    const auto middle = [&](int of) {
        for (std::size_t i = 0; i < lanes_.size(); ++i)
            if (lanes_[i].device == of && lanes_[i].task == 0) return lane_y(i) + 0.5 * lane_height();
        return -1.0;
    };
    p.save();
    p.setClipRect(QRectF(0, header, width(), height() - header - bottom));
    p.setPen(QPen(theme::ink, 1.6));
    p.setBrush(theme::ink);
    double before = middle(why.chain.front().device);
    int nth = 0;
    for (const inspection::WhyLink& link : why.chain) {
        const double y = middle(link.device);
        if (&link == &why.chain.front() || y < 0 || before < 0) continue;
        const double at = x + 6 + 5 * nth++, point = y > before ? -5 : 5;
        p.drawLine(QPointF(at, before), QPointF(at, y + 0.6 * point));
        p.drawPolygon(QPolygonF({QPointF(at, y), QPointF(at - 3.5, y + point), QPointF(at + 3.5, y + point)}));
        before = y;
    }
    p.restore();
}

void CycleRibbon::draw_cursor(QPainter& p) const {
    const double x = pixel_of(workspace_.playhead.time());
    if (x < left - 1 || x > width()) return;
    p.setPen(QPen(theme::accent, 1.6));
    p.drawLine(QPointF(x, header - 6), QPointF(x, height() - bottom));
    const QString label = QString("%1 s").arg(workspace_.playhead.time(), 0, 'f', 3);
    p.setFont(theme::font(11, true));
    QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(label) + 10, 16);
    box.moveCenter({x, header - 11});
    box.moveLeft(std::clamp(box.left(), left - 20, std::max(left - 20.0, width() - box.width() - 2)));
    p.setPen(Qt::NoPen);
    p.setBrush(theme::accent);
    p.drawRoundedRect(box, 2, 2);
    p.setPen(Qt::white);
    p.drawText(box, Qt::AlignCenter, label);
}

namespace {

/// What the cycle comes to.
QString cycle_words(const study::Evaluation& e) {
    if (e.figures.per_round)
        return CycleRibbon::tr("steady round %1 s \u00b7 no parts in this cell").arg(*e.figures.cycle_s, 0, 'f', 2);
    if (e.figures.steady)
        return CycleRibbon::tr("steady cycle %1 s \u00b7 repeats every %2 \u00b7 longest chain outlined")
            .arg(*e.figures.cycle_s, 0, 'f', 2)
            .arg(counted(
                static_cast<std::size_t>(e.run->steady->parts), CycleRibbon::tr("part"), CycleRibbon::tr("parts")));
    if (e.figures.cycle_s)
        return CycleRibbon::tr("the first of many runs with chance in them \u00b7 its own cycle %1 s")
            .arg(*e.figures.cycle_s, 0, 'f', 2);
    if (e.cell->devices.empty()) return CycleRibbon::tr("devices and their work appear here");
    return CycleRibbon::tr("no steady cycle: no part leaves, or the work stops");
}

}  // namespace

void CycleRibbon::draw_lane(QPainter& p, const study::Evaluation& e, const Lane& lane, double y) const {
    p.setPen(QPen(QColor(0xE9, 0xE3, 0xD4), 1));
    p.drawLine(QPointF(0, y + lane_height() - 1), QPointF(width(), y + lane_height() - 1));
    const cell::Device* d = lane.device < 0 ? nullptr : &e.cell->devices[lane.device];
    const bool selected = d && d->id == workspace_.selection.first().device.toStdString();
    p.setFont(theme::font(11, true));
    p.setPen(selected ? theme::accent : theme::ink);
    theme::text(p, QRectF(12, y, left - 18, lane_height() - 2),
        lane.name.isEmpty() && d ? QString::fromStdString(d->name) : lane.name);
    p.save();
    p.setClipRect(QRectF(left, std::max(header, y), width() - left, lane_height()));
    if (lane.kind == Lane::Kind::work)
        for (const int b : blocks_[lane.device]) {
            if (belongs(e.run->trace.blocks[b], lane)) draw_block(p, b, lane, y);
        }
    else if (lane.kind == Lane::Kind::flow) draw_flow(p, lane, y);
    else if (lane.kind == Lane::Kind::zone) draw_zone(p, lane, y);
    else if (lane.kind == Lane::Kind::nearness) draw_nearness(p, y);
    else draw_level(p, lane, y);
    p.restore();
}

void CycleRibbon::draw_still(QPainter& p) const {
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme::panel);
    const auto e = laid_out();
    p.setFont(theme::font(12, true));
    p.setPen(theme::muted);
    p.drawText(QPointF(12, 17), tr("CYCLE RIBBON"));
    QString sub = tr("nothing has been computed yet");
    const QString other = workspace_.results.other_run();
    if (!other.isEmpty()) {
        p.setPen(theme::stop);
        sub = tr("not the cell's own run: %1").arg(other);
    } else if (e) {
        sub = cycle_words(*e);
    }
    p.setFont(theme::font(11));
    theme::text(p, QRectF(left, 5, controls_->x() - left - 8, 17), sub);
    if (!e || e->cell->devices.empty()) return;
    draw_axis(p);
    p.save();
    p.setClipRect(QRectF(0, header, width(), height() - header - bottom));
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        if (const double y = lane_y(i); y <= height() && y + lane_height() >= header) draw_lane(p, *e, lanes_[i], y);
    p.restore();
    draw_bracket(p);
    if (!workspace_.results.current()) {
        p.setFont(theme::font(11, true));
        p.setPen(theme::watch_text);
        p.drawText(QRectF(0, height() - bottom, left - 8, bottom), Qt::AlignCenter, tr("recomputing"));
    }
}

}  // namespace escarp::desktop
