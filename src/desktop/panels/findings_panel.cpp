#include "findings_panel.h"

#include <QInputDialog>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QTimer>

#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

class Striped : public QWidget {
public:
    Striped(const QColor& stripe, QWidget* parent) : QWidget(parent), stripe_(stripe) {}

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(theme::rule, 1));
        p.setBrush(Qt::white);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
        p.fillRect(QRectF(0, 1, 4, height() - 2), stripe_);
    }

private:
    QColor stripe_;
};

QLabel* words(const QString& text, int pixels, bool bold, const QColor& colour) {
    auto* l = plain_label(text);
    l->setWordWrap(true);
    l->setStyleSheet(QString("color: %1; font-size: %2px; font-weight: %3;")
                         .arg(colour.name())
                         .arg(pixels)
                         .arg(bold ? "bold" : "normal"));
    return l;
}

}  // namespace

void leave_out(OpenCell& open, QWidget* parent, const cell::Pair& pair) {
    bool go_on = false;
    const QString reason = QInputDialog::getText(parent, QObject::tr("Leave a pair out"),
        QObject::tr("The clearance of these two is not judged any more. Reason:"), QLineEdit::Normal, {}, &go_on);
    if (!go_on) return;
    try {
        open.apply(cell::leave_out(open.layout(), pair, reason.trimmed().toStdString()));
    } catch (const cell::InputError& e) {
        Q_EMIT open.refused(QObject::tr("Not changed"), QString::fromStdString(e.problems().front().message));
    }
}

FindingsPanel::FindingsPanel(Workspace& workspace, const Spreads& spreads, QWidget* parent)
    : QScrollArea(parent),
      workspace_(workspace),
      spreads_(spreads),
      page_(new QWidget),
      cards_(new QVBoxLayout(page_)) {
    setObjectName("findings");
    setAccessibleName(tr("Findings"));
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setMinimumWidth(200);
    cards_->setContentsMargins(8, 6, 8, 8);
    cards_->setSpacing(6);
    setWidget(page_);
    connect(&workspace_.results, &Results::evaluated, this, &FindingsPanel::rebuild);
    connect(&workspace_.results, &Results::zones_found, this, &FindingsPanel::rebuild);
    connect(&spreads_, &Spreads::found, this, &FindingsPanel::rebuild);
    rebuild();
}

/// Where chance has a say, whether the takt is missed is told by the mean of many runs, as the strip shows it.
std::vector<inspection::Finding> FindingsPanel::findings() const {
    const auto e = workspace_.results.shown();
    if (!e) return {};
    std::vector<inspection::Finding> all = e->inspection->findings;
    const study::Replicated* many = spreads_.of(workspace_.open.variant());
    const study::Estimate cycle = many ? many->of("cycle_s") : study::Estimate{};
    if (cycle.count == 0) return all;
    std::erase_if(all, [](const inspection::Finding& f) { return f.id == "takt"; });
    const std::string of = ", the mean of " + std::to_string(cycle.count) + " runs";
    if (auto missed = inspection::takt_finding(*e->cell, cycle.mean, of))
        all.insert(std::find_if(all.begin(), all.end(),
                       [](const inspection::Finding& f) { return f.severity == inspection::Severity::note; }),
            std::move(*missed));
    return all;
}

void FindingsPanel::rebuild() {
    const auto e = workspace_.results.shown();
    const std::vector<inspection::Finding> found = findings();
    const QString error = workspace_.results.error_of(workspace_.open.variant());
    // The same findings keep their widgets: nothing flickers while something else is edited.
    QString now = (workspace_.open.previewing() ? workspace_.open.draft_name() : QString()) + error;
    int stops = 0, watches = 0;
    if (e)
        for (const auto& f : found) {
            now += QString::fromStdString(f.id + f.title + f.text);
            for (const auto& w : f.ways_out) now += QString::fromStdString(w.label + w.effect);
            stops += f.severity == inspection::Severity::stop;
            watches += f.severity == inspection::Severity::watch;
        }
    now += e ? QString::number(e->inspection->poses.size()) + "/" + QString::number(e->inspection->pairs_checked) +
                   (e->complete ? "" : "+")
             : "none";
    if (now == built_from_) return;
    built_from_ = now;
    const FormPlace place(page_, this);
    clear(cards_);
    auto* title =
        marked_label(tr("<b>FINDINGS</b> &nbsp;%1")
                         .arg(stops + watches ? tr("%1 stop \u00b7 %2 watch").arg(stops).arg(watches) : QString()));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    cards_->addWidget(title);
    if (workspace_.open.previewing()) cards_->addWidget(trial_card());
    if (!error.isEmpty())
        cards_->addWidget(words(tr("This variant cannot be computed: %1").arg(error), 11, false, theme::stop));
    if (e)
        for (const auto& f : found) cards_->addWidget(card(f));
    if (e && !e->cell->devices.empty()) add_summary(found.empty());
    cards_->addStretch(1);
    // What is being tried stands on top, with what takes it: it comes into view, and the list goes back afterwards.
    if (workspace_.open.previewing() && !tried_from_) tried_from_ = scrolled_to(this);
    if (workspace_.open.previewing()) QTimer::singleShot(0, this, [this] { keep_scrolled(this, 0); });
    else if (tried_from_)
        QTimer::singleShot(
            0, this, [this, back = *std::exchange(tried_from_, std::nullopt)] { keep_scrolled(this, back); });
}

QWidget* FindingsPanel::trial_card() {
    auto* made = new Striped(theme::accent, page_);
    auto* layout = new QVBoxLayout(made);
    layout->setContentsMargins(12, 6, 8, 6);
    layout->setSpacing(3);
    layout->addWidget(words(tr("Trying: %1").arg(workspace_.open.draft_name()), 12, true, theme::ink));
    layout->addWidget(words(
        tr("Every figure shows how it would be. Nothing is changed until you take it."), 11, false, theme::muted));
    auto* row = new QHBoxLayout;
    auto* take = link_button(tr("Take it"), "take_trial");
    auto* leave = link_button(tr("Leave it"), "leave_trial");
    connect(
        take, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, &workspace_.open, &OpenCell::take_draft); });
    connect(
        leave, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, &workspace_.open, &OpenCell::drop_draft); });
    row->addWidget(take);
    row->addWidget(leave);
    row->addStretch(1);
    layout->addLayout(row);
    return made;
}

QWidget* FindingsPanel::card(const inspection::Finding& f) {
    auto* made = new Striped(theme::severity_colour(f.severity), page_);
    made->setObjectName("finding_" + QString::fromStdString(f.id));
    auto* layout = new QVBoxLayout(made);
    layout->setContentsMargins(12, 6, 8, 6);
    layout->setSpacing(3);
    layout->addWidget(words(theme::severity_sign(f.severity) + "  " + QString::fromStdString(f.title), 12, true,
        theme::severity_text(f.severity)));
    layout->addWidget(words(QString::fromStdString(f.text), 11, false, theme::ink));
    auto* show = link_button(tr("Show"), "show");
    connect(show, &QPushButton::clicked, this, [this, f] {
        if (!f.device.empty())
            workspace_.selection.select(QString::fromStdString(f.device), QString::fromStdString(f.step));
        else if (!f.devices.empty()) workspace_.selection.select(QString::fromStdString(f.devices.front()));
        workspace_.playhead.play(false);
        if (f.when_s) workspace_.playhead.set_time(*f.when_s);
    });
    auto* row = new QHBoxLayout;
    if (!f.steps.empty()) add_steps(*layout, f);
    show->setVisible(!f.run);  // else the way there is shown
    row->addWidget(show);
    QHBoxLayout* alone = nullptr;
    if (f.id.starts_with("clearance:") && f.devices.size() == 2 && f.devices[0] != f.devices[1]) {
        const auto offer = [&](QHBoxLayout* into, const QString& text, const QString& name, const cell::Pair& pair) {
            auto* leave = link_button(text, name);
            connect(leave, &QPushButton::clicked, this, [this, pair] {
                QTimer::singleShot(0, this, [this, pair] { leave_out(workspace_.open, this, pair); });
            });
            into->addWidget(leave);
            return leave;
        };
        const cell::Pair pair{f.devices[0], f.devices[1]};
        offer(row, tr("Leave this pair out \u2026"), "leave_out", pair);
        if (f.bodies.size() == 2 && !f.bodies[0].empty() && !f.bodies[1].empty()) {
            alone = new QHBoxLayout;
            offer(alone, tr("Only these two bodies \u2026"), "leave_bodies_out",
                {pair.a, pair.b, f.bodies[0], f.bodies[1]})
                ->setToolTip(plain(tr("Leave out %1 and %2 alone")
                                       .arg(QString::fromStdString(f.bodies[0]), QString::fromStdString(f.bodies[1]))));
            alone->addStretch(1);
        }
    }
    row->addStretch(1);
    layout->addLayout(row);
    if (alone) layout->addLayout(alone);
    for (std::size_t i = 0; i < f.ways_out.size(); ++i) {
        const inspection::WayOut& way = f.ways_out[i];
        auto* attempt = marked_label(QString("<a href='try' style='color:#B4521B; text-decoration:none'><b>%1</b></a>")
                                         .arg(tr("Try: %1").arg(QString::fromStdString(way.label)).toHtmlEscaped()));
        attempt->setObjectName("way_" + QString::number(i));
        attempt->setWordWrap(true);
        attempt->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
        attempt->setFocusPolicy(Qt::StrongFocus);
        connect(attempt, &QLabel::linkActivated, this, [this, edit = way.edit] {
            QTimer::singleShot(0, this, [this, edit] { workspace_.open.try_out(edit, true); });
        });
        layout->addWidget(attempt);
        if (!way.effect.empty()) layout->addWidget(words(QString::fromStdString(way.effect), 11, false, theme::muted));
    }
    return made;
}

/// How it comes to what a finding tells: each step goes to its instant, in the run in which it does.
void FindingsPanel::add_steps(QVBoxLayout& layout, const inspection::Finding& f) {
    auto* look = link_button(tr("Show the way there"), "show_way");
    auto* back = link_button(tr("Back to the cell's own run"), "leave_way");
    const auto shown = [this, f] {
        return !f.run || workspace_.results.other_run() == QString::fromStdString(f.title);
    };
    const auto go = [this, f](double when) {
        if (f.run) workspace_.results.look_at_run(f.run, QString::fromStdString(f.title));
        workspace_.playhead.play(false);
        workspace_.playhead.set_time(when);
    };
    back->setVisible(f.run && shown());
    look->setVisible(f.run && !shown());
    connect(look, &QPushButton::clicked, this, [go, f, look, back] {
        go(f.steps.back().when_s.value_or(0));
        look->hide(), back->show();
    });
    connect(back, &QPushButton::clicked, this, [this, look, back] {
        workspace_.results.leave_run();
        back->hide(), look->show();
    });
    constexpr std::size_t most = 14;  // the last ones: what went before is the usual course
    const std::size_t first = f.steps.size() > most ? f.steps.size() - most : 0;
    if (first > 0) layout.addWidget(words(tr("After %1 steps before:").arg(first), 11, false, theme::muted));
    for (std::size_t i = first; i < f.steps.size(); ++i) {
        const inspection::FindingStep& s = f.steps[i];
        const QString text = s.when_s ? QString("%1 s  ").arg(*s.when_s, 0, 'f', 2) + QString::fromStdString(s.words)
                                      : QString::fromStdString(s.words);
        if (!s.when_s) {
            layout.addWidget(words(text, 11, false, theme::ink));
            continue;
        }
        auto* step = marked_label(
            QString("<a href='go' style='color:#2B3238; text-decoration:none'>%1</a>").arg(text.toHtmlEscaped()));
        step->setObjectName("step_" + QString::number(i));
        step->setWordWrap(true);
        step->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
        step->setFocusPolicy(Qt::StrongFocus);
        connect(step, &QLabel::linkActivated, this, [go, when = *s.when_s, look, back, f] {
            go(when);
            if (f.run) look->hide(), back->show();
        });
        layout.addWidget(step);
    }
    layout.addWidget(look);
    layout.addWidget(back);
}

void FindingsPanel::add_summary(bool none) {
    const auto e = workspace_.results.shown();
    auto* head = !e->complete
                     ? words(tr("STILL BEING WORKED OUT: zones, people, lock-up"), 11, true, theme::muted)
                     : words(none ? tr("NO PROBLEMS FOUND") : tr("NO OTHER PROBLEMS FOUND"), 11, true, theme::good);
    head->setObjectName("findings_end");
    cards_->addWidget(head);
    cards_->addWidget(words(tr("%1 poses, %2 body pairs over %3 s of production checked%4.")
                                .arg(e->inspection->poses.size())
                                .arg(QLocale::c().toString(static_cast<qulonglong>(e->inspection->pairs_checked)))
                                .arg(e->inspection->checked_s, 0, 'f', 0)
                                .arg(e->run->steady ? tr("; after that everything repeats") : QString()),
        11, false, theme::muted));
}

}  // namespace escarp::desktop
