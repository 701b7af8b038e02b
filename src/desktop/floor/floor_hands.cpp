// Mouse and keys on the Floor.

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

#include "floor_view.h"

namespace escarp::desktop {

using geometry::Frame;
using geometry::Vector3;

namespace {

constexpr double snap_pixels = 9, grid = 0.01,
                 fine = 0.0001;  // metres: what a drag rounds to with and without snapping

/// A conveyor that joins another hands on to it, unless it hands on already.
void hand_on(const cell::Snap& snapped, const cell::Cell& c, const cell::json& tree, cell::Edit& edit) {
    if (!snapped.joined) return;
    const cell::Device &from = c.devices[snapped.upstream], &to = c.devices[snapped.downstream];
    const cell::json* own = cell::find(tree, cell::at_device(from.id));
    if (!own || own->value("to", "").empty())
        edit.operations.push_back(cell::Operation::set(cell::at_device(from.id) / "to", to.id));
}

const cell::Fields& fields_of(const Workspace& workspace, const cell::Offering& what) {
    static const cell::Fields none;
    const cell::DeviceKind* kind = workspace.layout().kinds().find(what.kind);
    return kind ? kind->fields() : none;
}

/// What is given by its corners is drawn corner by corner.
bool is_line(const Workspace& workspace, const cell::Offering& what) {
    return cell::find_field(fields_of(workspace, what), "points_mm");
}

}  // namespace

void FloorView::set_hand(Hand hand) {
    if (hand == hand_) return;
    hand_ = hand;
    if (hand != Hand::dragging && hand != Hand::placing) guides_.clear(), lands_on_.clear();
    setCursor(
        hand == Hand::placing || hand == Hand::drawing || hand == Hand::measuring ? Qt::CrossCursor : Qt::ArrowCursor);
    update();
}

/// Whatever the hand was doing is left, nothing is changed.
void FloorView::drop_hand() {
    if (workspace_.trying() && !workspace_.previewing()) workspace_.drop_draft();
    placing_.reset();
    coming_.reset();
    corners_.clear();
    set_hand(Hand::none);
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

Vector3 FloorView::corner_point(const QPointF& pixel, Qt::KeyboardModifiers keys) const {
    Vector3 at = floor_point(pixel);
    if (keys & Qt::AltModifier) return at;
    const Vector3 snapped = cell::snap_point(*workspace_.cell(), at, snap_pixels / view_.scale);
    if (snapped != at) return snapped;
    if (!corners_.empty() && hand_ == Hand::drawing) {  // at right angles to the floor's axes where it is nearly so
        const Vector3 d = at - corners_.back();
        if (std::abs(d.x()) < snap_pixels / view_.scale) at.x() = corners_.back().x();
        if (std::abs(d.y()) < snap_pixels / view_.scale) at.y() = corners_.back().y();
    }
    if (hand_ == Hand::drawing) at.x() = std::round(at.x() / 0.05) * 0.05, at.y() = std::round(at.y() / 0.05) * 0.05;
    return at;
}

void FloorView::place(const cell::Offering& what) {
    drop_hand();
    if (view_.side != Side::top) set_side(Side::top);
    placing_ = what;
    coming_.reset();
    corners_.clear();
    set_hand(is_line(workspace_, what) ? Hand::drawing : Hand::placing);
    setFocus();
}

void FloorView::measure() {
    drop_hand();
    corners_.clear();
    set_hand(Hand::measuring);
    setFocus();
}

const FloorView::Coming& FloorView::coming() {
    const cell::Layout& to = workspace_.layout();
    if (!coming_ || &coming_->to.document().tree() != &to.document().tree() || coming_->to.variant() != to.variant()) {
        std::string id;
        const cell::Edit edit = cell::add_device(to, *placing_, "", &id);
        coming_ = Coming{to, to.edited(edit), edit, id};
    }
    return *coming_;
}

void FloorView::place_to(const QPointF& pixel, bool snap) {
    try {
        const Coming& what = coming();
        const cell::Cell& cell = what.with.cell();
        const int device = cell.device(what.id);
        const Vector3 at = floor_point(pixel);
        // Where it would come to stand there: its height decides what it snaps to.
        Frame wanted = geometry::make_frame(at);
        const int carrier = cell::carrier_at(cell, device, at);
        wanted.translation().z() = carrier >= 0 ? cell.devices[carrier].kind->top_at(cell.devices[carrier], at) : 0.0;
        const cell::Snap snapped =
            cell::snap(cell, device, {device}, wanted, snap ? snap_pixels / view_.scale : 0, snap ? grid : 0.001);
        guides_ = snapped.guides;
        cell::Edit edit = what.edit;
        for (cell::Operation& op : cell::set_down(what.with, what.id, snapped.world))
            edit.operations.push_back(std::move(op));
        hand_on(snapped, cell, what.to.tree(), edit);
        if (workspace_.try_quietly(edit)) {
            const int now = workspace_.cell()->device(what.id);
            const int host = now >= 0 ? workspace_.cell()->devices[now].host : -1;
            lands_on_ = host >= 0 ? QString::fromStdString(workspace_.cell()->devices[host].name) : QString();
            dragged_ = QString::fromStdString(what.id);
        }
    } catch (const cell::InputError& e) {
        drop_hand();
        Q_EMIT workspace_.refused(tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

void FloorView::finish_placing() {
    if (!workspace_.trying()) return drop_hand();
    const QString id = dragged_;
    placing_.reset();
    coming_.reset();
    set_hand(Hand::none);
    workspace_.take_draft();
    workspace_.select(id);
}

void FloorView::finish_drawing(bool closed) {
    if (corners_.size() < 2) return drop_hand();
    cell::Offering what = *placing_;
    geometry::Box3 box;
    for (const Vector3& c : corners_) box.add(c);
    const Vector3 middle = 0.5 * (box.low + box.high);
    cell::json points = cell::json::array();
    for (const Vector3& c : corners_)
        points.push_back({std::round(1e4 * (c - middle).x()) / 10, std::round(1e4 * (c - middle).y()) / 10});
    const bool can_close = cell::find_field(fields_of(workspace_, what), "closed");
    if (closed && !can_close) points.push_back(points.front());
    what.parameters["points_mm"] = points;
    if (can_close) what.parameters["closed"] = closed;
    placing_.reset();
    coming_.reset();
    corners_.clear();
    set_hand(Hand::none);
    try {
        std::string id;
        if (workspace_.apply(
                cell::add_device_at(workspace_.layout(), what, geometry::make_frame({middle.x(), middle.y(), 0}), &id)))
            workspace_.select(QString::fromStdString(id));
    } catch (const cell::InputError& e) {
        Q_EMIT workspace_.refused(tr("Nothing was added"), QString::fromStdString(e.problems().front().message));
    }
}

void FloorView::begin_drag(const QPointF& at, int device) {
    const cell::Cell& c = *workspace_.cell();
    // An arm takes along the pedestal that carries nothing else.
    const int root = c.devices[device].arm ? inspection::movable_root(c, device) : device;
    dragged_ = QString::fromStdString(c.devices[root].id);
    moving_.clear();
    for (const int i : workspace_.selected_indexes())
        moving_.push_back(c.devices[i].arm ? inspection::movable_root(c, i) : i);
    if (std::find(moving_.begin(), moving_.end(), root) == moving_.end()) moving_.push_back(root);
    std::erase_if(moving_, [&](int i) { return c.devices[i].locked; });
    moving_ = cell::tops(c, moving_);
    before_ = workspace_.cell();
    held_evaluation_ = workspace_.evaluation();
    start_ = c.devices[root].world;
    grabbed_ = at;
    set_hand(Hand::armed);
}

void FloorView::drag_to(const QPointF& pixel, bool snap) {
    const cell::Cell& c = *before_;
    const int index = c.device(dragged_.toStdString());
    if (index < 0 || moving_.empty() || c.devices[index].locked) return;
    const cell::Device& d = c.devices[index];
    Vector3 by = floor_point(pixel) - floor_point(grabbed_);
    if (view_.side == Side::front || view_.side == Side::side) {  // seen from the side the height can be drawn too
        const double up = view_.to_flat(pixel).y() - view_.to_flat(grabbed_).y();
        by.z() = std::abs(up) * view_.scale > 12 ? std::round(up / grid) * grid : 0.0;
        if (start_.translation().z() + by.z() < 0) by.z() = -start_.translation().z();
    }
    Frame wanted = start_;
    wanted.translation() += by;
    guides_.clear();
    std::optional<int> host;
    cell::Snap snapped;
    if (view_.side == Side::top || view_.side == Side::corner) {
        snapped = cell::snap(c, index, moving_, wanted, snap ? snap_pixels / view_.scale : 0, snap ? grid : fine);
        wanted = snapped.world;
        guides_ = snapped.guides;
        if (moving_.size() == 1) {  // set down on something it stands on it; drawn off it stands on what is there
            const int carrier = cell::carrier_at(c, index, wanted.translation());
            const bool hosted_apart = d.host >= 0 && d.kind->placed_on() == cell::DeviceKind::PlacedOn::on_belts;
            if (carrier != d.host && !(hosted_apart && carrier < 0)) {
                host = carrier;
                wanted.translation().z() =
                    carrier >= 0 ? c.devices[carrier].kind->top_at(c.devices[carrier], wanted.translation()) : 0.0;
            }
            lands_on_ = carrier >= 0 ? QString::fromStdString(c.devices[carrier].name) : QString();
        }
    } else {
        const double step = snap ? grid : fine;
        for (int axis = 0; axis < 2; ++axis)
            if (by[axis] != 0) wanted.translation()[axis] = std::round(wanted.translation()[axis] / step) * step;
    }
    cell::Edit edit{tr("Move %1").arg(QString::fromStdString(d.name)).toStdString(), {}};
    if (moving_.size() == 1) {
        edit.operations = cell::place_at(c, index, wanted, host);
        hand_on(snapped, c, workspace_.layout().tree(), edit);
        if (host && *host >= 0 && d.kind->feeds_belts() &&
            c.devices[*host].kind->moves_parts())  // an infeed feeds the belt it stands on
            edit.operations.push_back(cell::Operation::set(cell::at_device(d.id) / "to", c.devices[*host].id));
    } else {
        edit = cell::move_by(c, moving_, wanted.translation() - start_.translation());
    }
    if (edit.operations.empty()) workspace_.drop_draft();
    else workspace_.try_quietly(edit);
}

void FloorView::turn_to(const QPointF& pixel, bool snap) {
    const cell::Cell& c = *before_;
    const int index = c.device(dragged_.toStdString());
    if (index < 0) return;
    const Vector3 to = floor_point(pixel) - start_.translation();
    double angle = std::atan2(to.y(), to.x());
    const double step = snap ? geometry::pi / 12 : geometry::pi / 1800;
    angle = std::round(angle / step) * step;
    Frame turned = start_;
    turned.linear() =
        (geometry::rotation(Vector3::UnitZ(), angle - geometry::to_triple(start_.linear()).z()) * start_.linear())
            .eval();
    const cell::Edit edit{tr("Turn %1").arg(QString::fromStdString(c.devices[index].name)).toStdString(),
        cell::place_at(c, index, turned)};
    if (edit.operations.empty()) workspace_.drop_draft();
    else workspace_.try_quietly(edit);
}

/// A click with something in hand: it is put down, or another corner is.
void FloorView::press_in_hand(QMouseEvent* event) {
    if (hand_ == Hand::placing) {
        place_to(pressed_, !(event->modifiers() & Qt::AltModifier));
        return finish_placing();
    }
    const Vector3 corner = corner_point(pressed_, event->modifiers());
    if (hand_ == Hand::drawing) {
        if (corners_.size() > 2 && (corner - corners_.front()).norm() * view_.scale < snap_pixels)
            return finish_drawing(true);
        corners_.push_back(corner);
        hover_ = corner;
        return update();
    }
    if (corners_.size() >= 2) corners_.clear();
    corners_.push_back(corner);
    if (corners_.size() == 2) {
        const Vector3 d = corners_[1] - corners_[0];
        measured_ = tr("%1 mm (x %2, y %3)")
                        .arg(shown_number(std::round(1e4 * d.norm()) / 10), shown_number(std::round(1e4 * d.x()) / 10),
                            shown_number(std::round(1e4 * d.y()) / 10));
        Q_EMIT points_measured(corners_[0], corners_[1]);
    }
    update();
}

void FloorView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const bool holds = hand_ == Hand::placing || hand_ == Hand::drawing || hand_ == Hand::measuring;
    pressed_ = last_ = event->position();
    if (event->button() == Qt::MiddleButton || event->button() == Qt::RightButton) {
        if (holds) {
            if (event->button() == Qt::RightButton) drop_hand();
            return;
        }
        set_hand(view_.side == Side::corner && event->button() == Qt::RightButton ? Hand::orbiting : Hand::panning);
        grabbed_ = view_.middle;
        return;
    }
    if (holds) return press_in_hand(event);
    if (const QPointF tool = tool_handle(); !tool.isNull() && QLineF(tool, pressed_).length() < 10) {
        start_ = workspace_.tool_by_hand();
        return set_hand(Hand::tool);
    }
    for (const Dimension& d : dimensions_)
        if (d.box.adjusted(-2, -2, 2, 2).contains(pressed_)) return edit_dimension(d);
    const QPointF handle = turn_handle();
    if (!handle.isNull() && QLineF(handle, pressed_).length() < 9) {
        const cell::Cell& c = *workspace_.cell();
        before_ = workspace_.cell();
        held_evaluation_ = workspace_.evaluation();
        moving_ = {c.device(workspace_.selection().device.toStdString())};
        const int selected = c.device(workspace_.selection().device.toStdString());
        dragged_ = workspace_.selection().device;
        start_ = c.devices[selected].world;
        return set_hand(Hand::turning);
    }
    const std::vector<int> under = devices_at(pressed_);
    if (under.empty()) {
        if (event->modifiers() & Qt::ShiftModifier) return set_hand(Hand::banding);
        workspace_.select({});
        set_hand(Hand::panning);
        grabbed_ = view_.middle;
        return;
    }
    const cell::Cell& c = *workspace_.cell();
    const auto id = [&](int device) { return QString::fromStdString(c.devices[device].id); };
    if (event->modifiers() & Qt::ShiftModifier) return workspace_.toggle(id(under.front()));
    int chosen = under.front();
    for (const int device : under)
        if (workspace_.is_selected(c.devices[device].id)) chosen = device;
    if (!workspace_.is_selected(c.devices[chosen].id)) workspace_.select_devices(workspace_.group_of(id(chosen)));
    begin_drag(pressed_, c.device(c.devices[chosen].id));
}

void FloorView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position(), moved = at - pressed_;
    const bool snap = !(event->modifiers() & Qt::AltModifier);
    const QPointF step = at - last_;
    last_ = at;
    switch (hand_) {
        case Hand::none: {
            const bool number = std::any_of(
                dimensions_.begin(), dimensions_.end(), [&](const Dimension& d) { return d.box.contains(at); });
            const QPointF handle = turn_handle();
            setCursor(number                                                ? Qt::IBeamCursor
                      : !handle.isNull() && QLineF(handle, at).length() < 9 ? Qt::PointingHandCursor
                      : devices_at(at).empty()                              ? Qt::ArrowCursor
                                                                            : Qt::SizeAllCursor);
            return;
        }
        case Hand::panning:
            view_.middle = grabbed_ + moved;
            fitted_ = fitted_ && moved.manhattanLength() < 3;
            place_tag();
            return update();
        case Hand::orbiting:
            view_.turn -= step.x() * 0.008;
            view_.tilt = std::clamp(view_.tilt + step.y() * 0.008, 0.1, 1.5);
            fitted_ = fitted_ && moved.manhattanLength() < 3;
            place_tag();
            return update();
        case Hand::armed:
            if (moved.manhattanLength() < 4) return;
            set_hand(Hand::dragging);
            return drag_to(at, snap);
        case Hand::dragging: return drag_to(at, snap);
        case Hand::turning: return turn_to(at, snap);
        case Hand::tool: {
            Frame tool = start_;
            tool.translation() += (moved.x() * view_.right() - moved.y() * view_.up()) / view_.scale;
            workspace_.bring_tool(tool, false);
            return update();
        }
        case Hand::placing: return place_to(at, snap);
        case Hand::drawing:
        case Hand::measuring: hover_ = corner_point(at, event->modifiers()); return update();
        case Hand::banding: return update();
    }
}

void FloorView::mouseReleaseEvent(QMouseEvent* event) {
    const Hand was = hand_;
    if (was == Hand::placing || was == Hand::drawing || was == Hand::measuring) return;
    set_hand(Hand::none);
    const cell::Cell& c = *workspace_.cell();
    const auto id = [&](int device) { return QString::fromStdString(c.devices[device].id); };
    if (was == Hand::tool) return;
    if (was == Hand::dragging || was == Hand::turning) return workspace_.take_draft();
    if (was == Hand::banding) {
        const QRectF band = QRectF(pressed_, event->position()).normalized();
        QStringList inside = workspace_.selected();
        for (const int i : indices(c.devices))
            if (!workspace_.hidden(c.devices[i].id) && band.contains(pixel_box(i)) && !inside.contains(id(i)))
                inside << id(i);
        return workspace_.select_devices(inside);
    }
    if (event->button() == Qt::RightButton && (event->position() - pressed_).manhattanLength() < 4) {
        const std::vector<int> under = devices_at(event->position());
        return Q_EMIT asks_menu(event->globalPosition().toPoint(), QList<int>(under.begin(), under.end()));
    }
    if (was == Hand::armed && (event->modifiers() & Qt::ControlModifier)) {
        // Ctrl and click goes through what lies under the pointer.
        const std::vector<int> under = devices_at(event->position());
        if (!under.empty()) workspace_.select(id(under[static_cast<std::size_t>(++cycle_) % under.size()]));
    }
}

void FloorView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (hand_ == Hand::drawing) return finish_drawing(false);
    if (event->button() != Qt::LeftButton) return;
    // One device out of its group, ready for exact numbers.
    const std::vector<int> under = devices_at(event->position());
    if (under.empty()) return;
    const QString id = QString::fromStdString(workspace_.cell()->devices[under.front()].id);
    workspace_.select(workspace_.selected().size() > 1 || workspace_.selection().device.isEmpty()
                          ? id
                          : workspace_.selection().device);
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
    const cell::Cell& c = *workspace_.cell();
    std::vector<int> devices;
    for (const int i : workspace_.selected_indexes()) {
        const int root = c.devices[i].arm ? inspection::movable_root(c, i) : i;
        if (!c.devices[root].locked) devices.push_back(root);
    }
    if (!devices.empty()) workspace_.apply(cell::move_by(c, devices, by));
}

void FloorView::turn(double angle) {
    const cell::Cell& c = *workspace_.cell();
    std::vector<int> devices = workspace_.selected_indexes();
    std::erase_if(devices, [&](int i) { return c.devices[i].locked; });
    if (!devices.empty()) workspace_.apply(cell::turn_by(c, devices, angle));
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
            if (hand_ == Hand::drawing) return finish_drawing(false);
            if (!workspace_.selection().device.isEmpty()) tag_->enter("place_x");
            return;
        case Qt::Key_Escape:
            if (hand_ != Hand::none) drop_hand();
            else if (workspace_.trying()) workspace_.drop_draft();
            else workspace_.select({});
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
    const QString device = workspace_.selection().device;
    const double was = d.metres;
    const Vector3 away = d.away;
    const auto edit = [this, device, was, away](double mm) -> cell::Edit {
        const auto c = workspace_.layout().shared_cell();
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
    connect(dimension_field_, &NumberField::tried, this, [this, edit](double mm) { workspace_.try_quietly(edit(mm)); });
    connect(dimension_field_, &NumberField::gave_up, this, [this] { workspace_.drop_draft(); });
    connect(dimension_field_, &NumberField::changed, this, [this, edit](double mm) {
        workspace_.drop_draft();
        workspace_.apply(edit(mm));
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
    if (hand_ == Hand::placing) place_to(event->position(), !(event->modifiers() & Qt::AltModifier));
    event->acceptProposedAction();
}

void FloorView::dragLeaveEvent(QDragLeaveEvent*) { drop_hand(); }

void FloorView::dropEvent(QDropEvent* event) {
    event->acceptProposedAction();
    if (hand_ != Hand::placing) return;  // a line is drawn by clicks from here on
    place_to(event->position(), !(event->modifiers() & Qt::AltModifier));
    finish_placing();
}

}  // namespace escarp::desktop
