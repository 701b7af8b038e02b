#include "shape_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

#include "import_geometry.h"

namespace escarp::desktop {
namespace {

/// Nothing: it was cancelled. Throws InputError.
std::optional<exchange::ShapeCosts> costs_of(
    OpenCell& open, const std::string& mesh, const std::vector<exchange::ShapeCut>& cuts, QWidget* parent) {
    std::optional<exchange::ShapeCosts> found;
    run_beside(parent, QObject::tr("Cutting the shape"), [&, layout = open.layout()](const exchange::LoadWatch& watch) {
        inspection::Cache cache;
        try {
            found = exchange::shape_costs(layout, mesh, cuts, cache, watch.cancel, watch.progress);
        } catch (const inspection::Cancelled&) {
        }
    });
    return found;
}

}  // namespace

ShapeDialog::ShapeDialog(
    OpenCell& open, Selection& selection, const QString& mesh, exchange::ShapeCosts costs, QWidget* parent)
    : QDialog(parent), open_(open), selection_(selection), mesh_(mesh), costs_(std::move(costs)) {
    setObjectName("shape_dialog");
    setWindowTitle(tr("Shape of %1 for checks").arg(QString::fromStdString(costs_.name)));
    resize(860, 390);
    auto* rows = new QVBoxLayout(this);
    auto* said = plain_label(
        tr("Clearance and collisions are checked with convex pieces that hold the whole of it. The more there are, the "
           "less they add to the true surface, and the longer checks take."));
    said->setWordWrap(true);
    rows->addWidget(said);
    table_ = new QTableWidget(0, 5);
    table_->setObjectName("shape_table");
    table_->setHorizontalHeaderLabels(
        {tr("Pieces"), tr("They add"), tr("Stand out by"), tr("Least clearance"), tr("Between")});
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(4, QHeaderView::Stretch);
    rows->addWidget(table_, 1);
    if (!costs_.now.closed)
        rows->addWidget(plain_label(tr("Its surface is not closed: what lies behind a gap counts as added.")));
    rows->addLayout(make_by_hand());
    auto* line = new QHBoxLayout;
    line->addWidget(plain_label(tr("by itself, at most")));
    most_ = new QSpinBox;
    most_->setObjectName("shape_most");
    most_->setRange(1, 200);
    most_->setValue(64);
    line->addWidget(most_);
    auto* more = new QPushButton(tr("Try this many"));
    more->setObjectName("shape_try");
    line->addWidget(more);
    line->addStretch(1);
    auto* take = new QPushButton(tr("Check it so"));
    take->setObjectName("shape_take");
    auto* leave = new QPushButton(tr("Leave as it is"));
    line->addWidget(take);
    line->addWidget(leave);
    rows->addLayout(line);
    connect(more, &QPushButton::clicked, this, [this] { try_cut({most_->value(), {}}); });
    connect(take, &QPushButton::clicked, this, &ShapeDialog::take);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(table_, &QTableWidget::itemSelectionChanged, this,
        [this, take] { take->setEnabled(table_->currentRow() > 0); });
    take->setEnabled(false);
    add_row(tr("%1 (as it is)").arg(costs_.now.pieces), costs_.now, true);
    for (const exchange::ShapeCost& c : costs_.cut) add_row(QString::number(c.pieces), c, false);
}

void ShapeDialog::add_row(const QString& what, const exchange::ShapeCost& c, bool present) {
    const int row = table_->rowCount();
    table_->insertRow(row);
    int column = 0;
    const auto put = [&](const QString& text, const QColor& colour = theme::ink) {
        auto* item = new QTableWidgetItem(text);
        item->setForeground(colour);
        if (column < 4) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        if (present) {
            QFont font = item->font();
            font.setBold(true);
            item->setFont(font);
        }
        item->setToolTip(plain(text));
        table_->setItem(row, column++, item);
    };
    put(what);
    put(tr("%1 l").arg(c.added_litres, 0, 'f', 2));
    put(tr("%1 mm").arg(1e3 * c.farthest, 0, 'f', 0));
    if (!c.clearance) return put(tr("a metre or more")), put({});
    const bool hits = c.clearance->distance <= 0;
    put(hits ? tr("%1 hits").arg(QStringLiteral("\u2715")) : tr("%1 mm").arg(1e3 * c.clearance->distance, 0, 'f', 1),
        hits ? theme::stop : theme::ink);
    put(QString::fromStdString(c.clearance->body_a + ", " + c.clearance->body_b));
}

QLayout* ShapeDialog::make_by_hand() {
    auto* line = new QHBoxLayout;
    line->addWidget(plain_label(tr("by hand, across")));
    axis_ = new QComboBox;
    axis_->setObjectName("shape_axis");
    for (const char* name : {"x", "y", "z"}) axis_->addItem(name);
    line->addWidget(axis_);
    line->addWidget(plain_label(tr("at")));
    at_ = new QDoubleSpinBox;
    at_->setObjectName("shape_at");
    at_->setDecimals(1);
    at_->setSuffix(tr(" mm"));
    line->addWidget(at_);
    auto* cut = new QPushButton(tr("Cut there"));
    cut->setObjectName("shape_cut");
    line->addWidget(cut);
    undo_ = new QPushButton(tr("Begin anew"));
    undo_->setObjectName("shape_uncut");
    undo_->setEnabled(false);
    line->addWidget(undo_);
    offered_ = plain_label();
    offered_->setObjectName("shape_offered");
    offered_->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    line->addWidget(offered_, 1);
    connect(axis_, &QComboBox::currentIndexChanged, this, &ShapeDialog::show_range);
    connect(cut, &QPushButton::clicked, this, &ShapeDialog::cut_by_hand);
    connect(undo_, &QPushButton::clicked, this, [this] {
        planes_.clear();
        undo_->setEnabled(false);
        offer(costs_.now.next);
    });
    offer(costs_.now.next);
    return line;
}

/// Where a plane cuts at all.
void ShapeDialog::show_range() {
    const int axis = axis_->currentIndex();
    at_->setRange(1e3 * costs_.box.low[axis] + 0.1, 1e3 * costs_.box.high[axis] - 0.1);
    at_->setToolTip(tr("In its own frame, from %1 to %2 mm")
                        .arg(1e3 * costs_.box.low[axis], 0, 'f', 1)
                        .arg(1e3 * costs_.box.high[axis], 0, 'f', 1));
}

/// The best plane stands ready.
void ShapeDialog::offer(const std::optional<geometry::CutPlane>& plane) {
    best_ = plane;
    if (best_) axis_->setCurrentIndex(best_->axis);
    show_range();
    if (best_) at_->setValue(1e3 * best_->at);
    const QString so_far = planes_.empty() ? QString() : QString::fromStdString(exchange::in_words(planes_)) + "; ";
    offered_->setText(best_ ? tr("%1best next: %2").arg(so_far, QString::fromStdString(exchange::in_words({*best_})))
                            : tr("%1no hollow is left").arg(so_far));
}

void ShapeDialog::cut_by_hand() {
    geometry::CutPlane plane{axis_->currentIndex(), 1e-3 * at_->value()};
    if (best_ && best_->axis == plane.axis && std::abs(best_->at - plane.at) < 1e-4) plane = *best_;
    planes_.push_back(plane);
    undo_->setEnabled(true);
    try_cut({1, planes_});
}

void ShapeDialog::try_cut(const exchange::ShapeCut& cut) {
    try {
        const auto found = costs_of(open_, mesh_.toStdString(), {cut}, this);
        if (!found) return;
        costs_.cut.push_back(found->cut.front());
        const exchange::ShapeCost& c = costs_.cut.back();
        const QString pieces = QString::number(c.pieces);
        add_row(cut.by_hand.empty() ? pieces : tr("%1 (by hand)").arg(pieces), c, false);
        if (!cut.by_hand.empty()) offer(c.next);
        table_->selectRow(table_->rowCount() - 1);
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(windowTitle(), QString::fromStdString(e.problems().front().message));
    }
}

void ShapeDialog::take() {
    const int row = table_->currentRow() - 1;
    if (row >= 0 && open_.apply(costs_.cut[row].edit)) accept();
}

void ask_for_shape(OpenCell& open, Selection& selection, QWidget* window) {
    const QString title = QObject::tr("Shape for checks");
    const auto cell = open.cell();
    const int index = cell->device(selection.first().device.toStdString());
    std::string mesh;
    if (index >= 0)
        for (const std::string& id : exchange::meshes_of(cell->devices[index]))
            if (mesh.empty()) mesh = id;
    if (mesh.empty())
        return Q_EMIT open.refused(
            title, QObject::tr("Select a device that is imported geometry, or an arm with a tool that is."));
    try {
        if (auto costs = costs_of(open, mesh, {{1}, {8}, {32}}, window))
            ShapeDialog(open, selection, QString::fromStdString(mesh), std::move(*costs), window).exec();
    } catch (const cell::InputError& e) {
        Q_EMIT open.refused(title, QString::fromStdString(e.problems().front().message));
    }
}

}  // namespace escarp::desktop
