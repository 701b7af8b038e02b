#include "plan_drawing.h"

#include <algorithm>
#include <cmath>

#include "theme.h"

namespace escarp::desktop {
namespace {

using geometry::Frame;
using geometry::Vector3;

QPolygonF outline(const PlanView& v, const geometry::Convex& shape, const Frame& at) {
    QPolygonF poly;
    for (const geometry::Point2& p : geometry::silhouette(shape, at, v.right(), v.up(), 36)) poly << v.flat_to_pixels(p.x(), p.y());
    return poly;
}

simulation::Ticks instant(double s) { return static_cast<simulation::Ticks>(std::llround(s * 1e9)); }

/// Bodies farther from the eye first.
double nearness(const PlanView& v, const Vector3& p) { return v.side == Side::top ? p.z() : v.side == Side::front ? -p.y() : p.x(); }

struct Piece {
    double near;
    QPolygonF shape;
    QColor fill;
    bool round_line;
};

void collect_device(const PlanView& v, const cell::Cell& cell, int index, const study::Evaluation* e, double t, std::vector<Piece>& out) {
    const cell::Device& d = cell.devices[static_cast<std::size_t>(index)];
    const QColor fill = theme::look_colour(d.look, d.colour);
    for (const geometry::Body& b : d.bodies) {
        const geometry::Box3 box = geometry::bounds(b.shape, d.world * b.at);
        const double near = v.side == Side::top ? box.high.z() : nearness(v, 0.5 * (box.low + box.high));
        QColor shown = fill;
        if (b.see_through && v.side != Side::top) shown.setAlpha(60);
        out.push_back({near, outline(v, b.shape, d.world * b.at), shown, false});
    }
    if (!d.arm) return;
    std::vector<Frame> frames;
    d.arm->model->mechanism.link_frames(joints_at(cell, index, e, t), d.world, frames);
    const auto& links = d.arm->model->mechanism.links;
    for (std::size_t l = 0; l < links.size(); ++l)
        for (const geometry::Body& b : links[l].bodies) {
            const Frame at = frames[l] * b.at;
            out.push_back({nearness(v, at * b.shape.centre()), outline(v, b.shape, at), l == 0 ? theme::steel : fill, true});
        }
    if (d.arm->tool)
        for (const geometry::Body& b : d.arm->tool->bodies) {
            const Frame at = frames[static_cast<std::size_t>(d.arm->model->flange_link)] * d.arm->model->flange * b.at;
            out.push_back({nearness(v, at * b.shape.centre()), outline(v, b.shape, at), theme::accent.lighter(150), true});
        }
}

void draw_marks(QPainter& p, const PlanView& v, const cell::Device& d, const study::Evaluation* e, double t) {
    if (v.side != Side::top && d.look != cell::Look::sensor) return;
    for (const cell::Mark& m : d.marks) {
        QColor c = m.style == cell::Mark::Style::accent ? (d.look == cell::Look::belt ? QColor(0xE0, 0xBE, 0x68) : theme::accent) : m.style == cell::Mark::Style::muted ? theme::muted : theme::ink;
        double width = d.look == cell::Look::belt ? 1.6 : 1.0;
        if (d.look == cell::Look::sensor) {
            const simulation::SignalRecord* s = e ? e->run->trace.signal(d.id + ".made") : nullptr;
            width = s && s->at(instant(t)) ? 3.0 : 1.4;
        }
        p.setPen(QPen(c, width, d.look == cell::Look::sensor ? Qt::DashLine : Qt::SolidLine));
        p.setBrush(Qt::NoBrush);
        QPolygonF line;
        for (const Vector3& q : m.line) line << v.to_pixels(d.world * q);
        p.drawPolyline(line);
    }
}

void collect_parts(const PlanView& v, const cell::Cell& cell, const study::Evaluation& e, double t, std::vector<Piece>& out) {
    const simulation::Ticks now = instant(t);
    for (std::size_t i = 0; i < e.run->trace.parts.size(); ++i) {
        const auto& record = e.run->trace.parts[i];
        Frame at;
        if (record.type >= static_cast<int>(cell.part_types.size())) continue;
        const simulation::Place* place = record.place(now);
        if (!place || place->kind == simulation::Place::Kind::gone) continue;
        if (place->kind == simulation::Place::Kind::held) {
            const int arm = cell.device(e.cell->devices[static_cast<std::size_t>(place->device)].id);
            if (arm < 0 || !cell.devices[static_cast<std::size_t>(arm)].arm) continue;
            const cell::Device& d = cell.devices[static_cast<std::size_t>(arm)];
            at = d.world * d.arm->model->flange_frame(joints_at(cell, arm, &e, t)) * d.arm->tool_frame * place->at;
        } else if (!e.run->trace.part_frame(*e.cell, static_cast<int>(i), now, at)) {
            continue;
        }
        const bool rejected = e.run->trace.result(static_cast<int>(i), now) == "reject";
        const QColor fill = rejected ? QColor(0xE3, 0xB4, 0xC4) : theme::look_colour(cell::Look::structure, cell.part_types[static_cast<std::size_t>(record.type)].colour.empty() ? "#C3CBD2" : cell.part_types[static_cast<std::size_t>(record.type)].colour);
        for (const geometry::Body& b : cell.part_types[static_cast<std::size_t>(record.type)].bodies) {
            const geometry::Box3 box = geometry::bounds(b.shape, at * b.at);
            out.push_back({v.side == Side::top ? box.high.z() : nearness(v, 0.5 * (box.low + box.high)), outline(v, b.shape, at * b.at), fill, true});
        }
    }
}

}  // namespace

QPointF PlanView::to_pixels(const Vector3& w) const { return flat_to_pixels(w.dot(right()), w.dot(up())); }

kinematics::JointVector joints_at(const cell::Cell& cell, int device, const study::Evaluation* e, double t) {
    const cell::Device& d = cell.devices[static_cast<std::size_t>(device)];
    if (e) {
        const int there = e->cell->device(d.id);
        if (there >= 0 && e->cell->devices[static_cast<std::size_t>(there)].arm) {
            const kinematics::JointVector q = e->run->trace.joints(*e->cell, there, instant(t));
            if (q.size() == d.arm->model->mechanism.size()) return q;
        }
    }
    return d.arm->ready;
}

QRectF plan_bounds(const cell::Cell& cell, Side side) {
    const PlanView v{side, 1.0, {0, 0}};
    geometry::Box3 all;
    for (const cell::Device& d : cell.devices) {
        for (const geometry::Body& b : d.bodies) {
            const geometry::Box3 one = geometry::bounds(b.shape, d.world * b.at);
            all.add(one.low), all.add(one.high);
        }
        if (d.arm) all.add(d.world.translation() + Vector3(0, 0, 0.6), 0.3);
    }
    if (all.empty()) return {-2.0, -1.5, 4.0, 3.0};
    const double x0 = all.low.dot(v.right()), x1 = all.high.dot(v.right()), y0 = all.low.dot(v.up()), y1 = all.high.dot(v.up());
    return {std::min(x0, x1), std::min(y0, y1), std::abs(x1 - x0), std::abs(y1 - y0)};
}

std::vector<QPolygonF> device_outlines(const PlanView& v, const cell::Cell& cell, int device, const study::Evaluation* e, double t) {
    std::vector<Piece> pieces;
    collect_device(v, cell, device, e, t, pieces);
    std::vector<QPolygonF> out;
    for (Piece& piece : pieces) out.push_back(std::move(piece.shape));
    return out;
}

void draw_plan(QPainter& p, const PlanView& v, const cell::Cell& cell, const study::Evaluation* e, const PlanOptions& o) {
    p.setRenderHint(QPainter::Antialiasing);
    std::vector<Piece> pieces;
    for (std::size_t i = 0; i < cell.devices.size(); ++i)
        if (!cell.devices[i].arm) collect_device(v, cell, static_cast<int>(i), e, o.time_s, pieces);
    const auto paint = [&](std::vector<Piece>& list) {
        std::stable_sort(list.begin(), list.end(), [](const Piece& a, const Piece& b) { return a.near < b.near; });
        for (const Piece& piece : list) {
            p.setPen(QPen(theme::ink, piece.round_line ? 1.1 : 0.9));
            p.setBrush(piece.fill);
            p.drawPolygon(piece.shape);
        }
        list.clear();
    };
    if (v.side == Side::top) {  // belts and beds first, then parts, marks and hoods: read like a drawing
        std::vector<Piece> low;
        for (Piece& piece : pieces) low.push_back(std::move(piece));
        paint(low);
        for (const cell::Device& d : cell.devices) draw_marks(p, v, d, e, o.time_s);
        if (e && o.arms_moving) collect_parts(v, cell, *e, o.time_s, pieces);
        for (std::size_t i = 0; i < cell.devices.size(); ++i)
            if (cell.devices[i].look == cell::Look::source || (cell.devices[i].look == cell::Look::sink && cell.devices[i].host >= 0)) collect_device(v, cell, static_cast<int>(i), e, o.time_s, pieces);
    } else if (e && o.arms_moving) {
        collect_parts(v, cell, *e, o.time_s, pieces);
    }
    for (std::size_t i = 0; i < cell.devices.size(); ++i)
        if (cell.devices[i].arm) collect_device(v, cell, static_cast<int>(i), o.arms_moving ? e : nullptr, o.time_s, pieces);
    paint(pieces);
    if (v.side != Side::top)
        for (const cell::Device& d : cell.devices) draw_marks(p, v, d, e, o.time_s);
    if (!o.names) return;
    p.setFont(theme::font(o.name_pixels));
    const QFontMetricsF metrics(p.font());
    std::vector<QRectF> taken;
    for (std::size_t i = 0; i < cell.devices.size(); ++i) {
        const cell::Device& d = cell.devices[i];
        if (d.host >= 0 && !d.arm && d.look != cell::Look::sensor) continue;  // a hood is named by what it stands on
        QRectF box;
        for (const QPolygonF& poly : device_outlines(v, cell, static_cast<int>(i), nullptr, 0)) {
            if (d.arm && box.isValid()) break;  // an arm is named at its base
            box |= poly.boundingRect();
        }
        const bool carries_arm = std::any_of(cell.devices.begin(), cell.devices.end(), [&](const cell::Device& r) { return r.arm && r.host == static_cast<int>(i); });
        if (carries_arm) continue;
        const QString name = QString::fromStdString(d.name);
        const double width = metrics.horizontalAdvance(name) + 6;
        QRectF label(box.center().x() - width / 2, box.bottom() + 2, width, metrics.height());
        if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(label); })) label.moveBottom(box.top() - 2);
        taken.push_back(label);
        p.setPen(Qt::NoPen);
        p.setBrush(QColor(0xFC, 0xFA, 0xF5, 205));
        p.drawRect(label);
        p.setPen(QString::fromStdString(d.id) == o.selected ? theme::accent : theme::ink);
        p.drawText(label, Qt::AlignCenter, name);
    }
}

}  // namespace escarp::desktop
