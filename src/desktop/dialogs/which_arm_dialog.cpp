#include "which_arm_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

#include "import_geometry.h"

namespace escarp::desktop {

WhichArmDialog::WhichArmDialog(
    OpenCell& open, Selection& selection, const QString& arm, std::vector<study::ArmChoice> choices, QWidget* parent)
    : QDialog(parent), open_(open), selection_(selection), choices_(std::move(choices)) {
    setObjectName("which_arm_dialog");
    setWindowTitle(tr("Which arm for the task of %1?").arg(arm));
    resize(1100, 470);
    auto* rows = new QVBoxLayout(this);
    auto* said =
        plain_label(tr("The task as it stands, given to every arm of the catalogue and of this file. The best base is "
                       "the one that may be moved farthest before a pose is lost. A cycle is shown where every pose is "
                       "reached; collisions are judged once the arm is in the cell."));
    said->setWordWrap(true);
    rows->addWidget(said);
    table_ = new QTableWidget(static_cast<int>(choices_.size()), 8);
    table_->setObjectName("which_arm_table");
    table_->setHorizontalHeaderLabels({tr("Arm"), tr("Load of payload"), tr("Poses here"), tr("Least margin"),
        tr("Cycle here"), tr("Poses at best base"), tr("Least margin"), tr("Cycle there")});
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    rows->addWidget(table_, 1);
    auto* line = new QHBoxLayout;
    here_ = new QPushButton(tr("Take it where the arm stands"));
    here_->setObjectName("take_here");
    best_ = new QPushButton(tr("Take it at its best base"));
    best_->setObjectName("take_best");
    auto* leave = new QPushButton(tr("Leave as it is"));
    line->addStretch(1);
    for (QPushButton* b : {here_, best_, leave}) line->addWidget(b);
    rows->addLayout(line);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(here_, &QPushButton::clicked, this, [this] { take(chosen()->here.edit); });
    connect(best_, &QPushButton::clicked, this, [this] { take(chosen()->best->edit); });
    const auto renew = [this] {
        const study::ArmChoice* c = chosen();
        here_->setEnabled(c && !c->present);
        best_->setEnabled(c && c->best);
    };
    connect(table_, &QTableWidget::itemSelectionChanged, this, renew);
    fill();
    renew();
}

const study::ArmChoice* WhichArmDialog::chosen() const {
    const auto selected = table_->selectionModel()->selectedRows();
    return selected.isEmpty() ? nullptr : &choices_[selected.front().row()];
}

void WhichArmDialog::take(const cell::Edit& edit) {
    if (open_.apply(edit)) accept();
}

void WhichArmDialog::fill() {
    double quickest = 1e9;
    for (const study::ArmChoice& c : choices_)
        quickest = std::min({quickest, c.here.cycle_s.value_or(1e9), c.best ? c.best->cycle_s.value_or(1e9) : 1e9});
    for (const int i : indices(choices_)) {
        const study::ArmChoice& c = choices_[i];
        int column = 0;
        const auto put = [&](const QString& text, const QColor& colour = theme::ink, bool bold = false) {
            auto* item = new QTableWidgetItem(text);
            item->setForeground(colour);
            QFont font = item->font();
            font.setBold(bold);
            item->setFont(font);
            if (column > 0) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            item->setToolTip(QString::fromStdString(c.solver));
            table_->setItem(i, column++, item);
        };
        const auto mounted = [&](const study::Mounted* m) {
            if (!m) {
                put(tr("nowhere all")), put({}), put({});
                return;
            }
            const bool all = m->reached == m->poses;
            put(tr("%1%2 of %3").arg(all ? QString() : QStringLiteral("\u2715 ")).arg(m->reached).arg(m->poses),
                all ? theme::good : theme::stop);
            put(!m->margin_m           ? QString()
                : *m->margin_m >= 0.2  ? tr("200 mm or more")
                : *m->margin_m <= -0.2 ? tr("200 mm short or more")
                                       : tr("%1 mm").arg(*m->margin_m * 1e3, 0, 'f', 0));
            put(m->cycle_s ? tr("%1 s").arg(*m->cycle_s, 0, 'f', 2) : QStringLiteral("\u2013"), theme::ink,
                m->cycle_s && *m->cycle_s <= quickest + 1e-9);
        };
        put(c.present ? tr("%1 (as it is)").arg(QString::fromStdString(c.name)) : QString::fromStdString(c.name),
            theme::ink, c.present);
        const bool heavy = c.load > c.payload;
        put(tr("%1%2 of %3 kg")
                .arg(heavy ? QStringLiteral("\u2715 ") : QString())
                .arg(c.load, 0, 'f', 1)
                .arg(c.payload, 0, 'f', 0),
            heavy ? theme::stop : theme::ink);
        mounted(&c.here);
        mounted(c.best ? &*c.best : nullptr);
    }
}

void ask_which_arm(OpenCell& open, Selection& selection, QWidget* window) {
    const std::string arm = selection.first().device.toStdString();
    const int index = open.cell()->device(arm);
    if (index < 0 || !open.cell()->devices[index].arm)
        return Q_EMIT open.refused(
            QObject::tr("Which arm?"), QObject::tr("Select the arm whose task is to be given to others."));
    const QString name = QString::fromStdString(open.cell()->devices[index].name);
    std::vector<study::ArmChoice> choices;
    bool cancelled = false;
    try {
        run_beside(
            window, QObject::tr("Trying every arm"), [&, layout = open.layout()](const exchange::LoadWatch& watch) {
                inspection::Cache cache;
                try {
                    choices = study::which_arm(layout, arm, cache, watch.progress, watch.cancel);
                } catch (const inspection::Cancelled&) {
                    cancelled = true;
                }
            });
    } catch (const cell::InputError& e) {
        return Q_EMIT open.refused(QObject::tr("Which arm?"), QString::fromStdString(e.problems().front().message));
    }
    if (!cancelled) WhichArmDialog(open, selection, name, std::move(choices), window).exec();
}

}  // namespace escarp::desktop
