#pragma once
// Text that comes from a document or a file is shown as it is, letter for letter: never as markup (which could load
// pictures from wherever it says) and never with letters taken as shortcuts.

#include <QLabel>
#include <QString>

namespace escarp::desktop {

/// A label that shows its text as it is, also what it is given later.
inline QLabel* plain_label(const QString& text = {}, QWidget* parent = nullptr) {
    auto* label = new QLabel(parent);
    label->setTextFormat(Qt::PlainText);
    label->setText(text);
    return label;
}

/// A label of the program's own markup. What of a document goes into it has to be escaped first
/// (`QString::toHtmlEscaped`).
inline QLabel* marked_label(const QString& markup) {
    auto* label = new QLabel;
    label->setTextFormat(Qt::RichText);
    label->setText(markup);
    return label;
}

/// For tool tips and messages, which guess whether their text is markup.
inline QString plain(const QString& text) {
    return Qt::mightBeRichText(text) ? "<span>" + text.toHtmlEscaped().replace('\n', "<br>") + "</span>" : text;
}

/// For menus, actions and buttons, which take & as the mark of a shortcut. Shortened where it is very long.
inline QString menu_text(const QString& text) {
    QString out = text.size() > 80 ? text.left(77) + QStringLiteral("\u2026") : text;
    return out.replace('&', "&&");
}

/// "1 part", "3 parts".
inline QString counted(std::size_t n, const QString& one, const QString& many) {
    return QString("%1 %2").arg(n).arg(n == 1 ? one : many);
}

/// For window titles, which take [*] as the mark of a change.
inline QString title_text(const QString& text) {
    QString out = text.size() > 120 ? text.left(117) + QStringLiteral("\u2026") : text;
    return out.replace("[*]", "[*][*]");
}

}  // namespace escarp::desktop
