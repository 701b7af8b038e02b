#include "motion_plot.h"

#include <QMouseEvent>
#include <QVBoxLayout>
#include <cmath>

#include <desktop/looks/plots.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

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

MotionPlot::MotionPlot(const Results& results, Selection& selection, Playhead& playhead, QWidget* parent)
    : QWidget(parent),
      results_(results),
      selection_(selection),
      playhead_(playhead),
      title_(new QLabel),
      plot_(new QCustomPlot) {
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
    title_->setTextFormat(Qt::PlainText);
    title_->setFont(theme::font(11, true));
    rows->addWidget(title_);
    rows->addWidget(plot_, 1);
    dress(*plot_);
    plot_->setCursor(Qt::CrossCursor);
    plot_->installEventFilter(this);
    // What changes while the time goes on is drawn by itself: the line at the cursor and the values there.
    for (const char* layer : {"cursor", "legend"}) {
        if (!plot_->layer(layer)) plot_->addLayer(layer);
        plot_->layer(layer)->setMode(QCPLayer::lmBuffered);
    }
    cursor_ = new QCPItemStraightLine(plot_);
    cursor_->setLayer("cursor");
    cursor_->setPen(QPen(theme::accent, 1.5));
    auto* names = new QCPLayoutGrid;
    plot_->plotLayout()->addElement(1, 0, names);
    names->addElement(0, 0, plot_->legend);
    plot_->plotLayout()->setRowStretchFactor(1, 0.001);
    plot_->legend->setVisible(true);
    plot_->legend->setFillOrder(QCPLegend::foColumnsFirst);
    plot_->legend->setWrap(3);
    plot_->legend->setBorderPen(Qt::NoPen);
    plot_->legend->setBrush(Qt::NoBrush);
    plot_->legend->setFont(theme::font(11));
    plot_->legend->setTextColor(theme::ink);
    plot_->legend->setIconSize(10, 10);
    plot_->legend->setMargins({0, 0, 0, 0});
    plot_->legend->setRowSpacing(0);
    connect(what_, &QComboBox::currentIndexChanged, this, &MotionPlot::renew);
    connect(&results_, &Results::evaluated, this, &MotionPlot::renew);
    connect(&selection_, &Selection::selection_changed, this, &MotionPlot::renew);
    connect(&playhead_, &Playhead::time_changed, this, &MotionPlot::show_time);
}

void MotionPlot::show_what(What what) { what_->setCurrentIndex(static_cast<int>(what)); }

QPointF MotionPlot::place_of(double t) const {
    return plot_->mapTo(this, QPointF(plot_->xAxis->coordToPixel(t), plot_->axisRect()->center().y()));
}

void MotionPlot::renew() {
    curves_ = {};
    if (!isVisible()) return;
    title_->setText(tr("Select an arm: its motion is drawn here."));
    find();
    plot_->setVisible(!curves_.times.empty());
    if (!curves_.times.empty()) draw();
}

void MotionPlot::find() {
    const auto e = results_.shown();
    if (!e) return;
    const int device = e->cell->device(selection_.first().device.toStdString());
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
    title_->setText(QString::fromStdString(d.name));
}

void MotionPlot::joint_curves(const cell::Device& d, const std::vector<simulation::MotionRecord>& motions, What what) {
    const auto& joints = d.arm->model->mechanism.joints;
    for (const auto& j : joints) curves_.names.push_back(QString::fromStdString(j.name));
    curves_.values.resize(joints.size());
    for (const double t : curves_.times) {
        const motion::JointState s = state_at(motions, t);
        for (const int n : indices(joints)) {
            const double value = what == What::position
                                     ? 2 * (s.q[n] - joints[n].low) / (joints[n].high - joints[n].low) - 1
                                 : what == What::rate ? s.rate[n] / joints[n].speed
                                                      : s.acceleration[n] / joints[n].acceleration;
            curves_.values[n].push_back(value);
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

void MotionPlot::draw() {
    plot_->clearGraphs();
    for (QCPAbstractItem* item : limits_) plot_->removeItem(item);
    limits_.clear();
    const double scale = curves_.shares ? 100 : 1;
    const QList<double> times(curves_.times.begin(), curves_.times.end());
    for (std::size_t c = 0; c < curves_.values.size(); ++c) {
        QList<double> values;
        for (const double v : curves_.values[c]) values.push_back(scale * v);
        QCPGraph* graph = plot_->addGraph();
        graph->setData(times, values, true);
        graph->setPen(QPen(line_colour(c), 1.3));
    }
    static const char* const units[] = {QT_TR_NOOP("% of its range"), QT_TR_NOOP("% of the limit"),
        QT_TR_NOOP("% of the limit"), QT_TR_NOOP("mm"), QT_TR_NOOP("m/s"), QT_TR_NOOP("m/s\u00b2")};
    plot_->yAxis->setLabel(tr(units[what_->currentIndex()]));
    plot_->xAxis->setLabel(tr("s"));
    plot_->xAxis->setRange(times.front(), std::max(times.back(), times.front() + 1e-3));
    plot_->yAxis->setRange(scale * curves_.low, scale * curves_.high);
    if (curves_.shares) {
        plot_->yAxis->setRange(-108, 108);
        limit_at(-100), limit_at(100);
    } else if (curves_.limit) {
        limit_at(*curves_.limit);
        auto* words = new QCPItemText(plot_);
        words->setText(tr("limit of straight moves"));
        words->setFont(theme::font(10));
        words->setColor(theme::stop);
        words->setBrush(theme::panel);
        words->setPositionAlignment(Qt::AlignRight | Qt::AlignVCenter);
        words->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
        words->position->setCoords(1, *curves_.limit);
        limits_.push_back(words);
    }
    show_values();
    plot_->replot();
}

void MotionPlot::limit_at(double value) {
    auto* line = new QCPItemStraightLine(plot_);
    line->setPen(QPen(theme::stop, 1, Qt::DashLine));
    line->point1->setCoords(0, value);
    line->point2->setCoords(1, value);
    limits_.push_back(line);
}

void MotionPlot::show_values() {
    const double from = curves_.times.front(), to = curves_.times.back(), now = playhead_.time();
    cursor_->point1->setCoords(now, 0);
    cursor_->point2->setCoords(now, 1);
    const auto at =
        static_cast<std::size_t>(std::lround((std::clamp(now, from, to) - from) / std::max(1e-9, to - from) * samples));
    for (const int c : indices(curves_.names)) {
        const double v = curves_.values[c][at];
        plot_->graph(c)->setName(QString("%1 %2").arg(curves_.names[c],
            curves_.shares ? QString("%1 %").arg(std::lround(v * 100)) : QString::number(v, 'f', curves_.decimals)));
    }
}

void MotionPlot::show_time() {
    if (!isVisible() || curves_.times.empty()) return;
    show_values();
    for (const char* layer : {"cursor", "legend"}) plot_->layer(layer)->replot();
}

bool MotionPlot::eventFilter(QObject* watched, QEvent* event) {
    const bool mouse = event->type() == QEvent::MouseMove || event->type() == QEvent::MouseButtonPress;
    if (watched == plot_ && mouse && !curves_.times.empty()) {
        const auto* at = static_cast<QMouseEvent*>(event);
        if (at->buttons() & Qt::LeftButton)
            playhead_.set_time(std::clamp(
                plot_->xAxis->pixelToCoord(at->position().x()), curves_.times.front(), curves_.times.back()));
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace escarp::desktop
