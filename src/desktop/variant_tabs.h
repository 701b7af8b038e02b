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
    void set_comparing(bool on);
    bool comparing() const { return comparing_; }

Q_SIGNALS:
    void comparing_changed(bool on);

public:
    void add_variant();
    void rename(const QString& id);
    void make_baseline(const QString& id);
    void drop(const QString& id);

private:
    void rebuild();
    void menu_for(const QString& id, const QPoint& global);

    Workspace& workspace_;
    QHBoxLayout* row_;
    QLabel* note_ = nullptr;
    QString built_from_;
    bool comparing_ = false;
};

}  // namespace escarp::desktop
