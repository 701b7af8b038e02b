#pragma once
// A line for a condition or a sum over signals: offers the names that fit where the cursor is, and says while it is
// typed what is expected where something is wrong.

#include <QLineEdit>
#include <optional>

#include <desktop/session/open_cell.h>

class QCompleter;

namespace escarp::desktop {

class ConditionField : public QLineEdit {
    Q_OBJECT
public:
    /// `device`: whose own signals need no device before them. `in_task`: its inputs can be named, too. `on_off`: what
    /// has to come out; nothing: either.
    ConditionField(OpenCell& open, const std::string& device, bool in_task, std::optional<bool> on_off,
        const QString& text, QWidget* parent = nullptr);
    /// Why the text cannot be taken; empty: it can.
    QString mistake() const;

Q_SIGNALS:
    void entered(const QString& text);  ///< a text that makes sense, or none at all

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    void enter();
    void offer();
    void tell();
    QString word() const;  ///< that ends at the cursor
    void complete(const QString& name);

    OpenCell& open_;
    const std::string device_;
    const bool in_task_;
    const std::optional<bool> on_off_;
    QString before_;
    QCompleter* completer_;
};

}  // namespace escarp::desktop
