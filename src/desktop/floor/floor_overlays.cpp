// What lies over the plan: reach, base positions, dimensions.

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>

#include <desktop/fields/typed_number.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

namespace {

QRgb dyed(const QColor& c, int alpha) { return qPremultiply(qRgba(c.red(), c.green(), c.blue(), alpha)); }

/// Bands of margin: little, enough, plenty.
QRgb margin_colour(float margin) {
    if (margin < 0.025f) return dyed(theme::watch, 90);
    if (margin < 0.1f) return dyed(theme::good, 44);
    return dyed(theme::good, margin < 0.2f ? 60 : 78);
}

}  // namespace

double FloorView::working_height() const {
    if (workspace_.view_options.shown().height) return *workspace_.view_options.shown().height;
    // The mean of the poses that its task needs.
    const auto e = workspace_.results.shown();
    if (!e) return 0.9;
    double sum = 0;
    int n = 0;
    for (const inspection::PoseNeed& need : e->inspection->poses) {
        if (!workspace_.selection.first().device.isEmpty() &&
            e->cell->devices[need.arm].id != workspace_.selection.first().device.toStdString())
            continue;
        sum += need.tool_world.translation().z();
        ++n;
    }
    return n ? std::round(sum / n * 1e3) * 1e-3 : 0.9;
}

void FloorView::draw_boundary(QPainter& p) {
    if (view_.side != Side::top || workspace_.open.cell()->devices.empty()) return;
    if (boundary_.cell != workspace_.open.cell()) {
        boundary_.cell = workspace_.open.cell();
        std::vector<geometry::Point2> points;
        for (const cell::Device& d : boundary_.cell->devices)
            for (const geometry::Body& b : d.bodies)
                for (const geometry::Point2& q : geometry::footprint(b.shape, d.world * b.at, 16)) points.push_back(q);
        boundary_.line = geometry::hull(points);
    }
    QPolygonF line;
    for (const geometry::Point2& q : boundary_.line) line << view_.flat_to_pixels(q.x(), q.y());
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme::ink, 1.1, Qt::DashDotLine));
    p.drawPolygon(line);
}

void FloorView::draw_reach(QPainter& p) {
    if (!workspace_.view_options.shown().reach || workspace_.view_options.shown().base || view_.side != Side::top)
        return;
    const cell::Cell& c = *workspace_.open.cell();
    const auto e = workspace_.results.shown();
    for (const cell::Device& d : c.devices) {
        if (!d.arm || !d.arm->solver->closed_form() || workspace_.view_options.hidden(d.id))
            continue;  // a searched field would take minutes
        const bool selected = d.id == workspace_.selection.first().device.toStdString();
        if (!selected && !workspace_.selection.first().device.isEmpty()) continue;
        double height = working_height() - d.world.translation().z();
        // Straight down, unless a step is selected that wants the tool otherwise.
        std::optional<geometry::Matrix3> orientation;
        if (e && selected && !workspace_.selection.first().step.isEmpty())
            for (const inspection::PoseNeed& n : e->inspection->poses)
                if (n.step_id == workspace_.selection.first().step.toStdString() &&
                    e->cell->devices[n.arm].id == d.id) {
                    const geometry::Matrix3 wanted = d.world.linear().transpose() * n.tool_world.linear();
                    if (wanted(2, 2) > -0.9999) orientation = wanted;
                    height = std::round(1e3 * (n.tool_world.translation().z() - d.world.translation().z())) * 1e-3;
                }
        const int arm = static_cast<int>(&d - c.devices.data());
        const auto field = fields_.reach(workspace_.open.cell(), arm, height, orientation);
        if (!field) continue;  // it is drawn when it is there
        const QImage& image = pictures_of_fields_.of(field, [&] {
            QImage made(field->size, field->size, QImage::Format_ARGB32_Premultiplied);
            made.fill(Qt::transparent);
            for (int row = 0; row < field->size; ++row)
                for (int column = 0; column < field->size; ++column) {
                    const float margin = field->margin[row * field->size + column];
                    if (margin > 0)
                        made.setPixel(column, field->size - 1 - row,
                            margin < 0.025f ? dyed(theme::good, 95)
                            : margin < 0.1f ? dyed(theme::good, 40)
                                            : dyed(theme::good, 22));
                }
            return made;
        });
        // The field is the arm's own: it turns and moves with the base.
        p.save();
        const QPointF base = view_.to_pixels(d.world.translation());
        p.translate(base);
        p.rotate(-geometry::to_triple(d.world.linear()).z() * 180 / geometry::pi);
        const double side = field->size * field->cell * view_.scale;
        p.setRenderHint(QPainter::SmoothPixmapTransform);
        p.setOpacity(selected ? 1.0 : 0.55);
        p.drawImage(QRectF(-side / 2, -side / 2, side, side), image);
        p.restore();
    }
}

int FloorView::base_arm() const {
    const cell::Cell& c = *workspace_.open.cell();
    int only = -1, count = 0;
    for (const int i : indices(c.devices))
        if (c.devices[i].arm) {
            const int arm = i;
            if (c.devices[i].id == workspace_.selection.first().device.toStdString()) return arm;
            const int chosen = c.device(workspace_.selection.first().device.toStdString());
            if (chosen >= 0 && c.stands_on(arm, chosen) && inspection::movable_root(c, arm) == chosen) return arm;
            only = arm;
            ++count;
        }
    return count == 1 ? only : -1;
}

void FloorView::draw_base_field(QPainter& p) {
    if (!workspace_.view_options.shown().base || view_.side != Side::top) return;
    const auto e = workspace_.results.shown();
    const int arm = base_arm();
    if (!e || arm < 0) return;
    const cell::Device& d = workspace_.open.cell()->devices[arm];
    const int there = e->cell->device(d.id);
    if (there < 0 || !d.arm->solver->closed_form()) return;
    const auto field = fields_.base(e, there, d);
    if (!field) {
        p.setPen(theme::muted);
        theme::text(p, QRectF(10, height() - 22, width() - 20, 18), tr("Where the base may stand is being worked out"));
        return;
    }
    const inspection::BaseField& f = *field;
    const QImage& image = pictures_of_fields_.of(field, [&] {
        QImage made(std::max(1, f.columns), std::max(1, f.rows), QImage::Format_ARGB32_Premultiplied);
        made.fill(Qt::transparent);
        for (int row = 0; row < f.rows; ++row)
            for (int column = 0; column < f.columns; ++column) {
                const std::size_t i = static_cast<std::size_t>(row * f.columns + column);
                if (f.turn[i] < 0) continue;
                const bool turned = f.turn[i] > 0;  // reached only with the base turned: dotted
                if (turned && (row + column) % 2) continue;
                made.setPixel(column, f.rows - 1 - row, margin_colour(f.margin[i]));
            }
        return made;
    });
    p.setFont(theme::font(11, true));
    const QString name = QString::fromStdString(d.name);
    QString legend;
    if (f.columns > 0) {
        const QPointF corner = view_.flat_to_pixels(f.x - 0.5 * f.cell, f.y + (f.rows - 0.5) * f.cell);
        p.setRenderHint(QPainter::SmoothPixmapTransform, false);
        p.drawImage(QRectF(corner, QSizeF(f.columns * f.cell * view_.scale, f.rows * f.cell * view_.scale)), image);
    }
    if (f.best >= 0) {
        const Frame best = f.base_at(f.best, d.world);
        const QPointF at = view_.to_pixels(best.translation());
        p.setPen(QPen(theme::good, 2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, 9, 9);
        p.drawLine(at - QPointF(13, 0), at + QPointF(13, 0));
        p.drawLine(at - QPointF(0, 13), at + QPointF(0, 13));
        legend = tr("%1 reaches all %2 poses where shaded; cross: %3 mm to spare")
                     .arg(name)
                     .arg(f.poses)
                     .arg(std::lround(1e3 * f.margin[f.best]));
    } else {
        legend = f.poses == 0 ? tr("%1 has no pose to reach yet: give it a pick and a place").arg(name)
                              : tr("No base position of %1 reaches all %2 poses").arg(name).arg(f.poses);
    }
    p.setPen(f.best >= 0 ? theme::good : theme::stop);
    theme::text(p, QRectF(10, height() - 22, width() - 20, 18), legend);
}

bool FloorView::take_best_base() {
    const auto e = workspace_.results.shown();
    const int arm = base_arm();
    if (!e || arm < 0) return false;
    const cell::Cell& c = *workspace_.open.cell();
    const cell::Device& d = c.devices[arm];
    const int there = e->cell->device(d.id);
    if (there < 0) return false;
    const inspection::BaseField f = inspection::base_field(*e->cell, there, e->inspection->poses);
    if (f.best < 0) return false;
    const Frame goal = f.base_at(f.best, d.world);
    const int root = inspection::movable_root(c, arm);
    const Frame moved = goal * d.world.inverse() * c.devices[root].world;
    return workspace_.open.apply({tr("Put %1 where it reaches best").arg(QString::fromStdString(d.name)).toStdString(),
        cell::place_at(c, root, moved)});
}

/// What an arm reaches of a tracking window: a band along the way of the parts, coloured by margin.
void FloorView::draw_window(QPainter& p, const inspection::PoseNeed& n) const {
    if (n.window.size() < 2) return;
    const auto middle = [&](std::size_t a, std::size_t b) {
        return view_.to_pixels(0.5 * (n.window[a].tool_world.translation() + n.window[b].tool_world.translation()));
    };
    const std::size_t last = n.window.size() - 1;
    p.setBrush(Qt::NoBrush);
    for (std::size_t i = 0; i <= last; ++i) {
        const inspection::WindowPlace& w = n.window[i];
        QColor c = !w.reached ? theme::stop : w.margin < 0.025 ? theme::watch : theme::good;
        c.setAlpha(150);
        p.setPen(QPen(c, 7, Qt::SolidLine, Qt::FlatCap));
        p.drawPolyline(QPolygonF{middle(i, i ? i - 1 : 0), middle(i, i), middle(i, std::min(i + 1, last))});
    }
    p.setPen(QPen(theme::ink, 1.2));
    for (const std::size_t end : {std::size_t{0}, last}) {
        const std::size_t beside = end ? end - 1 : 1;
        const QLineF along(middle(end, end), middle(beside, beside));
        QLineF across = along.normalVector();
        if (across.length() < 1e-6) continue;
        across.setLength(9);
        p.drawLine(across.p1() - (across.p2() - across.p1()), across.p2());
    }
}

void FloorView::draw_needs(QPainter& p) const {
    const auto e = workspace_.results.shown();
    if (!e || view_.side != Side::top || workspace_.selection.first().device.isEmpty()) return;
    // Seats of one tray that are out of reach, or nearly, are marked one by one and told once, at the worst.
    struct Seats {
        int bad = 0, all = 0;
        const inspection::PoseNeed* worst = nullptr;
    };
    std::map<std::tuple<int, int, int>, Seats> seats;
    for (const inspection::PoseNeed& n : e->inspection->poses) {
        Seats& of = seats[{n.arm, n.step, n.other}];
        ++of.all;
        if (n.reached && n.reach.margin >= 0.025) continue;
        ++of.bad;
        if (!of.worst || n.reach.margin < of.worst->reach.margin) of.worst = &n;
    }
    for (const inspection::PoseNeed& n : e->inspection->poses) {
        const bool own = e->cell->devices[n.arm].id == workspace_.selection.first().device.toStdString();
        // While something is dragged, the poses on it are what matters.
        const bool touched = n.other >= 0 && workspace_.selection.has(e->cell->devices[n.other].id);
        if (!own && !touched) continue;
        draw_window(p, n);
        const QPointF at = view_.to_pixels(n.tool_world.translation());
        const QColor c = !n.reached ? theme::stop : n.reach.margin < 0.025 ? theme::watch : theme::good;
        p.setPen(QPen(c, 2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, 5, 5);
        if (!n.reached) {
            p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
            p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
        } else if (n.reach.margin < 0.025) {
            p.drawLine(at + QPointF(0, -3), at + QPointF(0, 1));
            p.drawPoint(at + QPointF(0, 3));
        }
        if (const Seats& of = seats.at({n.arm, n.step, n.other}); of.worst == &n) {
            p.setFont(theme::font(10, true));
            const QString margin = tr("%1 mm").arg(std::lround(n.reach.margin * 1e3));
            p.drawText(
                at + QPointF(8, 4), of.bad > 1 ? tr("%1 of %2 seats, %3").arg(of.bad).arg(of.all).arg(margin) : margin);
        }
    }
}

QPointF FloorView::tool_handle() const {
    if (workspace_.hand.arm() < 0 || workspace_.hand.how().frame == ByHand::Frame::joint ||
        workspace_.playhead.playing())
        return {};
    return view_.to_pixels(workspace_.tool_by_hand().translation());
}

QPointF FloorView::turn_handle() const {
    const cell::Cell& c = *workspace_.open.cell();
    const int selected = c.device(workspace_.selection.first().device.toStdString());
    if (selected < 0 || view_.side != Side::top || c.devices[selected].locked) return {};
    const cell::Device& d = c.devices[selected];
    const geometry::Box3 box = d.extent();
    const double ahead = box.empty() ? 0.1 : std::max(std::abs(box.high.x()), std::abs(box.low.x()));
    const QPointF origin = view_.to_pixels(d.world.translation()),
                  edge = view_.to_pixels(d.world * Vector3(ahead, 0, 0));
    const double length = QLineF(origin, edge).length();
    if (length < 1) return origin + QPointF(26, 0);
    return origin + (edge - origin) * ((length + 22) / length);
}

void FloorView::draw_selection(QPainter& p) {
    dimensions_.clear();
    for (const int device : workspace_.selection.indexes()) {
        const cell::Device& d = workspace_.open.cell()->devices[device];
        const bool first = QString::fromStdString(d.id) == workspace_.selection.first().device;
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(theme::accent, first ? 1.6 : 1.1, d.locked ? Qt::SolidLine : Qt::DotLine));
        p.drawRect(pixel_box(device).adjusted(-5, -5, 5, 5));
        if (d.host >= 0 && first && !held()) {  // what it stands on, faintly
            p.setPen(QPen(theme::good, 1, Qt::DotLine));
            p.drawRect(pixel_box(d.host).adjusted(-2, -2, 2, 2));
        }
    }
    const QPointF handle = turn_handle();
    if (!handle.isNull() && !holds(FloorHand::Holds::new_device)) {
        const int selected = workspace_.open.cell()->device(workspace_.selection.first().device.toStdString());
        p.setPen(QPen(theme::accent, 1));
        p.drawLine(view_.to_pixels(workspace_.open.cell()->devices[selected].world.translation()), handle);
        p.setBrush(holds(FloorHand::Holds::turn_handle) ? theme::accent : theme::panel);
        p.drawEllipse(handle, 5, 5);
    }
    for (const auto& part : workspace_.shown.path()) {
        QPolygonF line;
        for (const Vector3& point : part) line << view_.to_pixels(point);
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(theme::move, 2));
        p.drawPolyline(line);
        p.setBrush(theme::panel);
        for (const QPointF& end : {line.first(), line.last()}) p.drawEllipse(end, 2.5, 2.5);
    }
    if (const QPointF tool = tool_handle(); !tool.isNull()) {
        p.setPen(QPen(theme::accent, 1.6));
        p.setBrush(holds(FloorHand::Holds::tool) ? theme::accent : theme::panel);
        p.drawEllipse(tool, 6, 6);
        for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
            p.drawLine(tool + 6 * way, tool + 11 * way);
    }
    if (workspace_.view_options.shown().dimensions) draw_dimensions(p);
}

namespace {

struct Nearest {
    double gap = 3.0;  ///< m; farther ones are of no interest
    int device = -1;
    geometry::Box3 box;
};

/// What is the nearest to a device's right, left, above and below it, seen from above. A thing on a table is measured
/// to what else stands there and to the table's edges; the rest to what stands on the floor.
std::array<Nearest, 4> nearest_around(
    const cell::Cell& c, int device, bool rides, const std::function<bool(const cell::Device&)>& counts) {
    std::array<Nearest, 4> near;
    const geometry::Box3 own = cell::world_extent(c, device);
    const auto keep = [&near](std::size_t side, double gap, int other, const geometry::Box3& box) {
        if (gap > 0.0005 && gap < near[side].gap) near[side] = {gap, other, box};
    };
    const int host = c.devices[device].host;
    for (const int other : indices(c.devices)) {
        const bool level = rides ? c.devices[other].host == host : c.devices[other].host < 0;
        if (!level || other == device || c.stands_on(other, device) || !counts(c.devices[other])) continue;
        const geometry::Box3 b = cell::world_extent(c, other);
        if (b.low.y() < own.high.y() && b.high.y() > own.low.y())
            keep(0, b.low.x() - own.high.x(), other, b), keep(1, own.low.x() - b.high.x(), other, b);
        if (b.low.x() < own.high.x() && b.high.x() > own.low.x())
            keep(2, b.low.y() - own.high.y(), other, b), keep(3, own.low.y() - b.high.y(), other, b);
    }
    if (!rides) return near;
    const geometry::Box3 b = cell::world_extent(c, host);
    keep(0, b.high.x() - own.high.x(), host, b), keep(1, own.low.x() - b.low.x(), host, b);
    keep(2, b.high.y() - own.high.y(), host, b), keep(3, own.low.y() - b.low.y(), host, b);
    return near;
}

}  // namespace

/// Distances from the selected device to its nearest neighbour across and along; each number can be typed into.
void FloorView::draw_dimensions(QPainter& p) {
    const cell::Cell& c = *workspace_.open.cell();
    const int selected = c.device(workspace_.selection.first().device.toStdString());
    if (selected < 0 || view_.side != Side::top || workspace_.selection.all().size() > 1) return;
    const cell::Device& d = c.devices[selected];
    const bool rides = d.host >= 0 && !d.arm && c.devices[d.host].kind->carries_devices();
    const int own_root = rides ? selected : c.root(selected);
    const geometry::Box3 own = cell::world_extent(c, own_root);
    const std::array<Nearest, 4> near = nearest_around(
        c, own_root, rides, [this](const cell::Device& other) { return !workspace_.view_options.hidden(other.id); });
    const auto overlap = [](double a0, double a1, double b0, double b1) {
        return 0.5 * (std::max(a0, b0) + std::min(a1, b1));
    };
    const Vector3 away[] = {-Vector3::UnitX(), Vector3::UnitX(), -Vector3::UnitY(), Vector3::UnitY()};
    for (int k = 0; k < 4; ++k) {
        const Nearest& n = near[k];
        if (n.device < 0) continue;
        QPointF a, b;
        if (k < 2) {
            const double y = overlap(own.low.y(), own.high.y(), n.box.low.y(), n.box.high.y());
            const double from = k == 0 ? own.high.x() : own.low.x();
            a = view_.flat_to_pixels(from, y), b = view_.flat_to_pixels(from + (k == 0 ? n.gap : -n.gap), y);
        } else {
            const double x = overlap(own.low.x(), own.high.x(), n.box.low.x(), n.box.high.x());
            const double from = k == 2 ? own.high.y() : own.low.y();
            a = view_.flat_to_pixels(x, from), b = view_.flat_to_pixels(x, from + (k == 2 ? n.gap : -n.gap));
        }
        p.setPen(QPen(theme::accent, 1));
        p.drawLine(a, b);
        const QPointF tick = k < 2 ? QPointF(0, 4) : QPointF(4, 0);
        p.drawLine(a - tick, a + tick);
        p.drawLine(b - tick, b + tick);
        const QString s = shown_number(std::round(n.gap * 1e4) / 10);
        p.setFont(theme::font(11, true));
        QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(s) + 8, 15);
        box.moveCenter((a + b) / 2);
        p.fillRect(box, QColor(0xF4, 0xE8, 0xDC));
        p.setPen(theme::accent);
        p.drawText(box, Qt::AlignCenter, s);
        dimensions_.push_back({box, n.gap, away[k], n.device});
    }
}

/// What the selected mover sweeps, seen from above: over all heights, and darker what lies at the working height.
void FloorView::draw_swept(QPainter& p) {
    const auto volume = swept_.volume();
    if (view_.side != Side::top || !volume) return;
    constexpr double band = 0.05;  // m to either side of the working height
    const double height = working_height();
    if (sweeps_.of != volume || sweeps_.height != height) {
        sweeps_ = {volume, height, {}, {}};
        const auto outline = [&](double low, double high) {
            QPainterPath rows;
            rows.setFillRule(Qt::WindingFill);
            for (const geometry::Box3& row : volume->covers(low, high))
                rows.addRect(QRectF(QPointF(row.low.x(), row.low.y()), QPointF(row.high.x(), row.high.y())));
            return rows.simplified();
        };
        sweeps_.all = outline(-1e9, 1e9), sweeps_.there = outline(height - band, height + band);
    }
    const QPointF origin = view_.flat_to_pixels(0, 0), x = view_.flat_to_pixels(1, 0), y = view_.flat_to_pixels(0, 1);
    const QTransform seen(
        x.x() - origin.x(), x.y() - origin.y(), y.x() - origin.x(), y.y() - origin.y(), origin.x(), origin.y());
    QColor colour = theme::accent;
    for (const auto& [path, alpha] : {std::pair{&sweeps_.all, 28}, {&sweeps_.there, 60}}) {
        p.setPen(QPen(theme::accent, 1));
        colour.setAlpha(alpha);
        p.setBrush(colour);
        p.drawPath(seen.map(*path));
    }
}

/// Space that two movers share, seen from above, whatever its height.
void FloorView::draw_zones(QPainter& p) {
    const auto found = workspace_.results.zones();
    if (view_.side != Side::top || !found) return;
    if (zones_.of != found) {
        zones_.of = found;
        zones_.outlines.clear();
        for (const inspection::Zone& z : found->all) {
            QPainterPath rows;
            rows.setFillRule(Qt::WindingFill);
            for (const geometry::Box3& row : z.space.unpacked().covers())
                rows.addRect(QRectF(QPointF(row.low.x(), row.low.y()), QPointF(row.high.x(), row.high.y())));
            zones_.outlines.push_back(rows.simplified());
        }
    }
    const QPointF origin = view_.flat_to_pixels(0, 0), x = view_.flat_to_pixels(1, 0), y = view_.flat_to_pixels(0, 1);
    const QTransform seen(
        x.x() - origin.x(), x.y() - origin.y(), y.x() - origin.x(), y.y() - origin.y(), origin.x(), origin.y());
    p.save();
    for (std::size_t i = 0; i < zones_.outlines.size(); ++i) {
        const QPainterPath outline = seen.map(zones_.outlines[i]);
        p.setPen(QPen(theme::stop, 1.2));
        p.setBrush(theme::hatch(theme::stop));
        p.drawPath(outline);
        const QString name = QString::fromStdString(found->all[i].name);
        p.setFont(theme::font(10, true));
        QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(name) + 8, 15);
        box.moveCenter({outline.boundingRect().center().x(), outline.boundingRect().top() - 9});
        p.fillRect(box, QColor(0xFB, 0xF8, 0xEE, 225));
        p.drawText(box, Qt::AlignCenter, name);
    }
    p.restore();
}

/// The least clearance, drawn when the cursor stands at its instant.
void FloorView::draw_clearance(QPainter& p) const {
    const auto e = workspace_.results.shown();
    if (!e || !workspace_.results.current()) return;
    std::vector<inspection::LeastClearance> shown = e->inspection->close_pairs;
    if (e->inspection->clearance.device_a >= 0) shown.push_back(e->inspection->clearance);
    for (const inspection::LeastClearance& c : shown) {
        if (std::abs(c.when_s - workspace_.playhead.time()) > 2e-3) continue;
        const QPointF a = view_.to_pixels(c.on_a), b = view_.to_pixels(c.on_b);
        p.setPen(QPen(theme::stop, 2));
        p.setBrush(Qt::NoBrush);
        p.drawLine(a, b);
        p.drawEllipse((a + b) / 2, 10, 10);
    }
    if (const inspection::LeastClearance* near = workspace_.view_options.nearest()) {
        const QPointF a = view_.to_pixels(near->on_a), b = view_.to_pixels(near->on_b);
        const QColor colour = near->distance < near->keeps ? theme::stop : theme::good;
        p.setPen(QPen(colour, 2));
        p.setBrush(colour);
        p.drawLine(a, b);
        for (const QPointF& end : {a, b}) p.drawEllipse(end, 2.5, 2.5);
        const QString words = tr("%1 mm").arg(1e3 * near->distance, 0, 'f', 0);
        p.setFont(theme::font(11, true));
        QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(words) + 8, 16);
        box.moveCenter((a + b) / 2 + QPointF(0, -16));
        p.fillRect(box, QColor(0xFB, 0xF8, 0xEE, 230));
        p.drawText(box, Qt::AlignCenter, words);
    }
}

}  // namespace escarp::desktop
