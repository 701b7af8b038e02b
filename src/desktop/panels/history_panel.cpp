#include "history_panel.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {

namespace {
constexpr double top = 26, high = 58, side = 10;
constexpr int many = 80;  ///< edits, whose points would run into each other
}  // namespace

HistoryPanel::HistoryPanel(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent)
    : QWidget(parent), open_(open), results_(results), spreads_(spreads) {
    setObjectName("history");
    setAccessibleName(tr("History: figures after each edit"));
    setMouseTracking(true);
    setMinimumWidth(200);
    connect(&results_, &Results::evaluated, this, &HistoryPanel::take);
    connect(&spreads_, &Spreads::found, this, &HistoryPanel::take);
    connect(&open_, &OpenCell::document_changed, this, qOverload<>(&QWidget::update));
}

const std::vector<HistoryPanel::Line>& HistoryPanel::lines() {
    static const std::vector<Line> all{{"cycle", tr("cycle"), "s", 2, -1}, {"clearance", tr("clearance"), "mm", 0, 1},
        {"margin", tr("reach margin"), "mm", 0, 1}, {"waiting", tr("waiting"), "%", 0, -1},
        {"floor", tr("floor"), QStringLiteral("m\u00b2"), 1, -1}, {"stops", tr("stop findings"), "", 0, -1}};
    return all;
}

const std::vector<HistoryPanel::State>& HistoryPanel::states() const {
    static const std::vector<State> none;
    const auto found = all_.find(open_.variant());
    return found == all_.end() ? none : found->second;
}

int HistoryPanel::count() const { return static_cast<int>(states().size()); }

int HistoryPanel::shown() const { return std::min(open_.history().depth(), count() - 1); }

std::optional<double> HistoryPanel::value(const QString& figure, int state) const {
    if (state < 0 || state >= count()) return std::nullopt;
    const auto found = states()[state].figures.find(figure);
    return found == states()[state].figures.end() ? std::nullopt : found->second;
}

/// The figures of the state that is shown, once they are current. Another file or variant begins anew.
void HistoryPanel::take() {
    if (open_.trying() || !results_.current() || !results_.forced().empty()) return;
    const auto e = results_.shown();
    if (!e) return;
    if (open_.file() != file_) all_.clear(), file_ = open_.file();
    for (; forgotten_ < open_.history().forgotten(); ++forgotten_)
        for (auto& [variant, known] : all_)
            if (!known.empty()) known.erase(known.begin());
    std::vector<State>& states = all_[open_.variant()];
    const auto depth = static_cast<std::size_t>(open_.history().depth());
    // What could be done again is kept as long as it can.
    const std::size_t known = depth + 1 + static_cast<std::size_t>(open_.history().redo_depth());
    if (states.size() > known) states.resize(known);
    if (states.size() <= depth) states.resize(depth + 1);
    const QString edit = open_.history().undo_name();
    if (states[depth].edit != edit) states.resize(depth + 1);  // another way from here on
    study::Figures f = e->figures;
    if (const study::Replicated* many = spreads_.of(open_.variant())) {  // as the strip shows them
        if (const auto mean = many->of("cycle_s"); mean.count > 0) f.cycle_s = mean.mean;
        if (const auto mean = many->of("waiting_pct"); mean.count > 0) f.waiting = mean.mean / 100;
    }
    const auto times = [](std::optional<double> v, double factor) { return v ? std::optional(*v * factor) : v; };
    const auto& findings = e->inspection->findings;
    states[depth] = {
        edit, {{"cycle", f.cycle_s}, {"clearance", times(f.clearance_m, 1e3)}, {"margin", times(f.least_margin_m, 1e3)},
                  {"waiting", times(f.waiting, 100)}, {"floor", f.floor_m2},
                  {"stops", static_cast<double>(std::count_if(findings.begin(), findings.end(),
                                [](const auto& x) { return x.severity == inspection::Severity::stop; }))}}};
    update();
}

QRectF HistoryPanel::box_of(std::size_t line) const {
    return {side, top + high * static_cast<double>(line) + 20, width() - 2 * side, high - 30};
}

std::vector<std::optional<QPointF>> HistoryPanel::places_of(std::size_t line) const {
    const QRectF box = box_of(line);
    std::vector<std::optional<double>> values;
    double low = 1e300, up = -1e300;
    for (int i = 0; i < count(); ++i) {
        values.push_back(value(lines()[line].key, i));
        if (const auto& v = values.back()) low = std::min(low, *v), up = std::max(up, *v);
    }
    const bool even = up - low < 1e-9 * std::max(1.0, std::abs(up));
    std::vector<std::optional<QPointF>> out;
    for (int i = 0; i < count(); ++i) {
        const auto& v = values[i];
        const double x = box.left() + (count() < 2 ? 0.5 : static_cast<double>(i) / (count() - 1)) * box.width();
        out.push_back(
            v ? std::optional(QPointF(x, box.bottom() - (even ? 0.5 : (*v - low) / (up - low)) * box.height()))
              : std::nullopt);
    }
    return out;
}

std::optional<QPointF> HistoryPanel::place_of(const QString& figure, int state) const {
    const auto line = std::find_if(lines().begin(), lines().end(), [&](const Line& l) { return l.key == figure; });
    return state < 0 || state >= count() ? std::nullopt
                                         : places_of(static_cast<std::size_t>(line - lines().begin()))[state];
}

void HistoryPanel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme::panel);
    p.setFont(theme::font(11, true));
    p.setPen(theme::muted);
    p.drawText(QRectF(side, 6, width() - 2 * side, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("HISTORY"));
    p.setFont(theme::font(11));
    theme::text(p, QRectF(side + 62, 6, width() - 2 * side - 62, 16),
        tr("variant %1, %2 on")
            .arg(
                open_.variant(), counted(static_cast<std::size_t>(std::max(0, count() - 1)), tr("edit"), tr("edits"))));
    for (std::size_t n = 0; n < lines().size(); ++n) {
        const Line& line = lines()[n];
        const double y = top + high * static_cast<double>(n);
        p.setPen(theme::muted);
        p.setFont(theme::font(11));
        p.drawText(QRectF(side, y, width() - 2 * side, 18), Qt::AlignLeft | Qt::AlignVCenter, line.title);
        const auto now = value(line.key, shown());
        p.setPen(theme::ink);
        p.setFont(theme::font(11, true));
        p.drawText(QRectF(side, y, width() - 2 * side, 18), Qt::AlignRight | Qt::AlignVCenter,
            now ? theme::number(now, line.decimals) + (line.unit.isEmpty() ? "" : " " + line.unit)
                : QStringLiteral("\u2013"));
        p.setPen(QPen(theme::rule, 1));
        p.drawLine(QPointF(side, y + high - 4), QPointF(width() - side, y + high - 4));
        const std::vector<std::optional<QPointF>> places = places_of(n);
        QPainterPath path;
        bool open = false;
        for (const std::optional<QPointF>& at : places) {
            if (at && open) path.lineTo(*at);
            else if (at) path.moveTo(*at);
            open = at.has_value();
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(theme::good, 1.4));
        p.drawPath(path);
        p.setPen(Qt::NoPen);
        for (int i = 0; i < count(); ++i) {
            const std::optional<QPointF>& at = places[i];
            const bool is_shown = i == shown();
            if (!at || (!is_shown && count() > many)) continue;
            p.setBrush(is_shown ? theme::accent : i > shown() ? theme::rule : theme::good);
            const double size = is_shown ? 4 : 2.4;
            p.drawEllipse(*at, size, size);
        }
    }
}

int HistoryPanel::state_at(const QPointF& at) const {
    if (count() < 2 || at.y() < top || at.y() > top + high * static_cast<double>(lines().size())) return -1;
    const double share = (at.x() - side) / (width() - 2 * side);
    return std::clamp(static_cast<int>(std::lround(share * (count() - 1))), 0, count() - 1);
}

void HistoryPanel::go_to(int state) { open_.go_back(open_.history().depth() - state); }

void HistoryPanel::mousePressEvent(QMouseEvent* event) {
    if (const int state = state_at(event->position()); event->button() == Qt::LeftButton && state >= 0) go_to(state);
}

void HistoryPanel::mouseMoveEvent(QMouseEvent* event) {
    const int state = state_at(event->position());
    setCursor(state >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (state < 0) return QToolTip::hideText();
    QString words = state == 0 ? tr("As the session began") : states()[state].edit;
    for (const Line& line : lines())
        if (const auto v = value(line.key, state))
            words += "\n" + line.title + " " + theme::number(v, line.decimals) +
                     (line.unit.isEmpty() ? "" : " " + line.unit);
    QToolTip::showText(event->globalPosition().toPoint(), plain(words), this);
}

}  // namespace escarp::desktop
