#include "device_list.h"

#include <QHeaderView>
#include <QLabel>
#include <QTreeWidgetItemIterator>
#include <QVBoxLayout>

#include <cell/model/device_kind.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {
enum Column { name, shown, locked };
}

DeviceList::DeviceList(OpenCell& open, Selection& selection, ViewOptions& view_options, QWidget* parent)
    : QWidget(parent),
      open_(open),
      selection_(selection),
      view_options_(view_options),
      line_(new QLineEdit),
      tree_(new QTreeWidget) {
    setObjectName("device_list");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(5);
    auto* title = marked_label(tr("<b>DEVICES</b> &nbsp;<span style='color:#5C6870'>what stands on what</span>"));
    title->setStyleSheet("color: #5C6870; font-size: 11px;");
    layout->addWidget(title);
    line_->setObjectName("device_search");
    line_->setPlaceholderText(tr("Search by name or kind"));
    line_->setAccessibleName(tr("Search the devices"));
    line_->setClearButtonEnabled(true);
    layout->addWidget(line_);
    make_tree();
    layout->addWidget(tree_, 1);
    connect(line_, &QLineEdit::textChanged, this, &DeviceList::narrow);
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (!open_.trying()) rebuild();
    });
    connect(&selection_, &Selection::selection_changed, this, &DeviceList::show_selection);
    connect(&view_options_, &ViewOptions::shown_changed, this, &DeviceList::rebuild);
    rebuild();
}

void DeviceList::make_tree() {
    tree_->setObjectName("device_tree");
    tree_->setAccessibleName(tr("Devices"));
    tree_->setColumnCount(3);
    tree_->setHeaderLabels({tr("name"), tr("shown"), tr("locked")});
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(name, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(shown, QHeaderView::ResizeToContents);
    tree_->header()->setSectionResizeMode(locked, QHeaderView::ResizeToContents);
    tree_->header()->setFont(theme::font(10));
    tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    tree_->setFrameShape(QFrame::NoFrame);
    tree_->setIndentation(12);
    tree_->setFont(theme::font(11));
    connect(tree_, &QTreeWidget::itemSelectionChanged, this, [this] {
        if (quiet_) return;
        QStringList ids;
        for (QTreeWidgetItem* item : tree_->selectedItems()) ids << item->data(name, Qt::UserRole).toString();
        if (tree_->currentItem() && ids.removeOne(tree_->currentItem()->data(name, Qt::UserRole).toString()))
            ids.prepend(tree_->currentItem()->data(name, Qt::UserRole).toString());
        quiet_ = true;
        selection_.select_devices(ids);
        quiet_ = false;
    });
    connect(tree_, &QTreeWidget::itemChanged, this, &DeviceList::tick);
}

/// Shown or hidden, locked or not.
void DeviceList::tick(QTreeWidgetItem* item, int column) {
    if (quiet_) return;
    const QString id = item->data(name, Qt::UserRole).toString();
    const bool on = item->checkState(column) == Qt::Checked;
    if (column == shown) {
        QSet<QString> hidden = view_options_.hidden();
        if (on) hidden.remove(id);
        else hidden.insert(id);
        QMetaObject::invokeMethod(
            this, [this, hidden] { view_options_.set_hidden(hidden); }, Qt::QueuedConnection);
    } else if (column == locked) {
        const cell::Path at = cell::at_device(id.toStdString()) / "locked";
        const cell::Edit edit{(on ? tr("Lock %1") : tr("Unlock %1")).arg(item->text(name)).toStdString(),
            {on ? cell::Operation::set(at, true) : cell::Operation::remove(at)}};
        QMetaObject::invokeMethod(
            this, [this, edit] { open_.apply(edit); }, Qt::QueuedConnection);
    }
}

void DeviceList::search() {
    line_->setFocus();
    line_->selectAll();
}

void DeviceList::rebuild() {
    if (!isVisible() && tree_->topLevelItemCount() == 0 && open_.cell()->devices.empty()) return;
    quiet_ = true;
    tree_->clear();
    const cell::Cell& c = *open_.cell();
    std::vector<QTreeWidgetItem*> items(c.devices.size(), nullptr);
    const auto make = [&](auto&& self, std::size_t i) -> QTreeWidgetItem* {
        if (items[i]) return items[i];
        const cell::Device& d = c.devices[i];
        QTreeWidgetItem* item = d.host >= 0 ? new QTreeWidgetItem(self(self, static_cast<std::size_t>(d.host)))
                                            : new QTreeWidgetItem(tree_);
        item->setText(name, QString::fromStdString(d.name));
        item->setToolTip(
            name, plain(QString::fromStdString(d.kind->label()) +
                        (d.group.empty() ? QString() : tr(", group %1").arg(QString::fromStdString(d.group)))));
        item->setData(name, Qt::UserRole, QString::fromStdString(d.id));
        item->setCheckState(shown, view_options_.hidden(d.id) ? Qt::Unchecked : Qt::Checked);
        item->setCheckState(locked, d.locked ? Qt::Checked : Qt::Unchecked);
        return items[i] = item;
    };
    for (std::size_t i = 0; i < items.size(); ++i) make(make, i);
    tree_->expandAll();
    quiet_ = false;
    narrow();
    show_selection();
}

void DeviceList::show_selection() {
    if (quiet_) return;
    quiet_ = true;
    for (QTreeWidgetItemIterator it(tree_); *it; ++it) {
        const QString id = (*it)->data(name, Qt::UserRole).toString();
        (*it)->setSelected(selection_.has(id.toStdString()));
        if (id == selection_.first().device) {
            tree_->setCurrentItem(*it, 0, QItemSelectionModel::NoUpdate);
            tree_->scrollToItem(*it);
        }
    }
    quiet_ = false;
}

void DeviceList::narrow() {
    const QStringList words = line_->text().split(' ', Qt::SkipEmptyParts);
    // A host stays in view for its riders' sake.
    const auto fits = [&](auto&& self, QTreeWidgetItem* item) -> bool {
        const QString all = item->text(name) + " " + item->toolTip(name);
        bool any = std::all_of(
            words.begin(), words.end(), [&](const QString& w) { return all.contains(w, Qt::CaseInsensitive); });
        for (int i = 0; i < item->childCount(); ++i) any = self(self, item->child(i)) || any;
        item->setHidden(!any);
        return any;
    };
    for (int i = 0; i < tree_->topLevelItemCount(); ++i) fits(fits, tree_->topLevelItem(i));
}

}  // namespace escarp::desktop
