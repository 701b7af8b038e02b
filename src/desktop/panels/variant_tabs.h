#pragma once
// Variant tabs, and Side by side beside them.

#include <QWidget>

#include <desktop/session/open_cell.h>

class QHBoxLayout;
class QLabel;
class QToolButton;

namespace escarp::desktop {

class VariantTabs : public QWidget {
    Q_OBJECT
public:
    explicit VariantTabs(OpenCell& open, QWidget* parent = nullptr);
    /// What the window shows beneath the tabs: a variant's cell, or one of the pages that were added.
    static constexpr const char* cell_page = "cell_page";
    struct Page {
        QString id, tab;
        bool takes_numbers = false;  ///< opens when a number is dragged onto its tab
    };
    void add_page(Page page);
    void show_page(const QString& id);
    const QString& page() const { return page_; }

Q_SIGNALS:
    void page_changed();

public:
    void add_variant();
    void rename(const QString& id);
    void make_baseline(const QString& id);
    void drop(const QString& id);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void rebuild();
    void add_variants();
    void add_pages();
    void menu_for(const QString& id, const QPoint& global);

    OpenCell& open_;
    QHBoxLayout* row_;
    QLabel* note_ = nullptr;
    QString built_from_;
    std::vector<Page> pages_;
    QString page_ = cell_page;
};

}  // namespace escarp::desktop
