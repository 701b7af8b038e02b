#include "study_plot.h"

#include <QMouseEvent>
#include <QRubberBand>
#include <QVBoxLayout>
#include <cmath>
#include <set>

#include <cell/model/reader.h>
#include <desktop/looks/plots.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

QString axis_label(const std::string& words, const std::string& unit) {
    const QString out = QString::fromStdString(words);
    return unit.empty() ? out : out + "  [" + QString::fromStdString(unit) + "]";
}

QString axis_label(const study::Measure& m) { return axis_label(m.label, m.unit); }

QString axis_label(const study::Answered& a, std::size_t varied) {
    const std::string& at = a.study.vary[varied].at;
    return axis_label(a.varied[varied], cell::unit_sign(at.substr(at.rfind('/') + 1)));
}

std::optional<double> number(const cell::json& value) {
    return value.is_number() ? std::optional(value.get<double>()) : std::nullopt;
}

QCPScatterStyle disc(const QColor& fill, double size) {
    return QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(theme::panel, 1), fill, size);
}

}  // namespace

StudyPlot::StudyPlot(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot) {
    setObjectName("study_plot");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->addWidget(plot_);
    dress(*plot_);
    plot_->installEventFilter(this);
    plot_->setCursor(Qt::CrossCursor);
    setMinimumSize(240, 160);
}

QString StudyPlot::legend() const {
    const auto mark = [](const QColor& colour, const QString& sign, const QString& words) {
        return QString("<span style='color:%1'>%2</span> %3").arg(colour.name(), sign, words);
    };
    const QString dot = QStringLiteral("\u25cf"), cross = QStringLiteral("\u00d7");
    const QString now = mark(theme::ink, QStringLiteral("\u25c7"), tr("as it is now"));
    const QString lacks = mark(theme::stop, cross, tr("lacks what is demanded"));
    QStringList all;
    if (kind_ == "scatter")
        all << mark(theme::good, dot, tr("beaten by none")) << mark(theme::move, dot, tr("others")) << lacks << now;
    else if (kind_ == "line")
        all << mark(theme::good, dot, tr("keeps what is demanded")) << mark(theme::stop, dot, tr("lacks something"))
            << now;
    else if (kind_ == "map") all << lacks << now;
    else if (kind_ == "tries") all << mark(theme::good, QStringLiteral("\u2500"), tr("best so far")) << lacks;
    else if (kind_ == "bars" && !answer_->study.shares)
        all << mark(theme::ink, QStringLiteral("\u251c\u2524"), tr("how uneven: it bends, or others have a say"));
    else if (kind_ == "bars")
        all << mark(theme::good, QStringLiteral("\u25a0"), tr("alone"))
            << mark(QColor(0xA9, 0xCC, 0xC8), QStringLiteral("\u25a0"), tr("with the others"));
    else if (kind_ == "gains")
        all << mark(theme::good, QStringLiteral("\u25a0"), tr("made 0.1 s shorter"))
            << mark(QColor(0xA9, 0xCC, 0xC8), QStringLiteral("\u25a0"), tr("10 % quicker"));
    else if (kind_ == "runs")
        all << mark(theme::accent, QStringLiteral("\u25ae"), tr("where the mean is, with 95 % confidence"));
    return all.join(QStringLiteral(" &nbsp; "));
}

void StudyPlot::clear() {
    answer_.reset();
    kind_.clear();
    dots_.clear();
    brushed_.clear();
    plot_->clearPlottables();
    plot_->clearItems();
    plot_->replot();
}

const study::Tried& StudyPlot::tried(int point) const { return point < 0 ? answer_->now : answer_->tried[point]; }

bool StudyPlot::shown(int point) const {
    return brushed_.empty() || std::find(brushed_.begin(), brushed_.end(), point) != brushed_.end();
}

void StudyPlot::show(std::shared_ptr<const study::Answered> answer, int figure) {
    const bool same = answer_ && answer_->study.id == answer->study.id && figure == figure_;
    if (!same) brushed_.clear(), chosen_ = -2;
    answer_ = std::move(answer);
    figure_ = std::clamp(figure, 0, static_cast<int>(answer_->looked_at.size()) - 1);
    std::erase_if(brushed_, [&](int i) { return i >= static_cast<int>(answer_->tried.size()); });
    plot_->clearPlottables();
    plot_->clearItems();
    if (plot_->plotLayout()->elementCount() > 1) {
        plot_->plotLayout()->remove(plot_->plotLayout()->element(0, 1));
        plot_->plotLayout()->simplify();
    }
    plot_->yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    plot_->xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    dots_.clear();
    const study::Measure& m = *answer_->looked_at[figure_];
    const auto& vary = answer_->study.vary;
    using Asks = cell::Study::Asks;
    const bool numeric = std::all_of(vary.begin(), vary.end(), [](const cell::Varied& v) { return v.numeric(); });
    if (answer_->gains) draw_gains();
    else if (answer_->study.asks == Asks::repetitions || answer_->study.asks == Asks::gains) draw_runs(m);
    else if (answer_->study.asks == Asks::sensitivity && !answer_->influences.empty()) draw_bars(m);
    else if (answer_->study.asks == Asks::sweep && vary.size() == 1 && numeric) draw_line(m);
    else if (answer_->study.asks == Asks::sweep && vary.size() == 2 && numeric) draw_map(m);
    else if (answer_->looked_at.size() > 1) draw_scatter(*answer_->looked_at[figure_ == 0 ? 1 : 0], m);
    else draw_tries(m);
    mark_chosen();
    plot_->replot();
}

void StudyPlot::dots_of(const std::function<std::optional<Dot>(int)>& dot) {
    for (int i = 0; i < static_cast<int>(answer_->tried.size()); ++i)
        if (const auto d = dot(i)) dots_.push_back(*d);
}

void StudyPlot::mark_now(double x, double y) {
    auto* mark = plot_->addGraph();
    mark->setLineStyle(QCPGraph::lsNone);
    mark->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDiamond, QPen(theme::ink, 1.4), theme::panel, 11));
    mark->addData(x, y);
    dots_.push_back({x, y, -1});
}

void StudyPlot::draw_line(const study::Measure& m) {
    kind_ = "line";
    dots_of([&](int i) -> std::optional<Dot> {
        const study::Tried& t = tried(i);
        const auto x = number(t.point[0]);
        return x && t.has(m.id) ? std::optional(Dot{*x, t.figure(m.id), i}) : std::nullopt;
    });
    std::sort(dots_.begin(), dots_.end(), [](const Dot& a, const Dot& b) { return a.x < b.x; });
    QVector<double> x, y, low, high;
    bool wide = false;
    for (const Dot& d : dots_) {
        const study::Estimate e = tried(d.point).found.of(m.id);
        x << d.x, y << d.y, low << e.low(), high << e.high();
        wide = wide || e.high() > e.low();
    }
    if (wide) {
        QCPGraph *under = plot_->addGraph(), *over = plot_->addGraph();
        under->setData(x, low, true), over->setData(x, high, true);
        for (QCPGraph* g : {under, over}) g->setPen(Qt::NoPen);
        QColor band = theme::good;
        band.setAlpha(50);
        over->setBrush(band);
        over->setChannelFillGraph(under);
    }
    QCPGraph* line = plot_->addGraph();
    line->setData(x, y, true);
    line->setPen(QPen(theme::good, 1.6));
    for (const bool keeps : {false, true}) {
        QCPGraph* dots = plot_->addGraph();
        dots->setLineStyle(QCPGraph::lsNone);
        dots->setScatterStyle(disc(keeps ? theme::good : theme::stop, 7));
        for (const Dot& d : dots_)
            if (tried(d.point).keeps == keeps) dots->addData(d.x, d.y);
    }
    plot_->xAxis->setLabel(axis_label(*answer_, 0));
    plot_->yAxis->setLabel(axis_label(m));
    plot_->rescaleAxes();
    const cell::Varied& v = answer_->study.vary[0];
    plot_->xAxis->setRange(v.from - 0.03 * (v.to - v.from), v.to + 0.03 * (v.to - v.from));
    plot_->yAxis->scaleRange(1.15);
    if (const auto x = answer_->present.empty() ? std::nullopt : number(answer_->present[0]);
        x && answer_->now.has(m.id) && *x >= v.from && *x <= v.to)
        mark_now(*x, answer_->now.figure(m.id));
    if (answer_->best >= 0) {
        auto* best = new QCPItemText(plot_);
        const study::Tried& t = answer_->tried[answer_->best];
        best->position->setCoords(*number(t.point[0]), t.figure(m.id));
        best->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
        best->setPadding({0, 0, 0, 6});
        best->setFont(theme::font(11, true));
        best->setColor(theme::good);
        best->setText(tr("best"));
    }
}

/// Colours by place, with their scale beside.
void StudyPlot::add_colours(const study::Measure& m, const std::set<double>& across, const std::set<double>& up,
    QCPColorGradient colours, const QCPRange& range) {
    auto* map = new QCPColorMap(plot_->xAxis, plot_->yAxis);
    map->data()->setSize(static_cast<int>(across.size()), static_cast<int>(up.size()));
    map->data()->setRange({*across.begin(), *across.rbegin()}, {*up.begin(), *up.rbegin()});
    map->data()->fill(std::nan(""));
    for (const Dot& d : dots_) {
        const int i = static_cast<int>(std::distance(across.begin(), across.find(d.x)));
        const int j = static_cast<int>(std::distance(up.begin(), up.find(d.y)));
        if (tried(d.point).has(m.id)) map->data()->setCell(i, j, tried(d.point).figure(m.id));
    }
    colours.setNanHandling(QCPColorGradient::nhTransparent);
    map->setGradient(colours);
    map->setDataRange(range);
    map->setInterpolate(false);
    map->setTightBoundary(false);
    auto* scale = new QCPColorScale(plot_);
    plot_->plotLayout()->addElement(0, 1, scale);
    scale->setType(QCPAxis::atRight);
    scale->setGradient(colours);
    scale->setDataRange(range);
    scale->axis()->setLabel(axis_label(m));
    scale->axis()->setLabelColor(theme::muted);
    scale->axis()->setLabelFont(theme::font(11));
    scale->axis()->setTickLabelFont(theme::font(11));
    scale->axis()->setTickLabelColor(theme::ink);
    scale->setBarWidth(12);
}

void StudyPlot::draw_map(const study::Measure& m) {
    kind_ = "map";
    std::set<double> across, up;
    for (const study::Tried& t : answer_->tried)
        if (const auto x = number(t.point[0]), y = number(t.point[1]); x && y) across.insert(*x), up.insert(*y);
    plot_->xAxis->setLabel(axis_label(*answer_, 0));
    plot_->yAxis->setLabel(axis_label(*answer_, 1));
    QCPColorGradient colours;
    colours.setColorStops({{0.0, theme::good}, {0.5, theme::ground}, {1.0, theme::accent}});
    if (m.better > 0) colours = colours.inverted();
    const bool grid = across.size() * up.size() == answer_->tried.size() && across.size() > 1 && up.size() > 1;
    double least = 1e300, most = -1e300;
    dots_of([&](int i) -> std::optional<Dot> {
        const study::Tried& t = tried(i);
        const auto x = number(t.point[0]), y = number(t.point[1]);
        if (!x || !y) return std::nullopt;
        if (t.has(m.id)) least = std::min(least, t.figure(m.id)), most = std::max(most, t.figure(m.id));
        return Dot{*x, *y, i};
    });
    const QCPRange range(least, most > least ? most : least + 1e-9);
    if (grid) add_colours(m, across, up, colours, range);
    // What does not keep what is demanded is crossed out; points that make no grid are dots in their colour.
    QCPGraph* lacking = plot_->addGraph();
    lacking->setLineStyle(QCPGraph::lsNone);
    lacking->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(theme::stop, 1.2), Qt::NoBrush, 6));
    for (const Dot& d : dots_) {
        const study::Tried& t = tried(d.point);
        const bool looked = !t.found.runs.empty() || !t.refused.empty();
        if (!t.keeps && looked) lacking->addData(d.x, d.y);
        if (grid || !t.has(m.id) || !t.keeps) continue;
        QCPGraph* dot = plot_->addGraph();
        dot->setLineStyle(QCPGraph::lsNone);
        dot->setScatterStyle(disc(QColor::fromRgba(colours.color(t.figure(m.id), range)), 9));
        dot->addData(d.x, d.y);
    }
    if (answer_->present.size() == 2)
        if (const auto x = number(answer_->present[0]), y = number(answer_->present[1]); x && y) mark_now(*x, *y);
    const auto pad = [](double low, double high) { return 0.04 * (high - low); };
    const auto& vary = answer_->study.vary;
    const double half_x = grid ? 0.5 * (vary[0].to - vary[0].from) / (static_cast<double>(across.size()) - 1) : 0;
    const double half_y = grid ? 0.5 * (vary[1].to - vary[1].from) / (static_cast<double>(up.size()) - 1) : 0;
    plot_->xAxis->setRange(
        vary[0].from - half_x - pad(vary[0].from, vary[0].to), vary[0].to + half_x + pad(vary[0].from, vary[0].to));
    plot_->yAxis->setRange(
        vary[1].from - half_y - pad(vary[1].from, vary[1].to), vary[1].to + half_y + pad(vary[1].from, vary[1].to));
}

void StudyPlot::draw_scatter(const study::Measure& across, const study::Measure& up) {
    kind_ = "scatter";
    dots_of([&](int i) -> std::optional<Dot> {
        const study::Tried& t = tried(i);
        if (!t.has(across.id) || !t.has(up.id)) return std::nullopt;
        return Dot{t.figure(across.id), t.figure(up.id), i};
    });
    const std::set<int> front(answer_->front.begin(), answer_->front.end());
    QCPGraph *lacking = plot_->addGraph(), *others = plot_->addGraph(), *best = plot_->addGraph(),
             *out = plot_->addGraph();
    lacking->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(theme::stop, 1.2), Qt::NoBrush, 6));
    others->setScatterStyle(disc(theme::move, 7));
    best->setScatterStyle(disc(theme::good, 9));
    out->setScatterStyle(disc(theme::rule, 6));
    for (QCPGraph* g : {lacking, others, out}) g->setLineStyle(QCPGraph::lsNone);
    best->setPen(QPen(theme::good, 1.4));
    best->setLineStyle(QCPGraph::lsStepLeft);
    if ((across.better > 0) == (up.better < 0)) best->setLineStyle(QCPGraph::lsLine);
    for (const Dot& d : dots_) {
        if (!shown(d.point)) out->addData(d.x, d.y);
        else (!tried(d.point).keeps ? lacking : front.count(d.point) ? best : others)->addData(d.x, d.y);
    }
    plot_->xAxis->setLabel(axis_label(across));
    plot_->yAxis->setLabel(axis_label(up));
    plot_->rescaleAxes();
    plot_->xAxis->scaleRange(1.12), plot_->yAxis->scaleRange(1.12);
    if (answer_->now.has(across.id) && answer_->now.has(up.id))
        mark_now(answer_->now.figure(across.id), answer_->now.figure(up.id));
}

void StudyPlot::draw_tries(const study::Measure& m) {
    kind_ = "tries";
    dots_of([&](int i) -> std::optional<Dot> {
        return tried(i).has(m.id) ? std::optional(Dot{i + 1.0, tried(i).figure(m.id), i}) : std::nullopt;
    });
    QCPGraph *best = plot_->addGraph(), *keeps = plot_->addGraph(), *lacking = plot_->addGraph();
    best->setLineStyle(QCPGraph::lsStepLeft);
    best->setPen(QPen(theme::good, 1.6));
    for (QCPGraph* g : {keeps, lacking}) g->setLineStyle(QCPGraph::lsNone);
    keeps->setScatterStyle(disc(theme::good, 6));
    lacking->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssCross, QPen(theme::stop, 1.2), Qt::NoBrush, 6));
    std::optional<double> so_far;
    for (const Dot& d : dots_) {
        const study::Tried& t = tried(d.point);
        (t.keeps ? keeps : lacking)->addData(d.x, d.y);
        if (t.keeps && (!so_far || (m.better > 0 ? d.y > *so_far : d.y < *so_far))) so_far = d.y;
        if (so_far) best->addData(d.x, *so_far);
    }
    plot_->xAxis->setLabel(tr("try"));
    plot_->yAxis->setLabel(axis_label(m));
    plot_->rescaleAxes();
    plot_->xAxis->scaleRange(1.05), plot_->yAxis->scaleRange(1.15);
}

void StudyPlot::draw_bars(const study::Measure& m) {
    kind_ = "bars";
    std::vector<const study::Influence*> all;
    for (const study::Influence& i : answer_->influences)
        if (i.figure == m.id) all.push_back(&i);
    const bool shares = answer_->study.shares;
    std::sort(all.begin(), all.end(),
        [&](const auto* a, const auto* b) { return shares ? a->in_all < b->in_all : a->strength < b->strength; });
    QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    auto* long_bars = new QCPBars(plot_->yAxis, plot_->xAxis);
    auto* short_bars = new QCPBars(plot_->yAxis, plot_->xAxis);
    long_bars->setBrush(shares ? QBrush(QColor(0xA9, 0xCC, 0xC8)) : QBrush(theme::good));
    short_bars->setBrush(QBrush(theme::good));
    for (QCPBars* b : {long_bars, short_bars}) b->setPen(Qt::NoPen), b->setWidth(0.6);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double at = static_cast<double>(i) + 1;
        names->addTick(at, QString::fromStdString(answer_->varied[all[i]->number]));
        if (shares) {
            long_bars->addData(at, 100 * all[i]->in_all);
            short_bars->addData(at, 100 * all[i]->alone);
        } else {
            long_bars->addData(at, all[i]->strength);
            if (all[i]->unevenness <= 0) continue;
            auto* whisker = new QCPItemLine(plot_);  // how uneven: bends, or others have a say
            whisker->start->setCoords(std::max(0.0, all[i]->strength - all[i]->unevenness), at);
            whisker->end->setCoords(all[i]->strength + all[i]->unevenness, at);
            whisker->setPen(QPen(theme::ink, 1.2));
            whisker->setHead(QCPLineEnding::esBar), whisker->setTail(QCPLineEnding::esBar);
        }
    }
    plot_->yAxis->setTicker(names);
    plot_->yAxis->setLabel({});
    plot_->xAxis->setLabel(
        shares
            ? tr("share of the variance of the %1, alone and with the others  [%]").arg(QString::fromStdString(m.label))
            : tr("change of the %1 over the range  [%2]")
                  .arg(QString::fromStdString(m.label), QString::fromStdString(m.unit)));
    double most = 1e-9;
    for (const auto* i : all) most = std::max(most, shares ? 100 * i->in_all : i->strength + i->unevenness);
    plot_->xAxis->setRange(0, 1.08 * most);
    plot_->yAxis->setRange(0.3, static_cast<double>(all.size()) + 0.7);
}

void StudyPlot::draw_gains() {
    kind_ = "gains";
    constexpr std::size_t most_bars = 16;
    std::vector<const study::Gain*> all;
    for (const study::Gain& g : answer_->gains->all)
        if (all.size() < most_bars && g.told()) all.push_back(&g);
    std::reverse(all.begin(), all.end());
    QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    auto* shorter = new QCPBars(plot_->yAxis, plot_->xAxis);
    auto* quicker = new QCPBars(plot_->yAxis, plot_->xAxis);
    shorter->setBrush(QBrush(theme::good));
    quicker->setBrush(QBrush(QColor(0xA9, 0xCC, 0xC8)));
    for (QCPBars* b : {shorter, quicker}) b->setPen(Qt::NoPen), b->setWidth(0.36);
    double most = 1e-3;
    const auto bars_with = [&](QCPBars* bars) {
        auto* out = new QCPErrorBars(plot_->yAxis, plot_->xAxis);
        out->setDataPlottable(bars);
        out->setPen(QPen(theme::ink));
        out->setSymbolGap(0);
        return out;
    };
    const bool uneven = std::any_of(
        all.begin(), all.end(), [](const study::Gain* g) { return g->shorter_out_s > 0 || g->quicker_out_s > 0; });
    QCPErrorBars* shorter_out = uneven ? bars_with(shorter) : nullptr;
    QCPErrorBars* quicker_out = uneven ? bars_with(quicker) : nullptr;
    const QFontMetrics metrics(theme::font(11));
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double at = static_cast<double>(i) + 1;
        names->addTick(at, metrics.elidedText(QString::fromStdString(all[i]->words), Qt::ElideRight, 220));
        shorter->addData(at + 0.19, all[i]->shorter_s.value_or(0));
        quicker->addData(at - 0.19, all[i]->quicker_s);
        if (uneven) shorter_out->addData(all[i]->shorter_out_s), quicker_out->addData(all[i]->quicker_out_s);
        most = std::max(
            {most, all[i]->shorter_s.value_or(0) + all[i]->shorter_out_s, all[i]->quicker_s + all[i]->quicker_out_s});
    }
    plot_->yAxis->setTicker(names);
    plot_->yAxis->setLabel({});
    plot_->xAxis->setLabel(tr("the cycle falls by  [s]"));
    plot_->xAxis->setRange(0, 1.08 * most);
    plot_->yAxis->setRange(0.3, static_cast<double>(all.size()) + 0.7);
}

void StudyPlot::draw_runs(const study::Measure& m) {
    kind_ = "runs";
    std::vector<double> values = answer_->now.found.values(m.id);
    std::sort(values.begin(), values.end());
    QCPGraph* steps = plot_->addGraph();
    steps->setLineStyle(QCPGraph::lsStepLeft);
    steps->setPen(QPen(theme::good, 1.8));
    for (std::size_t i = 0; i < values.size(); ++i)
        steps->addData(values[i], 100.0 * static_cast<double>(i + 1) / static_cast<double>(values.size()));
    const study::Estimate e = answer_->now.found.of(m.id);
    if (e.count > 1) {
        auto* band = new QCPItemRect(plot_);
        band->topLeft->setCoords(e.low(), 104);
        band->bottomRight->setCoords(e.high(), 0);
        QColor fill = theme::accent;
        fill.setAlpha(40);
        band->setBrush(fill);
        band->setPen(Qt::NoPen);
        auto* words = new QCPItemText(plot_);
        words->position->setCoords(e.mean, 104);
        words->setPositionAlignment(Qt::AlignHCenter | Qt::AlignTop);
        words->setFont(theme::font(11));
        words->setColor(theme::accent);
        words->setText(tr("mean"));
    }
    plot_->xAxis->setLabel(axis_label(m));
    plot_->yAxis->setLabel(tr("repetitions at most so long  [%]"));
    if (m.unit != "s") plot_->yAxis->setLabel(tr("repetitions with no more  [%]"));
    plot_->rescaleAxes();
    plot_->xAxis->scaleRange(1.1);
    plot_->yAxis->setRange(0, 105);
}

std::optional<QPointF> StudyPlot::place_of(int point) const {
    for (const Dot& d : dots_)
        if (d.point == point) {
            const QPointF at(plot_->xAxis->coordToPixel(d.x), plot_->yAxis->coordToPixel(d.y));
            return plot_->mapTo(this, at.toPoint());
        }
    return std::nullopt;
}

int StudyPlot::nearest(const QPointF& at) const {
    double best = 14 * 14;
    int found = -2;
    for (const Dot& d : dots_) {
        const double x = plot_->xAxis->coordToPixel(d.x) - at.x(), y = plot_->yAxis->coordToPixel(d.y) - at.y();
        if (x * x + y * y < best) best = x * x + y * y, found = d.point;
    }
    return found;
}

void StudyPlot::choose(int point) {
    chosen_ = point;
    if (!answer_) return;
    mark_chosen();
    plot_->replot();
}

void StudyPlot::mark_chosen() {
    for (int i = plot_->itemCount() - 1; i >= 0; --i)
        if (plot_->item(i)->objectName() == "chosen") plot_->removeItem(plot_->item(i));
    for (const Dot& d : dots_) {
        if (d.point != chosen_) continue;
        auto* ring = new QCPItemTracer(plot_);
        ring->setObjectName("chosen");
        ring->setStyle(QCPItemTracer::tsCircle);
        ring->setSize(15);
        ring->position->setCoords(d.x, d.y);
        ring->setBrush(Qt::NoBrush);
        ring->setPen(QPen(theme::accent, 2));
    }
}

void StudyPlot::brush(const QPointF& from, const QPointF& to) {
    const QRectF box = QRectF(from, to).normalized();
    brushed_.clear();
    for (const Dot& d : dots_)
        if (d.point >= 0 && box.contains({plot_->xAxis->coordToPixel(d.x), plot_->yAxis->coordToPixel(d.y)}))
            brushed_.push_back(d.point);
    Q_EMIT brush_changed();
    show(answer_, figure_);
}

bool StudyPlot::eventFilter(QObject* watched, QEvent* event) {
    if (!answer_) return false;
    const auto band = [&](const QRectF& box) {
        auto* found = findChild<QRubberBand*>("brush");
        if (!found) found = new QRubberBand(QRubberBand::Rectangle, plot_), found->setObjectName("brush");
        found->setGeometry(box.normalized().toRect());
        found->setVisible(!box.isEmpty());
    };
    if (event->type() == QEvent::MouseButtonPress) {
        const auto* e = static_cast<QMouseEvent*>(event);
        if (e->button() == Qt::LeftButton) pressed_ = e->position(), brushing_ = false;
    } else if (event->type() == QEvent::MouseMove) {
        const QPointF at = static_cast<QMouseEvent*>(event)->position();
        if (pressed_ && (kind_ == "scatter" || kind_ == "line" || kind_ == "tries" || kind_ == "map")) {
            brushing_ = brushing_ || (at - *pressed_).manhattanLength() > 8;
            if (brushing_) band({*pressed_, at});
        } else {
            Q_EMIT hovered(nearest(at));
        }
    } else if (event->type() == QEvent::MouseButtonRelease && pressed_) {
        const QPointF at = static_cast<QMouseEvent*>(event)->position(), from = *pressed_;
        pressed_.reset();
        band({});
        if (brushing_) {
            brush(from, at);
        } else if (const int point = nearest(at); point > -2) {
            choose(point);
            Q_EMIT chosen(point);
        } else if (!brushed_.empty()) {
            brush({}, {});
        }
        brushing_ = false;
    } else if (event->type() == QEvent::Leave) {
        Q_EMIT hovered(-2);
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace escarp::desktop
