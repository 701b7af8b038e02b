#include "signals_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QStyledItemDelegate>
#include <QTimer>

#include <cell/edits/signal_edits.h>
#include <desktop/fields/condition_field.h>
#include <desktop/fields/field_grid.h>
#include <desktop/fields/number_field.h>
#include <desktop/looks/form_place.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

namespace escarp::desktop {
namespace {

constexpr int index_role = Qt::UserRole;

/// Draws the level of a line's signal over the whole run, and the cursor.
class Levels : public QStyledItemDelegate {
public:
    Levels(Workspace& workspace, QObject* parent) : QStyledItemDelegate(parent), workspace_(workspace) {}

    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        QStyledItemDelegate::paint(p, option, index);
        const auto e = workspace_.results.shown();
        const int signal = index.sibling(index.row(), 0).data(index_role).toInt();
        const double end = workspace_.results.end_time();
        if (!e || end <= 0 || signal >= static_cast<int>(e->run->trace.signals.size())) return;
        const auto& changes = e->run->trace.signals[signal].changes;
        double low = 0, high = 1;
        for (const auto& [t, value] : changes) low = std::min(low, value), high = std::max(high, value);
        const QRectF box = QRectF(option.rect).adjusted(4, 4, -4, -4);
        const auto x = [&](double s) { return box.left() + box.width() * s / end; };
        const auto y = [&](double v) { return box.bottom() - box.height() * (v - low) / (high - low); };
        QPolygonF line;
        double before = 0;
        for (const auto& [t, value] : changes) {
            const double at = x(std::min(end, simulation::seconds(t)));
            // Changes that fall on one pixel are drawn as one stroke.
            if (line.size() > 4 && at - line[line.size() - 4].x() < 0.3) line.resize(line.size() - 1);
            if (!line.isEmpty()) line << QPointF(at, y(before));
            line << QPointF(at, y(value));
            before = value;
        }
        line << QPointF(box.right(), y(before));
        p->save();
        p->setRenderHint(QPainter::Antialiasing);
        p->setPen(QPen(theme::accent, 1.2));
        p->drawPolyline(line);
        p->setPen(QPen(theme::ink, 1));
        const double cursor = x(std::min(end, workspace_.playhead.time()));
        p->drawLine(QPointF(cursor, option.rect.top()), QPointF(cursor, option.rect.bottom()));
        p->restore();
    }

private:
    Workspace& workspace_;
};

QString joined(const cell::Cell& cell, const std::vector<cell::SignalUse>& uses) {
    QStringList names;
    for (const cell::SignalUse& use : uses) {
        const QString name = QString::fromStdString(cell.devices[use.device].name);
        if (!names.contains(name)) names << name;
    }
    return names.join(", ");
}

}  // namespace

SignalsPage::SignalsPage(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace), filter_(new QLineEdit), table_(new QTreeWidget) {
    setObjectName("signals_page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(10, 8, 10, 8);
    across->setSpacing(10);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    left->addLayout(make_head());
    make_table();
    left->addWidget(table_, 1);
    across->addLayout(left, 1);
    across->addWidget(make_side());
    follow();
}

/// What narrows the list down, and what is done with all of it.
QHBoxLayout* SignalsPage::make_head() {
    auto* head = new QHBoxLayout;
    auto* title =
        marked_label(tr("<b>SIGNALS</b> &nbsp;<span style='color:#5C6870'>what devices tell each other</span>"));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    head->addWidget(title);
    filter_->setObjectName("signals_filter");
    filter_->setPlaceholderText(tr("Search by device or signal"));
    filter_->setAccessibleName(tr("Search the signals"));
    filter_->setClearButtonEnabled(true);
    filter_->setMaximumWidth(240);
    head->addWidget(filter_, 1);
    head->addStretch(1);
    auto* give = link_button(tr("Give addresses"), "give_addresses");
    give->setToolTip(tr("Every signal that has no address yet gets the next free one, and keeps it"));
    connect(give, &QPushButton::clicked, this,
        [this] { edit([](const cell::Layout& l) { return cell::give_addresses(l); }); });
    head->addWidget(give);
    auto* list = link_button(tr("I/O list \u2026"), "io_list");
    connect(list, &QPushButton::clicked, this, &SignalsPage::wants_io_list);
    head->addWidget(list);
    return head;
}

void SignalsPage::make_table() {
    table_->setObjectName("signals_table");
    table_->setAccessibleName(tr("Signals"));
    table_->setHeaderLabels({tr("signal"), tr("way"), tr("type"), tr("now"), tr("over the run"),
        tr("takes, or is set by"), tr("heard by"), tr("address")});
    table_->setRootIsDecorated(false);
    table_->setFrameShape(QFrame::NoFrame);
    table_->setFont(theme::font(11));
    table_->header()->setFont(theme::font(10));
    table_->setUniformRowHeights(true);
    table_->setStyleSheet("QTreeWidget::item { height: 20px; }");
    table_->setItemDelegateForColumn(over_time, new Levels(workspace_, table_));
    const int widths[] = {170, 52, 98, 70, 150, 150, 110, 64};
    for (int c = name; c <= address; ++c) table_->setColumnWidth(c, widths[c]);
    table_->header()->setSectionResizeMode(over_time, QHeaderView::Stretch);
    table_->header()->setStretchLastSection(false);
}

QWidget* SignalsPage::make_side() {
    auto* scroll = new QScrollArea;
    scroll->setObjectName("signal_detail");
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFixedWidth(290);
    auto* page = new QWidget;
    side_ = new QVBoxLayout(page);
    side_->setContentsMargins(4, 2, 8, 4);
    side_->addStretch(1);
    scroll->setWidget(page);
    return scroll;
}

void SignalsPage::follow() {
    connect(filter_, &QLineEdit::textChanged, this, &SignalsPage::narrow);
    connect(&workspace_.open, &OpenCell::document_changed, this, [this] {
        if (isVisible() && !workspace_.open.trying()) renew();
    });
    connect(&workspace_.results, &Results::forced_changed, this, [this] {
        if (isVisible()) renew();
    });
    connect(&workspace_.results, &Results::evaluated, this, &SignalsPage::renew_values);
    connect(&workspace_.playhead, &Playhead::time_changed, this, &SignalsPage::renew_values);
    connect(&workspace_.view_options, &ViewOptions::lanes_changed, this,
        [this] { QTimer::singleShot(0, this, [this] { renew_detail(); }); });
    connect(table_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (quiet_ || !item) return;
        chosen_ = item->data(name, index_role + 1).toString();
        const int signal = chosen();
        if (signal >= 0) {
            const cell::Cell& cell = *workspace_.open.cell();
            workspace_.selection.select(QString::fromStdString(cell.devices[cell.signals[signal].device].id));
        }
        QTimer::singleShot(0, this, [this] { renew_detail(); });
    });
}

void SignalsPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    renew();
}

int SignalsPage::chosen() const { return workspace_.open.cell()->signal(chosen_.toStdString()); }

void SignalsPage::choose(const QString& signal) {
    for (int i = 0; i < table_->topLevelItemCount(); ++i)
        if (table_->topLevelItem(i)->data(name, index_role + 1) == signal)
            table_->setCurrentItem(table_->topLevelItem(i));
}

void SignalsPage::edit(const std::function<cell::Edit(const cell::Layout&)>& make) {
    QTimer::singleShot(0, this, [this, make] {
        try {
            workspace_.open.apply(make(workspace_.open.layout()));
        } catch (const cell::InputError& e) {
            Q_EMIT workspace_.open.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
        }
    });
}

void SignalsPage::renew() {
    const cell::Cell& cell = *workspace_.open.cell();
    wiring_ = cell::wiring(cell);
    quiet_ = true;
    table_->clear();
    const std::vector<cell::IoLine> io = cell::io_list(cell);
    for (const int i : indices(cell.signals)) {
        const cell::Signal& s = cell.signals[i];
        const QString full = QString::fromStdString(cell.full_name(s));
        auto* item = new QTreeWidgetItem(table_);
        item->setData(name, index_role, i);
        item->setData(name, index_role + 1, full);
        item->setText(name, QString::fromStdString(cell.devices[s.device].name + "  " + s.name));
        item->setToolTip(name, plain(full));
        item->setText(way, tr(word(s.way)));
        item->setText(type, tr(word(s.type)));
        item->setText(takes, s.source                    ? QString::fromStdString(s.source->text())
                             : s.input()                 ? tr("nothing")
                             : wiring_.set_by[i].empty() ? tr("itself")
                                                         : tr("its task"));
        item->setToolTip(takes, plain(item->text(takes)));
        if (!s.source && wiring_.set_by[i].empty()) item->setForeground(takes, theme::muted);
        item->setText(heard, joined(cell, wiring_.heard_by[i]));
        item->setText(address, QString::fromStdString(io[i].address));
        if (!io[i].given) item->setForeground(address, theme::muted);
        if (workspace_.results.forced().count(cell.full_name(s))) item->setForeground(now, theme::stop);
        if (full == chosen_) table_->setCurrentItem(item);
    }
    quiet_ = false;
    narrow();
    renew_values();
    renew_detail();
}

void SignalsPage::narrow() {
    const QString wanted = filter_->text().trimmed();
    for (int i = 0; i < table_->topLevelItemCount(); ++i) {
        QTreeWidgetItem* item = table_->topLevelItem(i);
        const QString all = item->text(name) + " " + item->data(name, index_role + 1).toString();
        item->setHidden(!wanted.isEmpty() && !all.contains(wanted, Qt::CaseInsensitive));
    }
}

void SignalsPage::renew_values() {
    if (!isVisible()) return;
    const auto e = workspace_.results.shown();
    const cell::Cell& cell = *workspace_.open.cell();
    const simulation::Ticks t = simulation::ticks(workspace_.playhead.time());
    for (int i = 0; i < table_->topLevelItemCount(); ++i) {
        QTreeWidgetItem* item = table_->topLevelItem(i);
        const int signal = item->data(name, index_role).toInt();
        if (!e || signal >= static_cast<int>(e->run->trace.signals.size()) ||
            signal >= static_cast<int>(cell.signals.size()))
            continue;
        QString text =
            QString::fromStdString(cell::value_text(cell.signals[signal], e->run->trace.signals[signal].at(t)));
        if (workspace_.results.forced().count(cell.full_name(cell.signals[signal]))) text += tr(" forced");
        item->setText(now, text);
    }
    table_->viewport()->update();
}

void SignalsPage::add_uses(const QString& title, const std::vector<cell::SignalUse>& uses) {
    if (uses.empty()) return;
    auto* head = plain_label(title);
    head->setStyleSheet("color: #5C6870; font-size: 11px; padding-top: 6px;");
    auto* column = static_cast<QVBoxLayout*>(detail_->layout());
    column->addWidget(head);
    for (const cell::SignalUse& use : uses) {
        const cell::Device& d = workspace_.open.cell()->devices[use.device];
        auto* line = link_button(menu_text(QString::fromStdString(d.name + ": " + use.words)), "signal_use");
        connect(line, &QPushButton::clicked, this,
            [this, device = QString::fromStdString(d.id), step = QString::fromStdString(use.step)] {
                QTimer::singleShot(0, this, [=, this] { Q_EMIT wants_step(device, step); });
            });
        line->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        line->setStyleSheet("text-align: left;");
        column->addWidget(line);
    }
}

void SignalsPage::add_force(const cell::Signal& s, const QString& full) {
    auto* column = static_cast<QVBoxLayout*>(detail_->layout());
    FieldGrid grid = new_field_grid(column);
    const auto forced = workspace_.results.forced().find(full.toStdString());
    const bool is_forced = forced != workspace_.results.forced().end();
    auto* how = new QComboBox;
    how->setObjectName("signal_force");
    how->addItems(s.on_off() ? QStringList{tr("not forced"), tr("forced on"), tr("forced off")}
                             : QStringList{tr("not forced"), tr("forced to")});
    how->setCurrentIndex(!is_forced ? 0 : !s.on_off() || forced->second != 0 ? 1 : 2);
    how->setToolTip(tr("Held at a value while you look; it is not saved and stands on the Verdict strip"));
    connect(how, &QComboBox::activated, this, [this, full, on_off = s.on_off(), start = s.start](int to) {
        QTimer::singleShot(0, this, [=, this] {
            workspace_.results.force(full.toStdString(), to == 0 ? std::nullopt
                                                                 : std::optional<double>(!on_off   ? start
                                                                                         : to == 1 ? 1.0
                                                                                                   : 0.0));
        });
    });
    grid.add(tr("value"), how);
    if (is_forced && !s.on_off()) {
        auto* number = new NumberField(QString::fromStdString(s.unit), -1e9, 1e9);
        number->setObjectName("signal_force_value");
        number->set_value(forced->second);
        connect(number, &NumberField::changed, this, [this, full](double v) {
            QTimer::singleShot(0, this, [=, this] { workspace_.results.force(full.toStdString(), v); });
        });
        grid.add(tr("to"), number, QString::fromStdString(s.unit));
    }
    auto* lane = new QCheckBox;
    lane->setObjectName("signal_lane");
    lane->setChecked(workspace_.view_options.signal_lanes().contains(full));
    connect(
        lane, &QCheckBox::clicked, this, [this, full](bool on) { workspace_.view_options.show_signal_lane(full, on); });
    grid.add(tr("lane on the ribbon"), lane);
}

void SignalsPage::add_source(const cell::Signal& s) {
    if (!s.input()) return;
    auto* column = static_cast<QVBoxLayout*>(detail_->layout());
    const std::string device = workspace_.open.cell()->devices[s.device].id;
    auto* head = plain_label(tr("takes its value from"));
    head->setStyleSheet("color: #5C6870; font-size: 11px; padding-top: 6px;");
    column->addWidget(head);
    auto* line = new ConditionField(
        workspace_.open, device, false, s.on_off(), s.source ? QString::fromStdString(s.source->text()) : QString());
    line->setObjectName("signal_source");
    line->setAccessibleName(tr("What the input takes"));
    connect(line, &ConditionField::entered, this, [this, device, input = s.name](const QString& text) {
        edit([=](const cell::Layout& l) { return cell::connect_input(l, device, input, text.toStdString()); });
    });
    column->addWidget(line);
    if (!s.source) return;
    auto* off = link_button(tr("disconnect"), "signal_disconnect");
    connect(off, &QPushButton::clicked, this, [this, device, input = s.name] {
        edit([=](const cell::Layout& l) { return cell::connect_input(l, device, input, {}); });
    });
    column->addWidget(off, 0, Qt::AlignLeft);
}

void SignalsPage::add_description(const cell::Signal& s) {
    FieldGrid grid = new_field_grid(static_cast<QVBoxLayout*>(detail_->layout()));
    const std::string device = workspace_.open.cell()->devices[s.device].id;
    for (const auto& [what, label, text] :
        {std::tuple{"address", tr("address"), s.address}, {"comment", tr("comment"), s.comment}}) {
        auto* line = new QLineEdit(QString::fromStdString(text));
        line->setObjectName(QString("signal_") + what);
        line->setPlaceholderText(what == std::string("address") ? tr("none is given yet") : QString());
        connect(line, &QLineEdit::editingFinished, this, [this, line, device, name = s.name, key = std::string(what)] {
            if (!line->isModified()) return;
            line->setModified(false);
            edit([=, to = line->text().trimmed().toStdString()](
                     const cell::Layout& l) { return cell::describe_signal(l, device, name, key, to); });
        });
        grid.add(label, line);
    }
    auto* outside = new QCheckBox;
    outside->setObjectName("signal_outside");
    outside->setChecked(s.outside);
    outside->setToolTip(tr("In a live run a controller sets it, and its device or its source no longer"));
    connect(outside, &QCheckBox::clicked, this, [this, device, name = s.name](bool on) {
        edit([=](const cell::Layout& l) {
            return cell::describe_signal(l, device, name, "outside", on ? "yes" : "no");
        });
    });
    grid.add(tr("from outside"), outside);
}

void SignalsPage::renew_detail() {
    if (!isVisible()) return;
    if (detail_) {
        if (detail_->isAncestorOf(focusWidget()) && qobject_cast<QLineEdit*>(focusWidget()) &&
            static_cast<QLineEdit*>(focusWidget())->isModified())
            return;  // somebody is typing there
        side_->removeWidget(detail_);
    }
    const FormPlace place(side_->parentWidget());
    if (detail_) retire(detail_);
    detail_ = new QWidget;
    auto* column = new QVBoxLayout(detail_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    side_->insertWidget(0, detail_);
    const int signal = chosen();
    if (signal < 0) {
        auto* hint =
            plain_label(tr("Choose a signal to see who sets and hears it, to connect an input, or to hold it at a "
                           "value. Signals of its own a device gets on its card, under \"Signals and tasks\"."));
        hint->setWordWrap(true);
        hint->setStyleSheet("color: #5C6870; font-size: 11px;");
        column->addWidget(hint);
        return;
    }
    const cell::Signal& s = workspace_.open.cell()->signals[signal];
    auto* title = plain_label(QString::fromStdString(workspace_.open.cell()->devices[s.device].name + "  " + s.name));
    title->setFont(theme::font(13, true));
    title->setWordWrap(true);
    column->addWidget(title);
    auto* full = plain_label(tr("%1, %2; in conditions: %3").arg(tr(word(s.way)), tr(word(s.type)), chosen_));
    full->setWordWrap(true);
    full->setStyleSheet("color: #5C6870; font-size: 11px;");
    full->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(full);
    add_source(s);
    add_force(s, chosen_);
    add_uses(tr("set by"), wiring_.set_by[signal]);
    add_uses(tr("heard by"), wiring_.heard_by[signal]);
    add_description(s);
}

}  // namespace escarp::desktop
