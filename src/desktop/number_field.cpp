#include "number_field.h"

#include <QKeyEvent>
#include <QToolTip>

#include "typed_number.h"

namespace escarp::desktop {

NumberField::NumberField(const QString& unit, double low, double high, QWidget* parent) : QLineEdit(parent), unit_(unit), low_(low), high_(high) {
    setAlignment(Qt::AlignRight);
    setToolTip(tr("%1 to %2 %3. Units and sums are understood: 1.2 m, 650+45, 1/4 turn").arg(shown_number(low), shown_number(high), unit));
    connect(this, &QLineEdit::editingFinished, this, &NumberField::settle);
}

void NumberField::set_value(double value) {
    value_ = value;
    if (!hasFocus() || !isModified()) setText(shown_number(value));
}

void NumberField::settle() {
    if (!isModified()) return;
    const std::optional<double> typed = typed_number(text(), unit_);
    if (!typed || *typed < low_ || *typed > high_) {
        QToolTip::showText(mapToGlobal(QPoint(0, height())), typed ? tr("%1 to %2 %3 is possible").arg(shown_number(low_), shown_number(high_), unit_) : tr("\"%1\" is not a number in %2").arg(text(), unit_), this);
        setText(shown_number(value_));
        setModified(false);
        return;
    }
    setModified(false);
    setText(shown_number(*typed));
    if (*typed == value_) return;
    value_ = *typed;
    Q_EMIT changed(value_);
}

void NumberField::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && isModified()) {
        setText(shown_number(value_));
        setModified(false);
        return;
    }
    QLineEdit::keyPressEvent(event);
}

}  // namespace escarp::desktop
