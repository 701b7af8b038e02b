#include "path_drag.h"

#include <QApplication>
#include <QDrag>
#include <QMenu>
#include <QMimeData>
#include <QMouseEvent>

#include <desktop/looks/plain_text.h>

namespace escarp::desktop {
namespace {

class PathHandle final : public QObject {
public:
    PathHandle(OpenCell& open, QLabel* label, std::function<std::string()> path)
        : QObject(label), open_(open), label_(label), path_(std::move(path)) {
        label->installEventFilter(this);
        label->setCursor(Qt::OpenHandCursor);
    }

protected:
    bool eventFilter(QObject* watched, QEvent* event) override {
        if (event->type() == QEvent::MouseButtonPress) {
            const auto* e = static_cast<QMouseEvent*>(event);
            pressed_ = e->button() == Qt::LeftButton ? std::optional(e->pos()) : std::nullopt;
            return pressed_.has_value();  // what lies behind the label is not meant
        } else if (event->type() == QEvent::MouseMove && pressed_) {
            const QPoint now = static_cast<QMouseEvent*>(event)->pos();
            if ((now - *pressed_).manhattanLength() < QApplication::startDragDistance()) return false;
            pressed_.reset();
            auto* data = new QMimeData;
            data->setData(path_format, QByteArray::fromStdString(path_()));
            auto* drag = new QDrag(label_);
            drag->setMimeData(data);
            drag->setPixmap(label_->grab());
            drag->exec(Qt::LinkAction | Qt::CopyAction, Qt::CopyAction);
            return true;
        } else if (event->type() == QEvent::ContextMenu && label_->contextMenuPolicy() == Qt::DefaultContextMenu) {
            auto* menu = new QMenu(label_);
            menu->setObjectName("vary_menu");
            menu->setAttribute(Qt::WA_DeleteOnClose);
            menu->addAction(QObject::tr("Vary it in a study"), &open_,
                [this] { Q_EMIT open_.wants_to_vary(QString::fromStdString(path_())); });
            menu->popup(static_cast<QContextMenuEvent*>(event)->globalPos());
            return true;
        }
        return QObject::eventFilter(watched, event);
    }

private:
    OpenCell& open_;
    QLabel* label_;
    const std::function<std::string()> path_;
    std::optional<QPoint> pressed_;
};

}  // namespace

void can_be_varied(OpenCell& open, QLabel* label, std::function<std::string()> path) {
    new PathHandle(open, label, std::move(path));
}

}  // namespace escarp::desktop
