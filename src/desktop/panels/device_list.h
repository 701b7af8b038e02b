#pragma once
// All devices by name, to be found by typing: selected, hidden and locked from here.

#include <QLineEdit>
#include <QTreeWidget>

#include <desktop/session/selection.h>
#include <desktop/session/view_options.h>

namespace escarp::desktop {

class DeviceList : public QWidget {
    Q_OBJECT
public:
    explicit DeviceList(OpenCell& open, Selection& selection, ViewOptions& view_options, QWidget* parent = nullptr);
    void search();

private:
    void make_tree();
    void tick(QTreeWidgetItem* item, int column);
    void rebuild();
    void show_selection();
    void narrow();

    OpenCell& open_;
    Selection& selection_;
    ViewOptions& view_options_;
    QLineEdit* line_;
    QTreeWidget* tree_;
    bool quiet_ = false;
};

}  // namespace escarp::desktop
