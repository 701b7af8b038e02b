#include "spread_field.h"

#include <QKeyEvent>
#include <QToolTip>

#include <cell/text/problem.h>
#include <cell/text/spread.h>
#include <desktop/looks/plain_text.h>

namespace escarp::desktop {

QString spread_help() {
    QStringList lines;
    for (const cell::Spread::Words& w : cell::Spread::words())
        lines << QStringLiteral("%1 %2").arg(QString::fromUtf8(w.word), QString::fromUtf8(w.follows));
    return plain(lines.join('\n'));
}

SpreadField::SpreadField(const QString& words, QWidget* parent) : QLineEdit(words, parent), before_(words) {
    setToolTip(spread_help());
    setCursorPosition(0);  // its first word is seen
    connect(this, &QLineEdit::editingFinished, this, &SpreadField::settle);
}

void SpreadField::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && isModified()) {
        setText(before_);
        setModified(false);
        return;
    }
    QLineEdit::keyPressEvent(event);
}

void SpreadField::settle() {
    if (!isModified()) return;
    setModified(false);
    const QString typed = text().trimmed();
    if (typed == before_) return;
    try {
        const cell::Spread spread = cell::Spread::parse(typed.toStdString());
        before_ = typed;
        Q_EMIT changed(spread.varies() ? cell::json(typed.toStdString()) : cell::json(spread.mean()));
    } catch (const cell::InputError& e) {
        QToolTip::showText(
            mapToGlobal(QPoint(0, height())), plain(QString::fromStdString(e.problems().front().message)), this);
        setText(before_);
    }
}

}  // namespace escarp::desktop
