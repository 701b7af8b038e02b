// Mouse and keys on the Floor: which hand takes hold of what.

#include <QDragEnterEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include <desktop/fields/typed_number.h>
#include <desktop/looks/theme.h>
#include <desktop/panels/catalogue_panel.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

#include "band_hand.h"
#include "drag_hand.h"
#include "floor_view.h"
#include "line_hand.h"
#include "measure_hand.h"
#include "place_hand.h"
#include "tool_hand.h"
#include "turn_hand.h"
#include "view_hand.h"

namespace escarp::desktop {

using geometry::Vector3;

void FloorView::take(std::unique_ptr<FloorHand> hand) {
    left_ = std::move(hand_);
    hand_ = std::move(hand);
    setCursor(hand_ && hand_->hangs() ? Qt::CrossCursor : Qt::ArrowCursor);
    update();
}

void FloorView::let_go() { take(nullptr); }

void FloorView::drop_hand() {
    if (workspace_.open.trying() && !workspace_.open.previewing()) workspace_.open.drop_draft();
    let_go();
}

HeldScene FloorView::hold() const {
    HeldScene held{workspace_.open.cell(), workspace_.results.shown(), workspace_.shown.number(), std::nullopt, {}};
    const study::Evaluation* e = held.evaluation.get();
    held.scene.emplace(*held.cell, e ? e->cell.get() : nullptr, e ? &e->run->trace : nullptr,
        workspace_.playhead.instant(), workspace_.hand.posed());
    return held;
}

void FloorView::look(const PlanView& view, bool meant) {
    view_ = view;
    fitted_ = fitted_ && !meant;
    place_tag();
    update();
}

Vector3 FloorView::floor_point(const QPointF& pixel) const {
    const QPointF flat = view_.to_flat(pixel);
    if (view_.side == Side::top) return {flat.x(), flat.y(), 0};
    if (view_.side == Side::front) return {flat.x(), 0, 0};
    if (view_.side == Side::side) return {0, flat.x(), 0};
    // From a corner: where the ray through the pixel meets the floor.
    const Vector3 on = flat.x() * view_.right() + flat.y() * view_.up(), eye = view_.to_eye();
    return on - eye * (on.z() / eye.z());
}

void FloorView::ask_menu(const QPointF& pixel) {
    const std::vector<int> under = devices_at(pixel);
    Q_EMIT asks_menu(mapToGlobal(pixel.toPoint()), QList<int>(under.begin(), under.end()));
}

void FloorView::select_next_under(const QPointF& pixel) {
    const std::vector<int> under = devices_at(pixel);
    if (under.empty()) return;
    const int next = under[static_cast<std::size_t>(++cycle_) % under.size()];
    workspace_.selection.select(QString::fromStdString(workspace_.open.cell()->devices[next].id));
}

void FloorView::tell_measured(const Vector3& a, const Vector3& b) {
    const Vector3 d = b - a;
    const auto mm = [](double metres) { return shown_number(std::round(1e4 * metres) / 10); };
    measured_ = tr("%1 mm (x %2, y %3)").arg(mm(d.norm()), mm(d.x()), mm(d.y()));
    Q_EMIT points_measured(a, b);
}

void FloorView::place(const cell::Offering& what) {
    drop_hand();
    if (view_.side != Side::top) set_side(Side::top);
    if (LineHand::draws(workspace_.open, what)) take(std::make_unique<LineHand>(*this, what));
    else take(std::make_unique<PlaceHand>(*this, what));
    setFocus();
}

void FloorView::measure() {
    drop_hand();
    take(std::make_unique<MeasureHand>(*this));
    setFocus();
}

void FloorView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const QPointF at = event->position();
    const Pointer pointer{at, event->modifiers()};
    if (event->button() == Qt::MiddleButton || event->button() == Qt::RightButton) {
        if (!hand_ || !hand_->hangs()) take(std::make_unique<ViewHand>(*this, at, event->button()));
        else if (event->button() == Qt::RightButton) drop_hand();
        return;
    }
    if (hand_ && hand_->hangs()) return hand_->click(pointer);
    if (const QPointF tool = tool_handle(); !tool.isNull() && QLineF(tool, at).length() < 10)
        return take(std::make_unique<ToolHand>(*this, at));
    for (const Dimension& d : dimensions_)
        if (d.box.adjusted(-2, -2, 2, 2).contains(at)) return edit_dimension(d);
    Selection& selection = workspace_.selection;
    const auto shared_cell = workspace_.open.cell();
    const cell::Cell& c = *shared_cell;
    if (const QPointF handle = turn_handle(); !handle.isNull() && QLineF(handle, at).length() < 9)
        return take(std::make_unique<TurnHand>(*this, c.device(selection.first().device.toStdString())));
    const std::vector<int> under = devices_at(at);
    const bool shift = event->modifiers() & Qt::ShiftModifier;
    if (under.empty()) {
        if (shift) return take(std::make_unique<BandHand>(*this, at));
        selection.select({});
        return take(std::make_unique<ViewHand>(*this, at, event->button()));
    }
    const auto id = [&](int device) { return QString::fromStdString(c.devices[device].id); };
    if (shift) return selection.toggle(id(under.front()));
    int chosen = under.front();
    for (const int device : under)
        if (selection.has(c.devices[device].id)) chosen = device;
    if (!selection.has(c.devices[chosen].id)) selection.select_devices(selection.group_of(id(chosen)));
    take(std::make_unique<DragHand>(*this, at, chosen));
}

void FloorView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    if (hand_) return hand_->move({at, event->modifiers()});
    const bool number =
        std::any_of(dimensions_.begin(), dimensions_.end(), [&](const Dimension& d) { return d.box.contains(at); });
    const QPointF handle = turn_handle();
    setCursor(number                                                ? Qt::IBeamCursor
              : !handle.isNull() && QLineF(handle, at).length() < 9 ? Qt::PointingHandCursor
              : devices_at(at).empty()                              ? Qt::ArrowCursor
                                                                    : Qt::SizeAllCursor);
}

void FloorView::mouseReleaseEvent(QMouseEvent* event) {
    if (!hand_ || hand_->hangs()) return;
    const std::unique_ptr<FloorHand> done = std::move(hand_);
    let_go();
    done->release({event->position(), event->modifiers()});
}

void FloorView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (holds(FloorHand::Holds::line)) return hand_->finish();
    if (event->button() != Qt::LeftButton) return;
    // One device out of its group, ready for exact numbers.
    const std::vector<int> under = devices_at(event->position());
    if (under.empty()) return;
    Selection& selection = workspace_.selection;
    const QString id = QString::fromStdString(workspace_.open.cell()->devices[under.front()].id);
    const QString first = selection.first().device;
    selection.select(selection.all().size() > 1 || first.isEmpty() ? id : first);
    tag_->enter("place_x");
}

void FloorView::wheelEvent(QWheelEvent* event) {
    const QPointF flat = view_.to_flat(event->position());
    view_.scale = std::clamp(view_.scale * std::pow(1.0015, event->angleDelta().y()), 5.0, 5000.0);
    view_.middle = event->position() - QPointF(flat.x() * view_.scale, -flat.y() * view_.scale);
    fitted_ = false;
    place_tag();
    update();
}

void FloorView::nudge(const Vector3& by) {
    const cell::Cell& c = *workspace_.open.cell();
    std::vector<int> devices;
    for (const int i : workspace_.selection.indexes()) {
        const int root = c.devices[i].arm ? inspection::movable_root(c, i) : i;
        if (!c.devices[root].locked) devices.push_back(root);
    }
    if (!devices.empty()) workspace_.open.apply(cell::move_by(c, devices, by));
}

void FloorView::turn(double angle) {
    const cell::Cell& c = *workspace_.open.cell();
    std::vector<int> devices = workspace_.selection.indexes();
    std::erase_if(devices, [&](int i) { return c.devices[i].locked; });
    if (!devices.empty()) workspace_.open.apply(cell::turn_by(c, devices, angle));
}

void FloorView::keyPressEvent(QKeyEvent* event) {
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.001 : 0.01;
    const Vector3 right = view_.side == Side::corner ? Vector3::UnitX() : view_.right(),
                  up = view_.side == Side::corner ? Vector3::UnitY() : view_.up();
    switch (event->key()) {
        case Qt::Key_Left: return nudge(-step * right);
        case Qt::Key_Right: return nudge(step * right);
        case Qt::Key_Up: return nudge(step * up);
        case Qt::Key_Down: return nudge(-step * up);
        case Qt::Key_Comma: return turn(geometry::pi / 12);
        case Qt::Key_Period: return turn(-geometry::pi / 12);
        case Qt::Key_Semicolon:
        case Qt::Key_Less: return turn(geometry::pi / 180);
        case Qt::Key_Colon:
        case Qt::Key_Greater: return turn(-geometry::pi / 180);
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (holds(FloorHand::Holds::line)) return hand_->finish();
            if (!workspace_.selection.first().device.isEmpty()) tag_->enter("place_x");
            return;
        case Qt::Key_Escape:
            if (hand_) drop_hand();
            else if (workspace_.open.trying()) workspace_.open.drop_draft();
            else workspace_.selection.select({});
            return;
        default: QWidget::keyPressEvent(event); return;
    }
}

/// A field over the number of a dimension; what is typed moves the selected device.
void FloorView::edit_dimension(const Dimension& d) {
    delete dimension_field_;
    dimension_field_ = new NumberField("mm", 0, 1e5, this);
    dimension_field_->setObjectName("dimension");
    dimension_field_->setAccessibleName(tr("Distance to the neighbour"));
    dimension_field_->set_value(std::round(d.metres * 1e4) / 10);
    dimension_field_->setGeometry(QRectF(d.box.center() - QPointF(34, 10), QSizeF(68, 20)).toRect());
    const QString device = workspace_.selection.first().device;
    const double was = d.metres;
    const Vector3 away = d.away;
    const auto edit = [this, device, was, away](double mm) -> cell::Edit {
        const auto c = workspace_.open.layout().shared_cell();
        const int index = c->device(device.toStdString());
        if (index < 0) return {};
        const bool rides = c->devices[index].host >= 0 && !c->devices[index].arm &&
                           c->devices[c->devices[index].host].kind->carries_devices();
        return cell::move_by(*c, {rides ? index : c->root(index)}, (1e-3 * mm - was) * away);
    };
    const auto close = [this] {
        if (!dimension_field_) return;
        dimension_field_->deleteLater();
        dimension_field_ = nullptr;
        setFocus();
        update();
    };
    connect(dimension_field_, &NumberField::tried, this,
        [this, edit](double mm) { workspace_.open.try_quietly(edit(mm)); });
    connect(dimension_field_, &NumberField::gave_up, this, [this] { workspace_.open.drop_draft(); });
    connect(dimension_field_, &NumberField::changed, this, [this, edit](double mm) {
        workspace_.open.drop_draft();
        workspace_.open.apply(edit(mm));
    });
    connect(dimension_field_, &QLineEdit::editingFinished, this, close, Qt::QueuedConnection);
    dimension_field_->show();
    dimension_field_->setFocus();
    dimension_field_->selectAll();
}

void FloorView::dragEnterEvent(QDragEnterEvent* event) {
    const std::optional<cell::Offering> what = CataloguePanel::carried(event->mimeData());
    if (!what) return;
    place(*what);
    event->acceptProposedAction();
}

void FloorView::dragMoveEvent(QDragMoveEvent* event) {
    if (holds(FloorHand::Holds::new_device)) hand_->move({event->position(), event->modifiers()});
    event->acceptProposedAction();
}

void FloorView::dragLeaveEvent(QDragLeaveEvent*) { drop_hand(); }

void FloorView::dropEvent(QDropEvent* event) {
    event->acceptProposedAction();
    // A line is drawn by clicks from here on.
    if (holds(FloorHand::Holds::new_device)) hand_->click({event->position(), event->modifiers()});
}

}  // namespace escarp::desktop
