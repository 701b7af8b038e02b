#include "side_by_side.h"

#include <QMouseEvent>
#include <QPainter>
#include <QResizeEvent>
#include <QScrollBar>
#include <algorithm>
#include <cmath>

#include <desktop/fields/typed_number.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

constexpr double left = 190, gap = 14;
constexpr int usual_column = 250, least_column = 132, many = 4;

QString shown_value(const cell::json& v) {
    if (v.is_number()) return shown_number(v.get<double>());
    if (v.is_boolean()) return v.get<bool>() ? QObject::tr("on") : QObject::tr("off");
    if (v.is_string()) return QString::fromStdString(v.get<std::string>());
    return QString::fromStdString(cell::value_in_words(v));
}

}  // namespace

SideBySide::SideBySide(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent)
    : QScrollArea(parent), comparison_(new Comparison(open, results, spreads)) {
    setObjectName("side_by_side");
    setWidget(comparison_);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    connect(horizontalScrollBar(), &QScrollBar::valueChanged, comparison_, qOverload<>(&QWidget::update));
}

void SideBySide::resizeEvent(QResizeEvent* event) {
    QScrollArea::resizeEvent(event);
    comparison_->set_room(viewport()->size());
}

Comparison::Comparison(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent)
    : QWidget(parent), open_(open), results_(results), spreads_(spreads) {
    connect(&spreads_, &Spreads::found, this, qOverload<>(&QWidget::update));
    setObjectName("comparison");
    setAccessibleName(tr("Side by side: variants compared"));
    connect(&results_, &Results::came, this, &Comparison::renew);
    connect(&results_, &Results::evaluated, this, &Comparison::renew);
    connect(&results_, &Results::zones_found, this, qOverload<>(&QWidget::update));
    connect(&open_, &OpenCell::document_changed, this, [this] { set_room(room_); });
    renew();
}

void Comparison::renew() {
    const std::vector<Column> all = columns();
    const auto of = [](const auto& evaluation) {
        return [&evaluation](const auto& one) { return one.evaluation == evaluation; };
    };
    drawn_.remove_if([&](const Drawn& d) { return std::none_of(all.begin(), all.end(), of(d.of)); });
    for (const Column& c : all) {
        const auto& e = c.evaluation;
        if (e && std::none_of(drawn_.begin(), drawn_.end(), [&](const Drawn& d) { return d.of == e; }))
            drawn_.push_back({e, simulation::Scene(*e->cell, e->run->trace, simulation::ticks(e->typical_s()))});
    }
    update();
}

QSize Comparison::sizeHint() const {
    const int count = std::max<int>(1, static_cast<int>(open_.document().variants().size()));
    const int column = count > many ? least_column : usual_column;
    return {std::max(room_.width(), static_cast<int>(left) + count * column), std::max(room_.height(), height_)};
}

void Comparison::set_room(const QSize& room) {
    room_ = room;
    resize(sizeHint());
    update();
}

const std::vector<Comparison::Row>& Comparison::rows() {
    static const std::vector<Row> all = {{"throughput", tr("Throughput, parts / h"), 0, 1, 1, ""},
        {"reach", tr("Poses reached"), 0, 1, 1, ""}, {"margin", tr("Least reach margin"), 0, 1e3, 1, " mm"},
        {"clearance", tr("Least clearance"), 0, 1e3, 1, " mm"}, {"stops", tr("Stop findings"), 0, 1, -1, ""},
        {"waiting", tr("Arms wait"), 0, 100, -1, " %"}, {"part_waits", tr("Part waits longest at"), 1, 1, -1, " s"},
        {"floor", tr("Floor used"), 1, 1, -1, " m\u00b2"}, {"travel", tr("Arm travel per part"), 2, 1, -1, " m"},
        {"price", tr("Price"), 0, 1, -1, ""}};
    return all;
}

std::vector<Comparison::Column> Comparison::columns() const {
    std::vector<Column> all;
    for (const cell::VariantInfo& v : open_.document().variants()) {
        const QString id = QString::fromStdString(v.id);
        all.push_back({id, QString::fromStdString(v.name), results_.of(id)});
    }
    const auto by = std::find_if(rows().begin(), rows().end(), [this](const Row& r) { return r.key == sorted_by_; });
    if (sorted_by_.isEmpty()) return all;
    const double sign = by != rows().end() && by->better > 0 ? -1 : 1;
    const auto figure = [&](const Column& c) { return by == rows().end() ? cycle(c) : value(*by, c); };
    std::stable_sort(all.begin(), all.end(), [&](const Column& a, const Column& b) {
        const auto one = figure(a), two = figure(b);
        return one && two ? sign * *one < sign * *two : one && !two;
    });
    return all;
}

QStringList Comparison::order() const {
    QStringList out;
    for (const Column& c : columns()) out << c.id;
    return out;
}

void Comparison::sort_by(const QString& row) {
    sorted_by_ = sorted_by_ == row ? QString() : row;
    update();
}

std::optional<double> Comparison::cycle(const Column& c) const {
    if (!c.evaluation) return std::nullopt;
    const study::Replicated* spread = spreads_.of(c.id);
    return spread && spread->of("cycle_s").count > 0 ? std::optional(spread->of("cycle_s").mean)
                                                     : c.evaluation->figures.cycle_s;
}

bool Comparison::differs(const QString& key) const {
    const auto row = std::find_if(rows().begin(), rows().end(), [&](const Row& r) { return r.key == key; });
    if (row == rows().end()) return true;
    const std::vector<Column> all = columns();
    return std::any_of(
        all.begin(), all.end(), [&](const Column& c) { return text(*row, c) != text(*row, all.front()); });
}

/// A row's name; a click on it sorts.
void Comparison::draw_label(QPainter& p, const QRectF& box, const QString& words, const QString& key) {
    labels_.emplace_back(box, key);
    const bool sorts = sorted_by_ == key;
    p.setClipping(false);
    p.setFont(theme::font(11, sorts));
    p.setPen(sorts ? theme::accent : theme::ink);
    p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, sorts ? words + QStringLiteral(" \u25b8") : words);
    p.setClipping(true);
}

std::optional<double> Comparison::value(const Row& row, const Column& c) const {
    if (!c.evaluation) return std::nullopt;
    const study::Figures& f = c.evaluation->figures;
    if (row.key == "throughput") {
        const auto each = cycle(c);
        return each && *each > 0 ? std::optional(3600 / *each) : f.rate_per_h;
    }
    if (row.key == "price") {
        double all = 0;
        for (const cell::Device& d : c.evaluation->cell->devices) all += d.price;
        return all;
    }
    if (row.key == "reach") return f.poses_reached;
    if (row.key == "margin") return f.least_margin_m;
    if (row.key == "clearance") return f.clearance_m;
    if (row.key == "waiting") return f.waiting;
    if (row.key == "part_waits") return f.cycle_s ? std::optional(f.part_waits_s) : std::nullopt;
    if (row.key == "floor") return f.floor_m2;
    if (row.key == "travel") return f.travel_m;
    if (row.key == "stops")
        return static_cast<double>(
            std::count_if(c.evaluation->inspection->findings.begin(), c.evaluation->inspection->findings.end(),
                [](const auto& x) { return x.severity == inspection::Severity::stop; }));
    return std::nullopt;
}

QString Comparison::text(const Row& row, const Column& c) const {
    const std::optional<double> v = value(row, c);
    if (!v) return QStringLiteral("\u2013");
    if (row.key == "reach") return QString("%1 / %2").arg(*v, 0, 'f', 0).arg(c.evaluation->figures.poses);
    if (row.key == "margin" && *v >= 0.2) return tr("\u2265 200 mm");
    if (row.key == "part_waits")
        return c.evaluation->figures.part_waits_at.empty()
                   ? tr("nowhere")
                   : QString("%1 s %2")
                         .arg(*v, 0, 'f', 1)
                         .arg(QString::fromStdString(c.evaluation->figures.part_waits_at));
    return theme::number(*v * row.factor, row.decimals) + row.unit;
}

QString Comparison::shown(const QString& row, const QString& variant) const {
    for (const Column& c : columns()) {
        if (c.id != variant) continue;
        if (row == "cycle") return theme::number(cycle(c), 2);
        for (const Row& r : rows())
            if (r.key == row) return text(r, c);
    }
    return {};
}

QRectF Comparison::column_box(std::size_t index, std::size_t count, double top, double height) const {
    const double wide = (width() - left - 14) / static_cast<double>(std::max<std::size_t>(1, count));
    return {left + wide * static_cast<double>(index), top, wide - gap, height};
}

double Comparison::edge() const { return -std::min(0, x()); }

bool Comparison::narrow(std::size_t count) const { return column_box(0, count, 0, 0).width() < 190; }

/// A line from edge to edge.
void Comparison::rule(QPainter& p, double y) {
    p.setClipping(false);
    p.setPen(QPen(theme::rule, 1));
    p.drawLine(QPointF(0, y), QPointF(width(), y));
    p.setClipping(true);
}

void Comparison::heading(QPainter& p, const QString& title, const QString& sub, double y) {
    p.setClipping(false);
    p.setFont(theme::font(11, true));
    p.setPen(theme::muted);
    p.drawText(QRectF(edge() + 14, y, left - 20, 16), Qt::AlignLeft | Qt::AlignVCenter, title);
    p.setFont(theme::font(11));
    p.drawText(QRectF(edge() + 14, y + 18, left - 20, 16), Qt::AlignLeft | Qt::AlignVCenter, sub);
    p.setClipping(true);
}

double Comparison::draw_layouts(QPainter& p, const std::vector<Column>& all, double y) {
    heading(p, tr("LAYOUT"), tr("drawn to one scale"), y + 4);
    // One scale for all: the largest plan decides it.
    double wide = 0.1, high = 0.1;
    for (const Column& c : all)
        if (c.evaluation)
            wide = std::max(wide, plan_bounds(*c.evaluation->cell, PlanView{}).width() + 0.4),
            high = std::max(high, plan_bounds(*c.evaluation->cell, PlanView{}).height() + 0.5);
    const double column = column_box(0, all.size(), 0, 0).width();
    const double drawing = std::clamp(column * high / wide, 90.0, std::max(120.0, 0.36 * room_.height()));
    const double scale = std::min(column / wide, drawing / high);
    const QString base = QString::fromStdString(open_.document().baseline());
    QString fastest, smallest;
    double least = 1e300, area = 1e300;
    for (const Column& c : all) {
        if (cycle(c) && *cycle(c) < least) least = *cycle(c), fastest = c.id;
        if (c.evaluation && c.evaluation->figures.floor_m2 < area)
            area = c.evaluation->figures.floor_m2, smallest = c.id;
    }
    const bool tight = narrow(all.size());  // what is said of a variant then stands in its drawing
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QRectF box = column_box(i, all.size(), y + 24, drawing);
        p.setFont(theme::font(13, true));
        p.setPen(theme::ink);
        theme::text(p, QRectF(box.left(), y + 2, box.width() - (tight ? 0 : 96), 18), all[i].id + " " + all[i].name);
        p.setFont(theme::font(11, true));
        p.setPen(all[i].id == base ? theme::muted : theme::good);
        const QString note = all[i].id == base       ? tr("baseline")
                             : all[i].id == fastest  ? tr("fastest")
                             : all[i].id == smallest ? tr("smallest floor")
                                                     : QString();
        const QPen note_pen = p.pen();
        if (!tight) p.drawText(QRectF(box.left(), y + 2, box.width(), 18), Qt::AlignRight | Qt::AlignVCenter, note);
        p.setPen(QPen(theme::rule, 1));
        p.setBrush(QColor(0xFB, 0xF8, 0xEE));
        p.drawRect(box);
        const auto drawn =
            std::find_if(drawn_.begin(), drawn_.end(), [&](const Drawn& d) { return d.of == all[i].evaluation; });
        if (drawn == drawn_.end()) {
            const QString error = results_.error_of(all[i].id);
            p.setPen(error.isEmpty() ? theme::muted : theme::stop);
            p.setFont(theme::font(11));
            p.drawText(box.adjusted(8, 8, -8, -8), Qt::AlignCenter | Qt::TextWordWrap,
                error.isEmpty() ? tr("being computed") : error);
            continue;
        }
        const cell::Cell& cell = *all[i].evaluation->cell;
        const QRectF plan = plan_bounds(cell, PlanView{});
        PlanView v{Side::top, scale, {}};
        v.middle = QPointF(box.center().x() - plan.center().x() * scale, box.center().y() + plan.center().y() * scale);
        p.save();
        p.setClipRect(box, Qt::IntersectClip);
        PlanOptions o;
        o.names = o.marks = !tight;
        o.name_pixels = 9;
        o.sheet = box.adjusted(1, 1, -1, -1);
        draw_plan(p, v, drawn->scene, o);
        p.restore();
        if (!tight) continue;
        p.setFont(theme::font(10, true));
        p.setPen(note_pen);
        p.drawText(box.adjusted(5, 3, -5, -3), Qt::AlignLeft | Qt::AlignBottom, note);
    }
    return y + 24 + drawing + 10;
}

namespace {
const study::Category chain_order[] = {
    study::Category::move, study::Category::grip, study::Category::process, study::Category::wait};

void fill_category(QPainter& p, const QRectF& box, study::Category c) {
    const bool wait = c == study::Category::wait;
    p.fillRect(box, wait ? QColor(0xEF, 0xEB, 0xE0) : theme::category_colour(c));
    if (wait) p.fillRect(box, theme::hatch(QColor(0x9A, 0xA2, 0xA6)));
}
}  // namespace

double Comparison::draw_cycles(QPainter& p, const std::vector<Column>& all, double y) {
    heading(p, tr("CYCLE"), tr("longest chain, one part"), y + 4);
    labels_.emplace_back(QRectF(edge() + 14, y + 4, left - 20, 34), "cycle");
    double longest = 1e-6;
    for (const Column& c : all)
        if (c.evaluation)
            longest = std::max({longest, c.evaluation->figures.cycle_s.value_or(0), c.evaluation->cell->takt});
    p.setClipping(false);
    for (int k = 0; k < 4; ++k) {
        const QRectF key(edge() + 14 + (k % 2) * 84, y + 42 + (k / 2) * 16, 10, 10);
        fill_category(p, key, chain_order[k]);
        p.setFont(theme::font(11));
        p.setPen(theme::muted);
        p.drawText(QPointF(key.right() + 5, key.bottom()), tr(study::word(chain_order[k])));
    }
    p.setClipping(true);
    const bool tight = narrow(all.size());
    const Column* base = nullptr;
    for (const Column& c : all)
        if (c.id == QString::fromStdString(open_.document().baseline())) base = &c;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!all[i].evaluation) continue;
        const QRectF box = column_box(i, all.size(), y, 84);
        draw_cycle(p, all[i], base, box, tight);
        draw_chain(p, all[i], box, (box.width() - 4) / longest, tight);
    }
    return y + 86;
}

/// The cycle, by how much it differs from the baseline's, and how sure it is.
void Comparison::draw_cycle(QPainter& p, const Column& column, const Column* base, const QRectF& box, bool tight) {
    const study::Figures& f = column.evaluation->figures;
    const double y = box.top();
    p.setFont(theme::font(tight ? 15 : 20, true));
    p.setPen(f.cycle_s ? theme::ink : theme::stop);
    const std::optional<double> mean = this->cycle(column);
    const QString cycle = f.cycle_s ? theme::number(mean, 2) + " s" : tr("no cycle");
    p.drawText(QRectF(box.left(), y, box.width(), 26), Qt::AlignLeft | Qt::AlignVCenter, cycle);
    const double after = QFontMetricsF(p.font()).horizontalAdvance(cycle) + 12;
    p.setFont(theme::font(11, true));
    if (base && base != &column && base->evaluation && this->cycle(*base) && mean) {
        const double d = *mean - *this->cycle(*base);
        p.setPen(d <= 0 ? theme::good : theme::watch_text);
        p.drawText(tight ? QRectF(box.right() - 90, y, 90, 26) : QRectF(box.left() + after, y, 90, 26),
            (tight ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
            QString(tight ? "%1 %2" : "%1 %2 s")
                .arg(d <= 0 ? QStringLiteral("\u25bc") : QStringLiteral("\u25b2"), theme::number(std::abs(d), 2)));
    }
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    const study::Replicated* spread = spreads_.of(column.id);
    theme::text(p,
        tight ? QRectF(box.left(), y + 58, box.width(), 18)
              : QRectF(box.left() + after + 70, y, box.width() - after - 70, 26),
        f.steady ? tr("exact")
        : spread ? tr("\u00b1 %1 s in %2 runs")
                       .arg(theme::number(spread->of("cycle_s").half_width(), 2))
                       .arg(spread->runs.size())
        : f.cycle_s ? tr("mean of the second half")
                    : tr("the work stops"),
        (tight ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
}

/// Where its time goes, with the takt.
void Comparison::draw_chain(QPainter& p, const Column& column, const QRectF& box, double per_second, bool tight) {
    const study::Figures& f = column.evaluation->figures;
    const double y = box.top();
    double x = box.left();
    for (const study::Category c : chain_order) {
        const auto found = f.split_s.find(c);
        if (found == f.split_s.end() || found->second < 5e-4) continue;
        const QRectF bar(x, y + 32, found->second * per_second, 24);
        fill_category(p, bar, c);
        p.setFont(theme::font(10));
        p.setPen(c == study::Category::wait ? theme::ink : QColor(Qt::white));
        if (bar.width() > 26) p.drawText(bar, Qt::AlignCenter, theme::number(found->second, 2));
        x = bar.right();
    }
    const double takt = column.evaluation->cell->takt;
    if (takt <= 0) return;
    const double at = box.left() + takt * per_second;
    p.setPen(QPen(theme::stop, 1.4, Qt::DashLine));
    p.drawLine(QPointF(at, y + 28), QPointF(at, y + 62));
    p.setFont(theme::font(10));
    p.setPen(theme::stop);
    const QString label = tr("takt %1 s").arg(theme::number(takt, 2));
    const double wide = QFontMetricsF(p.font()).horizontalAdvance(label);
    if (!tight) p.drawText(QPointF(std::min(at + 4, box.right() - wide), y + 74), label);
}

/// Of a row: the best of all columns, the baseline's, and whether they differ by what is shown.
struct Comparison::Span {
    std::optional<double> best, base;
    bool differs = false;
};

Comparison::Span Comparison::span_of(const Row& row, const std::vector<Column>& all) const {
    Span s;
    const std::string base_id = open_.document().baseline();
    for (const Column& c : all) {
        const auto v = value(row, c);
        if (!v) continue;
        if (s.best && std::abs(*v - *s.best) * row.factor > 0.5 * std::pow(10, -row.decimals)) s.differs = true;
        if (!s.best || (row.better > 0 ? *v > *s.best : *v < *s.best)) s.best = v;
        if (c.id.toStdString() == base_id) s.base = v;
    }
    return s;
}

void Comparison::draw_value(
    QPainter& p, const Row& row, const Column& c, const Span& span, const QRectF& box, bool tight) const {
    const auto v = value(row, c);
    const double y = box.top();
    const bool is_best = v && span.best && *v == *span.best && row.better != 0 && span.differs;
    const study::Figures& figures = c.evaluation->figures;
    const bool bad =
        v && ((row.key == "reach" && figures.poses_reached < figures.poses) || (row.key == "margin" && *v < 0) ||
                 (row.key == "clearance" && *v <= 0) || (row.key == "stops" && *v > 0));
    p.setFont(theme::font(11, is_best));
    p.setPen(bad ? theme::stop : theme::ink);
    QString change;
    if (v && span.base && c.id.toStdString() != open_.document().baseline() &&
        std::abs(*v - *span.base) * row.factor > 0.5 * std::pow(10, -row.decimals)) {
        const double d = (*v - *span.base) * row.factor;
        change = QString("%1 %2").arg(
            d < 0 ? QStringLiteral("\u25bc") : QStringLiteral("\u25b2"), theme::number(std::abs(d), row.decimals));
    }
    const double taken = change.isEmpty() ? 0
                         : tight          ? QFontMetricsF(theme::font(10)).horizontalAdvance(change) + 4
                                          : 64;
    QString s = (bad ? QStringLiteral("\u2715 ") : QString()) + text(row, c);
    if (tight && row.key == "part_waits" && v) s = theme::number(*v, row.decimals) + row.unit;
    theme::text(p, QRectF(box.left(), y, box.width() - taken, 21), s);
    const double after = box.left() + QFontMetricsF(theme::font(11, true)).horizontalAdvance(s) + 8,
                 mark = tight ? after : box.left() + 0.46 * box.width();
    if (is_best && after <= mark && mark + (tight ? 12 : 60) < box.right() - taken + 4) {
        p.setPen(theme::good);
        p.setFont(theme::font(10, true));
        p.drawText(QRectF(mark, y, 60, 21), Qt::AlignLeft | Qt::AlignVCenter,
            tight ? QStringLiteral("\u25cf") : tr("\u25cf best"));
    }
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    p.drawText(QRectF(box.left(), y, box.width() - 2, 21), Qt::AlignRight | Qt::AlignVCenter, change);
}

double Comparison::draw_figures(QPainter& p, const std::vector<Column>& all, double y) {
    std::vector<const Row*> shown_rows;
    for (const Row& row : rows())
        if (all.size() < 2 || differs(row.key)) shown_rows.push_back(&row);
    heading(p, tr("FIGURES"), {}, y);
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    const std::size_t same = rows().size() - shown_rows.size();
    p.drawText(QRectF(edge() + left, y, room_.width() - left - 30, 16), Qt::AlignLeft | Qt::AlignVCenter,
        tr("click a name to sort by it") +
            (same == 0 ? QString() : QStringLiteral(" \u00b7 ") + tr("%1 more the same in all").arg(same)));
    y += 18;
    const bool tight = narrow(all.size());
    for (std::size_t r = 0; r < shown_rows.size(); ++r, y += 21) {
        const Row& row = *shown_rows[r];
        if (r % 2 == 0) {
            p.setClipping(false);
            p.fillRect(QRectF(0, y, width(), 21), QColor(0xF5, 0xF0, 0xE6));
        }
        draw_label(p, QRectF(edge() + 14, y, left - 20, 21), row.label, row.key);
        const Span span = span_of(row, all);
        for (std::size_t i = 0; i < all.size(); ++i)
            draw_value(p, row, all[i], span, column_box(i, all.size(), y, 21), tight);
    }
    return y + 8;
}

QStringList Comparison::differences(const Column& c) const {
    const cell::json base = open_.document().resolved(open_.document().baseline());
    const auto device_name = [&](const std::string& id) {
        const cell::json* name = cell::find(base, cell::at_device(id) / "name");
        return name && name->is_string() ? QString::fromStdString(name->get<std::string>())
                                         : QString::fromStdString(id);
    };
    // Changes of one device come on one line: "Arm 2: x 2600 -> 3000, turn 0 -> 180".
    std::vector<std::pair<QString, QStringList>> lines;
    for (const cell::Operation& op : open_.document().differences(c.id.toStdString())) {
        const QStringList path = QString::fromStdString(op.at).split('/', Qt::SkipEmptyParts);
        QString who = path.value(0), what;
        if (path.value(0) == "devices" && path.size() > 1) who = device_name(path[1].toStdString());
        const cell::Field* field = cell::meaning_of_path(base, op.at, open_.layout().kinds()).field;
        if (field && path.size() == 1) who = tr("Cell");
        const QString key = field ? QString::fromStdString(field->label)
                                  : QString(path.mid(path.value(0) == "devices" ? 2 : 1).join(' '))
                                        .replace("placement ", "")
                                        .replace("_mm", "")
                                        .replace("_deg", "")
                                        .replace("_pct", "")
                                        .replace("task ", tr("step "))
                                        .replace('_', ' ');
        const cell::json* old = cell::find(base, op.at);
        switch (op.kind) {
            case cell::Operation::Kind::set:
                what = QString("%1 %2 \u2192 %3").arg(key, old ? shown_value(*old) : tr("none"), shown_value(op.value));
                break;
            case cell::Operation::Kind::remove:
                what = path.size() == 2 ? tr("removed") : tr("%1 removed").arg(key);
                break;
            case cell::Operation::Kind::add:
                if (path.size() == 1)
                    who = QString::fromStdString(op.value.value("name", op.value.value("id", ""))), what = tr("added");
                else what = tr("step added: %1").arg(QString::fromStdString(op.value.value("do", "")));
                break;
            case cell::Operation::Kind::order: what = tr("order of %1 changed").arg(key); break;
        }
        const auto line = std::find_if(lines.begin(), lines.end(), [&](const auto& l) { return l.first == who; });
        if (line == lines.end()) lines.push_back({who, {what}});
        else line->second << what;
    }
    QStringList out;
    for (const auto& [who, what] : lines) out << who + ": " + what.join(", ");
    return out;
}

double Comparison::draw_differences(QPainter& p, const std::vector<Column>& all, double y) {
    rule(p, y);
    heading(p, tr("WHAT DIFFERS"), tr("from the baseline"), y + 6);
    double most = 40;
    p.setFont(theme::font(11));
    for (std::size_t i = 0; i < all.size(); ++i) {
        QStringList lines = differences(all[i]);
        if (lines.isEmpty()) lines << QStringLiteral("\u2013");
        const QRectF box = column_box(i, all.size(), y + 6, 2000);
        QRectF used;
        p.setPen(theme::ink);
        p.drawText(box, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, lines.join('\n'), &used);
        most = std::max(most, used.height());
    }
    return y + most + 16;
}

/// With chance in it: who is better, by how much, and what cannot be told yet; of those that run without a stop
/// finding.
std::string Comparison::ranking_words(const std::vector<Column>& all) const {
    std::vector<study::Replicated> found;
    std::vector<std::string> names;
    bool chance = false;
    for (const Column& c : all) {
        const auto& findings = c.evaluation->inspection->findings;
        const bool sound = std::none_of(
            findings.begin(), findings.end(), [](const auto& f) { return f.severity == inspection::Severity::stop; });
        if (!sound || !cycle(c)) continue;
        const study::Replicated* spread = spreads_.of(c.id);
        if (!spread && !c.evaluation->figures.steady) return {};  // it is still being found
        chance = chance || spread;
        found.push_back(spread ? *spread : study::Replicated{{{{"cycle_s", *cycle(c)}}}, true, true});
        names.push_back(c.id.toStdString());
    }
    if (!chance || found.size() < 2) return {};
    std::vector<const study::Replicated*> ranked;
    for (const study::Replicated& r : found) ranked.push_back(&r);
    const study::Measure& by = study::measure("cycle_s", "");
    return study::in_words(study::rank(ranked, by), by, names);
}

QString Comparison::verdict(const std::vector<Column>& all) const {
    const Column *base = nullptr, *best = nullptr;
    QStringList out;
    for (const Column& c : all) {
        if (!c.evaluation) return tr("Not every variant has been computed yet.");
        if (c.id.toStdString() == open_.document().baseline()) base = &c;
        const bool sound =
            std::none_of(c.evaluation->inspection->findings.begin(), c.evaluation->inspection->findings.end(),
                [](const auto& f) { return f.severity == inspection::Severity::stop; });
        if (sound && cycle(c) && (!best || *cycle(c) < *cycle(*best))) best = &c;
    }
    const auto& random = tr("Nothing in these cells is random, so the differences are exact.");
    if (!best) out << tr("No variant runs without a stop finding.");
    else if (best == base)
        out << tr("%1, the baseline, is the fastest variant that runs without a stop finding: %2 s.")
                   .arg(best->id, theme::number(cycle(*best), 2));
    else if (base && cycle(*base))
        out << tr("%1 is %2 s faster than %3 (%4 s against %5 s).")
                   .arg(best->id, theme::number(*cycle(*base) - *cycle(*best), 2), base->id,
                       theme::number(cycle(*best), 2), theme::number(cycle(*base), 2));
    if (const std::string ranked = ranking_words(all); !ranked.empty()) out << QString::fromStdString(ranked);
    for (const Column& c : all) {
        const study::Figures& f = c.evaluation->figures;
        if (f.poses_reached < f.poses)
            out << tr("%1 cannot reach %2 of %3 poses as drawn%4.")
                       .arg(c.id)
                       .arg(f.poses - f.poses_reached)
                       .arg(f.poses)
                       .arg(f.cycle_s ? QString() : tr(" and has no cycle"));
        else if (f.clearance_m && *f.clearance_m <= 0) out << tr("%1 has a collision.").arg(c.id);
        else if (const auto& close = c.evaluation->inspection->close_pairs; !close.empty()) {
            const auto& least = *std::min_element(
                close.begin(), close.end(), [](const auto& x, const auto& y) { return x.distance < y.distance; });
            out << tr("%1 comes as close as %2 mm, less than the safety distance of %3 mm.")
                       .arg(c.id, theme::number(least.distance * 1e3, 0), theme::number(least.keeps * 1e3, 0));
        }
        const double takt = c.evaluation->cell->takt;
        if (takt > 0 && !f.per_round && cycle(c) && *cycle(c) > takt + 1e-9)
            out << tr("%1 misses the takt by %2 s.").arg(c.id, theme::number(*cycle(c) - takt, 2));
    }
    if (std::all_of(all.begin(), all.end(),
            [](const Column& c) { return c.evaluation->figures.steady || !c.evaluation->figures.cycle_s; }))
        out << random;
    return out.join(' ');
}

double Comparison::draw_verdict(QPainter& p, const std::vector<Column>& all, double y) {
    rule(p, y);
    heading(p, tr("VERDICT"), {}, y + 6);
    p.setFont(theme::font(12));
    p.setPen(theme::ink);
    QRectF used;
    p.drawText(QRectF(edge() + left, y + 6, room_.width() - left - 30, 400),
        Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, verdict(all), &used);
    return y + used.height() + 18;
}

void Comparison::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme::panel);
    labels_.clear();
    const std::vector<Column> all = columns();
    // Columns pass below the names of the rows when they are scrolled.
    p.setClipRect(QRectF(edge() + left - gap / 2, 0, width(), 1e5));
    double y = draw_layouts(p, all, 8);
    rule(p, y);
    y = draw_cycles(p, all, y + 6);
    const double figures_end = y = draw_figures(p, all, y);
    // With many columns what differs is long: what it all means comes first then.
    const bool verdict_first = narrow(all.size());
    if (verdict_first) y = draw_verdict(p, all, y);
    const double verdict_end = y;
    y = draw_differences(p, all, y);
    const double columns_end = y;
    if (!verdict_first) y = draw_verdict(p, all, y);
    for (std::size_t i = 1; i < all.size(); ++i) {
        const double x = column_box(i, all.size(), 0, 0).left() - gap / 2;
        p.setPen(QPen(theme::rule, 1));
        p.drawLine(QPointF(x, 0), QPointF(x, verdict_first ? figures_end : columns_end));
        if (verdict_first) p.drawLine(QPointF(x, verdict_end), QPointF(x, columns_end));
    }
    if (static_cast<int>(y) != height_) {
        height_ = static_cast<int>(y);
        QMetaObject::invokeMethod(
            this, [this] { resize(sizeHint()); }, Qt::QueuedConnection);
    }
}

void Comparison::mousePressEvent(QMouseEvent* event) {
    for (const auto& [box, key] : labels_)
        if (box.contains(event->position())) return sort_by(key);
    const std::vector<Column> all = columns();
    for (std::size_t i = 0; i < all.size(); ++i)
        if (column_box(i, all.size(), 0, height()).contains(event->position()) &&
            event->position().y() < 0.4 * room_.height())
            Q_EMIT chosen(all[i].id);
}

}  // namespace escarp::desktop
