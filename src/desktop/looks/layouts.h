#pragma once
#include <QLayout>
#include <QPushButton>
#include <QWidget>

#include "form_place.h"

namespace escarp::desktop {

/// Takes everything out of a layout. Widgets go when control is back in the event loop: one of them may be the caller.
inline void clear(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (QWidget* w = item->widget()) retire(w);
        if (item->layout()) clear(item->layout());
        delete item;
    }
}

/// A button that looks like a word to press.
inline QPushButton* link_button(const QString& text, const QString& name) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setProperty("link", true);
    b->setCursor(Qt::PointingHandCursor);
    return b;
}

}  // namespace escarp::desktop
