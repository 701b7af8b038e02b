#include "studies_page.h"

#include <QComboBox>
#include <QHeaderView>
#include <QMenu>
#include <QProgressBar>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <numeric>

#include <cell/edits/study_edits.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <study/named_edits.h>

namespace escarp::desktop {

using cell::json;
using Asks = cell::Study::Asks;

namespace {

constexpr int most_rows = 2000;

QString name_of(Asks asks) {
    switch (asks) {
        case Asks::sweep: return QObject::tr("sweep");
        case Asks::search: return QObject::tr("search");
        case Asks::sensitivity: return QObject::tr("sensitivity");
        case Asks::repetitions: return QObject::tr("repetitions");
        case Asks::gains: return QObject::tr("gains");
    }
    return {};
}

QLabel* heading(const QString& title, const QString& more) {
    auto* label = marked_label(QString("<b>%1</b> &nbsp;<span style='color:#5C6870'>%2</span>").arg(title, more));
    label->setStyleSheet("color: #5C6870; font-size: 11px;");
    return label;
}

}  // namespace

StudiesPage::StudiesPage(OpenCell& open, Results& results, QWidget* parent)
    : QWidget(parent), open_(open), results_(results) {
    setObjectName("studies_page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(10, 8, 10, 8);
    across->setSpacing(10);
    across->addWidget(make_list());
    across->addWidget(make_middle(), 1);
    across->addWidget(make_side());
    connect(&open_, &OpenCell::document_changed, this, [this] {
        renew_list();
        renew_words();
        if (isVisible() && !worker_.busy() && chosen_ != asked_) look_up();
    });
    connect(&open_, &OpenCell::wants_to_vary, this, [this](const QString& path) {
        if (!study() || study()->asks == Asks::repetitions || study()->asks == Asks::gains)
            return new_study(Asks::sweep, path);
        sentence_->vary(path);
    });
    connect(&worker_, &StudyWorker::moved, this, &StudiesPage::gather);
    connect(&worker_, &StudyWorker::answered, this, &StudiesPage::take);
    connect(&worker_, &StudyWorker::stopped, this, [this] {
        renew_words();
        if (chosen_ != asked_) return;
        state_->setText(tr("Stopped. What was run is kept; \u201cAsk\u201d goes on from there."));
    });
    connect(&worker_, &StudyWorker::failed, this, [this](const QString& where, const QString& why) {
        renew_words();
        if (chosen_ != asked_) return;
        state_->setText(where.isEmpty() ? why : where + ": " + why);
        state_->setStyleSheet("color: #A8124F; font-size: 12px;");
    });
    renew_list();
    renew_words();
}

QWidget* StudiesPage::make_list() {
    auto* side = new QWidget;
    side->setFixedWidth(190);
    auto* rows = new QVBoxLayout(side);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->addWidget(heading(tr("STUDIES"), tr("of this cell")));
    list_ = new QListWidget;
    list_->setObjectName("studies_list");
    list_->setWordWrap(true);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    rows->addWidget(list_, 1);
    connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item) choose(item->data(Qt::UserRole).toString());
    });
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        const cell::Path at = cell::Path("studies") / item->data(Qt::UserRole).toString().toStdString() / "name";
        const std::string name = item->text().trimmed().toStdString();
        QTimer::singleShot(
            0, this, [this, at, name] { edit_studies(open_, tr("Rename a study"), {cell::Operation::set(at, name)}); });
    });
    auto* line = new QHBoxLayout;
    auto* add = new QToolButton;
    add->setObjectName("add_study");
    add->setText(tr("+ study"));
    add->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(add);
    for (const auto& [asks, text] :
        {std::pair{Asks::sweep, tr("Vary numbers: what becomes of the figures")},
            {Asks::search, tr("Search: where is it best")}, {Asks::sensitivity, tr("Sensitivity: what moves a figure")},
            {Asks::repetitions, tr("Repetitions: how far chance moves it")},
            {Asks::gains, tr("Gains: which second is worth it")}})
        menu->addAction(text, this, [this, a = asks] { new_study(a); })
            ->setObjectName("new_" + name_of(asks).replace(' ', '_'));
    add->setMenu(menu);
    remove_ = new QPushButton(tr("Remove"));
    remove_->setObjectName("remove_study");
    connect(remove_, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, this, &StudiesPage::remove_study); });
    line->addWidget(add);
    line->addStretch(1);
    line->addWidget(remove_);
    rows->addLayout(line);
    return side;
}

QWidget* StudiesPage::make_middle() {
    auto* middle = new QWidget;
    auto* rows = new QVBoxLayout(middle);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    sentence_ = new StudySentence(open_);
    rows->addWidget(sentence_);
    auto* line = new QHBoxLayout;
    ask_ = new QPushButton(tr("Ask"));
    ask_->setObjectName("ask_study");
    ask_->setDefault(true);
    stop_ = new QPushButton(tr("Stop"));
    stop_->setObjectName("stop_study");
    progress_ = new QProgressBar;
    progress_->setObjectName("study_progress");
    progress_->setRange(0, 1000);
    progress_->setTextVisible(true);
    progress_->setFixedHeight(20);
    state_ = plain_label();
    state_->setObjectName("study_state");
    state_->setWordWrap(true);
    figure_ = new QComboBox;
    figure_->setObjectName("drawn_figure");
    figure_->setToolTip(tr("The figure that is drawn upwards"));
    line->addWidget(ask_);
    line->addWidget(stop_);
    line->addWidget(progress_);
    line->addWidget(state_, 1);
    line->addWidget(figure_);
    rows->addLayout(line);
    plot_ = new StudyPlot;
    rows->addWidget(plot_, 1);
    legend_ = marked_label({});
    legend_->setObjectName("plot_legend");
    legend_->setStyleSheet("font-size: 11px; color: #5C6870;");
    legend_->setAlignment(Qt::AlignRight);
    rows->addWidget(legend_);
    words_ = plain_label();
    words_->setObjectName("study_words");
    words_->setWordWrap(true);
    words_->setStyleSheet("font-size: 13px; color: #1F2A33;");
    rows->addWidget(words_);
    connect(ask_, &QPushButton::clicked, this, &StudiesPage::ask);
    connect(stop_, &QPushButton::clicked, this, [this] { worker_.stop(); });
    connect(figure_, &QComboBox::activated, this, [this] { renew_plot(), renew_table(); });
    connect(plot_, &StudyPlot::hovered, this, [this](int point) { show_point(point); });
    connect(plot_, &StudyPlot::chosen, this, &StudiesPage::choose_point);
    connect(plot_, &StudyPlot::brush_changed, this, &StudiesPage::renew_table);
    return middle;
}

QWidget* StudiesPage::make_side() {
    auto* side = new QWidget;
    side->setFixedWidth(330);
    auto* rows = new QVBoxLayout(side);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    rows->addWidget(heading(tr("POINT"), tr("hover, click, or brush a part of the plot")));
    picture_ = new QLabel;
    picture_->setObjectName("point_picture");
    picture_->setFixedHeight(150);
    picture_->setAlignment(Qt::AlignCenter);
    picture_->setStyleSheet("background: #FCFAF5; border: 1px solid #D8D2C4;");
    rows->addWidget(picture_);
    point_words_ = plain_label();
    point_words_->setObjectName("point_words");
    point_words_->setWordWrap(true);
    rows->addWidget(point_words_);
    auto* line = new QHBoxLayout;
    look_ = new QPushButton(tr("Look at it"));
    look_->setObjectName("look_at_point");
    variant_ = new QPushButton(tr("Make it a variant"));
    variant_->setObjectName("point_to_variant");
    line->addWidget(look_);
    line->addWidget(variant_);
    line->addStretch(1);
    rows->addLayout(line);
    table_ = new QTableWidget;
    table_->setObjectName("points_table");
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(21);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->setAlternatingRowColors(true);
    rows->addWidget(table_, 1);
    connect(look_, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, this, &StudiesPage::look_at_point); });
    connect(variant_, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, this, &StudiesPage::make_variant); });
    connect(table_, &QTableWidget::cellDoubleClicked, this, [this](int row) {
        if (!answer_ || !answer_->gains) return;
        const study::Gain& g = answer_->gains->all[row];
        const auto& devices = open_.cell()->devices;
        if (g.device < 0 || g.device >= static_cast<int>(devices.size())) return;
        const cell::Device& d = devices[g.device];
        QString step;
        for (const cell::Step* s : cell::all_steps(d))
            if (s->number == g.step) step = QString::fromStdString(s->id);
        Q_EMIT wants_step(QString::fromStdString(d.id), step);
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const auto rows_now = table_->selectionModel()->selectedRows();
        if (answer_ && answer_->gains) return;
        if (!rows_now.isEmpty()) choose_point(rows_[rows_now.front().row()]);
    });
    return side;
}

void StudiesPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (chosen_.isEmpty() && list_->count() > 0) list_->setCurrentRow(0);
    else if (!worker_.busy() && !answer_) look_up();
}

const cell::Study* StudiesPage::study() const {
    for (const cell::Study& s : open_.cell()->studies)
        if (QString::fromStdString(s.id) == chosen_) return &s;
    return nullptr;
}

void StudiesPage::renew_list() {
    const QSignalBlocker quiet(list_);
    QStringList now;
    for (const cell::Study& s : open_.cell()->studies)
        now << QString::fromStdString(s.id + "|" + s.name) + name_of(s.asks);
    if (list_->property("shown").toStringList() != now || list_->count() != now.size()) {
        list_->setProperty("shown", now);
        list_->clear();
        for (const cell::Study& s : open_.cell()->studies) {
            auto* item = new QListWidgetItem(QString::fromStdString(s.name), list_);
            item->setData(Qt::UserRole, QString::fromStdString(s.id));
            item->setToolTip(name_of(s.asks));
            item->setFlags(item->flags() | Qt::ItemIsEditable);
        }
    }
    int row = -1;
    for (int i = 0; i < list_->count(); ++i)
        if (list_->item(i)->data(Qt::UserRole).toString() == chosen_) row = i;
    list_->setCurrentRow(row);
    if (row < 0 && !chosen_.isEmpty()) choose({});
    remove_->setEnabled(row >= 0);
    ask_->setEnabled(row >= 0);
}

void StudiesPage::choose(const QString& study) {
    if (chosen_ == study) return;
    chosen_ = study;
    worker_.stop();
    answer_.reset();
    coming_.clear();
    point_ = -2;
    plot_->clear();
    sentence_->show(study);
    renew_list();
    renew_words();
    renew_table();
    show_point(-2);
    look_up();
}

void StudiesPage::new_study(Asks asks, const QString& path) {
    std::string id;
    const cell::Edit edit = cell::add_study(
        open_.layout(), name_of(asks).toStdString(), tr("New %1").arg(name_of(asks)).toStdString(), &id);
    edit_studies(open_, tr("New study"), edit.operations);
    choose(QString::fromStdString(id));
    if (!path.isEmpty()) sentence_->vary(path);
}

void StudiesPage::remove_study() {
    if (study())
        edit_studies(
            open_, tr("Remove a study"), {cell::Operation::remove(cell::Path("studies") / chosen_.toStdString())});
}

bool StudiesPage::out_of_date() const {
    return answer_ && !answer_->cell.empty() && answer_->cell != open_.layout().content();
}

void StudiesPage::look_up() {
    const cell::Study* s = study();
    if (!s || s->asks == Asks::gains || (s->vary.empty() && s->asks != Asks::repetitions)) return;
    const QString file = open_.file();
    const QString results =
        file.isEmpty() ? QString() : QString::fromStdString(study::Results::beside(file.toStdString()));
    if (!results.isEmpty() && !QFileInfo::exists(results)) return;
    asked_ = chosen_;
    asked_cell_ = open_.layout().content();
    coming_.clear();
    worker_.ask(open_.layout(), *s, results, true);
    renew_words();
}

void StudiesPage::ask() {
    const cell::Study* s = study();
    if (!s) return;
    asked_ = chosen_;
    coming_.clear();
    point_ = -2;
    asked_cell_ = open_.layout().content();
    const QString file = open_.file();
    worker_.ask(open_.layout(), *s,
        file.isEmpty() ? QString() : QString::fromStdString(study::Results::beside(file.toStdString())));
    state_->clear();
    renew_words();
}

void StudiesPage::gather() {
    for (study::Tried& t : worker_.news()) coming_.push_back(std::move(t));
    if (coming_.empty()) return;
    const cell::Study* s = study();
    if (!s || chosen_ != asked_) return;
    progress_->setValue(static_cast<int>(1000 * worker_.share()));
    const double left = worker_.seconds_left();
    progress_->setFormat(left >= 1 ? tr("%p % \u00b7 %1 s to go").arg(std::lround(left)) : tr("%p %"));
    // What there is so far, drawn as if it were all; more rarely the more there is, so that the hand is served.
    if (drawn_.isValid() && drawn_.elapsed() < 10 * drawing_ms_) return;
    QElapsedTimer clock;
    clock.start();
    auto so_far = std::make_shared<study::Answered>();
    so_far->study = *s;
    so_far->whole = false;
    so_far->cell = asked_cell_;
    for (const cell::Varied& v : s->vary)
        so_far->varied.push_back(cell::meaning_of_path(open_.resolved(), v.at, open_.layout().kinds()).words);
    so_far->present = study::present_values(open_.layout(), *s);
    try {
        so_far->looked_at =
            study::measures_of(s->look_at.empty() ? std::vector<std::string>{"cycle_s"} : s->look_at, "look_at");
    } catch (const cell::InputError&) {
        return;  // told by the answer
    }
    for (const study::Tried& t : coming_) (t.point.empty() ? so_far->now : so_far->tried.emplace_back()) = t;
    answer_ = std::move(so_far);
    renew_plot();
    drawing_ms_ = std::max<qint64>(10, clock.elapsed());
    drawn_.start();
}

void StudiesPage::take(std::shared_ptr<const study::Answered> answer) {
    worker_.news();
    if (chosen_ != asked_) return;
    const bool nothing = answer->tried.empty() && answer->now.found.runs.empty();
    const bool none_found = std::all_of(answer->tried.begin(), answer->tried.end(),
        [](const study::Tried& t) { return t.found.runs.empty() && t.refused.empty(); });
    const bool of_this_cell = answer->cell == open_.layout().content();
    if (answer->gains && of_this_cell) results_.set_gains(answer->cell, *answer->gains);
    if (nothing || (!answer->whole && none_found && !answer->tried.empty())) answer_.reset();
    else answer_ = std::move(answer);
    point_ = answer_ && answer_->best >= 0 ? answer_->best : -2;
    renew_plot();
    renew_words();
    renew_table();
    show_point(-2);
}

void StudiesPage::renew_plot() {
    legend_->setVisible(answer_ != nullptr);
    if (!answer_) return plot_->clear();
    QStringList figures;
    for (const study::Measure* m : answer_->looked_at) figures << QString::fromStdString(m->label);
    QStringList now;
    for (int i = 0; i < figure_->count(); ++i) now << figure_->itemText(i);
    if (now != figures) {
        figure_->clear();
        figure_->addItems(figures);
    }
    plot_->show(answer_, std::max(0, figure_->currentIndex()));
    plot_->choose(point_);
    legend_->setText(plot_->legend());
}

void StudiesPage::renew_words() {
    const bool busy = worker_.busy();
    stop_->setVisible(busy);
    progress_->setVisible(busy);
    state_->setVisible(!busy);
    ask_->setText(answer_ && !busy ? (answer_->whole && !out_of_date() ? tr("Ask again") : tr("Go on")) : tr("Ask"));
    if (out_of_date()) ask_->setText(tr("Ask anew"));
    ask_->setEnabled(!busy && study());
    figure_->setVisible(answer_ && answer_->looked_at.size() > 1);
    if (busy) {
        words_->clear();
        return;
    }
    words_->setText(answer_ ? QString::fromStdString(study::in_words(*answer_)) : QString());
    words_->setVisible(!words_->text().isEmpty());
    state_->setStyleSheet("color: #5C6870; font-size: 12px;");
    plot_->setEnabled(!out_of_date());
    if (out_of_date()) {
        state_->setStyleSheet("color: #8A5B00; font-size: 12px;");
        state_->setText(tr("The cell has changed since: these are figures of what it was."));
    } else if (answer_) {
        state_->setText(tr("%1, %2 of them found from before")
                            .arg(counted(answer_->runs + answer_->kept_runs, tr("run"), tr("runs")))
                            .arg(answer_->kept_runs));
    } else {
        state_->setText(study() ? tr("Not asked yet, of variant %1.").arg(open_.variant()) : QString());
    }
}

void StudiesPage::renew_table() {
    const QSignalBlocker quiet(table_);
    table_->clear();
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    rows_.clear();
    if (!answer_) {
        table_->setRowCount(0), table_->setColumnCount(0);
        return;
    }
    if (answer_->gains) return list_gains();
    const auto& brushed = plot_->brushed();
    for (int i = 0; i < static_cast<int>(answer_->tried.size()); ++i)
        if (brushed.empty() || std::find(brushed.begin(), brushed.end(), i) != brushed.end()) rows_.push_back(i);
    const study::Measure* by = answer_->looked_at[std::max(0, figure_->currentIndex())];
    const double sign = by->better > 0 ? -1 : 1;
    std::stable_sort(rows_.begin(), rows_.end(), [&](int a, int b) {
        const study::Tried &one = answer_->tried[a], &two = answer_->tried[b];
        if (one.keeps != two.keeps) return one.keeps;
        if (one.has(by->id) != two.has(by->id)) return one.has(by->id);
        return one.has(by->id) && sign * one.figure(by->id) < sign * two.figure(by->id);
    });
    if (static_cast<int>(rows_.size()) > most_rows) rows_.resize(most_rows);
    QStringList head;
    for (const std::string& words : answer_->varied) head << QString::fromStdString(words);
    for (const study::Measure* m : answer_->looked_at)
        head << QString::fromStdString(m->label + (m->unit.empty() ? "" : " " + m->unit));
    head << tr("lacks");
    table_->setColumnCount(static_cast<int>(head.size()));
    table_->setHorizontalHeaderLabels(head);
    table_->setRowCount(static_cast<int>(rows_.size()));
    for (const int row : indices(rows_)) {
        const study::Tried& t = answer_->tried[rows_[row]];
        int column = 0;
        const auto put = [&](const QString& text, bool right) {
            auto* item = new QTableWidgetItem(text);
            item->setForeground(t.keeps ? theme::ink : theme::muted);
            item->setTextAlignment((right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            table_->setItem(row, column++, item);
        };
        for (const json& v : t.point)
            put(v.is_string()   ? QString::fromStdString(v.get<std::string>())
                : v.is_number() ? QString::number(v.get<double>(), 'g', 8)
                                : QString::fromStdString(v.dump()),
                true);
        for (const study::Measure* m : answer_->looked_at) {
            const study::Estimate e = t.found.of(m->id);
            QString text = e.count ? QString::number(e.mean, 'f', m->decimals) : QStringLiteral("\u2013");
            if (const auto half = e.half_width(); half && *half > 0)
                text += QStringLiteral(" \u00b1 ") + QString::number(*half, 'f', m->decimals);
            put(text, true);
        }
        put(QString::fromStdString(t.lacks), false);
    }
}

void StudiesPage::list_gains() {
    const auto& all = answer_->gains->all;
    table_->setColumnCount(4);
    table_->setHorizontalHeaderLabels({tr("what"), tr("takes s"), tr("0.1 s less"), tr("10 % quicker")});
    table_->setRowCount(static_cast<int>(all.size()));
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (int row = 0; row < table_->rowCount(); ++row) {
        const study::Gain& g = all[row];
        int column = 0;
        const auto put = [&](const QString& text, bool right) {
            auto* item = new QTableWidgetItem(text);
            item->setTextAlignment((right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
            item->setToolTip(plain(text));
            table_->setItem(row, column++, item);
        };
        put(QString::fromStdString(g.words), false);
        put(g.takes_s > 0 ? QString::number(g.takes_s, 'f', 2) : QString(), true);
        const auto with_interval = [](double value, double out) {
            if (out <= 0) return QString::number(value, 'f', 3);
            return tr("%1 \u00b1 %2").arg(std::abs(value) < 0.005 ? 0 : value, 0, 'f', 2).arg(out, 0, 'f', 2);
        };
        put(g.shorter_s ? with_interval(*g.shorter_s, g.shorter_out_s) : QString(), true);
        put(with_interval(g.quicker_s, g.quicker_out_s), true);
    }
}

cell::Edit StudiesPage::edit_of(int point) const {
    if (!answer_ || point < 0) return {};
    return study::edit_of(open_.layout(), answer_->study, answer_->tried[point].point);
}

void StudiesPage::choose_point(int point) {
    point_ = point;
    plot_->choose(point);
    show_point(point);
}

void StudiesPage::show_point(int point) {
    if (point == -2) point = point_;
    const bool there = answer_ && point >= -1;
    const bool points = !study() || (study()->asks != Asks::gains && study()->asks != Asks::repetitions);
    for (QWidget* w : std::initializer_list<QWidget*>{picture_, look_, variant_}) w->setVisible(points);
    look_->setEnabled(answer_ && point_ >= 0);
    variant_->setEnabled(answer_ && point_ >= 0);
    if (!there) {
        point_words_->clear();
        picture_->setPixmap({});
        picture_->setText(tr("no point chosen"));
        return;
    }
    const study::Tried& t = point < 0 ? answer_->now : answer_->tried[point];
    QString words = QString::fromStdString(study::in_words(*answer_, t.point));
    for (const study::Measure* m : answer_->looked_at)
        words += "\n" + QString::fromStdString(m->label) + ": " +
                 (t.has(m->id) ? QString::fromStdString(study::with_unit(t.figure(m->id), *m)) : tr("none"));
    if (!t.lacks.empty()) words += "\n" + tr("lacks: %1").arg(QString::fromStdString(t.lacks));
    point_words_->setText(words);
    try {
        const auto shown =
            point < 0 ? open_.layout().shared_cell() : open_.layout().edited(edit_of(point)).shared_cell();
        const double ratio = devicePixelRatioF();
        QPixmap sheet(QSize(picture_->width() - 4, picture_->height() - 4) * ratio);
        sheet.setDevicePixelRatio(ratio);
        sheet.fill(theme::panel);
        QPainter p(&sheet);
        p.setRenderHint(QPainter::Antialiasing);
        PlanView view;
        const QRectF box = plan_bounds(*shown, view);
        const double w = picture_->width() - 4, h = picture_->height() - 4;
        view.scale = 0.9 * std::min(w / box.width(), h / box.height());
        view.middle = {w / 2 - box.center().x() * view.scale, h / 2 + box.center().y() * view.scale};
        PlanOptions options;
        options.names = false;
        draw_plan(p, view, simulation::Scene(*shown), options);
        p.end();
        picture_->setPixmap(sheet);
    } catch (const cell::InputError& e) {
        picture_->setPixmap({});
        picture_->setText(tr("no cell: its values do not fit"));
    }
}

void StudiesPage::look_at_point() {
    try {
        if (point_ >= 0 && open_.try_out(edit_of(point_), true)) Q_EMIT wants_cell();
    } catch (const cell::InputError& e) {
        state_->setText(QString::fromStdString(e.problems().front().message));
    }
}

void StudiesPage::make_variant() {
    if (point_ < 0) return;
    try {
        const study::Measure& m = *answer_->looked_at.front();
        const study::Tried& t = answer_->tried[point_];
        const std::string name =
            t.has(m.id) ? m.label + " " + study::with_unit(t.figure(m.id), m) : answer_->study.name;
        const cell::Change made = study::point_to_variant(open_.layout(), answer_->study, t.point, name);
        if (!open_.replace(made.document, tr("New variant %1").arg(QString::fromStdString(name)))) return;
        open_.set_variant(QString::fromStdString(made.made["variant"].get<std::string>()));
        Q_EMIT wants_cell();
    } catch (const cell::InputError& e) {
        state_->setText(QString::fromStdString(e.problems().front().message));
    }
}

}  // namespace escarp::desktop
