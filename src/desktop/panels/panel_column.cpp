#include "panel_column.h"

#include <QVBoxLayout>

namespace escarp::desktop {

PanelColumn::PanelColumn(QWidget* parent)
    : QWidget(parent), tabs_(new FlowLayout(nullptr, 2, 2)), stack_(new QStackedWidget) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    tabs_->setContentsMargins(3, 4, 2, 0);
    rows->addLayout(tabs_);
    rows->addWidget(stack_, 1);
    setMinimumWidth(200);
}

void PanelColumn::add(const QString& id, const QString& title, QWidget* panel) {
    auto* tab = new QToolButton;
    tab->setText(title);
    tab->setObjectName(id + "_tab");
    tab->setCheckable(true);
    tab->setStyleSheet("font-size: 11px; padding: 2px 1px;");
    tab->setChecked(panels_.empty());
    connect(tab, &QToolButton::clicked, this, [this, id] { Q_EMIT asked_for(id); });
    tabs_->addWidget(tab);
    stack_->addWidget(panel);
    panels_[id] = {panel, tab};
}

void PanelColumn::show_panel(const QString& id) {
    stack_->setCurrentWidget(panels_.at(id).widget);
    for (const auto& [other, panel] : panels_) panel.tab->setChecked(other == id);
}

}  // namespace escarp::desktop
