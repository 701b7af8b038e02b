#include "floor_view.h"

#include <QResizeEvent>
#include <algorithm>
#include <cmath>

#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <simulation/kernel.h>

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

FloorView::FloorView(Workspace& workspace, const SweptShown& swept, QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      tag_(new PlacementTag(workspace.open, workspace.selection, workspace.view_options, this)),
      swept_(swept) {
    connect(&swept_, &SweptShown::changed, this, qOverload<>(&QWidget::update));
    connect(&fields_, &FieldsShown::found, this, qOverload<>(&QWidget::update));
    setObjectName("floor");
    setAccessibleName(tr("Floor: plan of the cell"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAcceptDrops(true);
    setMinimumSize(260, 200);
    connect(&workspace_.open, &OpenCell::document_changed, this, [this] {
        picture_.follow(workspace_.open.shown_document().tree());
        // What grows out of the picture is brought into it; what fits leaves the view as it is.
        if (fitted_ && !hand_ && !workspace_.open.trying()) {
            const QRectF box = plan_bounds(*workspace_.open.cell(), view_);
            const QRectF seen(view_.flat_to_pixels(box.left(), box.top() + box.height()),
                view_.flat_to_pixels(box.right(), box.top()));
            if (!QRectF(rect()).adjusted(8, 30, -8, -8).contains(seen.normalized())) fit();
        }
        tag_->show_device();
        place_tag();
        update();
    });
    connect(&workspace_.results, &Results::evaluated, this, qOverload<>(&QWidget::update));
    connect(&workspace_.results, &Results::zones_found, this, qOverload<>(&QWidget::update));
    connect(&workspace_.playhead, &Playhead::time_changed, this, qOverload<>(&QWidget::update));
    connect(&workspace_.view_options, &ViewOptions::nearest_changed, this, qOverload<>(&QWidget::update));
    connect(&workspace_.hand, &ArmByHand::posed_changed, this, qOverload<>(&QWidget::update));
    connect(&workspace_.hand, &ArmByHand::how_changed, this, qOverload<>(&QWidget::update));
    const auto renewed = [this] {
        tag_->show_device();
        place_tag();
        update();
    };
    connect(&workspace_.selection, &Selection::selection_changed, this, renewed);
    connect(&workspace_.view_options, &ViewOptions::shown_changed, this, renewed);
}

void FloorView::set_side(Side side) {
    drop_hand();
    view_.side = side;
    fit();
    tag_->show_device();
    place_tag();
}

void FloorView::fit() {
    QRectF box = plan_bounds(*workspace_.open.cell(), view_).adjusted(-0.3, -0.3, 0.3, 0.3);
    const double more_x = std::max(0.0, 3.2 - box.width()) / 2,
                 more_y = std::max(0.0, 2.4 - box.height()) / 2;  // a first device is not blown up
    box.adjust(-more_x, -more_y, more_x, more_y);
    const double header = 26;
    view_.scale =
        std::clamp(std::min((width() - 16) / box.width(), (height() - header - 12) / box.height()), 5.0, 4000.0);
    view_.middle = QPointF(width() / 2.0 - box.center().x() * view_.scale,
        header + (height() - header) / 2.0 + box.center().y() * view_.scale);
    fitted_ = true;
    place_tag();
    update();
}

void FloorView::fit_selection() {
    const std::vector<int> devices = workspace_.selection.indexes();
    if (devices.empty()) return fit();
    const QRectF box = plan_bounds(*workspace_.open.cell(), view_, &devices).adjusted(-0.25, -0.25, 0.25, 0.25);
    view_.scale = std::clamp(std::min((width() - 16) / box.width(), (height() - 38) / box.height()), 5.0, 4000.0);
    view_.middle = QPointF(
        width() / 2.0 - box.center().x() * view_.scale, 26 + (height() - 26) / 2.0 + box.center().y() * view_.scale);
    fitted_ = false;
    place_tag();
    update();
}

cell::json FloorView::view_state() const {
    const QPointF centre = view_.to_flat(QPointF(width() / 2.0, height() / 2.0));
    static const char* sides[] = {"top", "front", "side", "corner"};
    return {{"side", sides[static_cast<int>(view_.side)]}, {"across_mm", 1e3 * centre.x()}, {"up_mm", 1e3 * centre.y()},
        {"wide_mm", 1e3 * width() / view_.scale}, {"turn_deg", view_.turn * 180 / geometry::pi},
        {"tilt_deg", view_.tilt * 180 / geometry::pi}};
}

void FloorView::set_view_state(const cell::json& s) {
    drop_hand();
    const std::string side = s.value("side", "top");
    view_.side = side == "front"    ? Side::front
                 : side == "side"   ? Side::side
                 : side == "corner" ? Side::corner
                                    : Side::top;
    view_.turn = s.value("turn_deg", -66.0) * geometry::pi / 180;
    view_.tilt = s.value("tilt_deg", 34.0) * geometry::pi / 180;
    view_.scale = std::clamp(width() / std::max(0.05, 1e-3 * s.value("wide_mm", 4000.0)), 5.0, 4000.0);
    view_.middle = QPointF(width() / 2.0 - 1e-3 * s.value("across_mm", 0.0) * view_.scale,
        height() / 2.0 + 1e-3 * s.value("up_mm", 0.0) * view_.scale);
    fitted_ = false;
    tag_->show_device();
    place_tag();
    update();
}

void FloorView::resizeEvent(QResizeEvent*) {
    if (fitted_) fit();
    place_tag();
}

double FloorView::grid_step() const {
    for (const double step : {0.1, 0.5, 1.0, 5.0})
        if (step * view_.scale >= 8) return step;
    return 10.0;
}

/// `view` on a sheet of `size` pixels.
void FloorView::draw_grid(QPainter& p, const PlanView& view, const QSizeF& size) const {
    const auto colour = [](double v) {
        return std::abs(std::remainder(v, 1.0)) < 1e-6 ? QColor(0xE0, 0xD9, 0xC6) : QColor(0xF0, 0xEB, 0xDE);
    };
    if (view.side == Side::corner) {  // the floor as it lies, around what stands on it
        geometry::Box3 all;
        for (const cell::Device& d : workspace_.open.cell()->devices) all.add(d.world.translation(), 1.5);
        if (all.empty()) all.add({-2, -2, 0}), all.add({2, 2, 0});
        const double x0 = std::floor(all.low.x()), x1 = std::ceil(all.high.x()), y0 = std::floor(all.low.y()),
                     y1 = std::ceil(all.high.y());
        p.setPen(QPen(colour(0), 1));
        for (double x = x0; x <= x1; x += 0.5) p.drawLine(view.to_pixels({x, y0, 0}), view.to_pixels({x, y1, 0}));
        for (double y = y0; y <= y1; y += 0.5) p.drawLine(view.to_pixels({x0, y, 0}), view.to_pixels({x1, y, 0}));
        return;
    }
    const double step = grid_step();
    const QPointF a = view.to_flat({0, size.height()}), b = view.to_flat({size.width(), 0});
    p.setRenderHint(QPainter::Antialiasing, false);
    for (double x = std::floor(a.x() / step) * step; x <= b.x(); x += step) {
        p.setPen(QPen(colour(x), 1));
        const double px = view.flat_to_pixels(x, 0).x();
        p.drawLine(QPointF(px, 0), QPointF(px, size.height()));
    }
    for (double y = std::floor(a.y() / step) * step; y <= b.y(); y += step) {
        p.setPen(QPen(colour(y), 1));
        const double py = view.flat_to_pixels(0, y).y();
        p.drawLine(QPointF(0, py), QPointF(size.width(), py));
    }
    p.setRenderHint(QPainter::Antialiasing);
    if (view.side != Side::top) {
        p.setPen(QPen(theme::ink, 1.4));
        const double floor = view.flat_to_pixels(0, 0).y();
        p.drawLine(QPointF(0, floor), QPointF(size.width(), floor));
    }
}

QRectF FloorView::pixel_box(int device) const {
    const cell::Cell& c = *workspace_.open.cell();
    const cell::Device& d = c.devices[device];
    const geometry::Box3 extent = d.extent();
    QPolygonF corners;
    for (int k = 0; k < 8 && !extent.empty(); ++k)
        corners << view_.to_pixels(
            d.world * Vector3(k & 1 ? extent.high.x() : extent.low.x(), k & 2 ? extent.high.y() : extent.low.y(),
                          k & 4 ? extent.high.z() : extent.low.z()));
    return corners.isEmpty() ? QRectF(view_.to_pixels(d.world.translation()), QSizeF(1, 1)) : corners.boundingRect();
}

/// The plan in layers that change for different reasons, each kept as a picture with a rim around the window while the
/// view is panned, the time runs or something is dragged over it.
void FloorView::draw_still(QPainter& p) {
    using Layer = PlanOptions::Layer;
    const HeldScene* held = this->held();
    Kept now;
    now.cell = held ? held->cell : workspace_.open.cell();
    now.hidden = workspace_.view_options.hidden();
    if (held)
        for (const int i : indices(now.cell->devices))
            if (std::any_of(held->moving.begin(), held->moving.end(),
                    [&](int m) { return m == i || now.cell->stands_on(i, m); }))
                now.hidden.insert(QString::fromStdString(now.cell->devices[i].id));
    now.shown = workspace_.view_options.shown(), now.view = view_, now.size = size();
    for (const Layer layer : {Layer::ground, Layer::live, Layer::names}) {
        if (layer == Layer::ground && view_.side != Side::top) continue;
        if (layer == Layer::names && !now.shown.names) continue;
        now.scene = 0, now.selected.clear();
        if (layer == Layer::live) now.scene = held ? held->number : workspace_.shown.number();
        if (layer == Layer::names && !held) now.selected = workspace_.selection.all();
        draw_kept(p, kept_[static_cast<std::size_t>(layer)], now, [&](QPainter& q, const PlanView& wide) {
            PlanOptions o;
            o.layer = layer;
            o.selected = now.selected;
            o.names = now.shown.names;
            o.sheet = QRectF(rim, rim, width(), height());
            o.frames = now.shown.frames;
            o.marks = now.shown.helpers;
            o.hidden = &now.hidden;
            draw_plan(q, wide, held ? *held->scene : workspace_.shown.scene(), o);
        });
    }
}

/// Draws what is kept, anew if it does not serve any more.
void FloorView::draw_kept(
    QPainter& p, Kept& kept, const Kept& now, const std::function<void(QPainter&, const PlanView&)>& draw) const {
    if (!kept.serves(now)) {
        QPixmap picture = kept.size == now.size ? std::move(kept.picture) : QPixmap();  // its room is used again
        const double ratio = devicePixelRatioF();
        if (picture.isNull()) picture = QPixmap((size() + QSize(2 * rim, 2 * rim)) * ratio);
        picture.setDevicePixelRatio(ratio);
        picture.fill(Qt::transparent);
        PlanView wide = view_;
        wide.middle += QPointF(rim, rim);
        {
            QPainter q(&picture);
            draw(q, wide);
        }
        kept = now;
        kept.picture = std::move(picture);
    }
    p.drawPixmap(view_.middle - kept.view.middle - QPointF(rim, rim), kept.picture);
}

bool FloorView::Kept::serves(const Kept& now) const {
    if (picture.isNull()) return false;
    const QPointF moved = now.view.middle - view.middle;
    return cell == now.cell && scene == now.scene && hidden == now.hidden && selected == now.selected &&
           shown == now.shown && size == now.size && view.side == now.view.side && view.scale == now.view.scale &&
           view.turn == now.view.turn && view.tilt == now.view.tilt && std::abs(moved.x()) <= rim &&
           std::abs(moved.y()) <= rim;
}

void FloorView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), QColor(0xFB, 0xF8, 0xEE));
    const Shown& shown = workspace_.view_options.shown();
    const bool clean = shown == Shown::nothing();
    picture_.draw(p, view_);
    if (!clean) {
        Kept now;
        now.view = view_, now.size = size();
        if (view_.side == Side::corner) now.cell = workspace_.open.cell();  // it lies round what stands there
        draw_kept(p, grid_, now,
            [this](QPainter& q, const PlanView& wide) { draw_grid(q, wide, size() + QSize(2 * rim, 2 * rim)); });
    }
    draw_base_field(p);
    draw_reach(p);
    if (shown.helpers && !held()) draw_boundary(p);
    draw_still(p);
    if (const HeldScene* held = this->held(); held && !held->moving.empty()) {
        const cell::Cell& c = *workspace_.open.cell();
        PlanOptions o;
        o.selected = workspace_.selection.all();
        o.names = shown.names;
        o.frames = shown.frames;
        o.marks = shown.helpers;
        for (const int i : indices(c.devices))
            if (std::any_of(
                    held->moving.begin(), held->moving.end(), [&](int m) { return m == i || c.stands_on(i, m); }))
                o.only.push_back(i);
        draw_plan(p, view_, workspace_.shown.scene(), o);
    }
    if (clean) return;
    if (shown.reach) draw_needs(p);
    draw_swept(p);
    if (shown.zones) draw_zones(p);
    draw_selection(p);
    draw_clearance(p);
    if (hand_) hand_->draw(p);
    draw_words(p);
}

void FloorView::draw_words(QPainter& p) const {
    p.fillRect(QRectF(0, 0, width(), 24), QColor(0xFB, 0xF8, 0xEE, 225));
    p.setFont(theme::font(12, true));
    p.setPen(theme::muted);
    const QString title = view_.side == Side::top     ? tr("FLOOR")
                          : view_.side == Side::front ? tr("FLOOR, from the front")
                          : view_.side == Side::side  ? tr("FLOOR, from the side")
                                                      : tr("FLOOR, from a corner");
    p.drawText(QPointF(10, 16), title);
    const double after = 18 + QFontMetricsF(p.font()).horizontalAdvance(title);
    p.setFont(theme::font(11));
    QString words = tr("working height %1 mm \u00b7 grid %2 mm")
                        .arg(std::lround(working_height() * 1e3))
                        .arg(std::lround(grid_step() * 1e3));
    if (hand_ && !hand_->words().isNull()) words = hand_->words();
    if (!workspace_.view_options.hidden().isEmpty() && !hand_)
        words += tr(" \u00b7 %1 hidden").arg(workspace_.view_options.hidden().size());
    if (hand_ && !hand_->words().isNull()) p.setPen(theme::accent);
    theme::text(p, QRectF(after, 3, width() - after - 6, 18), words);
}

std::vector<int> FloorView::devices_at(const QPointF& pixel) const {
    const cell::Cell& c = *workspace_.open.cell();
    std::vector<std::pair<double, int>> hits;
    for (const int i : indices(c.devices)) {
        if (workspace_.view_options.hidden(c.devices[i].id)) continue;
        const cell::Device& d = c.devices[i];
        QRectF box = pixel_box(i);
        if (!d.mover() && !box.adjusted(-6, -6, 6, 6).contains(pixel))
            continue;  // nowhere near: no need for its outline
        bool hit = false;
        QRectF drawn;
        for (const QPolygonF& poly : device_outlines(view_, workspace_.shown.scene(), i)) {
            hit = hit || poly.containsPoint(pixel, Qt::WindingFill);
            drawn |= poly.boundingRect();
        }
        // Small things stay easy to hit: a few pixels around them count. Thin ones too.
        if (!hit && std::max(drawn.width(), drawn.height()) < 40) hit = drawn.adjusted(-4, -4, 4, 4).contains(pixel);
        if (!hit && std::min(drawn.width(), drawn.height()) < 8) hit = drawn.adjusted(-4, -4, 4, 4).contains(pixel);
        // What is painted on the floor is hit last; of the rest the smaller one first.
        if (hit) hits.emplace_back(d.arm ? 0 : drawn.width() * drawn.height() * (d.bodies.empty() ? 1e6 : 1), i);
    }
    std::stable_sort(hits.begin(), hits.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<int> out;
    for (const auto& [size, device] : hits) out.push_back(device);
    return out;
}

/// Beside the selected device, where it covers least of the others.
void FloorView::place_tag() {
    const cell::Cell& c = *workspace_.open.cell();
    const int selected = c.device(workspace_.selection.first().device.toStdString());
    if (selected < 0 || tag_->isAncestorOf(focusWidget()))
        return;  // a field that is being typed into stays where it is
    const QRectF box = pixel_box(selected).adjusted(-14, -14, 14, 14);
    const QSizeF size = tag_->size();
    const QRectF room(4, 28, std::max(1.0, width() - 8.0), std::max(1.0, height() - 32.0));
    std::vector<QRectF> others{pixel_box(selected)};
    for (const int i : indices(c.devices))
        if (!workspace_.view_options.hidden(c.devices[i].id)) others.push_back(pixel_box(i));
    QRectF best;
    double least = 1e300;
    for (const QPointF& wish :
        {QPointF(box.left(), box.bottom() + 12), QPointF(box.left(), box.top() - size.height() - 12),
            QPointF(box.right() + 34, box.center().y() - size.height() / 2),
            QPointF(box.left() - size.width() - 34, box.center().y() - size.height() / 2),
            QPointF(box.center().x() - size.width() / 2, room.bottom() - size.height()),
            QPointF(box.center().x() - size.width() / 2, room.top())}) {
        QRectF at(wish, size);
        at.moveLeft(std::clamp(at.left(), room.left(), std::max(room.left(), room.right() - size.width())));
        at.moveTop(std::clamp(at.top(), room.top(), std::max(room.top(), room.bottom() - size.height())));
        double covered = 0;
        for (std::size_t i = 0; i < others.size(); ++i) {
            const QRectF common = at.intersected(others[i]);
            if (!common.isEmpty()) covered += common.width() * common.height() * (i == 0 ? 10 : 1);
        }
        covered += 2 * QLineF(at.center(), box.center()).length();  // near it, all else being equal
        if (covered < least) least = covered, best = at;
    }
    tag_->move(best.topLeft().toPoint());
}

}  // namespace escarp::desktop
