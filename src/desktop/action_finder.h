#pragma once
// The searchable list of all actions (Ctrl+K).

#include <QDialog>

class QAction;
class QLineEdit;
class QListWidget;

namespace escarp::desktop {

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
