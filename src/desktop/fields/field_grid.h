#pragma once
// Labels and fields under each other, as on the cards of the Worksheet.

#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>

#include <desktop/looks/plain_text.h>

namespace escarp::desktop {

struct FieldGrid {
    QGridLayout* layout;
    int row = 0;
    QLabel* add(const QString& label, QWidget* field, const QString& unit = {}) {
        auto* l = plain_label(label);
        l->setStyleSheet("color: #5C6870; font-size: 11px;");
        l->setBuddy(field);
        field->setFixedHeight(20);
        field->setMinimumWidth(60);
        field->setSizePolicy(
            QSizePolicy::Ignored, QSizePolicy::Fixed);  // the column gives the width, not the longest entry
        field->setAccessibleName(label);
        layout->addWidget(l, row, 0);
        layout->addWidget(field, row, 1, 1, unit.isEmpty() ? 2 : 1);
        if (!unit.isEmpty()) {
            auto* u = plain_label(unit);
            u->setStyleSheet("color: #5C6870; font-size: 10px;");
            layout->addWidget(u, row, 2);
        }
        ++row;
        return l;
    }
};

inline FieldGrid new_field_grid(QVBoxLayout* into) {
    auto* grid = new QGridLayout;
    grid->setContentsMargins(24, 2, 8, 4);
    grid->setHorizontalSpacing(5);
    grid->setVerticalSpacing(2);
    grid->setColumnStretch(1, 1);
    into->addLayout(grid);
    return {grid};
}

}  // namespace escarp::desktop
