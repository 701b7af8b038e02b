#pragma once
// Puts widgets one after the other into lines, as words in a sentence.

#include <QLayout>

namespace escarp::desktop {

class FlowLayout : public QLayout {
public:
    explicit FlowLayout(QWidget* parent, int across = 5, int down = 5);
    ~FlowLayout() override;
    void addItem(QLayoutItem* item) override { items_.push_back(item); }
    int count() const override { return static_cast<int>(items_.size()); }
    QLayoutItem* itemAt(int index) const override { return index >= 0 && index < count() ? items_[index] : nullptr; }
    QLayoutItem* takeAt(int index) override;
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override { return lay_out({0, 0, width, 0}, false); }
    QSize sizeHint() const override { return minimumSize(); }
    QSize minimumSize() const override;
    void setGeometry(const QRect& box) override;

private:
    int lay_out(const QRect& box, bool place) const;  ///< the height that it takes
    std::vector<QLayoutItem*> items_;
    int across_, down_;
};

}  // namespace escarp::desktop
