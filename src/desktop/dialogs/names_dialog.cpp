#include "names_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLineEdit>
#include <QVBoxLayout>

#include <cell/edits/named/named_edit.h>
#include <desktop/fields/typed_number.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <study/named_edits.h>

namespace escarp::desktop {

namespace {
const char* const units[] = {"", "deg", "rad", "mm", "m"};
enum Column { in_the_cell, outside, in, times, plus, latest, columns };
}  // namespace

NamesDialog::NamesDialog(OpenCell& open, const cell::Link& link, QWidget* parent)
    : QDialog(parent), open_(open), link_(link), cell_(open.cell()), listener_(link) {
    setObjectName("names_dialog");
    setWindowTitle(tr("Names at %1").arg(plain(QString::fromStdString(link.name.empty() ? link.id : link.name))));
    resize(900, 560);
    auto* all = new QVBoxLayout(this);
    QLabel* what = plain_label(
        tr("What is told at the broker, and which of it is what in the cell. A value of the cell is the one outside, "
           "in the unit said, times the factor, plus the offset; a factor of -1 turns it round."));
    what->setWordWrap(true);
    all->addWidget(what);
    state_ = plain_label();
    state_->setObjectName("names_state");
    state_->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    all->addWidget(state_);
    table_ = new QTableWidget(0, columns);
    table_->setObjectName("names_table");
    table_->setWordWrap(false);
    table_->setHorizontalHeaderLabels(
        {tr("In the cell"), tr("Outside"), tr("Unit"), tr("Times"), tr("Plus"), tr("Heard")});
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Interactive);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->verticalHeader()->hide();
    all->addWidget(table_, 1);
    left_over_ = plain_label();
    left_over_->setObjectName("names_left_over");
    left_over_->setWordWrap(true);
    all->addWidget(left_over_);
    mistake_ = plain_label();
    mistake_->setObjectName("names_mistake");
    mistake_->setWordWrap(true);
    mistake_->setStyleSheet(QString("color: %1;").arg(theme::stop.name()));
    mistake_->hide();
    all->addWidget(mistake_);
    auto* buttons = new QHBoxLayout;
    propose_ = new QPushButton(tr("Propose"));
    propose_->setObjectName("names_propose");
    propose_->setToolTip(tr("By likeness of names, and by order among the joints of one message"));
    take_ = new QPushButton(tr("Take"));
    take_->setObjectName("names_take");
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("names_close");
    for (QPushButton* b : {propose_, take_, close}) b->setAutoDefault(false);
    buttons->addWidget(propose_);
    buttons->addStretch(1);
    buttons->addWidget(take_);
    buttons->addWidget(close);
    all->addLayout(buttons);
    connect(propose_, &QPushButton::clicked, this, &NamesDialog::propose);
    connect(take_, &QPushButton::clicked, this, &NamesDialog::take);
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
    fill();
    connect(&timer_, &QTimer::timeout, this, &NamesDialog::hear);
    constexpr int often_ms = 300;
    timer_.start(often_ms);
    hear();
}

/// A row for everything that can be heard from outside, with what the link says of it.
void NamesDialog::fill() {
    for (const link::Counterpart& one : link::counterparts(link_, *cell_, {}, link::Guess::none).ours) {
        const int row = table_->rowCount();
        table_->insertRow(row);
        auto* ours = new QTableWidgetItem(QString::fromStdString(one.ours));
        ours->setFlags(ours->flags() & ~Qt::ItemIsEditable);
        table_->setItem(row, in_the_cell, ours);
        auto* theirs = new QComboBox;
        theirs->setObjectName("names_theirs_" + QString::fromStdString(one.ours));
        theirs->setAccessibleName(tr("Outside: %1").arg(QString::fromStdString(one.ours)));
        theirs->setEditable(true);
        if (cell_->device(one.ours) < 0 && cell_->signal(one.ours) < 0)
            theirs->lineEdit()->setPlaceholderText(tr("by its own name"));
        theirs->setCurrentText(QString::fromStdString(one.name.theirs));
        table_->setCellWidget(row, outside, theirs);
        auto* unit = new QComboBox;
        unit->setObjectName("names_unit_" + QString::fromStdString(one.ours));
        unit->setAccessibleName(tr("Unit of %1").arg(QString::fromStdString(one.ours)));
        for (const char* u : units) unit->addItem(*u ? QString(u) : tr("as it is"), QString(u));
        unit->setCurrentIndex(std::max(0, unit->findData(QString::fromStdString(one.name.unit))));
        table_->setCellWidget(row, in, unit);
        const auto number = [&](int column, double value) {
            auto* item = new QTableWidgetItem(QString::number(value));
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            table_->setItem(row, column, item);
            return item;
        };
        auto* heard = new QTableWidgetItem;
        heard->setFlags(heard->flags() & ~Qt::ItemIsEditable);
        table_->setItem(row, latest, heard);
        rows_.push_back({one.ours, theirs, unit, number(times, one.name.factor), number(plus, one.name.offset), heard});
    }
    for (const auto& [column, width] : {std::pair(in_the_cell, 170), std::pair(outside, 290), std::pair(in, 90),
             std::pair(times, 70), std::pair(plus, 70)})
        table_->setColumnWidth(column, width);
}

void NamesDialog::hear() {
    const auto now = listener_.heard();
    state_->setText(tr("%1:%2: %3, %4 topics heard")
                        .arg(QString::fromStdString(link_.host))
                        .arg(link_.port)
                        .arg(QString::fromStdString(listener_.words()))
                        .arg(now.size()));
    if (now == heard_) return;
    heard_ = now;
    tell_left_over();
}

std::optional<cell::Link> NamesDialog::said() {
    cell::Link out = link_;
    out.names.clear();
    for (const Row& row : rows_) {
        cell::Link::Name name;
        name.ours = row.ours, name.theirs = row.theirs->currentText().trimmed().toStdString();
        if (name.theirs.empty()) continue;
        name.unit = row.unit->currentData().toString().toStdString();
        const std::optional<double> factor = typed_number(row.factor->text(), ""),
                                    offset = typed_number(row.offset->text(), "");
        if (!factor || !offset || *factor == 0) {
            mistake_->setText(
                tr("%1: a factor that is not 0, and an offset, are expected.").arg(QString::fromStdString(row.ours)));
            mistake_->show();
            return std::nullopt;
        }
        name.factor = *factor, name.offset = *offset;
        out.names.push_back(std::move(name));
    }
    mistake_->hide();
    return out;
}

/// What is heard beside each row, what can be chosen, and what has no counterpart.
void NamesDialog::tell_left_over() {
    cell::Link now = link_;
    now.names.clear();
    for (const Row& row : rows_)
        if (const QString text = row.theirs->currentText().trimmed(); !text.isEmpty())
            now.names.push_back({row.ours, text.toStdString(), {}, 1, 0});
    const link::Counterparts all = link::counterparts(now, *cell_, heard_, link::Guess::none);
    QStringList topics, unheard, theirs;
    for (const auto& [topic, payload] : heard_) topics << QString::fromStdString(topic);
    QHash<QString, QStringList> joints;  // by the arm's topic
    for (std::size_t i = 0; i < rows_.size() && i < all.ours.size(); ++i) {
        const link::Counterpart& one = all.ours[i];
        rows_[i].heard->setText(QString::fromStdString(one.heard));
        if (one.said && one.heard.empty() && !heard_.empty()) unheard << QString::fromStdString(one.ours);
        QComboBox* box = rows_[i].theirs;
        if (box->hasFocus() || box->view()->isVisible()) continue;
        const QString text = box->currentText();
        QStringList choices{QString()};
        const bool joint = cell_->device(rows_[i].ours) < 0 && cell_->signal(rows_[i].ours) < 0;
        if (!joint) choices << topics;
        else
            for (const std::string& name : link::joints_heard(now, rows_[i].ours, heard_))
                choices << QString::fromStdString(name);
        QStringList there;
        for (int k = 0; k < box->count(); ++k) there << box->itemText(k);
        if (there == choices) continue;
        box->clear();
        box->addItems(choices);
        box->setCurrentText(text);
    }
    for (const std::string& t : all.theirs) theirs << QString::fromStdString(t);
    QStringList lines;
    if (!theirs.isEmpty()) lines << tr("Outside, without a counterpart: %1").arg(theirs.mid(0, 12).join(", "));
    if (!unheard.isEmpty()) lines << tr("Named, and not heard: %1").arg(unheard.mid(0, 12).join(", "));
    left_over_->setText(lines.join("\n"));
    left_over_->setVisible(!lines.isEmpty());
}

void NamesDialog::propose() {
    const std::optional<cell::Link> now = said();
    if (!now) return;
    const link::Counterparts all = link::counterparts(*now, *cell_, heard_);
    for (std::size_t i = 0; i < rows_.size() && i < all.ours.size(); ++i) {
        const link::Counterpart& one = all.ours[i];
        if (one.said || one.name.theirs.empty()) continue;
        rows_[i].theirs->setCurrentText(QString::fromStdString(one.name.theirs));
        rows_[i].unit->setCurrentIndex(std::max(0, rows_[i].unit->findData(QString::fromStdString(one.name.unit))));
    }
    tell_left_over();
}

void NamesDialog::take() {
    const std::optional<cell::Link> now = said();
    if (!now) return;
    link::Counterparts all;
    for (const cell::Link::Name& name : now->names) all.ours.push_back({name.ours, name, true});
    try {
        const cell::Change change = cell::carry_out(open_.layout(),
            {{"do", "change link"}, {"link", link_.id}, {"names", link::names_json(all)}}, study::named_edits());
        if (open_.replace(change.document, tr("Names at %1").arg(QString::fromStdString(link_.name)))) accept();
    } catch (const cell::InputError& e) {
        mistake_->setText(QString::fromStdString(e.problems().front().message));
        mistake_->show();
    }
}

}  // namespace escarp::desktop
