#include "form_place.h"

#include <QApplication>
#include <QLineEdit>
#include <QScrollBar>
#include <QTimer>

namespace escarp::desktop {
namespace {
constexpr const char* about_to_scroll = "about_to_scroll";
}

FormPlace::FormPlace(QWidget* page, QScrollArea* area) : page_(page), area_(area) {
    const QWidget* has = QApplication::focusWidget();
    if (has && page->isAncestorOf(has)) {
        field_ = has->objectName();
        if (const auto* line = qobject_cast<const QLineEdit*>(has); line && line->isModified())
            cursor_ = line->cursorPosition();
    }
    if (area_) scrolled_ = scrolled_to(area_);
}

FormPlace::~FormPlace() {
    if (!field_.isEmpty())
        if (auto* again = page_->findChild<QWidget*>(field_)) {
            again->setFocus();
            // What is typed next takes the place of a value that nobody has begun to change.
            auto* line = qobject_cast<QLineEdit*>(again);
            if (line && cursor_ >= 0) line->setCursorPosition(cursor_);
            if (line && cursor_ < 0) line->selectAll();
        }
    if (area_) keep_scrolled(area_, scrolled_);
}

void retire(QWidget* widget) {
    widget->hide();
    widget->setParent(nullptr);
    widget->deleteLater();
}

int scrolled_to(const QScrollArea* area) {
    const QVariant wanted = area->property(about_to_scroll);
    return wanted.isValid() ? wanted.toInt() : area->verticalScrollBar()->value();
}

void keep_scrolled(QScrollArea* area, int value) {
    area->setProperty(about_to_scroll, value);
    // The size of the new form is known when what was posted for its layout has been done.
    QTimer::singleShot(0, area, [area] {
        const QVariant wanted = area->property(about_to_scroll);
        if (!wanted.isValid()) return;
        area->setProperty(about_to_scroll, QVariant());
        if (area->widget() && area->widget()->layout()) area->widget()->layout()->activate();
        QApplication::sendPostedEvents(area->widget(), QEvent::LayoutRequest);
        area->verticalScrollBar()->setValue(wanted.toInt());
    });
}

}  // namespace escarp::desktop
