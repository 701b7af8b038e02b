#pragma once
// All devices by name, to be found by typing: selected, hidden and locked from here.

#include <QLineEdit>
#include <QTreeWidget>

#include <desktop/session/workspace.h>

namespace escarp::desktop {

class DeviceList : public QWidget {
    Q_OBJECT
public:
    explicit DeviceList(Workspace& workspace, QWidget* parent = nullptr);
    void search();

private:
    void make_tree();
    void tick(QTreeWidgetItem* item, int column);
    void rebuild();
    void show_selection();
    void narrow();

    Workspace& workspace_;
    QLineEdit* line_;
    QTreeWidget* tree_;
    bool quiet_ = false;
};

}  // namespace escarp::desktop
