#include "variant_tabs.h"

#include <QDragEnterEvent>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QTimer>
#include <QToolButton>

#include <desktop/fields/path_drag.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/scrolling_row.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

constexpr int widest_name = 200;  // pixels; a longer one ends in an ellipsis

}  // namespace

VariantTabs::VariantTabs(OpenCell& open, QWidget* parent) : QWidget(parent), open_(open), row_(new QHBoxLayout(this)) {
    setObjectName("variant_tabs");
    setFixedHeight(32);
    setStyleSheet(
        "QToolButton { border: 1px solid #D8D2C4; border-bottom: none; border-top: 3px solid transparent; "
        "border-radius: 0; background: #E9E3D4; padding: 3px 16px; }"
        "QToolButton:checked { background: #FCFAF5; border-top: 3px solid #B4521B; color: #1F2A33; font-weight: bold; "
        "} QToolButton#add_variant { background: transparent; border: none; }");
    row_->setContentsMargins(10, 4, 12, 0);
    row_->setSpacing(3);
    connect(&open_, &OpenCell::document_changed, this, &VariantTabs::rebuild);
    rebuild();
}

void VariantTabs::add_page(Page page) {
    pages_.push_back(std::move(page));
    built_from_.clear();
    rebuild();
}

void VariantTabs::show_page(const QString& id) {
    if (page_ == id) return;
    page_ = id;
    built_from_.clear();
    rebuild();
    Q_EMIT page_changed();
}

void VariantTabs::rebuild() {
    QString now = open_.variant() + QString::fromStdString(open_.document().baseline());
    for (const cell::VariantInfo& v : open_.document().variants()) now += QString::fromStdString("|" + v.id + v.name);
    const auto differences = open_.shown_document().differences(open_.variant().toStdString()).size();
    now += QString::number(differences);
    if (now == built_from_) return;
    built_from_ = now;
    clear(row_);
    add_variants();
    auto* add = new QToolButton;
    add->setObjectName("add_variant");
    add->setText(tr("+ variant"));
    connect(add, &QToolButton::clicked, this, [this] { QTimer::singleShot(0, this, &VariantTabs::add_variant); });
    row_->addWidget(add);
    row_->addSpacing(10);
    add_pages();
    const QString base = QString::fromStdString(open_.document().baseline());
    note_ =
        plain_label(open_.variant() == base
                        ? tr("%1 is the baseline").arg(base)
                        : tr("differs from %1 in %2")
                              .arg(base, counted(static_cast<std::size_t>(differences), tr("value"), tr("values"))));
    note_->setStyleSheet("color: #5C6870; font-size: 11px;");
    note_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    note_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);  // it gives way to the tabs
    row_->addWidget(note_, 1);
}

void VariantTabs::add_variants() {
    auto* variants = new ScrollingRow(row_->spacing());
    variants->setObjectName("variant_row");
    QToolButton* chosen_tab = nullptr;
    for (const cell::VariantInfo& v : open_.document().variants()) {
        const QString id = QString::fromStdString(v.id);
        auto* tab = new QToolButton;
        tab->setObjectName("variant_" + id);
        const QString name = id + " " + QString::fromStdString(v.name);
        QFont chosen = tab->font();
        chosen.setBold(true);
        const QString shown = QFontMetrics(chosen).elidedText(name, Qt::ElideRight, widest_name);
        tab->setText(menu_text(shown));
        tab->setMinimumWidth(QFontMetrics(chosen).horizontalAdvance(shown) + 44);  // as wide as it is when it is chosen
        tab->setCheckable(true);
        tab->setChecked(page_ == cell_page && id == open_.variant());
        tab->setContextMenuPolicy(Qt::CustomContextMenu);
        tab->setToolTip(plain(
            (shown == name ? QString() : name + "\n") + tr("Right-click to rename, drop or make it the baseline")));
        if (tab->isChecked()) chosen_tab = tab;
        connect(tab, &QToolButton::clicked, this, [this, id] {
            QTimer::singleShot(0, this, [this, id] {
                show_page(cell_page);
                open_.set_variant(id);
                built_from_.clear();
                rebuild();
            });
        });
        connect(tab, &QToolButton::customContextMenuRequested, this,
            [this, id, tab](const QPoint& at) { menu_for(id, tab->mapToGlobal(at)); });
        variants->add(tab);
    }
    row_->addWidget(variants);
    if (chosen_tab) variants->show_whole(chosen_tab);
}

void VariantTabs::add_pages() {
    for (const Page& page : pages_) {
        auto* tab = new QToolButton;
        tab->setObjectName(page.id + "_tab");
        tab->setText(page.tab);
        tab->setCheckable(true);
        tab->setChecked(page_ == page.id);
        tab->setProperty("page", page.id);
        if (page.takes_numbers) tab->setAcceptDrops(true), tab->installEventFilter(this);
        connect(tab, &QToolButton::clicked, this, [this, to = page.id] {
            QTimer::singleShot(0, this, [this, to] {
                show_page(to);
                built_from_.clear();
                rebuild();
            });
        });
        row_->addWidget(tab);
    }
}

/// A number that is carried to the studies finds them open.
bool VariantTabs::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::DragEnter) {
        auto* drag = static_cast<QDragEnterEvent*>(event);
        if (!drag->mimeData()->hasFormat(path_format)) return false;
        drag->acceptProposedAction();
        show_page(watched->property("page").toString());
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void VariantTabs::add_variant() {
    bool ok = false;
    const QString name = QInputDialog::getText(this, tr("New variant"),
        tr("A copy of %1 that keeps only what you change. Its name:").arg(open_.variant()), QLineEdit::Normal,
        tr("Another layout"), &ok)
                             .trimmed();
    if (!ok || name.isEmpty()) return;
    const std::string id = open_.document().free_variant_id();
    if (!open_.replace(open_.document().with_variant(id, name.toStdString(), open_.variant().toStdString()),
            tr("New variant %1").arg(name)))
        return;
    show_page(cell_page);
    open_.set_variant(QString::fromStdString(id));
}

void VariantTabs::rename(const QString& id) {
    bool ok = false;
    const QString name = QInputDialog::getText(
        this, tr("Rename variant"), tr("Name of %1:").arg(id), QLineEdit::Normal, open_.variant_name(id), &ok)
                             .trimmed();
    if (ok && !name.isEmpty())
        open_.replace(open_.document().renamed_variant(id.toStdString(), name.toStdString()), tr("Rename variant"));
}

void VariantTabs::make_baseline(const QString& id) {
    open_.replace(open_.document().with_baseline(id.toStdString()), tr("Choose baseline %1").arg(id));
}

void VariantTabs::drop(const QString& id) {
    if (id == QString::fromStdString(open_.document().baseline())) {
        Q_EMIT open_.refused(tr("The baseline cannot be dropped"), tr("Make another variant the baseline first."));
        return;
    }
    open_.replace(open_.document().without_variant(id.toStdString()), tr("Drop variant %1").arg(id));
}

void VariantTabs::menu_for(const QString& id, const QPoint& global) {
    QMenu menu(this);
    const bool base = id == QString::fromStdString(open_.document().baseline());
    menu.addAction(tr("Rename \u2026"), this, [this, id] { rename(id); });
    menu.addAction(tr("Make it the baseline"), this, [this, id] { make_baseline(id); })->setEnabled(!base);
    menu.addAction(tr("Drop"), this, [this, id] { drop(id); })->setEnabled(!base);
    menu.exec(global);
}

}  // namespace escarp::desktop
