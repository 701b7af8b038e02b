#include "motion_plot.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QVBoxLayout>
#include <cmath>

#include "theme.h"

namespace escarp::desktop {
namespace {

constexpr int samples = 700;
constexpr double longest = 20;  ///< seconds shown at most

motion::JointState state_at(const std::vector<simulation::MotionRecord>& motions, double t) {
    const auto after = std::upper_bound(motions.begin() + 1, motions.end(), t,
        [](double v, const simulation::MotionRecord& m) { return v < simulation::seconds(m.from); });
    const simulation::MotionRecord& m = *(after - 1);
    return m.motion->at(t - simulation::seconds(m.from));
}

QColor line_colour(std::size_t i) {
    static const QColor colours[] = {
        theme::move, theme::accent, theme::good, theme::grip, theme::process, theme::stop, theme::belt, theme::watch};
    return colours[i % std::size(colours)];
}

}  // namespace

MotionPlot::MotionPlot(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName("motion_plot");
    setAccessibleName(tr("Motion against its limits"));
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(8, 6, 8, 6);
    what_ = new QComboBox;
    what_->setObjectName("plot_what");
    what_->addItems({tr("joint values, of their range"), tr("joint rates, of their limits"),
        tr("joint accelerations, of their limits"), tr("tool place, mm in the world"), tr("tool speed, m/s"),
        tr("tool acceleration, m/s\u00b2")});
    what_->setCurrentIndex(1);
    rows->addWidget(what_);
    rows->addStretch(1);
    connect(what_, &QComboBox::currentIndexChanged, this, &MotionPlot::renew);
    for (auto signal : {&Workspace::evaluated, &Workspace::selection_changed})
        connect(&workspace_, signal, this, &MotionPlot::renew);
    connect(&workspace_, &Workspace::time_changed, this, qOverload<>(&QWidget::update));
}

void MotionPlot::show_what(What what) { what_->setCurrentIndex(static_cast<int>(what)); }

QRectF MotionPlot::box() const {
    return QRectF(
        36, 62, width() - 44, std::max(60, height() - 62 - 22 - 16 * static_cast<int>((curves_.names.size() + 2) / 3)));
}

void MotionPlot::renew() {
    curves_ = {};
    title_ = tr("Select an arm: its motion is drawn here.");
    update();
    const auto e = workspace_.evaluation();
    if (!isVisible() || !e) return;
    const int device = e->cell->device(workspace_.selection().device.toStdString());
    if (device < 0 || !e->cell->devices[device].arm) return;
    const cell::Device& d = e->cell->devices[device];
    const auto& motions = e->run->trace.motions[device];
    if (motions.empty()) return;
    const auto what = static_cast<What>(what_->currentIndex());
    double from = 0, to = std::min(longest, simulation::seconds(e->run->trace.end));
    if (e->run->steady)
        from = simulation::seconds(e->run->steady->from),
        to = from + std::min(longest, simulation::seconds(e->run->steady->period));
    for (int i = 0; i <= samples; ++i) curves_.times.push_back(from + (to - from) * i / samples);
    if (what <= What::acceleration) joint_curves(d, motions, what);
    else tool_curves(d, motions, what);
    title_ = QString::fromStdString(d.name);
}

void MotionPlot::joint_curves(const cell::Device& d, const std::vector<simulation::MotionRecord>& motions, What what) {
    const auto& joints = d.arm->model->mechanism.joints;
    for (const auto& j : joints) curves_.names.push_back(QString::fromStdString(j.name));
    curves_.values.resize(joints.size());
    for (const double t : curves_.times) {
        const motion::JointState s = state_at(motions, t);
        for (std::size_t j = 0; j < joints.size(); ++j) {
            const int n = static_cast<int>(j);
            const double value = what == What::position
                                     ? 2 * (s.q[n] - joints[j].low) / (joints[j].high - joints[j].low) - 1
                                 : what == What::rate ? s.rate[n] / joints[j].speed
                                                      : s.acceleration[n] / joints[j].acceleration;
            curves_.values[j].push_back(value);
        }
    }
}

void MotionPlot::tool_curves(const cell::Device& d, const std::vector<simulation::MotionRecord>& motions, What what) {
    constexpr double beside = 1e-3;  // seconds, for the change of the velocity
    const kinematics::ArmModel& model = *d.arm->model;
    std::vector<geometry::Frame> frames;
    geometry::Vector3 place, velocity;
    const auto look = [&](double t) {
        const motion::JointState s = state_at(motions, t);
        model.mechanism.link_frames(s.q, d.world, frames);
        place = frames[model.flange_link] * model.flange * d.arm->tool_frame.translation();
        velocity = (kinematics::jacobian(model.mechanism, frames, model.flange_link, place) * s.rate).head<3>();
    };
    const bool is_place = what == What::tool_position;
    if (is_place) curves_.names = {tr("x"), tr("y"), tr("z")};
    else curves_.names = {what == What::tool_speed ? tr("tool speed") : tr("tool acceleration")};
    curves_.values.resize(is_place ? 3 : 1);
    for (const double t : curves_.times) {
        look(t);
        if (is_place) {
            for (int k = 0; k < 3; ++k) curves_.values[k].push_back(place[k] * 1e3);
        } else if (what == What::tool_speed) {
            curves_.values[0].push_back(velocity.norm());
        } else {
            look(t - beside);
            const geometry::Vector3 before = velocity;
            look(t + beside);
            curves_.values[0].push_back((velocity - before).norm() / (2 * beside));
        }
    }
    double low = is_place ? 1e300 : 0, high = is_place ? -1e300 : 0.1;
    for (const auto& curve : curves_.values)
        for (const double v : curve) low = std::min(low, v), high = std::max(high, v);
    curves_.shares = false;
    if (is_place) {
        curves_.low = std::floor(low / 50) * 50, curves_.high = std::max(curves_.low + 200, std::ceil(high / 50) * 50);
        curves_.decimals = 0;
        return;
    }
    curves_.limit = what == What::tool_speed ? model.line_speed : model.line_acceleration;
    const double most = 1.05 * std::max(high, *curves_.limit), tick = most > 4 ? 4 : 0.4;
    curves_.low = 0, curves_.high = tick * std::ceil(most / tick);
    curves_.decimals = most > 4 ? 1 : 2;
}

void MotionPlot::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(theme::font(11, true));
    p.setPen(theme::ink);
    theme::text(p, QRectF(10, 38, width() - 20, 18), title_);
    if (curves_.times.empty()) return;
    const QRectF area = box();
    p.fillRect(area, theme::panel);
    const double from = curves_.times.front(), to = curves_.times.back();
    const auto x = [&](double t) { return area.left() + area.width() * (t - from) / std::max(1e-9, to - from); };
    const auto y = [&](double v) {
        return area.bottom() - area.height() * (v - curves_.low) / (curves_.high - curves_.low);
    };
    p.setFont(theme::font(9));
    const bool shares = curves_.shares;
    for (int i = 0; i <= 4; ++i) {
        const double v = curves_.low + (curves_.high - curves_.low) * i / 4;
        p.setPen(QPen(shares && (i == 0 || i == 4) ? theme::stop : theme::rule, 1,
            shares && (i == 0 || i == 4) ? Qt::DashLine : Qt::SolidLine));
        p.drawLine(QPointF(area.left(), y(v)), QPointF(area.right(), y(v)));
        p.setPen(theme::muted);
        p.drawText(QRectF(0, y(v) - 7, area.left() - 4, 14), Qt::AlignRight | Qt::AlignVCenter,
            shares ? QString("%1 %").arg(std::lround(v * 100)) : QString::number(v, 'f', curves_.decimals));
    }
    if (curves_.limit) {
        p.setPen(QPen(theme::stop, 1, Qt::DashLine));
        p.drawLine(QPointF(area.left(), y(*curves_.limit)), QPointF(area.right(), y(*curves_.limit)));
        p.setPen(theme::muted);
    }
    p.drawText(QRectF(area.left(), area.bottom() + 2, 80, 14), Qt::AlignLeft, QString("%1 s").arg(from, 0, 'f', 1));
    p.drawText(
        QRectF(area.right() - 80, area.bottom() + 2, 80, 14), Qt::AlignRight, QString("%1 s").arg(to, 0, 'f', 1));
    p.save();
    p.setClipRect(area.adjusted(-1, -1, 1, 1));
    for (std::size_t c = 0; c < curves_.values.size(); ++c) {
        QPainterPath path;
        for (std::size_t i = 0; i < curves_.times.size(); ++i) {
            const QPointF at(x(curves_.times[i]), y(curves_.values[c][i]));
            if (i == 0) path.moveTo(at);
            else path.lineTo(at);
        }
        p.setPen(QPen(line_colour(c), 1.3));
        p.drawPath(path);
    }
    if (curves_.limit) {
        const QString words = tr("limit of straight moves");
        const QSizeF size(QFontMetricsF(p.font()).horizontalAdvance(words) + 6, 14);
        const QRectF tag(QPointF(area.right() - size.width(), y(*curves_.limit) - size.height() / 2), size);
        p.fillRect(tag, theme::panel);
        p.setPen(theme::stop);
        p.drawText(tag, Qt::AlignCenter, words);
    }
    const double now = workspace_.time();
    p.setPen(QPen(theme::accent, 1.5));
    if (now >= from && now <= to) p.drawLine(QPointF(x(now), area.top()), QPointF(x(now), area.bottom()));
    p.restore();
    // Names, with the value at the cursor.
    const int at =
        static_cast<int>(std::lround((std::clamp(now, from, to) - from) / std::max(1e-9, to - from) * samples));
    for (std::size_t c = 0; c < curves_.names.size(); ++c) {
        const std::size_t columns = std::min<std::size_t>(3, curves_.names.size());
        const double wide = (area.width() + 20) / static_cast<double>(columns);
        const QRectF cell(area.left() - 20 + static_cast<double>(c % columns) * wide,
            area.bottom() + 18 + 16 * static_cast<double>(c / columns), wide, 14);
        p.fillRect(QRectF(cell.left(), cell.top() + 5, 9, 4), line_colour(c));
        p.setPen(theme::ink);
        const double v = curves_.values[c][at];
        theme::text(p, cell.adjusted(12, 0, 0, 0),
            QString("%1 %2").arg(curves_.names[c],
                shares ? QString("%1 %").arg(std::lround(v * 100)) : QString::number(v, 'f', curves_.decimals)));
    }
}

void MotionPlot::mousePressEvent(QMouseEvent* event) { mouseMoveEvent(event); }

void MotionPlot::mouseMoveEvent(QMouseEvent* event) {
    if (curves_.times.empty() || !(event->buttons() & Qt::LeftButton)) return;
    const QRectF area = box();
    const double share = std::clamp((event->position().x() - area.left()) / area.width(), 0.0, 1.0);
    workspace_.set_time(curves_.times.front() + share * (curves_.times.back() - curves_.times.front()));
}

}  // namespace escarp::desktop
