#include "floor_view.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include <cell/content_key.h>
#include <simulation/kernel.h>

#include "theme.h"

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

FloorView::FloorView(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace), tag_(new PlacementTag(workspace, this)) {
    setObjectName("floor");
    setAccessibleName(tr("Floor: plan of the cell"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(260, 200);
    connect(&workspace_, &Workspace::document_changed, this, [this] {
        if (fitted_ && hand_ == Hand::none) fit();
        tag_->show_device();
        place_tag();
        update();
    });
    connect(&workspace_, &Workspace::evaluated, this, qOverload<>(&QWidget::update));
    connect(&workspace_, &Workspace::time_changed, this, qOverload<>(&QWidget::update));
    connect(&workspace_, &Workspace::selection_changed, this, [this] {
        tag_->show_device();
        place_tag();
        update();
    });
}

void FloorView::set_side(Side side) {
    view_.side = side;
    fit();
    tag_->show_device();
    place_tag();
}

void FloorView::set_reach_shown(bool on) {
    reach_shown_ = on;
    update();
}

void FloorView::fit() {
    const QRectF box = plan_bounds(*workspace_.cell(), view_.side).adjusted(-0.3, -0.3, 0.3, 0.3);
    const double header = 26;
    view_.scale = std::clamp(std::min((width() - 16) / box.width(), (height() - header - 12) / box.height()), 5.0, 4000.0);
    view_.middle = QPointF(width() / 2.0 - box.center().x() * view_.scale, header + (height() - header) / 2.0 + box.center().y() * view_.scale);
    fitted_ = true;
    place_tag();
    update();
}

void FloorView::resizeEvent(QResizeEvent*) {
    if (fitted_) fit();
    place_tag();
}

double FloorView::working_height() const {
    // The height at which the selected arm (or any) works: the mean of the poses that its task needs.
    const auto e = workspace_.evaluation();
    if (!e) return 0.9;
    double sum = 0;
    int n = 0;
    for (const inspection::PoseNeed& need : e->inspection->poses) {
        if (!workspace_.selection().device.isEmpty() && e->cell->devices[static_cast<std::size_t>(need.arm)].id != workspace_.selection().device.toStdString()) continue;
        sum += need.tool_world.translation().z();
        ++n;
    }
    return n ? std::round(sum / n * 1e3) * 1e-3 : 0.9;
}

double FloorView::grid_step() const {
    for (const double step : {0.1, 0.5, 1.0, 5.0})
        if (step * view_.scale >= 8) return step;
    return 10.0;
}

void FloorView::draw_grid(QPainter& p) const {
    const double step = grid_step();
    const QPointF a = view_.to_flat({0, static_cast<double>(height())}), b = view_.to_flat({static_cast<double>(width()), 0});
    p.setRenderHint(QPainter::Antialiasing, false);
    for (double x = std::floor(a.x() / step) * step; x <= b.x(); x += step) {
        p.setPen(QPen(std::abs(std::remainder(x, 1.0)) < 1e-6 ? QColor(0xE0, 0xD9, 0xC6) : QColor(0xF0, 0xEB, 0xDE), 1));
        const double px = view_.flat_to_pixels(x, 0).x();
        p.drawLine(QPointF(px, 0), QPointF(px, height()));
    }
    for (double y = std::floor(a.y() / step) * step; y <= b.y(); y += step) {
        p.setPen(QPen(std::abs(std::remainder(y, 1.0)) < 1e-6 ? QColor(0xE0, 0xD9, 0xC6) : QColor(0xF0, 0xEB, 0xDE), 1));
        const double py = view_.flat_to_pixels(0, y).y();
        p.drawLine(QPointF(0, py), QPointF(width(), py));
    }
    p.setRenderHint(QPainter::Antialiasing);
    if (view_.side != Side::top) {
        p.setPen(QPen(theme::ink, 1.4));
        const double floor = view_.flat_to_pixels(0, 0).y();
        p.drawLine(QPointF(0, floor), QPointF(width(), floor));
    }
}

void FloorView::draw_boundary(QPainter& p) const {
    if (view_.side != Side::top || workspace_.cell()->devices.empty()) return;
    std::vector<geometry::Point2> points;
    for (const cell::Device& d : workspace_.cell()->devices) {
        for (const geometry::Body& b : d.bodies)
            for (const geometry::Point2& q : geometry::footprint(b.shape, d.world * b.at)) points.push_back(q);
    }
    QPolygonF line;
    for (const geometry::Point2& q : geometry::hull(points)) line << view_.flat_to_pixels(q.x(), q.y());
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme::ink, 1.1, Qt::DashDotLine));
    p.drawPolygon(line);
}

void FloorView::draw_reach(QPainter& p) {
    if (!reach_shown_ || view_.side != Side::top) return;
    const cell::Cell& c = *workspace_.cell();
    for (const cell::Device& d : c.devices) {
        if (!d.arm || !d.arm->solver->closed_form()) continue;  // a searched field would take minutes
        const bool selected = d.id == workspace_.selection().device.toStdString();
        if (!selected && !workspace_.selection().device.isEmpty()) continue;
        const double height = working_height() - d.world.translation().z();
        const std::uint64_t key = cell::ContentKey().add(d.arm->model_key).add(height).value();
        Reachable& r = reach_[key];
        if (r.key != key) {
            if (reach_.size() > 40) return reach_.clear();
            r.key = key;
            r.field = kinematics::reach_field(*d.arm->model, *d.arm->solver, d.arm->tool_frame, height, 0.025);
            r.image = QImage(r.field.size, r.field.size, QImage::Format_ARGB32_Premultiplied);
            r.image.fill(Qt::transparent);
            const auto dim = [](int alpha) { return qPremultiply(qRgba(0x1B, 0x7A, 0x78, alpha)); };
            for (int row = 0; row < r.field.size; ++row)
                for (int column = 0; column < r.field.size; ++column) {
                    if (!r.field.at(column, row)) continue;
                    const bool rim = !r.field.at(column - 1, row) || !r.field.at(column + 1, row) || !r.field.at(column, row - 1) || !r.field.at(column, row + 1);
                    r.image.setPixel(column, r.field.size - 1 - row, dim(rim ? 95 : 24));
                }
        }
        // The field is the arm's own: it turns and moves with the base.
        p.save();
        const QPointF base = view_.to_pixels(d.world.translation());
        p.translate(base);
        p.rotate(-geometry::to_triple(d.world.linear()).z() * 180 / geometry::pi);
        const double side = r.field.size * r.field.cell * view_.scale;
        p.setRenderHint(QPainter::SmoothPixmapTransform);
        p.setOpacity(selected ? 1.0 : 0.55);
        p.drawImage(QRectF(-side / 2, -side / 2, side, side), r.image);
        p.restore();
    }
}

void FloorView::draw_needs(QPainter& p) const {
    const auto e = workspace_.evaluation();
    if (!e || view_.side != Side::top || workspace_.selection().device.isEmpty()) return;
    for (const inspection::PoseNeed& n : e->inspection->poses) {
        if (e->cell->devices[static_cast<std::size_t>(n.arm)].id != workspace_.selection().device.toStdString()) continue;
        const QPointF at = view_.to_pixels(n.tool_world.translation());
        const QColor c = !n.reached ? theme::stop : n.reach.margin < 0.025 ? theme::watch : theme::good;
        p.setPen(QPen(c, 2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, 5, 5);
        if (!n.reached) {
            p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
            p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
        }
    }
}

/// Distances from the selected device to its nearest neighbour across and along.
void FloorView::draw_dimensions(QPainter& p) const {
    const cell::Cell& c = *workspace_.cell();
    const int selected = c.device(workspace_.selection().device.toStdString());
    if (selected < 0 || view_.side != Side::top) return;
    const int own_root = c.root(selected);
    const auto footprint = [&](int device) {
        const cell::Device& d = c.devices[static_cast<std::size_t>(device)];
        return geometry::bounds(d.arm ? d.arm->model->mechanism.links.front().bodies : d.bodies, d.world);
    };
    const geometry::Box3 own = footprint(own_root);
    if (own.empty()) return;
    const auto dimension = [&](const QPointF& a, const QPointF& b, double metres) {
        p.setPen(QPen(theme::accent, 1));
        p.drawLine(a, b);
        const QPointF tick = a.x() == b.x() ? QPointF(4, 0) : QPointF(0, 4);
        p.drawLine(a - tick, a + tick);
        p.drawLine(b - tick, b + tick);
        const QString s = QString::number(metres * 1e3, 'f', 1);
        p.setFont(theme::font(11, true));
        QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(s) + 8, 15);
        box.moveCenter((a + b) / 2);
        p.fillRect(box, QColor(0xF4, 0xE8, 0xDC));
        p.drawText(box, Qt::AlignCenter, s);
    };
    struct Nearest {
        double gap = 3.0;
        int device = -1;
    } right, left, above, below;
    for (std::size_t i = 0; i < c.devices.size(); ++i) {
        const int device = static_cast<int>(i);
        if (c.devices[i].host >= 0 || device == own_root || c.stands_on(device, own_root)) continue;
        const geometry::Box3 b = footprint(device);
        if (b.empty()) continue;
        const auto keep = [&](Nearest& n, double gap) {
            if (gap > 0.002 && gap < n.gap) n = {gap, device};
        };
        if (b.low.y() < own.high.y() && b.high.y() > own.low.y()) keep(right, b.low.x() - own.high.x()), keep(left, own.low.x() - b.high.x());
        if (b.low.x() < own.high.x() && b.high.x() > own.low.x()) keep(above, b.low.y() - own.high.y()), keep(below, own.low.y() - b.high.y());
    }
    const auto overlap = [](double a0, double a1, double b0, double b1) { return 0.5 * (std::max(a0, b0) + std::min(a1, b1)); };
    if (right.device >= 0) {
        const geometry::Box3 b = footprint(right.device);
        const double y = overlap(own.low.y(), own.high.y(), b.low.y(), b.high.y());
        dimension(view_.flat_to_pixels(own.high.x(), y), view_.flat_to_pixels(b.low.x(), y), right.gap);
    }
    if (left.device >= 0) {
        const geometry::Box3 b = footprint(left.device);
        const double y = overlap(own.low.y(), own.high.y(), b.low.y(), b.high.y());
        dimension(view_.flat_to_pixels(b.high.x(), y), view_.flat_to_pixels(own.low.x(), y), left.gap);
    }
    if (above.device >= 0) {
        const geometry::Box3 b = footprint(above.device);
        const double x = overlap(own.low.x(), own.high.x(), b.low.x(), b.high.x());
        dimension(view_.flat_to_pixels(x, own.high.y()), view_.flat_to_pixels(x, b.low.y()), above.gap);
    }
    if (below.device >= 0) {
        const geometry::Box3 b = footprint(below.device);
        const double x = overlap(own.low.x(), own.high.x(), b.low.x(), b.high.x());
        dimension(view_.flat_to_pixels(x, b.high.y()), view_.flat_to_pixels(x, own.low.y()), below.gap);
    }
}

/// The least clearance, drawn when the cursor stands at its instant.
void FloorView::draw_clearance(QPainter& p) const {
    const auto e = workspace_.evaluation();
    if (!e || !workspace_.current()) return;
    std::vector<inspection::LeastClearance> shown = e->inspection->close_pairs;
    if (e->inspection->clearance.device_a >= 0) shown.push_back(e->inspection->clearance);
    for (const inspection::LeastClearance& c : shown) {
        if (std::abs(c.when_s - workspace_.time()) > 2e-3) continue;
        const QPointF a = view_.to_pixels(c.on_a), b = view_.to_pixels(c.on_b);
        p.setPen(QPen(theme::stop, 2));
        p.setBrush(Qt::NoBrush);
        p.drawLine(a, b);
        p.drawEllipse((a + b) / 2, 10, 10);
    }
}

void FloorView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), QColor(0xFB, 0xF8, 0xEE));
    draw_grid(p);
    const cell::Cell& c = *workspace_.cell();
    draw_reach(p);
    draw_boundary(p);
    const auto e = workspace_.evaluation();
    draw_plan(p, view_, c, e.get(), {workspace_.time(), workspace_.selection().device, true, true, 11});
    draw_needs(p);
    const int selected = c.device(workspace_.selection().device.toStdString());
    if (selected >= 0) {
        QRectF box;
        for (const QPolygonF& poly : device_outlines(view_, c, selected, nullptr, 0)) {
            box |= poly.boundingRect();
            if (c.devices[static_cast<std::size_t>(selected)].arm) break;
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(theme::accent, 1.6, Qt::DotLine));
        p.drawRect(box.adjusted(-5, -5, 5, 5));
        draw_dimensions(p);
    }
    draw_clearance(p);
    p.fillRect(QRectF(0, 0, width(), 24), QColor(0xFB, 0xF8, 0xEE, 225));
    p.setFont(theme::font(12, true));
    p.setPen(theme::muted);
    const QString title = view_.side == Side::top ? tr("FLOOR") : view_.side == Side::front ? tr("FLOOR, from the front") : tr("FLOOR, from the side");
    p.drawText(QPointF(10, 16), title);
    const double after = 18 + QFontMetricsF(p.font()).horizontalAdvance(title);
    p.setFont(theme::font(11));
    theme::text(p, QRectF(after, 3, width() - after - 6, 18), tr("working height %1 mm \u00b7 grid %2 mm").arg(std::lround(working_height() * 1e3)).arg(std::lround(grid_step() * 1e3)));
    if (c.devices.empty()) {
        p.setFont(theme::font(14, true));
        p.setPen(theme::muted);
        p.drawText(rect(), Qt::AlignCenter, tr("The floor is empty.\nAdd a device: press N, or use Place in the menu."));
    }
}

std::vector<int> FloorView::devices_at(const QPointF& pixel) const {
    const cell::Cell& c = *workspace_.cell();
    const auto e = workspace_.evaluation();
    std::vector<std::pair<double, int>> hits;
    for (std::size_t i = 0; i < c.devices.size(); ++i) {
        bool hit = false;
        QRectF box;
        for (const QPolygonF& poly : device_outlines(view_, c, static_cast<int>(i), e.get(), workspace_.time())) {
            hit = hit || poly.containsPoint(pixel, Qt::WindingFill);
            box |= poly.boundingRect();
        }
        // Small things stay easy to hit: a few pixels around them count.
        if (!hit && std::max(box.width(), box.height()) < 40) hit = box.adjusted(-4, -4, 4, 4).contains(pixel);
        if (hit) hits.emplace_back(c.devices[i].arm ? 0 : box.width() * box.height(), static_cast<int>(i));
    }
    std::stable_sort(hits.begin(), hits.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<int> out;
    for (const auto& [size, device] : hits) out.push_back(device);
    return out;
}

void FloorView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    pressed_ = event->position();
    if (event->button() == Qt::MiddleButton || event->button() == Qt::RightButton) {
        hand_ = Hand::panning;
        grabbed_ = view_.middle;
        return;
    }
    const std::vector<int> under = devices_at(pressed_);
    if (under.empty()) {
        workspace_.select({});
        hand_ = Hand::panning;
        grabbed_ = view_.middle;
        return;
    }
    const cell::Cell& c = *workspace_.cell();
    const auto id = [&](int device) { return QString::fromStdString(c.devices[static_cast<std::size_t>(device)].id); };
    int chosen = under.front();
    for (const int device : under)
        if (id(device) == workspace_.selection().device) chosen = device;
    dragged_ = id(chosen);
    if (workspace_.selection().device != dragged_) workspace_.select(dragged_);
    hand_ = Hand::armed;
    // What is dragged is the bottom of the stack: an arm takes its pedestal along.
    const cell::Device& d = c.devices[static_cast<std::size_t>(c.device(dragged_.toStdString()))];
    const int root = d.arm && d.host >= 0 ? c.root(c.device(d.id)) : c.device(d.id);
    dragged_ = id(root);
    const Vector3 at = c.devices[static_cast<std::size_t>(root)].world.translation();
    grabbed_ = view_.to_flat(pressed_) - QPointF(at.dot(view_.right()), at.dot(view_.up()));
}

void FloorView::move_to(const QPointF& flat, bool snap) {
    const cell::Cell& c = *workspace_.cell();
    const int index = c.device(dragged_.toStdString());
    if (index < 0) return;
    const cell::Device& d = c.devices[static_cast<std::size_t>(index)];
    Vector3 world = d.world.translation();
    const double step = snap ? 0.01 : 0.0001;
    const auto rounded = [&](double v) { return std::round(v / step) * step; };
    if (view_.side == Side::top) world.x() = rounded(flat.x()), world.y() = rounded(flat.y());
    else if (view_.side == Side::front) world.x() = rounded(flat.x());
    else world.y() = rounded(flat.x());
    const Frame host = d.host >= 0 ? c.devices[static_cast<std::size_t>(d.host)].mount_world() : Frame::Identity();
    const Vector3 local = host.inverse() * world;
    const auto tenth = [](double m) { return std::round(m * 1e4) / 10; };
    const std::string at = "/devices/" + d.id + "/placement/";
    workspace_.try_out({tr("Move %1").arg(QString::fromStdString(d.name)).toStdString(), {cell::Operation::set(at + "x_mm", tenth(local.x())), cell::Operation::set(at + "y_mm", tenth(local.y()))}});
}

void FloorView::mouseMoveEvent(QMouseEvent* event) {
    if (hand_ == Hand::none) {
        setCursor(devices_at(event->position()).empty() ? Qt::ArrowCursor : Qt::SizeAllCursor);
        return;
    }
    const QPointF moved = event->position() - pressed_;
    if (hand_ == Hand::panning) {
        view_.middle = grabbed_ + moved;
        fitted_ = fitted_ && moved.manhattanLength() < 3;
        place_tag();
        update();
        return;
    }
    if (hand_ == Hand::armed && moved.manhattanLength() < 4) return;
    hand_ = Hand::dragging;
    move_to(view_.to_flat(event->position()) - grabbed_, !(event->modifiers() & Qt::AltModifier));
}

void FloorView::mouseReleaseEvent(QMouseEvent* event) {
    const Hand was = hand_;
    hand_ = Hand::none;
    if (was == Hand::dragging) {
        workspace_.take_draft();
    } else if (was == Hand::armed && (event->modifiers() & Qt::ControlModifier)) {
        // Ctrl and click goes through what lies under the pointer.
        const std::vector<int> under = devices_at(event->position());
        if (!under.empty()) workspace_.select(QString::fromStdString(workspace_.cell()->devices[static_cast<std::size_t>(under[static_cast<std::size_t>(++cycle_) % under.size()])].id));
    }
}

void FloorView::wheelEvent(QWheelEvent* event) {
    const QPointF flat = view_.to_flat(event->position());
    view_.scale = std::clamp(view_.scale * std::pow(1.0015, event->angleDelta().y()), 5.0, 5000.0);
    view_.middle = event->position() - QPointF(flat.x() * view_.scale, -flat.y() * view_.scale);
    fitted_ = false;
    place_tag();
    update();
}

void FloorView::keyPressEvent(QKeyEvent* event) {
    const cell::Cell& c = *workspace_.cell();
    const int selected = c.device(workspace_.selection().device.toStdString());
    QPointF shift;
    switch (event->key()) {
        case Qt::Key_Left: shift = {-1, 0}; break;
        case Qt::Key_Right: shift = {1, 0}; break;
        case Qt::Key_Up: shift = {0, 1}; break;
        case Qt::Key_Down: shift = {0, -1}; break;
        case Qt::Key_Escape:
            if (workspace_.trying()) hand_ = Hand::none, workspace_.drop_draft();
            else workspace_.select({});
            return;
        default: QWidget::keyPressEvent(event); return;
    }
    if (selected < 0) return;
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.1 : 0.01;
    const cell::Device& d = c.devices[static_cast<std::size_t>(selected)];
    const int root = d.arm && d.host >= 0 ? c.root(selected) : selected;
    dragged_ = QString::fromStdString(c.devices[static_cast<std::size_t>(root)].id);
    const Vector3 at = c.devices[static_cast<std::size_t>(root)].world.translation();
    move_to(QPointF(at.dot(view_.right()), at.dot(view_.up())) + shift * step, true);
    workspace_.take_draft();
}

void FloorView::place_tag() {
    const cell::Cell& c = *workspace_.cell();
    const int selected = c.device(workspace_.selection().device.toStdString());
    if (selected < 0) return;
    QRectF box;
    for (const QPolygonF& poly : device_outlines(view_, c, selected, nullptr, 0)) {
        box |= poly.boundingRect();
        if (c.devices[static_cast<std::size_t>(selected)].arm) break;
    }
    QPointF at(box.left(), box.bottom() + 26);
    if (at.y() + tag_->height() > height() - 4) at.setY(box.top() - tag_->height() - 26);
    at.setX(std::clamp(at.x(), 4.0, std::max(4.0, static_cast<double>(width() - tag_->width() - 4))));
    at.setY(std::clamp(at.y(), 28.0, std::max(28.0, static_cast<double>(height() - tag_->height() - 4))));
    tag_->move(at.toPoint());
}

}  // namespace escarp::desktop
