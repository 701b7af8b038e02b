#include "cycle_ribbon.h"

#include <QAction>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <inspection/why.h>

namespace escarp::desktop {
namespace {

constexpr double full_lane = 24, least_lane = 17;
using simulation::Block;
using simulation::BlockKind;
using simulation::seconds;

/// What a zone is, and how long each is inside.
QString zone_words(const study::Evaluation& e, const inspection::Zone& z) {
    const auto name = [&](int device) { return QString::fromStdString(e.cell->devices[device].name); };
    QString words = QObject::tr("%1: space that %2 and %3 share")
                        .arg(QString::fromStdString(z.name), name(z.sides[0].device), name(z.sides[1].device));
    if (z.centre >= 0) words += QObject::tr(" at %1").arg(name(z.centre));
    words += QObject::tr(", %1 litres").arg(z.litres, 0, 'f', 1);
    for (const inspection::ZoneSide& s : z.sides)
        words += QObject::tr("\n%1 is inside %2 s of %3 s")
                     .arg(name(s.device))
                     .arg(s.inside_s, 0, 'f', 2)
                     .arg(seconds(e.zones->until - e.zones->from), 0, 'f', 2);
    if (!z.together) return words + QObject::tr("\nnever both in this run");
    words += QObject::tr("\nboth at once, first at %1 s").arg(seconds(z.together_at), 0, 'f', 3);
    if (z.nearest.device_a >= 0)
        words += QObject::tr("; %1 mm apart at %2 s")
                     .arg(1e3 * z.nearest.distance, 0, 'f', 0)
                     .arg(z.nearest.when_s, 0, 'f', 3);
    return words;
}

}  // namespace

CycleRibbon::CycleRibbon(Workspace& workspace, QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      nearness_(new Nearness(workspace.results, workspace.selection, this)),
      controls_(new QWidget(this)) {
    setObjectName("ribbon");
    setAccessibleName(tr("Cycle ribbon: who does what when"));
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    setMinimumHeight(120);
    connect(&workspace_.results, &Results::evaluated, this, [this] {
        renew_lanes();
        if (follows_) show_cycle();
        update();
    });
    connect(&workspace_.results, &Results::zones_found, this, [this] {
        renew_lanes();
        update();
    });
    connect(&workspace_.playhead, &Playhead::time_changed, this, [this] {
        const double t = workspace_.playhead.time();
        if (hand_ == Hand::none && (t < from_ || t > from_ + span_)) from_ = std::max(0.0, t - 0.1 * span_);
        update();
    });
    connect(&workspace_.view_options, &ViewOptions::lanes_changed, this, [this] {
        kept_ = {};
        renew_lanes();
        update();
    });
    connect(&workspace_.view_options, &ViewOptions::shown_changed, this, [this] {
        kept_ = {};
        renew_lanes();
        update();
    });
    connect(&workspace_.selection, &Selection::selection_changed, this, qOverload<>(&QWidget::update));
    connect(nearness_, &Nearness::found, this, [this] {
        kept_ = {};
        workspace_.view_options.set_nearest(nearness_->at(workspace_.playhead.time()));
        update();
    });
    connect(&workspace_.playhead, &Playhead::time_changed, this, [this] {
        if (workspace_.view_options.shown().nearness)
            workspace_.view_options.set_nearest(nearness_->at(workspace_.playhead.time()));
    });
    auto* row = new QHBoxLayout(controls_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(3);
}

void CycleRibbon::add_actions(const QList<QAction*>& actions) {
    auto* row = static_cast<QHBoxLayout*>(controls_->layout());
    for (QAction* action : actions) {
        auto* button = new QToolButton(controls_);
        button->setDefaultAction(action);
        button->setFocusPolicy(Qt::NoFocus);
        button->setFixedHeight(20);
        row->addWidget(button);
    }
    auto* speed = new QComboBox(controls_);
    speed->setObjectName("speed");
    speed->setAccessibleName(tr("Speed of playing"));
    for (const double s : {0.25, 0.5, 1.0, 2.0, 5.0, 10.0})
        speed->addItem(QString::number(s) + QStringLiteral(" \u00d7"), s);
    speed->setCurrentIndex(2);
    speed->setFocusPolicy(Qt::NoFocus);
    speed->setFixedHeight(20);
    connect(speed, &QComboBox::currentIndexChanged, this,
        [this, speed] { workspace_.playhead.set_speed(speed->currentData().toDouble()); });
    row->addWidget(speed);
    resizeEvent(nullptr);
}

void CycleRibbon::resizeEvent(QResizeEvent*) {
    controls_->adjustSize();
    controls_->move(width() - controls_->width() - 10, 3);
}

void CycleRibbon::renew_lanes() {
    lanes_.clear();
    blocks_.clear();
    chain_.clear();
    const auto e = laid_out_ = workspace_.results.shown();
    if (!e) return;
    blocks_.resize(e->cell->devices.size());
    for (const int i : indices(e->run->trace.blocks)) blocks_[e->run->trace.blocks[i].device].push_back(i);
    for (const study::ChainLink& link : e->chain) chain_.insert(link.block);
    for (const int device : indices(e->cell->devices)) {
        const cell::Device& d = e->cell->devices[device];
        if (!d.task.empty() && d.kind->lane() != cell::DeviceKind::Lane::work)
            lanes_.push_back({Lane::Kind::work, device, 1});
        for (const int k : indices(d.side_tasks))
            lanes_.push_back({Lane::Kind::work, device, 1, -1, k + 1, QString::fromStdString(d.side_tasks[k].name)});
    }
    using Shows = cell::DeviceKind::Lane;
    for (const auto& [shows, kind] : {std::pair{Shows::work, Lane::Kind::work}, {Shows::arrivals, Lane::Kind::flow},
             {Shows::level, Lane::Kind::level}})
        for (const int i : indices(e->cell->devices)) {
            const cell::Device& d = e->cell->devices[i];
            if (d.kind->lane() != shows) continue;
            const bool side_by_side = shows == Shows::work && !d.axis;  // as many as it has places
            lanes_.push_back(
                {kind, i, side_by_side ? static_cast<int>(std::clamp<std::size_t>(d.seats.size(), 1, 3)) : 1,
                    shows == Shows::level ? d.first_signal : -1});
        }
    if (e->zones && workspace_.view_options.shown().zones)
        for (const int i : indices(e->zones->all)) {
            const inspection::Zone& z = e->zones->all[i];
            lanes_.push_back({Lane::Kind::zone, z.sides[0].device, 1, -1, -1, QString::fromStdString(z.name)});
            lanes_.back().zone = i;
        }
    if (workspace_.view_options.shown().nearness)
        lanes_.push_back({Lane::Kind::nearness, -1, 1, -1, 0, tr("Clearance")});
    for (const QString& name : workspace_.view_options.signal_lanes())
        if (const int signal = e->cell->signal(name.toStdString()); signal >= 0)
            lanes_.push_back({Lane::Kind::level, e->cell->signals[signal].device, 1, signal, 0, name});
}

void CycleRibbon::show_cycle() {
    follows_ = true;
    const auto e = laid_out();
    if (!e) return;
    if (e->run->steady && e->figures.cycle_s) {
        from_ = std::max(0.0, seconds(e->run->steady->from) - 0.08 * *e->figures.cycle_s);
        span_ = std::min(2.15 * *e->figures.cycle_s, std::max(1.0, workspace_.results.end_time() - from_));
    } else {
        from_ = 0;
        span_ = std::clamp(workspace_.results.end_time(), 1.0, 30.0);
    }
    update();
}

double CycleRibbon::pixel_of(double s) const { return left + (s - from_) / span_ * (width() - left - 14); }
double CycleRibbon::time_of(double x) const { return from_ + (x - left) / (width() - left - 14) * span_; }
/// All lanes fit if they can: a little lower before any has to be scrolled to.
double CycleRibbon::lane_height() const {
    return lanes_.empty()
               ? full_lane
               : std::clamp((height() - header - bottom) / static_cast<double>(lanes_.size()), least_lane, full_lane);
}

double CycleRibbon::lane_y(std::size_t lane) const {
    return header + static_cast<double>(lane) * lane_height() - scroll_;
}

bool CycleRibbon::belongs(const Block& b, const Lane& lane) const { return b.task == lane.task; }

QRectF CycleRibbon::block_box(const Block& b, const Lane& lane, double y) const {
    const double x0 = pixel_of(seconds(b.from)),
                 x1 = pixel_of(b.to == simulation::never ? workspace_.results.end_time() : seconds(b.to));
    const double height = (lane_height() - 5) / lane.rows;
    const int row = lane.rows > 1 && b.seat >= 0 ? b.seat % lane.rows : 0;
    return {x0, y + 2 + row * height, std::max(1.0, x1 - x0), height - (lane.rows > 1 ? 1 : 0)};
}

/// What the lane of clearances needs for the stretch of time that is shown.
void CycleRibbon::look_how_near() {
    if (!workspace_.view_options.shown().nearness) {
        nearness_->forget();
        return workspace_.view_options.set_nearest(nullptr);
    }
    if (!workspace_.results.current()) return;
    constexpr int pixels = 3;  // to a stretch
    nearness_->look(from_, from_ + span_, std::max(1, static_cast<int>((width() - left - 14) / pixels)));
    if (!nearness_->curve()) workspace_.view_options.set_nearest(nullptr);
}

const inspection::LeastClearance* CycleRibbon::nearness_at(const QPointF& pixel) const {
    if (pixel.x() < left) return nullptr;
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        if (lanes_[i].kind == Lane::Kind::nearness && pixel.y() >= lane_y(i) && pixel.y() < lane_y(i) + lane_height())
            return nearness_->at(time_of(pixel.x()));
    return nullptr;
}

void CycleRibbon::paintEvent(QPaintEvent*) {
    look_how_near();
    // All but the cursor is drawn again only where it changed.
    const Kept now{laid_out(), from_, span_, scroll_, size(), workspace_.selection.first(),
        workspace_.results.current(), nearness_->curve(), {}};
    if (!kept_.serves(now)) {
        const double ratio = devicePixelRatioF();
        kept_ = now;
        kept_.picture = QPixmap(size() * ratio);
        kept_.picture.setDevicePixelRatio(ratio);
        QPainter still(&kept_.picture);
        draw_still(still);
    }
    QPainter p(this);
    p.drawPixmap(0, 0, kept_.picture);
    p.setRenderHint(QPainter::Antialiasing);
    if (now.evaluation && !now.evaluation->cell->devices.empty()) {
        draw_why(p);
        draw_cursor(p);
    }
}

bool CycleRibbon::Kept::serves(const Kept& now) const {
    return evaluation == now.evaluation && from == now.from && span == now.span && scroll == now.scroll &&
           size == now.size && selection == now.selection && current == now.current && curve == now.curve &&
           !picture.isNull();
}

int CycleRibbon::block_at(const QPointF& pixel) const {
    const auto e = laid_out();
    if (!e || pixel.x() < left) return -1;
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
        const double y = lane_y(i);
        if (pixel.y() < y || pixel.y() >= y + lane_height() || lanes_[i].kind != Lane::Kind::work) continue;
        for (const int b : blocks_[lanes_[i].device])
            if (belongs(e->run->trace.blocks[b], lanes_[i]) &&
                block_box(e->run->trace.blocks[b], lanes_[i], y).contains(pixel))
                return b;
    }
    return -1;
}

int CycleRibbon::zone_at(const QPointF& pixel) const {
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        if (pixel.y() >= lane_y(i) && pixel.y() < lane_y(i) + lane_height()) return lanes_[i].zone;
    return -1;
}

void CycleRibbon::mousePressEvent(QMouseEvent* event) {
    pressed_ = event->position();
    pressed_from_ = from_;
    if (event->button() == Qt::MiddleButton || event->button() == Qt::RightButton) {
        hand_ = Hand::shifting;
        return;
    }
    const auto e = laid_out();
    if (pressed_.x() < left) {
        if (const int zone = zone_at(pressed_); e && zone >= 0) {
            const inspection::Zone& z = e->zones->all[zone];
            workspace_.selection.select_devices({QString::fromStdString(e->cell->devices[z.sides[0].device].id),
                QString::fromStdString(e->cell->devices[z.sides[1].device].id)});
            return;
        }
        for (std::size_t i = 0; i < lanes_.size() && e; ++i)
            if (pressed_.y() >= lane_y(i) && pressed_.y() < lane_y(i) + lane_height()) {
                if (const int device = lanes_[i].device; device >= 0)
                    workspace_.selection.select(QString::fromStdString(e->cell->devices[device].id));
                break;  // the lanes are others now
            }
        return;
    }
    const int block = block_at(pressed_);
    if (block >= 0) {
        const Block& b = e->run->trace.blocks[block];
        const cell::Device& d = e->cell->devices[b.device];
        QString step;
        for (const cell::Step* s : cell::all_steps(d))
            if (s->number == b.step) step = QString::fromStdString(s->id);
        workspace_.selection.select(QString::fromStdString(d.id), step);
    }
    workspace_.playhead.play(false);
    if (const inspection::LeastClearance* near = nearness_at(pressed_)) {
        workspace_.playhead.set_time(near->when_s);  // where it is the least, not where the hand is
        return;
    }
    hand_ = Hand::scrubbing;
    workspace_.playhead.set_time(time_of(pressed_.x()));
}

void CycleRibbon::mouseMoveEvent(QMouseEvent* event) {
    if (hand_ == Hand::scrubbing) {
        workspace_.playhead.set_time(time_of(std::clamp(event->position().x(), left, width() - 14.0)));
    } else if (hand_ == Hand::shifting) {
        follows_ = false;
        from_ = std::max(
            -0.05 * span_, pressed_from_ - (event->position().x() - pressed_.x()) / (width() - left - 14) * span_);
        update();
    }
}

void CycleRibbon::mouseReleaseEvent(QMouseEvent*) { hand_ = Hand::none; }

void CycleRibbon::wheelEvent(QWheelEvent* event) {
    const double all = static_cast<double>(lanes_.size()) * lane_height(), room = height() - header - bottom;
    if (event->position().x() < left || event->modifiers() & Qt::ShiftModifier) {
        scroll_ = std::clamp(scroll_ - event->angleDelta().y() * 0.3, 0.0, std::max(0.0, all - room));
    } else {
        follows_ = false;
        const double at = time_of(event->position().x());
        const double next = std::clamp(span_ * std::pow(0.9985, event->angleDelta().y()), 0.05,
            std::max(10.0, workspace_.results.end_time() * 1.1));
        from_ = at - (at - from_) * next / span_;
        span_ = next;
    }
    update();
}

bool CycleRibbon::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int block = block_at(help->pos());
        const auto e = laid_out();
        if (block >= 0) {
            const Block& b = e->run->trace.blocks[block];
            const double end = b.to == simulation::never ? workspace_.results.end_time() : seconds(b.to);
            QString s = tr("%1, %2 to %3 s (%4 s)")
                            .arg(QString::fromStdString(e->run->trace.describe(*e->cell, b)))
                            .arg(seconds(b.from), 0, 'f', 3)
                            .arg(end, 0, 'f', 3)
                            .arg(end - seconds(b.from), 0, 'f', 3);
            if (b.cause >= 0) {
                const Block& c = e->run->trace.blocks[b.cause];
                s += tr("\nlet go by: %1, %2")
                         .arg(QString::fromStdString(e->cell->devices[c.device].name),
                             QString::fromStdString(e->run->trace.describe(*e->cell, c)));
            }
            if (b.kind == BlockKind::wait) {
                const auto at = static_cast<simulation::Ticks>(time_of(help->pos().x()) * 1e9);
                s += "\n" + QString::fromStdString(inspection::in_words(
                                *e->cell, inspection::why(*e->cell, *e->run, b.device,
                                              std::clamp(at, b.from, std::max(b.from, b.to - 1)))));
            }
            if (chain_.count(block)) s += tr("\npart of the longest chain");
            QToolTip::showText(help->globalPos(), plain(s), this);
        } else if (const int zone = zone_at(help->pos()); e && zone >= 0) {
            QToolTip::showText(help->globalPos(), plain(zone_words(*e, e->zones->all[zone])), this);
        } else if (const inspection::LeastClearance* near = nearness_at(help->pos())) {
            QToolTip::showText(help->globalPos(),
                plain(tr("%1 mm at %2 s: %3 / %4\nclick to go there")
                          .arg(1e3 * near->distance, 0, 'f', 0)
                          .arg(near->when_s, 0, 'f', 2)
                          .arg(QString::fromStdString(near->body_a), QString::fromStdString(near->body_b))),
                this);
        } else {
            QToolTip::hideText();
        }
        return true;
    }
    return QWidget::event(event);
}

}  // namespace escarp::desktop
