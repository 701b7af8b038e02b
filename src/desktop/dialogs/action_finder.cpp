#include "action_finder.h"

#include <QAction>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace escarp::desktop {

QString why_not(const QAction& action) {
    const QString said = action.property("needs").toString();
    return said.isEmpty() ? QCoreApplication::translate("ActionFinder", "not possible now") : said;
}

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
    int first_grey = 0;  // what is possible stands above
    for (int i = 0; i < actions_.size(); ++i) {
        QString name = actions_[i]->text();
        name.remove('&');
        bool fits = true;
        for (const QString& word : text.split(' ', Qt::SkipEmptyParts))
            fits = fits && name.contains(word, Qt::CaseInsensitive);
        if (!fits) continue;
        const QString key = actions_[i]->shortcut().toString(QKeySequence::NativeText);
        const bool possible = actions_[i]->isEnabled();
        const QString why = possible ? QString() : "    " + tr("(%1)").arg(why_not(*actions_[i]));
        auto* item = new QListWidgetItem((key.isEmpty() ? name : name + "    " + key) + why);
        if (!possible) item->setFlags(Qt::NoItemFlags);
        item->setData(Qt::UserRole, i);
        if (possible) list_->insertItem(first_grey++, item);
        else list_->addItem(item);
    }
    if (first_grey > 0) list_->setCurrentRow(0);
}

void ActionFinder::run() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item || !(item->flags() & Qt::ItemIsEnabled)) return;
    QAction* chosen = actions_[item->data(Qt::UserRole).toInt()];
    accept();
    chosen->trigger();
}

bool ActionFinder::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            int rows = 0;  // those that are possible
            while (rows < list_->count() && list_->item(rows)->flags() & Qt::ItemIsEnabled) ++rows;
            if (rows > 0) list_->setCurrentRow((list_->currentRow() + (key == Qt::Key_Down ? 1 : rows - 1)) % rows);
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

}  // namespace escarp::desktop
