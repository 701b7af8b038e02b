#include "handling_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolButton>
#include <cmath>

#include <cell/edits/arrange.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

using geometry::Frame;
using geometry::Vector3;

constexpr double lever_pixels = 42, near_pixels = 9;

template <typename Item>
const Item* with_id(const std::vector<Item>& all, const std::string& id) {
    for (const Item& one : all)
        if (one.id == id) return &one;
    return nullptr;
}

cell::json rounded(double a, double b, double c, double step) {
    cell::json out = cell::json::array();
    for (const double v : {a, b, c}) out.push_back(std::round(v / step) * step + 0.0);
    return out;
}

}  // namespace

HandlingView::HandlingView(OpenCell& open, const Results& results, Selection& selection, QWidget* parent)
    : QWidget(parent), open_(open), results_(results), selection_(selection) {
    setObjectName("handling_view");
    setAccessibleName(tr("The part as the tool grips it; arrows move the grip, comma and full stop turn it"));
    setFixedHeight(150);
    setFocusPolicy(Qt::StrongFocus);
    setToolTip(tr("Drag the dot to move the frame, the lever to turn it (15\u00b0 steps, with Shift freely)"));
    int at = 2;
    for (const auto& [side, words] : {std::pair{Side::corner, tr("corner")}, {Side::top, tr("top")},
             {Side::front, tr("front")}, {Side::side, tr("side")}}) {
        auto* button = new QToolButton(this);
        button->setText(words);
        button->setObjectName("handling_" + QString::number(static_cast<int>(side)));
        button->setStyleSheet("font-size: 10px; padding: 0 3px;");
        button->adjustSize();
        button->move(at, 2);
        at += button->width() + 2;
        connect(button, &QToolButton::clicked, this, [this, side = side] { set_side(side); });
    }
    connect(&open_, &OpenCell::document_changed, this, [this] { update(); });
}

void HandlingView::show_part(const std::string& part_type, const std::string& grip, const std::string& tool) {
    part_ = part_type, grip_ = grip, tool_ = tool;
    update();
}

void HandlingView::show_tool(const std::string& tool) {
    part_.clear(), grip_.clear(), tool_ = tool;
    update();
}

void HandlingView::set_side(Side side) {
    side_ = side;
    update();
}

HandlingView::Content HandlingView::content() const {
    Content c;
    const cell::Cell& cell = *open_.cell();
    c.tool = with_id(cell.tool_models, tool_);
    if (part_.empty()) {
        c.there = c.tool;
        if (c.tool) c.frame = c.tool->frame;
        return c;
    }
    c.part = with_id(cell.part_types, part_);
    if (!c.part || c.part->grips.empty()) return c;
    const cell::Grip* grip = with_id(c.part->grips, grip_);
    c.frame = (grip ? *grip : c.part->grips.front()).at;
    c.there = true;
    return c;
}

std::vector<DrawnBody> HandlingView::bodies(const Content& c) const {
    std::vector<DrawnBody> out;
    if (c.part)
        for (const geometry::Body& b : c.part->bodies)
            out.push_back({&b.shape, b.at,
                theme::look_colour(cell::Look::structure, c.part->colour.empty() ? "#C3CBD2" : c.part->colour)});
    if (c.tool) {
        const Frame flange = c.part ? Frame(c.frame * c.tool->frame.inverse()) : Frame(Frame::Identity());
        QColor fill = theme::arm;
        if (c.part) fill.setAlpha(170);  // the part is seen through it
        for (const geometry::Body& b : c.tool->bodies) out.push_back({&b.shape, flange * b.at, fill});
    }
    return out;
}

PlanView HandlingView::view(const Content& c) const {
    if (held_ != Held::nothing) return held_view_;
    PlanView v;
    v.side = side_;
    v.turn = -1.0, v.tilt = 0.45;
    v.scale = 1;
    QPolygonF all{v.to_pixels(c.frame.translation())};
    for (const DrawnBody& b : bodies(c)) {
        const geometry::Box3 box = geometry::bounds(*b.shape, b.at);
        for (int k = 0; k < 8; ++k)
            all << v.to_pixels({k & 1 ? box.high.x() : box.low.x(), k & 2 ? box.high.y() : box.low.y(),
                k & 4 ? box.high.z() : box.low.z()});
    }
    const QRectF seen = all.boundingRect();
    v.scale = 0.78 * std::min(width() / std::max(0.02, seen.width()), (height() - 26) / std::max(0.02, seen.height()));
    v.middle = QPointF(0.5 * width(), 0.5 * height() + 13) - seen.center() * v.scale;
    return v;
}

QPointF HandlingView::origin() const {
    const Content c = content();
    return view(c).to_pixels(c.frame.translation());
}

QPointF HandlingView::lever() const {
    const Content c = content();
    const PlanView v = view(c);
    // Along whichever axis of the frame is seen longest.
    QPointF best;
    for (int axis = 0; axis < 3; ++axis) {
        const Vector3 way = c.frame.linear().col(axis);
        const QPointF seen(way.dot(v.right()), -way.dot(v.up()));
        if (std::hypot(seen.x(), seen.y()) > std::hypot(best.x(), best.y()) + 1e-6) best = seen;
    }
    return v.to_pixels(c.frame.translation()) + best / std::max(1e-6, std::hypot(best.x(), best.y())) * lever_pixels;
}

void HandlingView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), QColor(Qt::white));
    p.setPen(theme::rule);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    const Content c = content();
    if (!c.there) return;
    const PlanView v = view(c);
    draw_bodies(p, v, bodies(c));
    if (c.part)
        for (const cell::Grip& g : c.part->grips) {
            p.setPen(QPen(theme::muted, 1));
            p.setBrush(Qt::white);
            p.drawEllipse(v.to_pixels(g.at.translation()), 3, 3);
        }
    draw_frame(p, v, c.frame, 34 / v.scale);
    const QPointF from = origin(), to = lever();
    p.setPen(QPen(theme::accent, 1.4, Qt::DotLine));
    p.drawLine(from, to);
    p.setPen(QPen(theme::accent, 1.4));
    p.setBrush(held_ == Held::lever ? theme::accent : QColor(Qt::white));
    p.drawRect(QRectF(to - QPointF(3.5, 3.5), QSizeF(7, 7)));
    p.setBrush(held_ == Held::origin ? theme::accent : QColor(Qt::white));
    p.drawEllipse(from, 4.5, 4.5);
    if (hasFocus()) {
        p.setPen(theme::accent);
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void HandlingView::mousePressEvent(QMouseEvent* event) {
    const Content c = content();
    if (!c.there || event->button() != Qt::LeftButton) return;
    pressed_ = event->position();
    before_ = c.frame;
    held_view_ = view(c);
    const auto near = [&](const QPointF& at) { return QLineF(pressed_, at).length() <= near_pixels; };
    const Held held = near(lever()) ? Held::lever : near(origin()) ? Held::origin : Held::nothing;
    if (held == Held::nothing && c.part)
        for (const cell::Grip& g : c.part->grips)
            if (near(held_view_.to_pixels(g.at.translation()))) {
                Q_EMIT grip_chosen(QString::fromStdString(g.id));
                return;
            }
    held_ = held;
    update();
}

void HandlingView::mouseMoveEvent(QMouseEvent* event) {
    if (held_ == Held::nothing) return;
    const PlanView& v = held_view_;
    const QPointF from = v.to_flat(pressed_), to = v.to_flat(event->position());
    Frame frame = before_;
    if (held_ == Held::origin) {
        frame.translation() += v.right() * (to.x() - from.x()) + v.up() * (to.y() - from.y());
    } else {
        const QPointF middle = v.to_flat(v.to_pixels(before_.translation()));
        double turned = std::atan2(to.y() - middle.y(), to.x() - middle.x()) -
                        std::atan2(from.y() - middle.y(), from.x() - middle.x());
        if (!(event->modifiers() & Qt::ShiftModifier))
            turned = std::round(turned / (geometry::pi / 12)) * (geometry::pi / 12);
        // About the frame's own axis that looks most toward the eye, so that what stood straight stays straight.
        int axis = 0;
        for (int k = 1; k < 3; ++k)
            if (std::abs(before_.linear().col(k).dot(v.to_eye())) >
                std::abs(before_.linear().col(axis).dot(v.to_eye())) + 1e-9)
                axis = k;
        Vector3 about = before_.linear().col(axis);
        if (about.dot(v.to_eye()) < 0) about = -about;
        frame.linear() = geometry::rotation(about, turned) * before_.linear();
    }
    open_.try_quietly(edit(frame));
    update();
}

void HandlingView::mouseReleaseEvent(QMouseEvent*) {
    if (held_ == Held::nothing) return;
    held_ = Held::nothing;
    if (open_.trying()) open_.take_draft();
    update();
}

void HandlingView::give_up() {
    held_ = Held::nothing;
    open_.drop_draft();
    update();
}

void HandlingView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && held_ != Held::nothing) return give_up();
    const Content c = content();
    if (!c.there) return;
    const PlanView v = view(c);
    // Along the axis of the part that is seen nearest to the arrow's direction.
    const auto along = [](const Vector3& way) {
        int axis = 0;
        way.cwiseAbs().maxCoeff(&axis);
        return Vector3(Vector3::Unit(axis) * (way[axis] < 0 ? -1 : 1));
    };
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.01 : 0.001;
    Frame frame = c.frame;
    switch (event->key()) {
        case Qt::Key_Left: frame.translation() -= step * along(v.right()); break;
        case Qt::Key_Right: frame.translation() += step * along(v.right()); break;
        case Qt::Key_Up: frame.translation() += step * along(v.up()); break;
        case Qt::Key_Down: frame.translation() -= step * along(v.up()); break;
        case Qt::Key_Comma:
            frame.linear() = frame.linear() * geometry::rotation(Vector3::UnitZ(), geometry::pi / 12);
            break;
        case Qt::Key_Period:
            frame.linear() = frame.linear() * geometry::rotation(Vector3::UnitZ(), -geometry::pi / 12);
            break;
        default: return QWidget::keyPressEvent(event);
    }
    open_.apply(edit(frame));
}

cell::Edit HandlingView::edit(const Frame& frame) const {
    const cell::Placement at = cell::placement_of(frame);
    const cell::json place = rounded(at.x, at.y, at.z, 1), turn = rounded(at.rx, at.ry, at.turn, 0.001);
    if (part_.empty())
        return {tr("Move the tool frame").toStdString(),
            {cell::Operation::set(
                cell::Path("tool_models") / tool_ / "tool_frame", {{"at_mm", place}, {"turn_deg", turn}})}};
    const cell::PartType* part = with_id(open_.cell()->part_types, part_);
    const std::string grip = part && !with_id(part->grips, grip_) ? part->grips.front().id : grip_;
    const cell::Path list = cell::Path("part_types") / part_ / "grips";
    const cell::json one{{"id", grip}, {"at_mm", place}, {"turn_deg", turn}};
    // A part without grips in the file has one on top that is not written down yet.
    if (!cell::find(open_.resolved(), list / grip))
        return {tr("Move grip").toStdString(), {cell::Operation::set(list, cell::json::array({one}))}};
    return {
        tr("Move grip %1").arg(QString::fromStdString(grip)).toStdString(), {cell::Operation::set(list / grip, one)}};
}

}  // namespace escarp::desktop
