#include "keyboard.h"

#include <QAbstractSlider>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMainWindow>
#include <QPlainTextEdit>
#include <QPointer>
#include <QScrollArea>
#include <QScrollBar>
#include <QTextEdit>
#include <QTimer>

#include <desktop/fields/number_field.h>

namespace escarp::desktop {
namespace {

/// Whether something that was typed here could be undone here.
bool being_typed_in(const QWidget* w) {
    if (const auto* line = qobject_cast<const QLineEdit*>(w)) return line->isModified() && line->isUndoAvailable();
    if (const auto* spin = qobject_cast<const QAbstractSpinBox*>(w)) {
        const auto* line = spin->findChild<const QLineEdit*>();
        return line && line->isModified() && line->isUndoAvailable();
    }
    if (const auto* combo = qobject_cast<const QComboBox*>(w))
        return combo->lineEdit() && being_typed_in(combo->lineEdit());
    if (const auto* text = qobject_cast<const QPlainTextEdit*>(w))
        return !text->isReadOnly() && text->document()->isUndoAvailable();
    if (const auto* text = qobject_cast<const QTextEdit*>(w))
        return !text->isReadOnly() && text->document()->isUndoAvailable();
    return false;
}

bool is_field(const QObject* o) {
    const auto* slider = qobject_cast<const QAbstractSlider*>(o);
    return qobject_cast<const QComboBox*>(o) || qobject_cast<const QAbstractSpinBox*>(o) ||
           (slider && !qobject_cast<const QScrollBar*>(o)) || qobject_cast<const NumberField*>(o);
}

bool is_scrolled(const QWidget* w) {
    for (w = w->parentWidget(); w && !w->isWindow(); w = w->parentWidget())
        if (qobject_cast<const QScrollArea*>(w)) return true;
    return false;
}

}  // namespace

Keyboard::Keyboard(QMainWindow* window, std::function<QWidget*()> home)
    : QObject(window), window_(window), home_(std::move(home)) {
    qApp->installEventFilter(this);
    connect(qApp, &QApplication::focusChanged, this, &Keyboard::focus_went);
}

bool Keyboard::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        auto* key = static_cast<QKeyEvent*>(event);
        auto* widget = qobject_cast<QWidget*>(watched);
        const bool ours = key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo);
        if (ours && widget && widget->window() == window_ && !being_typed_in(widget)) {
            event->ignore();
            return true;
        }
    } else if (event->type() == QEvent::Wheel && is_field(watched)) {
        auto* widget = static_cast<QWidget*>(watched);
        if (widget->window() == window_ && is_scrolled(widget)) {
            event->ignore();  // it goes on to what the field is in
            return true;
        }
    }
    return QObject::eventFilter(watched, event);
}

void Keyboard::focus_went(QWidget* from, QWidget* to) {
    // Where somebody leaves on purpose, what he leaves stays visible; and something else has the keyboard.
    const bool went_away = from && (from->isHidden() || !from->isVisible() || from->window() != window_);
    if (!from || (to && !went_away)) return;
    QTimer::singleShot(0, this, [this, passed_on = QPointer<QWidget>(to)] {
        if (!window_->isActiveWindow() || QApplication::activePopupWidget() || QApplication::activeModalWidget())
            return;
        QWidget* has = QApplication::focusWidget();
        if (has && has != passed_on) return;  // somebody took it meanwhile
        if (QWidget* view = home_()) view->setFocus();
    });
}

}  // namespace escarp::desktop
