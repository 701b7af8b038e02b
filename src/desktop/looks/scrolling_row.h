#pragma once
// A row of widgets that may be longer than the room it gets: it scrolls by wheel and by the arrows at its ends.

#include <QHBoxLayout>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QWheelEvent>

namespace escarp::desktop {

class ScrollingRow : public QWidget {
public:
    explicit ScrollingRow(int spacing)
        : area_(new Area),
          back_(arrow("scroll_back", QStringLiteral("\u2039"))),
          on_(arrow("scroll_on", QStringLiteral("\u203a"))) {
        auto* inside = new QWidget;
        row_ = new QHBoxLayout(inside);
        row_->setContentsMargins(0, 0, 0, 0);
        row_->setSpacing(spacing);
        area_->setWidget(inside);
        auto* all = new QHBoxLayout(this);
        all->setContentsMargins(0, 0, 0, 0);
        all->setSpacing(0);
        for (QWidget* w : {static_cast<QWidget*>(back_), static_cast<QWidget*>(area_), static_cast<QWidget*>(on_)})
            all->addWidget(w);
        QScrollBar* bar = area_->horizontalScrollBar();
        connect(bar, &QScrollBar::rangeChanged, this, [this] { renew_arrows(); });
        connect(bar, &QScrollBar::valueChanged, this, [this] { renew_arrows(); });
        connect(back_, &QToolButton::clicked, this, [bar] { bar->setValue(bar->value() - bar->pageStep() / 2); });
        connect(on_, &QToolButton::clicked, this, [bar] { bar->setValue(bar->value() + bar->pageStep() / 2); });
        renew_arrows();
    }
    void add(QWidget* w) { row_->addWidget(w); }
    /// Scrolls until the widget is seen; when the row has its size.
    void show_whole(QWidget* w) { area_->wanted = w, area_->bring(); }

private:
    class Area : public QScrollArea {
    public:
        Area() {
            setFrameShape(NoFrame);
            setWidgetResizable(true);
            setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
            setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
            setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Preferred);
            setFocusPolicy(Qt::NoFocus);
        }
        QSize sizeHint() const override { return widget() ? widget()->sizeHint() : QSize(100, 20); }
        QSize minimumSizeHint() const override { return {60, 10}; }
        void bring() {
            if (wanted) ensureWidgetVisible(wanted, 30, 0);
        }
        QWidget* wanted = nullptr;

    protected:
        void wheelEvent(QWheelEvent* e) override {
            const QPoint by = e->angleDelta();
            horizontalScrollBar()->setValue(horizontalScrollBar()->value() - (by.x() ? by.x() : by.y()) / 2);
            e->accept();
        }
        void resizeEvent(QResizeEvent* e) override {
            QScrollArea::resizeEvent(e);
            bring();
        }
    };
    static QToolButton* arrow(const char* name, const QString& sign) {
        auto* b = new QToolButton;
        b->setObjectName(name);
        b->setText(sign);
        b->setStyleSheet("border: none; background: transparent; padding: 2px 5px;");
        b->setAutoRepeat(true);
        return b;
    }
    void renew_arrows() {
        const QScrollBar* bar = area_->horizontalScrollBar();
        const bool longer = bar->maximum() > 0;
        back_->setVisible(longer), on_->setVisible(longer);
        back_->setEnabled(bar->value() > 0), on_->setEnabled(bar->value() < bar->maximum());
    }

    Area* area_;
    QToolButton *back_, *on_;
    QHBoxLayout* row_ = nullptr;
};

}  // namespace escarp::desktop
