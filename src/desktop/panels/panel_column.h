#pragma once
// A column of panels of which one is shown, with a row of tabs over them.

#include <QStackedWidget>
#include <QToolButton>
#include <map>

class QHBoxLayout;

#include <desktop/looks/flow_layout.h>

namespace escarp::desktop {

class PanelColumn : public QWidget {
    Q_OBJECT
public:
    explicit PanelColumn(QWidget* parent = nullptr);
    /// The first one is shown until another is asked for.
    void add(const QString& id, const QString& tab, QWidget* panel);
    bool has(const QString& id) const { return panels_.contains(id); }
    void show_panel(const QString& id);

Q_SIGNALS:
    void asked_for(const QString& id);  ///< by a click on its tab

private:
    struct Panel {
        QWidget* widget;
        QToolButton* tab;
    };
    std::map<QString, Panel> panels_;
    FlowLayout* tabs_;
    QStackedWidget* stack_;
};

}  // namespace escarp::desktop
