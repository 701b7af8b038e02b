#include "number_field.h"

#include <QKeyEvent>
#include <QStyle>
#include <QToolTip>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include <desktop/looks/plain_text.h>

#include "typed_number.h"

namespace escarp::desktop {

NumberField::NumberField(const QString& unit, double low, double high, QWidget* parent)
    : QLineEdit(parent), unit_(unit), low_(low), high_(high) {
    setAlignment(Qt::AlignRight);
    setToolTip(
        tr("%1 to %2 %3. Units and sums are understood: 1.2 m, 650+45, 1/4 turn. Up and "
           "down change it, with Shift by ten")
            .arg(shown_number(low), shown_number(high), unit));
    connect(this, &QLineEdit::editingFinished, this, &NumberField::settle);
    connect(this, &QLineEdit::textEdited, this, [this](const QString& now) {
        const std::optional<double> typed = typed_number(now, unit_);
        const bool good = typed && *typed >= low_ && *typed <= high_;
        setProperty("wrong", !good);
        style()->polish(this);
        if (good) tried_ = true, Q_EMIT tried(*typed);
    });
}

void NumberField::set_value(double value) {
    if (hasFocus() && isModified()) return;
    value_ = value;
    setText(shown_number(value));
}

void NumberField::settle() {
    if (!isModified()) return;
    setProperty("wrong", false);
    style()->polish(this);
    const std::optional<double> typed = typed_number(text(), unit_);
    if (!typed || *typed < low_ || *typed > high_) {
        QToolTip::showText(mapToGlobal(QPoint(0, height())),
            typed ? tr("%1 to %2 %3 is possible").arg(shown_number(low_), shown_number(high_), unit_)
                  : plain(tr("\"%1\" is not a number in %2").arg(text(), unit_)),
            this);
        give_up();
        return;
    }
    setModified(false);
    tried_ = false;
    setText(shown_number(*typed));
    if (*typed == value_) {
        Q_EMIT gave_up();
        return;
    }
    value_ = *typed;
    Q_EMIT changed(value_);
}

void NumberField::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && isModified()) return give_up();
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)
        return step(event->key() == Qt::Key_Up ? 1 : -1, event->modifiers());
    QLineEdit::keyPressEvent(event);
}

/// Only where the keyboard is: a wheel that turns over a panel scrolls it.
void NumberField::wheelEvent(QWheelEvent* event) {
    if (!hasFocus()) return event->ignore();
    step(event->angleDelta().y() > 0 ? 1 : -1, event->modifiers());
    event->accept();
}

void NumberField::step(int by, Qt::KeyboardModifiers keys) {
    const std::optional<double> now = typed_number(text(), unit_);
    if (!now) return;
    // One of its last digit that counts: 1 mm, 0.1 s.
    const double fine = unit_ == "s" || high_ - low_ <= 10 ? 0.1 : 1;
    const double size = fine * (keys & Qt::ShiftModifier ? 10 : keys & Qt::ControlModifier ? 0.1 : 1);
    const double next = std::clamp(std::round((*now + by * size) / (0.1 * size)) * 0.1 * size, low_, high_);
    setText(shown_number(next));
    setModified(true);
    setProperty("wrong", false);
    style()->polish(this);
    tried_ = true;
    Q_EMIT tried(next);
}

/// Back to the value that holds.
void NumberField::give_up() {
    setText(shown_number(value_));
    setModified(false);
    setProperty("wrong", false);
    style()->polish(this);
    if (tried_) Q_EMIT gave_up();
    tried_ = false;
}

}  // namespace escarp::desktop
