#include "questions.h"

#include <QMessageBox>
#include <QPushButton>
#include <algorithm>

#include <desktop/looks/plain_text.h>

namespace escarp::desktop {

int Questions::ask(const QString& title, const QString& text, const QStringList& answers) const {
    if (instead) return instead(title + ": " + text);
    QMessageBox box(QMessageBox::Question, title, plain(text), QMessageBox::NoButton, window_);
    std::vector<QAbstractButton*> buttons;
    for (const QString& a : answers) buttons.push_back(box.addButton(a, QMessageBox::AcceptRole));
    box.addButton(QMessageBox::Cancel);
    box.setDefaultButton(qobject_cast<QPushButton*>(buttons.front()));
    box.exec();
    const auto found = std::find(buttons.begin(), buttons.end(), box.clickedButton());
    return found == buttons.end() ? -1 : static_cast<int>(found - buttons.begin());
}

int Questions::ask_about_changes(const QString& title, const QString& text) const {
    if (instead) return instead(text);
    return QMessageBox::warning(
        window_, title, text, QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
}

void Questions::tell(const QString& title, const QString& text) const {
    if (instead) {
        instead(title + ": " + text);
        return;
    }
    // Whoever refuses something is still at work on it: nothing may happen before that is over, so the words do not
    // wait.
    auto* box = new QMessageBox(QMessageBox::Information, title, plain(text), QMessageBox::Ok, window_);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->open();
}

}  // namespace escarp::desktop
