#pragma once
// Variant tabs, and Side by side beside them.

#include <QWidget>

#include "workspace.h"

class QHBoxLayout;
class QLabel;
class QToolButton;

namespace escarp::desktop {

class VariantTabs : public QWidget {
    Q_OBJECT
public:
    explicit VariantTabs(Workspace& workspace, QWidget* parent = nullptr);
    /// What the window shows beneath the tabs: a variant's cell, all variants side by side, the mechanism that is
    /// being built, the variant's signals, or questions about it that take many runs.
    enum class Page { cell, compare, build, signals, studies };
    void show_page(Page page);
    Page page() const { return page_; }
    bool comparing() const { return page_ == Page::compare; }

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

    Workspace& workspace_;
    QHBoxLayout* row_;
    QLabel* note_ = nullptr;
    QString built_from_;
    Page page_ = Page::cell;
};

}  // namespace escarp::desktop
