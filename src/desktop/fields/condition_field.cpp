#include "condition_field.h"

#include <QAbstractItemView>
#include <QCompleter>
#include <QKeyEvent>
#include <QRegularExpression>
#include <QStringListModel>
#include <QStyle>
#include <QToolTip>

#include <cell/model/read_signals.h>
#include <desktop/looks/plain_text.h>

namespace escarp::desktop {

ConditionField::ConditionField(OpenCell& open, const std::string& device, bool in_task, std::optional<bool> on_off,
    const QString& text, QWidget* parent)
    : QLineEdit(text, parent),
      open_(open),
      device_(device),
      in_task_(in_task),
      on_off_(on_off),
      before_(text),
      completer_(new QCompleter(this)) {
    QStringList names;
    const cell::Cell& cell = *open_.cell();
    for (const cell::Signal& s : cell.signals) {
        const bool own = cell.devices[s.device].id == device_;
        if (!s.input()) names << QString::fromStdString(cell.full_name(s));
        if (own && (in_task_ || !s.input())) names << QString::fromStdString(s.name);
    }
    names << "and"
          << "or"
          << "not"
          << "on"
          << "off";
    completer_->setModel(new QStringListModel(names, completer_));
    completer_->setFilterMode(Qt::MatchContains);
    completer_->setCaseSensitivity(Qt::CaseInsensitive);
    completer_->setWidget(this);
    connect(completer_, qOverload<const QString&>(&QCompleter::activated), this, &ConditionField::complete);
    connect(this, &QLineEdit::textEdited, this, [this] {
        tell();
        offer();
    });
    connect(this, &QLineEdit::editingFinished, this, &ConditionField::enter);
    setPlaceholderText(on_off_ && *on_off_ ? tr("b1.made and not arm2.at_tester") : tr("a signal, or a sum"));
}

QString ConditionField::mistake() const {
    const std::string text = this->text().trimmed().toStdString();
    if (text.empty()) return {};
    const cell::Cell& cell = *open_.cell();
    const auto meaning = [&](const std::string& name) {
        return cell::named_signal(cell, cell.device(device_), in_task_, name);
    };
    try {
        if (on_off_.value_or(true)) cell::Expression::condition(text, meaning);
        else cell::Expression::number(text, meaning);
        return {};
    } catch (const cell::ExpressionError& e) {
        if (!on_off_) try {
                cell::Expression::number(text, meaning);
                return {};
            } catch (const cell::ExpressionError&) {
            }
        return QString::fromStdString(e.message(text));
    }
}

void ConditionField::tell() {
    const QString why = mistake();
    setProperty("wrong", !why.isEmpty());
    style()->polish(this);
    setToolTip(why.isEmpty() ? plain(text()) : plain(why));
}

QString ConditionField::word() const {
    static const QRegularExpression last("[A-Za-z0-9_.-]+$");
    return last.match(text().left(cursorPosition())).captured();
}

void ConditionField::offer() {
    if (word().size() < 1) return completer_->popup()->hide();
    completer_->setCompletionPrefix(word());
    completer_->complete(rect());
}

void ConditionField::complete(const QString& name) {
    const int end = cursorPosition(), begin = end - static_cast<int>(word().size());
    setText(text().left(begin) + name + text().mid(end));
    setCursorPosition(begin + static_cast<int>(name.size()));
    setModified(true);
    tell();
}

void ConditionField::keyPressEvent(QKeyEvent* event) {
    const bool chooses = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Tab;
    if (chooses && completer_->popup()->isVisible() && completer_->popup()->currentIndex().isValid()) {
        event->ignore();  // the list takes it
        return;
    }
    if (event->key() == Qt::Key_Escape) {
        setText(before_);
        setModified(false);
        tell();
    }
    QLineEdit::keyPressEvent(event);
    if (event->key() == Qt::Key_Space && event->modifiers() & Qt::ControlModifier) offer();
}

void ConditionField::focusOutEvent(QFocusEvent* event) {
    QLineEdit::focusOutEvent(event);
    // What cannot be taken stays, with the reason: nothing that was typed is lost.
    if (const QString why = mistake(); !why.isEmpty() && event->reason() != Qt::PopupFocusReason)
        QToolTip::showText(mapToGlobal(QPoint(0, height())), plain(why), this);
}

void ConditionField::enter() {
    if (!isModified()) return;
    if (const QString why = mistake(); !why.isEmpty()) {
        QToolTip::showText(mapToGlobal(QPoint(0, height())), plain(why), this);
        return;
    }
    setModified(false);
    before_ = text().trimmed();
    Q_EMIT entered(before_);
}

}  // namespace escarp::desktop
