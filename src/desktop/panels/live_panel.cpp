#include "live_panel.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QScrollArea>

#include <desktop/dialogs/names_dialog.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {

namespace {

QPushButton* button(const QString& text, const QString& name, const QString& tip) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);  // the column may be narrow
    return b;
}

QLabel* wrapping(const QString& name, const QColor& colour = theme::ink) {
    QLabel* label = plain_label();
    label->setObjectName(name);
    label->setWordWrap(true);
    label->setFont(theme::font(11));
    label->setStyleSheet(QString("color: %1;").arg(colour.name()));
    return label;
}

QLabel* heading(const QString& text) {
    QLabel* label = plain_label(text);
    label->setFont(theme::font(10, true));
    label->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    return label;
}

QString name_of(const cell::Link& l) { return QString::fromStdString(l.name.empty() ? l.id : l.name); }

}  // namespace

LivePanel::LivePanel(OpenCell& open, Playhead& playhead, LiveSession& live, RecordSession& record,
    CommandSession& command, QWidget* parent)
    : QWidget(parent), open_(open), playhead_(playhead), live_(live), kept_(record) {
    setObjectName("live_panel");
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    outer->addWidget(scroll);
    auto* page = new QWidget;
    scroll->setWidget(page);
    auto* all = new QVBoxLayout(page);
    all->setContentsMargins(10, 8, 10, 8);
    all->setSpacing(6);

    now_ = plain_label();
    now_->setObjectName("live_now");
    now_->setFont(theme::font(20, true));
    all->addWidget(now_);
    state_ = wrapping("live_state", theme::muted);
    all->addWidget(state_);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(4);
    start_ =
        button(tr("Start"), "live_start", tr("The cell runs by the clock and hears the links that are switched on"));
    pause_ = button(tr("Pause"), "live_pause", tr("The run's clock stands"));
    step_ = button(tr("Step"), "live_step", tr("While it is paused: to the next event"));
    for (QPushButton* b : {start_, pause_, step_}) buttons->addWidget(b);
    all->addLayout(buttons);
    cut_ = button(tr("Stop sending"), "live_cut", tr("Every connection is cut at once, and the run ends (Ctrl+.)"));
    all->addWidget(cut_);
    present_ = button(tr("To the present"), "live_present", tr("The time shown goes on with the run again"));
    leave_ = button(tr("Back to the computed run"), "live_leave", tr("What is computed is shown again"));
    all->addWidget(present_);
    all->addWidget(leave_);
    edited_ = wrapping("live_edited", theme::watch_text);
    all->addWidget(edited_);
    all->addWidget(make_clock());

    all->addWidget(heading(tr("LINKS")));
    links_ = new QVBoxLayout;
    links_->setSpacing(3);
    all->addLayout(links_);
    network_ = new QCheckBox(tr("other machines"));
    network_->setObjectName("live_network");
    network_->setToolTip(tr("A link may reach other machines, or be reached by them; else loopback alone"));
    all->addWidget(network_);
    link_states_ = wrapping("live_links");
    all->addWidget(link_states_);

    all->addWidget(heading(tr("SO FAR")));
    figures_ = wrapping("live_figures");
    all->addWidget(figures_);
    findings_ = new QVBoxLayout;
    findings_->setSpacing(2);
    all->addLayout(findings_);

    all->addWidget(heading(tr("RECORD")));
    record_state_ = wrapping("record_state");
    all->addWidget(record_state_);
    differences_ = new QVBoxLayout;
    differences_->setSpacing(2);
    all->addLayout(differences_);
    record_compare_ = button(tr("Compare with computed"), "record_compare",
        tr("The record that was just kept is run again and laid beside what is computed"));
    record_open_ = button(tr("Open a record \u2026"), "record_open", tr("A live run of this cell that was kept"));
    record_show_ = button(tr("Show it again"), "record_show", tr("In place of the computed run"));
    record_leave_ = button(tr("Leave it"), "record_leave", tr("What is computed is shown again"));
    for (QPushButton* b : {record_compare_, record_open_, record_show_, record_leave_}) all->addWidget(b);
    all->addStretch(1);

    connect(start_, &QPushButton::clicked, this, [this] { live_.running() ? live_.end() : start(); });
    connect(pause_, &QPushButton::clicked, this, [this] { live_.pause(!live_.paused()); });
    connect(step_, &QPushButton::clicked, &live_, &LiveSession::step_event);
    connect(cut_, &QPushButton::clicked, &live_, &LiveSession::cut);
    connect(present_, &QPushButton::clicked, &live_, &LiveSession::to_present);
    connect(leave_, &QPushButton::clicked, &live_, &LiveSession::leave);
    connect(rate_, &NumberField::changed, &live_, &LiveSession::set_rate);
    connect(&live_, &LiveSession::changed, this, &LivePanel::renew);
    connect(network_, &QCheckBox::toggled, &command, &CommandSession::set_network);
    connect(record_compare_, &QPushButton::clicked, this, [this] { kept_.open(live_.record()); });
    connect(record_open_, &QPushButton::clicked, this, &LivePanel::open_record);
    connect(record_show_, &QPushButton::clicked, &kept_, &RecordSession::show);
    connect(record_leave_, &QPushButton::clicked, &kept_, &RecordSession::leave);
    connect(&kept_, &RecordSession::changed, this, &LivePanel::renew_record);
    connect(&open_, &OpenCell::document_changed, this, &LivePanel::renew_links);
    renew_links();
    renew();
}

QWidget* LivePanel::make_clock() {
    auto* form = new QWidget;
    auto* rows = new QFormLayout(form);
    rows->setContentsMargins(0, 4, 0, 0);
    rows->setSpacing(4);
    clock_ = new QComboBox;
    clock_->setObjectName("live_clock");
    clock_->addItems({tr("wall clock"), tr("lock-step")});
    clock_->setToolTip(tr("By the wall clock, or a scan further with each scan of the controller"));
    clock_->setAccessibleName(tr("Clock"));
    rows->addRow(tr("Clock"), clock_);
    rate_ = new NumberField("", 0.1, 20);
    rate_->setObjectName("live_rate");
    rate_->setAccessibleName(tr("Times as fast as the wall clock"));
    rate_->set_value(1);
    rows->addRow(tr("Times"), rate_);
    record_ = new QCheckBox(tr("keep a record"));
    record_->setObjectName("live_record");
    record_->setToolTip(tr("Beside the cell's file: what was heard, and every change of a signal"));
    rows->addRow("", record_);
    connect(clock_, &QComboBox::currentIndexChanged, rate_, [this](int which) { rate_->setEnabled(which == 0); });
    return form;
}

void LivePanel::renew_links() {
    const auto cell = open_.cell();
    QStringList shown{QString()};
    for (const cell::Link& l : cell->links)
        shown << QString("%1 %2 %3 %4 %5")
                     .arg(QString::fromStdString(l.id), name_of(l), word(l.protocol), QString::fromStdString(l.host))
                     .arg(l.port);
    if (shown == links_shown_) return renew();
    links_shown_ = shown;
    std::map<std::string, bool> on;
    for (const auto& [id, box] : chosen_) on[id] = box->isChecked();
    std::map<std::string, QCheckBox*> now;
    while (QLayoutItem* item = links_->takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
        }
        delete item;
    }
    for (const cell::Link& l : cell->links) {
        auto* box = new QCheckBox(menu_text(name_of(l)));
        box->setObjectName("live_link_" + QString::fromStdString(l.id));
        box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        const auto before = on.find(l.id);
        box->setChecked(before == on.end() ? l.loopback() && cell->links.size() == 1 : before->second);
        links_->addWidget(box);
        QLabel* where = wrapping("live_where_" + QString::fromStdString(l.id), theme::muted);
        where->setText(QString("%1, %2:%3").arg(word(l.protocol), QString::fromStdString(l.host)).arg(l.port));
        where->setIndent(20);
        links_->addWidget(where);
        if (l.protocol == cell::Link::Protocol::mqtt) {
            QPushButton* names = button(tr("Names \u2026"), "live_names_" + QString::fromStdString(l.id),
                tr("What is told at the broker, and which of it is what in the cell"));
            connect(names, &QPushButton::clicked, this, [this, id = l.id] { ask_names(id); });
            links_->addWidget(names);
        }
        now[l.id] = box;
    }
    if (cell->links.empty()) {
        QLabel* none = wrapping("live_no_links", theme::muted);
        none->setText(
            tr("The cell has no link yet. \"add link\" among the commands (Ctrl+K) makes one; the run can go by its "
               "clock without."));
        links_->addWidget(none);
    }
    chosen_ = std::move(now);
    renew();
}

void LivePanel::ask_names(const std::string& id) {
    const auto cell = open_.cell();
    const auto link = std::find_if(cell->links.begin(), cell->links.end(), [&](const auto& l) { return l.id == id; });
    if (link == cell->links.end()) return;
    if (!link->loopback() && !network_->isChecked()) {
        Q_EMIT open_.refused(tr("Nobody was listened to"),
            tr("The broker of \"%1\" is at %2, which is another machine. Tick \"other machines\" if that is meant.")
                .arg(name_of(*link), QString::fromStdString(link->host)));
        return;
    }
    NamesDialog(open_, *link, window()).exec();
}

void LivePanel::start() {
    LiveSession::Wish wish;
    for (const auto& [id, box] : chosen_)
        if (box->isChecked()) wish.links << QString::fromStdString(id);
    wish.lock_step = clock_->currentIndex() == 1;
    wish.rate = rate_->value();
    wish.network = network_->isChecked();
    if (record_->isChecked()) {
        if (open_.file().isEmpty()) {
            Q_EMIT open_.refused(
                tr("The live run was not begun"), tr("A record lies beside the cell's file, and this cell has none "
                                                     "yet: save it first, or keep no record."));
            return;
        }
        wish.record = QString::fromStdString(link::record_beside(open_.file().toStdString()));
    }
    live_.start(wish);
}

void LivePanel::renew() {
    const link::LiveStatus s = live_.status();
    const bool running = live_.running(), there = live_.there();
    now_->setText(there ? tr("%1 s").arg(simulation::seconds(s.now), 0, 'f', 1) : tr("no live run"));
    QString state =
        tr("The cell runs by the wall clock, or step by step with a controller, and hears what comes from outside.");
    if (running) {
        state = (s.paused ? tr("live, paused, since %1") : tr("live since %1")).arg(live_.since().toString("HH:mm:ss"));
        state += clock_->currentIndex() == 1 ? tr("; %1 steps").arg(s.steps)
                                             : tr("; at most %1 ms late").arg(1000 * s.worst_late_s, 0, 'f', 1);
    } else if (there) {
        state = tr("over: %1").arg(QString::fromStdString(s.why_over));
        if (!live_.record().isEmpty()) state += tr("; kept in %1").arg(live_.record());
    }
    state_->setText(state);
    start_->setText(running ? tr("End") : tr("Start"));
    pause_->setText(s.paused ? tr("Go on") : tr("Pause"));
    pause_->setEnabled(running), step_->setEnabled(running && s.paused && clock_->currentIndex() == 0);
    cut_->setVisible(running && !live_.links().empty());
    present_->setVisible(there && !live_.at_present());
    leave_->setVisible(there && !running);
    edited_->setVisible(live_.outdated());
    edited_->setText(
        running ? tr("The cell was edited or another variant is looked at: the live run goes on with the cell as it "
                     "began, and is not shown. End it and start again for the new one.")
                : tr("The cell was edited since, or another variant is looked at."));
    for (QWidget* w : std::initializer_list<QWidget*>{clock_, record_, network_, record_open_}) w->setEnabled(!running);
    renew_record();
    for (const auto& [id, box] : chosen_) box->setEnabled(!running);
    QStringList lines;
    for (const LiveSession::LinkLine& l : live_.links()) {
        lines << tr("%1: %2; %3 exchanges, %4 refused, lost %5 times")
                     .arg(l.name, running ? QString::fromStdString(l.status.words) : tr("switched off"))
                     .arg(l.status.exchanges)
                     .arg(l.status.refused)
                     .arg(l.status.lost);
        constexpr std::size_t most = 6;
        for (std::size_t i = 0; i < l.status.unmatched.size() && i < most; ++i)
            lines << "  " + QString::fromStdString(l.status.unmatched[i]);
        if (l.status.unmatched.size() > most) lines << tr("  and %1 more names").arg(l.status.unmatched.size() - most);
    }
    link_states_->setText(lines.join("\n"));
    link_states_->setVisible(!lines.isEmpty());
    QString figures = tr("nothing yet");
    if (const auto j = live_.judged()) {
        const study::Figures& f = j->figures;
        figures = tr("cycle %1 s, %2 parts, waiting %3 %")
                      .arg(theme::number(f.cycle_s, 2))
                      .arg(j->run->trace.departures.size())
                      .arg(theme::number(f.waiting ? std::optional(100 * *f.waiting) : std::nullopt, 0));
        figures += tr("\nat %1 s; heard %2 times").arg(simulation::seconds(j->run->trace.end), 0, 'f', 1).arg(s.heard);
    }
    figures_->setText(figures);
    renew_findings();
}

void LivePanel::renew_findings() {
    QStringList titles;
    std::vector<const inspection::Finding*> all;
    const auto judged = live_.judged();
    if (judged)
        for (const inspection::Finding& f : judged->inspection->findings)
            if (f.severity != inspection::Severity::note) all.push_back(&f), titles << QString::fromStdString(f.title);
    if (titles == told_) return;
    told_ = titles;
    while (QLayoutItem* item = findings_->takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
        }
        delete item;
    }
    for (const inspection::Finding* f : all) {
        const QString words = theme::severity_sign(f->severity) + " " + QString::fromStdString(f->title);
        QPushButton* line =
            line_to(f->when_s ? words + tr(", at %1 s").arg(*f->when_s, 0, 'f', 2) : words, f->when_s.value_or(-1));
        line->setToolTip(plain(QString::fromStdString(f->text)));
        findings_->addWidget(line);
    }
}

/// Goes to an instant when it is pressed; below 0: there is none.
QPushButton* LivePanel::line_to(const QString& text, double at_s) {
    auto* line = link_button(menu_text(text), "live_line");
    line->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    line->setStyleSheet("text-align: left;");
    if (at_s >= 0) connect(line, &QPushButton::clicked, this, [this, at_s] { playhead_.set_time(at_s); });
    return line;
}

void LivePanel::open_record() {
    const QString file = QFileDialog::getOpenFileName(
        window(), tr("Open a record"), QFileInfo(open_.file()).absolutePath(), tr("Records of live runs (*.record)"));
    if (!file.isEmpty()) kept_.open(file);
}

void LivePanel::renew_record() {
    const bool over = live_.there() && !live_.running();
    const RecordSession::Known* known = kept_.known();
    record_compare_->setVisible(over && !live_.record().isEmpty() && !known && !kept_.working());
    record_show_->setVisible(known && !kept_.shown());
    record_leave_->setVisible(known || kept_.working());
    QString state = kept_.working() ? tr("it is run again and compared") : QString();
    QStringList lines;
    constexpr std::size_t most = 12;
    if (known) {
        const link::RecordComparison& c = known->compared;
        state = tr("live run of %1\nin its %2 s: cycle live %3 s, computed %4 s; parts %5 and %6\n%7")
                    .arg(known->began)
                    .arg(known->ran_s, 0, 'f', 1)
                    .arg(theme::number(c.cycle_live_s, 3), theme::number(c.cycle_computed_s, 3))
                    .arg(c.parts_live)
                    .arg(c.parts_computed)
                    .arg(c.signals.empty() ? tr("every signal is the same, bit by bit")
                                           : tr("%1 signals differ, earliest first:").arg(c.signals.size()));
        for (const link::SignalDifference& d : c.signals)
            if (static_cast<std::size_t>(lines.size()) < most) lines << QString::fromStdString(link::in_words(d));
    }
    record_state_->setText(state);
    record_state_->setVisible(!state.isEmpty());
    if (lines == differences_told_) return;
    differences_told_ = lines;
    clear(differences_);
    for (qsizetype i = 0; i < lines.size(); ++i) {
        const link::SignalDifference& d = known->compared.signals[static_cast<std::size_t>(i)];
        const double at = simulation::seconds(d.from);
        QPushButton* line = line_to(tr("%1 s  %2").arg(at, 0, 'f', 3).arg(QString::fromStdString(d.signal)), at);
        line->setFont(theme::font(10));
        line->setObjectName("record_difference");
        line->setToolTip(plain(lines[i]));
        differences_->addWidget(line);
    }
}

}  // namespace escarp::desktop
