#pragma once
// The searchable list of all actions (Ctrl+K).

#include <QDialog>

class QAction;
class QLineEdit;
class QListWidget;

namespace escarp::desktop {

/// Why an action is not possible now: what it says itself ("needs").
QString why_not(const QAction& action);

class ActionFinder : public QDialog {
    Q_OBJECT
public:
    ActionFinder(const QList<QAction*>& actions, QWidget* parent);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void narrow(const QString& text);
    void run();
    QList<QAction*> actions_;
    QLineEdit* line_;
    QListWidget* list_;
};

}  // namespace escarp::desktop
