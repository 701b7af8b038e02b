#include "verdict_strip.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <study/calibrate.h>

namespace escarp::desktop {

using theme::number;

VerdictStrip::VerdictStrip(Workspace& workspace, const Spreads& spreads, QWidget* parent)
    : QWidget(parent), workspace_(workspace), spreads_(spreads) {
    connect(&spreads_, &Spreads::found, this, qOverload<>(&QWidget::update));
    setObjectName("verdict");
    setAccessibleName(tr("Verdict strip"));
    setFixedHeight(72);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    connect(&workspace_.results, &Results::forced_changed, this, qOverload<>(&QWidget::update));
    connect(&workspace_.results, &Results::evaluated, this, qOverload<>(&QWidget::update));
    connect(&workspace_.results, &Results::zones_found, this, qOverload<>(&QWidget::update));
    connect(&workspace_.open, &OpenCell::document_changed, this, qOverload<>(&QWidget::update));
}

namespace {

QColor stripe(bool stop, bool watch) { return stop ? theme::stop : watch ? theme::watch : theme::good; }
QColor note_colour(bool stop, bool watch) { return stop ? theme::stop : watch ? theme::watch_text : theme::good; }

}  // namespace

/// What the tiles are about: the variant that is looked at, and the baseline where that is another one.
struct VerdictStrip::Seen {
    std::shared_ptr<const study::Evaluation> now, before;
    // Where chance has a say, what many runs come to on average, and what that may be out by.
    const study::Replicated *spread = nullptr, *spread_before = nullptr;
    QString base_id;
    bool live = false;  ///< a live run, as far as it has come
    study::Figures figures;

    std::optional<double> mean(const char* id, const std::optional<double>& alone) const {
        return mean_of(spread, id, alone);
    }
    static std::optional<double> mean_of(
        const study::Replicated* r, const char* id, const std::optional<double>& alone) {
        return r && r->of(id).count > 0 ? std::optional(r->of(id).mean) : alone;
    }
    /// "± 0.02 ", where chance has a say.
    QString give(const char* id, int decimals) const {
        const auto half = spread ? spread->of(id).half_width() : std::nullopt;
        if (!half) return {};
        const bool small = *half < 0.5 * std::pow(10, -decimals);  // one digit more than none
        return QString(QStringLiteral("\u00b1 %1 ")).arg(number(*half, small ? decimals + 1 : decimals));
    }
    QString change(const std::optional<double>& value, const std::optional<double>& then, int decimals,
        const QString& unit) const {
        if (!before || !value || !then) return {};
        const double d = *value - *then;
        if (std::abs(d) < 0.5 * std::pow(10, -decimals)) return tr("as %1").arg(base_id);
        return QString("%1 %2 %3 %4")
            .arg(d < 0 ? QStringLiteral("\u25bc") : QStringLiteral("\u25b2"), number(std::abs(d), decimals), unit,
                tr("against %1").arg(base_id));
    }
    std::optional<double> cycle() const { return mean("cycle_s", figures.cycle_s); }
    double takt() const { return now ? now->cell->takt : 0; }
    bool misses_takt() const { return cycle() && takt() > 0 && !figures.per_round && *cycle() > takt() + 1e-9; }
};

std::vector<VerdictStrip::Tile> VerdictStrip::tiles() const {
    Seen seen;
    seen.base_id = QString::fromStdString(workspace_.open.document().baseline());
    seen.now = workspace_.results.of(workspace_.open.variant());
    if (workspace_.open.variant() != seen.base_id) seen.before = workspace_.results.of(seen.base_id);
    seen.spread = spreads_.of(workspace_.open.variant());
    if (const auto live = workspace_.results.other_judged()) seen.now = live, seen.live = true, seen.spread = nullptr;
    if (seen.now) seen.figures = seen.now->figures;
    if (seen.before) seen.spread_before = spreads_.of(seen.base_id);
    std::vector<Tile> all{cycle_tile(seen), rate_tile(seen), reach_tile(seen), clearance_tile(seen), zones_tile(),
        findings_tile(seen), waiting_tile(seen), floor_tile(seen)};
    if (!workspace_.results.forced().empty()) all.push_back(forced_tile());
    if (!seen.now || seen.now->cell->devices.empty())  // nothing there yet: nothing is good or bad
        for (Tile& t : all) t.stripe = t.note_colour = theme::muted, t.note.clear();
    return all;
}

VerdictStrip::Tile VerdictStrip::cycle_tile(const Seen& s) {
    const study::Figures& f = s.figures;
    Tile t{"cycle", tr("CYCLE"), number(s.cycle(), 2), s.give("cycle_s", 2), {}, theme::stop, theme::stop};
    t.unit += f.per_round ? tr("s / round") : s.spread ? tr("s") : tr("s / part");
    if (!f.cycle_s) {
        if (s.now) t.note = tr("no part leaves");
        return t;
    }
    const std::optional<double> then =
        s.before ? Seen::mean_of(s.spread_before, "cycle_s", s.before->figures.cycle_s) : std::nullopt;
    const QString change = s.change(s.cycle(), then, 2, tr("s"));
    const auto within = s.now ? study::calibrated_within(*s.now->cell) : std::nullopt;
    const QString calibrated =
        within ? tr("calibrated, \u00b1%1 %").arg(std::max(0.1, 100 * *within), 0, 'f', 1) : QString();
    t.note = s.spread && !s.before   ? tr("mean of %1 runs").arg(s.spread->runs.size())
             : s.live                ? tr("live, so far")
             : !change.isEmpty()     ? change
             : !calibrated.isEmpty() ? calibrated
             : f.steady              ? tr("steady")
                                     : tr("mean, not steady");
    t.stripe = stripe(false, s.misses_takt());
    const bool quicker = s.before && s.before->figures.cycle_s && *s.cycle() < *s.before->figures.cycle_s;
    t.note_colour = quicker ? theme::good : theme::muted;
    return t;
}

VerdictStrip::Tile VerdictStrip::rate_tile(const Seen& s) {
    const study::Figures& f = s.figures;
    const bool misses = s.misses_takt();
    Tile t{"rate", tr("RATE"), number(s.mean("rate_per_h", f.rate_per_h), 0), s.give("rate_per_h", 0), {}, theme::muted,
        theme::muted};
    t.unit += f.per_round ? tr("rounds / h") : tr("parts / h");
    t.note = f.per_round     ? tr("no parts in this cell")
             : s.takt() <= 0 ? tr("no takt demanded")
             : !f.takt_met   ? tr("takt %1 s").arg(number(s.takt(), 2))
             : misses        ? tr("! takt %1 s missed").arg(number(s.takt(), 2))
                             : tr("takt %1 s met").arg(number(s.takt(), 2));
    if (f.takt_met) t.stripe = stripe(false, misses), t.note_colour = note_colour(false, misses);
    return t;
}

VerdictStrip::Tile VerdictStrip::reach_tile(const Seen& s) {
    const study::Figures& f = s.figures;
    QString note;
    if (s.now && s.now->inspection->tightest_pose >= 0) {
        const auto& pose = s.now->inspection->poses[s.now->inspection->tightest_pose];
        note = pose.reach.margin >= 0.2
                   ? tr("200 mm or more left everywhere")
                   : tr("least %1 mm \u00b7 %2")
                         .arg(number(pose.reach.margin * 1e3, 0), QString::fromStdString(pose.label));
    }
    const bool is_short = f.poses_reached < f.poses, tight = f.least_margin_m && *f.least_margin_m < 0.025;
    return {"reach", tr("REACH"), QString("%1 / %2").arg(f.poses_reached).arg(f.poses), tr("poses"), note,
        stripe(is_short, tight), note_colour(is_short, tight)};
}

VerdictStrip::Tile VerdictStrip::clearance_tile(const Seen& s) {
    const std::optional<double> least = s.figures.clearance_m;
    const inspection::LeastClearance where = s.now ? s.now->inspection->clearance : inspection::LeastClearance{};
    const bool hits = least && *least <= 0, close = least && *least < where.keeps;
    QString note;
    if (where.device_a >= 0)
        note = QString("%1 \u2194 %2").arg(QString::fromStdString(where.body_a), QString::fromStdString(where.body_b));
    return {"clearance", tr("CLEARANCE"), number(least ? std::optional(*least * 1e3) : std::nullopt, 0),
        hits ? tr("mm \u2715 contact") : tr("mm"), note, stripe(hits, close), note_colour(hits, close)};
}

VerdictStrip::Tile VerdictStrip::findings_tile(const Seen& s) {
    int stops = 0, watches = 0;
    if (s.now)
        for (const auto& finding : s.now->inspection->findings) {
            stops += finding.severity == inspection::Severity::stop;
            watches += finding.severity == inspection::Severity::watch;
        }
    const bool all = s.now && s.now->complete;  // else zones, people and lock-up may still have something to say
    const QString counts = tr("%1 stop \u00b7 %2 watch").arg(stops).arg(watches);
    if (stops + watches == 0 && !all)
        return {"findings", tr("FINDINGS"), QString::number(0), tr("so far"), tr("still being worked out"),
            theme::muted, theme::muted};
    return {"findings", tr("FINDINGS"), QString::number(stops + watches), all ? tr("open") : tr("so far"),
        stops + watches == 0 ? tr("no problems found") : counts, stripe(stops > 0, watches > 0),
        note_colour(stops > 0, watches > 0)};
}

VerdictStrip::Tile VerdictStrip::waiting_tile(const Seen& s) {
    const auto& waiting = s.figures.waiting;
    return {"waiting", tr("WAITING"),
        number(s.mean("waiting_pct", waiting ? std::optional(*waiting * 100) : std::nullopt), 0),
        tr("% of the arms' time"), QString::fromStdString(s.figures.waits_most), theme::muted, theme::muted};
}

VerdictStrip::Tile VerdictStrip::floor_tile(const Seen& s) {
    const std::optional<double> now = s.now ? std::optional(s.figures.floor_m2) : std::nullopt;
    const QString change =
        s.before ? s.change(s.figures.floor_m2, s.before->figures.floor_m2, 1, "m\u00b2") : QString();
    return {"floor", tr("FLOOR"), number(now, 1), QStringLiteral("m\u00b2"),
        change.isEmpty() ? tr("hull of all footprints") : change, theme::muted, theme::muted};
}

VerdictStrip::Tile VerdictStrip::forced_tile() const {
    QStringList names;
    for (const auto& [name, value] : workspace_.results.forced()) names << QString::fromStdString(name);
    return {"forced", tr("FORCED"), QString::number(names.size()), names.size() == 1 ? tr("signal") : tr("signals"),
        names.join(", "), theme::stop, theme::stop};
}

/// How many zones two movers share, and of how many both are inside at once. What was found last stays in sight while
/// they are being found anew.
VerdictStrip::Tile VerdictStrip::zones_tile() const {
    if (auto found = workspace_.results.zones()) last_zones_ = std::move(found), zones_of_ = workspace_.open.variant();
    const bool known = last_zones_ && zones_of_ == workspace_.open.variant();
    Tile tile{"zones", tr("SHARED ZONES"), QStringLiteral("\u2013"), {}, tr("being found"), theme::muted, theme::muted};
    if (!known) return tile;
    if (!last_zones_->why_not.empty()) {
        tile.note = QString::fromStdString(last_zones_->why_not);
        return tile;
    }
    const auto& zones = last_zones_->all;
    const auto together = std::count_if(zones.begin(), zones.end(), [](const auto& z) { return z.together; });
    const auto kept = std::count_if(zones.begin(), zones.end(), [](const auto& z) { return z.kept_by >= 0; });
    tile.value = QString::number(static_cast<long>(zones.size()) - kept);
    tile.unit = kept ? tr("open \u00b7 %1 kept apart").arg(kept) : tr("open");
    if (!workspace_.results.zones()) return tile;
    tile.stripe = tile.note_colour = together ? theme::watch : theme::good;
    if (together) tile.note_colour = theme::watch_text;
    const auto first = std::find_if(zones.begin(), zones.end(), [&](const auto& z) { return z.together || !together; });
    if (zones.empty()) {
        tile.note = tr("no two movers meet");
    } else {
        const auto name = [&](int device) {
            return QString::fromStdString(workspace_.results.shown()->cell->devices[device].name);
        };
        const QString who = name(first->sides[0].device) + QStringLiteral(" \u2194 ") + name(first->sides[1].device);
        tile.note = together                                  ? tr("! both in: %1").arg(who)
                    : kept == static_cast<long>(zones.size()) ? tr("kept apart")
                                                              : tr("never both: %1").arg(who);
    }
    const auto own = workspace_.results.of(workspace_.open.variant());
    if (own && own->orders) {
        using Verdict = inspection::Orders::Verdict;
        const bool locks = own->orders->verdict == Verdict::locks_up;
        if (locks) {
            tile.note = tr("\u2715 can lock up");
            tile.stripe = theme::stop, tile.note_colour = theme::stop;
        } else if (!together) {
            const bool known = own->orders->verdict == Verdict::goes_on;
            tile.note = known ? tr("cannot lock up") : tr("? lock-up not decided");
            if (!known) tile.stripe = theme::watch, tile.note_colour = theme::watch_text;
        }
    }
    return tile;
}

QString VerdictStrip::shown(const QString& key) const {
    for (const Tile& t : tiles())
        if (t.key == key) return t.value;
    return {};
}

QString VerdictStrip::note(const QString& key) const {
    for (const Tile& t : tiles())
        if (t.key == key) return t.note;
    return {};
}

QRectF VerdictStrip::box(std::size_t index, std::size_t count) const {
    const double gap = 6, weights[] = {1.0, 1.0, 1.2, 1.35, 1.0, 1.0, 1.1, 0.85, 0.85};
    double sum = 0, before = 0;
    for (std::size_t i = 0; i < count; ++i) sum += weights[i], before += i < index ? weights[i] : 0;
    const double unit = (width() - 20 - gap * static_cast<double>(count - 1)) / sum;
    return {10 + before * unit + gap * static_cast<double>(index), 6, weights[index] * unit, height() - 10.0};
}

void VerdictStrip::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme::ground);
    const std::vector<Tile> all = tiles();
    const bool fresh = workspace_.results.current();
    for (const int i : indices(all)) {
        const Tile& t = all[i];
        const QRectF r = box(i, all.size());
        p.setPen(QPen(i == focused_ && hasFocus() ? theme::accent : theme::rule, 1));
        p.setBrush(theme::panel);
        p.drawRoundedRect(r, 3, 3);
        p.fillRect(QRectF(r.left(), r.top() + 1, 4, r.height() - 2), t.stripe);
        p.setFont(theme::font(10, true));
        p.setPen(theme::muted);
        theme::text(p, QRectF(r.left() + 12, r.top() + 3, r.width() - 16, 14), t.title);
        p.setFont(theme::font(20, true));
        p.setPen(fresh ? theme::ink : QColor(0x8A, 0x93, 0x99));
        const double wide = QFontMetricsF(p.font()).horizontalAdvance(t.value);
        p.drawText(QRectF(r.left() + 12, r.top() + 17, wide + 4, 26), Qt::AlignLeft | Qt::AlignVCenter, t.value);
        p.setFont(theme::font(11));
        p.setPen(theme::muted);
        theme::text(p, QRectF(r.left() + 12 + wide + 5, r.top() + 22, r.width() - wide - 20, 20), t.unit);
        p.setFont(theme::font(10));
        p.setPen(t.note_colour);
        theme::text(p, QRectF(r.left() + 12, r.top() + 44, r.width() - 16, 15), t.note);
    }
}

void VerdictStrip::follow(const QString& key) {
    if (key == "forced") return Q_EMIT wants_signals();
    const auto e = workspace_.results.shown();
    if (!e) return;
    const auto id = [&](int device) { return QString::fromStdString(e->cell->devices[device].id); };
    workspace_.playhead.play(false);
    if ((key == "cycle" || key == "rate") && !e->chain.empty()) {
        // The longest piece of the chain is what the cycle hangs on most.
        const auto longest = std::max_element(e->chain.begin(), e->chain.end(),
            [](const auto& a, const auto& b) { return a.to - a.from < b.to - b.from; });
        workspace_.selection.select(id(e->run->trace.blocks[longest->block].device));
        workspace_.playhead.set_time(simulation::seconds(longest->from));
    } else if (key == "reach" && e->inspection->tightest_pose >= 0) {
        const auto& pose = e->inspection->poses[e->inspection->tightest_pose];
        workspace_.selection.select(id(pose.arm), QString::fromStdString(pose.step_id));
        for (const simulation::Block& b : e->run->trace.blocks)
            if (b.device == pose.arm && b.step == pose.step &&
                (b.kind == simulation::BlockKind::grip || b.kind == simulation::BlockKind::release)) {
                workspace_.playhead.set_time(simulation::seconds(b.from));
                break;
            }
    } else if (key == "clearance" && e->inspection->clearance.device_a >= 0) {
        workspace_.selection.select(id(e->inspection->clearance.device_a));
        workspace_.playhead.set_time(e->inspection->clearance.when_s);
    } else if (key == "zones" && workspace_.results.zones() && !workspace_.results.zones()->all.empty()) {
        const auto& zones = workspace_.results.zones()->all;
        const auto first = std::find_if(zones.begin(), zones.end(), [](const auto& z) { return z.together; });
        const inspection::Zone& z = first == zones.end() ? zones.front() : *first;
        workspace_.selection.select_devices({id(z.sides[0].device), id(z.sides[1].device)});
        if (z.together && z.nearest.device_a >= 0) workspace_.playhead.set_time(z.nearest.when_s);
        else if (!z.sides[0].visits.empty())
            workspace_.playhead.set_time(simulation::seconds(z.sides[0].visits.back().enters));
    } else if (key == "findings" && !e->inspection->findings.empty()) {
        const auto& f = e->inspection->findings.front();
        if (!f.devices.empty()) workspace_.selection.select(QString::fromStdString(f.devices.front()));
        if (f.when_s) workspace_.playhead.set_time(*f.when_s);
    } else if (key == "waiting" && e->figures.waits_most_block >= 0) {
        const simulation::Block& b = e->run->trace.blocks[e->figures.waits_most_block];
        workspace_.selection.select(id(b.device));
        workspace_.playhead.set_time(simulation::seconds(b.from));
    }
}

void VerdictStrip::mousePressEvent(QMouseEvent* event) {
    const std::vector<Tile> all = tiles();
    for (std::size_t i = 0; i < all.size(); ++i)
        if (box(i, all.size()).contains(event->position())) follow(all[i].key);
}

void VerdictStrip::keyPressEvent(QKeyEvent* event) {
    const std::vector<Tile> all = tiles();
    if (event->key() == Qt::Key_Right || event->key() == Qt::Key_Left) {
        focused_ = std::clamp(focused_ + (event->key() == Qt::Key_Right ? 1 : -1), 0, static_cast<int>(all.size()) - 1);
        update();
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && focused_ >= 0) {
        follow(all[focused_].key);
    } else {
        QWidget::keyPressEvent(event);
    }
}

}  // namespace escarp::desktop
