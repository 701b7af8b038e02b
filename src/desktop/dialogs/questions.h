#pragma once
// What the window asks the engineer, and what it tells.

#include <QStringList>
#include <QWidget>
#include <functional>

namespace escarp::desktop {

class Questions {
public:
    explicit Questions(QWidget* window) : window_(window) {}
    /// A question with own words; the index of the answer, or -1 for leaving it. The first is the one that Enter takes.
    int ask(const QString& title, const QString& text, const QStringList& answers) const;
    /// Whether what is not saved is saved, dropped or kept open: a QMessageBox::StandardButton.
    int ask_about_changes(const QString& title, const QString& text) const;
    void tell(const QString& title, const QString& text) const;
    /// Answers instead of a dialog (for tests): the index or button chosen.
    std::function<int(const QString& text)> instead;

private:
    QWidget* window_;
};

}  // namespace escarp::desktop
