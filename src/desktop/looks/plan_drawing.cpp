#include "plan_drawing.h"

#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <geometry/indices.h>

#include "theme.h"

namespace escarp::desktop {
namespace {

using geometry::Frame;
using geometry::Vector3;

QPolygonF outline(const PlanView& v, const geometry::Convex& shape, const Frame& at) {
    QPolygonF poly;
    for (const geometry::Point2& p : geometry::silhouette(shape, at, v.right(), v.up(), 36))
        poly << v.flat_to_pixels(p.x(), p.y());
    return poly;
}

/// Bodies farther from the eye first.
double nearness(const PlanView& v, const Vector3& p) { return v.to_eye().dot(p); }

struct Piece {
    double near;
    QPolygonF shape;
    QColor fill;
    bool round_line;
};

void collect_device(const PlanView& v, const simulation::Scene& scene, int index, std::vector<Piece>& out) {
    const cell::Device& d = scene.cell().devices[index];
    const QColor fill = theme::look_colour(d.look, d.colour);
    scene.each_body(index, [&](const simulation::Scene::Placed& b) {
        if (b.link < 0) {
            const geometry::Box3 box = geometry::bounds(b.body.shape, b.at);
            const double near = v.side == Side::top ? box.high.z() : nearness(v, 0.5 * (box.low + box.high));
            QColor shown = fill;
            if (b.body.see_through() && v.side != Side::top) shown.setAlpha(60);
            out.push_back({near, outline(v, b.body.shape, b.at), shown, false});
            return;
        }
        QColor shown = b.of_tool ? theme::accent.lighter(150) : d.arm && b.link == 0 ? theme::steel : fill;
        if (!b.of_tool && b.body.see_through() && v.side != Side::top) shown.setAlpha(60);
        out.push_back({nearness(v, b.at * b.body.shape.centre()), outline(v, b.body.shape, b.at), shown,
            b.of_tool || d.arm.has_value()});
    });
}

bool lights_up(const cell::Device& d) {
    return std::any_of(d.marks.begin(), d.marks.end(), [](const cell::Mark& m) { return !m.lit_by.empty(); });
}

bool painted(const cell::Device& d) {
    return std::any_of(d.marks.begin(), d.marks.end(), [](const cell::Mark& m) { return m.filled; });
}

QColor mark_colour(cell::Mark::Style style) {
    switch (style) {
        case cell::Mark::Style::accent: return theme::accent;
        case cell::Mark::Style::muted: return theme::muted;
        case cell::Mark::Style::pale: return QColor(0xE0, 0xBE, 0x68);
        case cell::Mark::Style::ink: break;
    }
    return theme::ink;
}

void draw_marks(QPainter& p, const PlanView& v, const simulation::Scene& scene, int index) {
    const cell::Device& d = scene.cell().devices[index];
    for (const cell::Mark& m : d.marks) {
        if (v.side != Side::top && v.side != Side::corner && m.lit_by.empty()) continue;
        QPolygonF line;
        for (const Vector3& q : m.line) line << v.to_pixels(d.world * q);
        if (m.filled) {
            p.setPen(Qt::NoPen);
            p.setBrush(theme::look_colour(d.look, d.colour));
            p.drawPolygon(line);
            continue;
        }
        double width = m.style == cell::Mark::Style::pale ? 1.6 : 1.0;
        if (!m.lit_by.empty()) width = scene.is_on(index, m.lit_by) ? 3.0 : 1.4;
        p.setPen(QPen(mark_colour(m.style), width, m.lit_by.empty() ? Qt::SolidLine : Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(line);
    }
}

void collect_parts(const PlanView& v, const simulation::Scene& scene, std::vector<Piece>& out) {
    for (const simulation::Scene::Part& part : scene.parts()) {
        const cell::PartType& type = scene.cell().part_types[part.type];
        const QColor fill = part.result == "reject" ? QColor(0xE3, 0xB4, 0xC4)
                                                    : theme::look_colour(cell::Look::structure,
                                                          type.colour.empty() ? "#C3CBD2" : type.colour);
        for (const geometry::Body& b : type.bodies) {
            const geometry::Box3 box = geometry::bounds(b.shape, part.at * b.at);
            out.push_back({v.side == Side::top ? box.high.z() : nearness(v, 0.5 * (box.low + box.high)),
                outline(v, b.shape, part.at * b.at), fill, true});
        }
    }
}

}  // namespace

Vector3 PlanView::right() const {
    if (side == Side::corner) return {-std::sin(turn), std::cos(turn), 0};
    return side == Side::side ? Vector3::UnitY() : Vector3::UnitX();
}

Vector3 PlanView::up() const {
    if (side == Side::corner)
        return {-std::cos(turn) * std::sin(tilt), -std::sin(turn) * std::sin(tilt), std::cos(tilt)};
    return side == Side::top ? Vector3::UnitY() : Vector3::UnitZ();
}

QRectF plan_bounds(const cell::Cell& cell, const PlanView& view, const std::vector<int>* devices) {
    PlanView v = view;
    v.scale = 1;
    v.middle = {0, 0};
    QPolygonF all;
    const auto add = [&](const geometry::Box3& b) {
        if (b.empty()) return;
        for (int corner = 0; corner < 8; ++corner)
            all << v.to_pixels({corner & 1 ? b.high.x() : b.low.x(), corner & 2 ? b.high.y() : b.low.y(),
                corner & 4 ? b.high.z() : b.low.z()});
    };
    for (const int i : indices(cell.devices)) {
        if (devices && std::find(devices->begin(), devices->end(), i) == devices->end()) continue;
        const cell::Device& d = cell.devices[i];
        for (const geometry::Body& b : d.bodies) add(geometry::bounds(b.shape, d.world * b.at));
        geometry::Box3 more;
        if (d.arm) more.add(d.world.translation() + Vector3(0, 0, 0.6), 0.3);
        if (d.bodies.empty())
            for (const cell::Mark& m : d.marks)
                for (const Vector3& p : m.line) more.add(d.world * p);
        add(more);
    }
    if (all.isEmpty()) return {-2.0, -1.5, 4.0, 3.0};
    const QRectF box = all.boundingRect();
    return {box.left(), -box.bottom(), box.width(), box.height()};
}

std::vector<QPolygonF> device_outlines(const PlanView& v, const simulation::Scene& scene, int device) {
    std::vector<Piece> pieces;
    collect_device(v, scene, device, pieces);
    std::vector<QPolygonF> out;
    for (Piece& piece : pieces) out.push_back(std::move(piece.shape));
    const cell::Device& d = scene.cell().devices[device];
    if (out.empty())
        for (const cell::Mark& m : d.marks) {
            QPolygonF line;
            for (const Vector3& q : m.line) line << v.to_pixels(d.world * q);
            out.push_back(std::move(line));
        }
    return out;
}

namespace {

void paint(QPainter& p, std::vector<Piece>& list) {
    std::stable_sort(list.begin(), list.end(), [](const Piece& a, const Piece& b) { return a.near < b.near; });
    for (const Piece& piece : list) {
        p.setPen(QPen(theme::ink, piece.round_line ? 1.1 : 0.9));
        p.setBrush(piece.fill);
        p.drawPolygon(piece.shape);
    }
    list.clear();
}

void draw_names(QPainter& p, const PlanView& v, const cell::Cell& cell, const PlanOptions& o) {
    p.setFont(theme::font(o.name_pixels));
    const QFontMetricsF metrics(p.font());
    const QRectF sheet = o.sheet.isEmpty() ? QRectF(p.window()) : o.sheet;
    std::vector<QRectF> taken;
    // What is selected gets its place first.
    std::vector<std::size_t> order;
    for (const bool chosen : {true, false})
        for (std::size_t i = 0; i < cell.devices.size(); ++i)
            if (o.selected.contains(QString::fromStdString(cell.devices[i].id)) == chosen) order.push_back(i);
    std::vector<bool> carries_arm(cell.devices.size(), false);
    for (const cell::Device& d : cell.devices)
        if (d.arm && d.host >= 0) carries_arm[d.host] = true;
    for (const std::size_t i : order) {
        const cell::Device& d = cell.devices[i];
        const QString id = QString::fromStdString(d.id);
        const bool chosen = o.selected.contains(id);
        if (o.hidden && o.hidden->contains(id)) continue;
        if (!o.only.empty() && std::find(o.only.begin(), o.only.end(), static_cast<int>(i)) == o.only.end()) continue;
        const auto lane = d.kind->lane();
        const bool named = lane == cell::DeviceKind::Lane::work || lane == cell::DeviceKind::Lane::level;
        if (d.host >= 0 && !d.arm && !named && !chosen) continue;  // a hood is named by what it stands on
        if (carries_arm[i] && !chosen) continue;
        const geometry::Box3 extent = d.extent();
        QPolygonF corners;
        for (int k = 0; k < 8 && !extent.empty(); ++k)
            corners << v.to_pixels(
                d.world * Vector3(k & 1 ? extent.high.x() : extent.low.x(), k & 2 ? extent.high.y() : extent.low.y(),
                              k & 4 ? extent.high.z() : extent.low.z()));
        const QRectF box = corners.boundingRect();
        const QString name = QString::fromStdString(d.name);
        const double w = metrics.horizontalAdvance(name) + 6, h = metrics.height();
        const QPointF places[] = {{box.center().x() - w / 2, box.bottom() + 2},
            {box.center().x() - w / 2, box.top() - h - 2}, {box.right() + 3, box.center().y() - h / 2},
            {box.left() - w - 3, box.center().y() - h / 2}, {box.center().x() - w / 2, box.bottom() + h + 4},
            {box.center().x() - w / 2, box.top() - 2 * h - 4}};
        bool found = false;
        QRectF label;
        for (const bool whole : {true, false})  // rather where all of it shows
            for (const QPointF& at : places) {
                if (found) break;
                label = QRectF(at, QSizeF(w, h));
                found = (!whole || sheet.contains(label)) &&
                        std::none_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(label); });
            }
        if (!found) continue;  // it shows when it is selected or the view comes nearer
        taken.push_back(label);
        p.setPen(Qt::NoPen);
        p.setBrush(QColor(0xFC, 0xFA, 0xF5, 205));
        p.drawRect(label);
        p.setPen(chosen ? theme::accent : theme::ink);
        p.drawText(label, Qt::AlignCenter, name);
    }
}

}  // namespace

void draw_frame(QPainter& p, const PlanView& v, const Frame& f, double length) {
    static const char* letters[] = {"x", "y", "z"};
    const QColor colours[] = {theme::stop, theme::good, theme::move};
    p.setFont(theme::font(9));
    for (int axis = 0; axis < 3; ++axis) {
        const QPointF a = v.to_pixels(f.translation()), b = v.to_pixels(f * Vector3(length * Vector3::Unit(axis)));
        if (QLineF(a, b).length() < 4) continue;
        p.setPen(QPen(colours[axis], 1.6));
        p.drawLine(a, b);
        p.drawText(b + QPointF(3, 3), letters[axis]);
    }
}

void draw_bodies(QPainter& p, const PlanView& v, const std::vector<DrawnBody>& bodies) {
    std::vector<Piece> pieces;
    for (const DrawnBody& b : bodies)
        pieces.push_back({nearness(v, b.at * b.shape->centre()), outline(v, *b.shape, b.at), b.fill, true});
    paint(p, pieces);
}

void draw_plan(QPainter& p, const PlanView& v, const simulation::Scene& scene, const PlanOptions& o) {
    using Layer = PlanOptions::Layer;
    const cell::Cell& cell = scene.cell();
    p.setRenderHint(QPainter::Antialiasing);
    const auto draws = [&](Layer layer) { return o.layer == Layer::all || o.layer == layer; };
    const auto shown = [&](std::size_t i) {
        return (o.only.empty() || std::find(o.only.begin(), o.only.end(), static_cast<int>(i)) != o.only.end()) &&
               !(o.hidden && o.hidden->contains(QString::fromStdString(cell.devices[i].id)));
    };
    std::vector<Piece> pieces;
    const auto collect = [&](const auto& which) {
        for (const int i : indices(cell.devices))
            if (shown(i) && which(cell.devices[i])) collect_device(v, scene, i, pieces);
    };
    const auto stands = [](const cell::Device& d) { return !d.mover(); };
    const auto moves = [](const cell::Device& d) { return d.axis.has_value(); };
    const auto marks = [&](const auto& which) {
        for (const int i : indices(cell.devices))
            if (shown(i) && which(cell.devices[i]) && (o.marks || painted(cell.devices[i]))) draw_marks(p, v, scene, i);
    };
    const bool top = v.side == Side::top;
    if (top && draws(Layer::ground)) {  // belts and beds first, then parts, marks and hoods: read like a drawing
        collect(stands);
        paint(p, pieces);
        marks([](const cell::Device& d) { return !lights_up(d); });
    }
    if (draws(Layer::live)) {
        if (top) marks(lights_up);
        else collect(stands);
        collect(moves);
        if (o.only.empty()) collect_parts(v, scene, pieces);
        if (top)
            collect([](const cell::Device& d) {
                return d.kind->feeds_belts() || (d.kind->takes_from_belts() && !d.kind->moves_parts() && d.host >= 0);
            });
        collect([](const cell::Device& d) { return d.arm.has_value(); });
        paint(p, pieces);
        if (!top) marks([](const cell::Device&) { return true; });
        if (o.frames)
            for (std::size_t i = 0; i < cell.devices.size(); ++i)
                if (shown(i)) draw_frame(p, v, cell.devices[i].world, 0.15);
    }
    if (o.names && draws(Layer::names)) draw_names(p, v, cell, o);
}

}  // namespace escarp::desktop
