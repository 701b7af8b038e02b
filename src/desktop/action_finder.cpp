#include "action_finder.h"

#include <QAction>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace escarp::desktop {

ActionFinder::ActionFinder(const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent), actions_(actions), line_(new QLineEdit), list_(new QListWidget) {
    setObjectName("action_finder");
    setWindowTitle(tr("Find an action"));
    resize(420, 360);
    auto* layout = new QVBoxLayout(this);
    line_->setPlaceholderText(tr("Type a part of what you want to do"));
    layout->addWidget(line_);
    layout->addWidget(list_);
    line_->installEventFilter(this);
    connect(line_, &QLineEdit::textChanged, this, &ActionFinder::narrow);
    connect(line_, &QLineEdit::returnPressed, this, &ActionFinder::run);
    connect(list_, &QListWidget::itemActivated, this, &ActionFinder::run);
    narrow({});
}

void ActionFinder::narrow(const QString& text) {
    list_->clear();
    for (int i = 0; i < actions_.size(); ++i) {
        QString name = actions_[i]->text();
        name.remove('&');
        bool fits = actions_[i]->isEnabled();
        for (const QString& word : text.split(' ', Qt::SkipEmptyParts))
            fits = fits && name.contains(word, Qt::CaseInsensitive);
        if (!fits) continue;
        const QString key = actions_[i]->shortcut().toString(QKeySequence::NativeText);
        auto* item = new QListWidgetItem(key.isEmpty() ? name : name + "    " + key, list_);
        item->setData(Qt::UserRole, i);
    }
    list_->setCurrentRow(0);
}

void ActionFinder::run() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item) return;
    QAction* chosen = actions_[item->data(Qt::UserRole).toInt()];
    accept();
    chosen->trigger();
}

bool ActionFinder::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            const int rows = list_->count();
            if (rows > 0) list_->setCurrentRow((list_->currentRow() + (key == Qt::Key_Down ? 1 : rows - 1)) % rows);
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

}  // namespace escarp::desktop
