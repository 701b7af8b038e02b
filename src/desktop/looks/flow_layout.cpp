#include "flow_layout.h"

#include <QWidget>

namespace escarp::desktop {

FlowLayout::FlowLayout(QWidget* parent, int across, int down) : QLayout(parent), across_(across), down_(down) {
    setContentsMargins(0, 0, 0, 0);
}

FlowLayout::~FlowLayout() {
    for (QLayoutItem* item : items_) delete item;
}

QLayoutItem* FlowLayout::takeAt(int index) {
    if (index < 0 || index >= count()) return nullptr;
    QLayoutItem* item = items_[index];
    items_.erase(items_.begin() + index);
    return item;
}

QSize FlowLayout::minimumSize() const {
    QSize size;
    for (const QLayoutItem* item : items_) size = size.expandedTo(item->minimumSize());
    const QMargins m = contentsMargins();
    return size + QSize(m.left() + m.right(), m.top() + m.bottom());
}

void FlowLayout::setGeometry(const QRect& box) {
    QLayout::setGeometry(box);
    lay_out(box, true);
}

int FlowLayout::lay_out(const QRect& whole, bool place) const {
    const QRect box = whole.marginsRemoved(contentsMargins());
    int x = box.x(), y = box.y();
    std::vector<std::pair<QLayoutItem*, QRect>> line;
    const auto end_line = [&] {
        int high = 0;
        for (const auto& [item, at] : line) high = std::max(high, at.height());
        for (const auto& [item, at] : line)
            if (place) item->setGeometry(QRect(at.x(), y + (high - at.height()) / 2, at.width(), at.height()));
        line.clear();
        x = box.x();
        return high;
    };
    for (QLayoutItem* item : items_) {
        if (item->isEmpty()) continue;
        const QSize size = item->sizeHint().boundedTo(QSize(std::max(40, box.width()), 10000));
        if (!line.empty() && x + size.width() > box.right() + 1) y += end_line() + down_;
        line.emplace_back(item, QRect(QPoint(x, y), size));
        x += size.width() + across_;
    }
    return y + end_line() - box.y() + contentsMargins().top() + contentsMargins().bottom();
}

}  // namespace escarp::desktop
