#pragma once
// The window: arrangement, actions, files.

#include <QLabel>
#include <QMainWindow>
#include <QStackedWidget>
#include <functional>

#include <cell/compose.h>

#include "cycle_ribbon.h"
#include "findings_panel.h"
#include "floor_view.h"
#include "model_view.h"
#include "side_by_side.h"
#include "variant_tabs.h"
#include "verdict_strip.h"
#include "worksheet.h"

namespace escarp::desktop {

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    MainWindow();

    Workspace& workspace() { return workspace_; }
    FloorView* floor() { return floor_; }
    ModelView* model() { return model_; }
    CycleRibbon* ribbon() { return ribbon_; }
    VerdictStrip* verdict() { return verdict_; }
    VariantTabs* tabs() { return tabs_; }
    SideBySide* side_by_side() { return comparison_; }
    bool open_file(const QString& file);
    /// Questions are answered by this instead of a dialog (for tests): returns the button chosen.
    std::function<int(const QString& text)> ask_instead;

protected:
    void closeEvent(QCloseEvent* event) override;

private:
    void make_actions();
    void make_menus();
    void make_layout();
    QAction* action(const QString& name, const QString& text, const QKeySequence& key, std::function<void()> act);
    QAction* action(const QString& name) const { return findChild<QAction*>(name); }
    void renew_title();
    void renew_actions();
    bool may_lose_work();
    bool save();
    bool save_as();
    void open();
    void remember(const QString& file);
    void fill_recent();
    void fill_place();
    void add_device(const cell::Offering& what);
    void remove_selected();
    void duplicate_selected();
    void find_action();
    void tell(const QString& title, const QString& text);
    void choose_takt();

    Workspace workspace_;
    VerdictStrip* verdict_;
    VariantTabs* tabs_;
    Worksheet* worksheet_;
    FloorView* floor_;
    ModelView* model_;
    FindingsPanel* findings_;
    CycleRibbon* ribbon_;
    SideBySide* comparison_;
    QStackedWidget* pages_;
    QLabel* status_;
    QMenu *recent_ = nullptr, *place_ = nullptr;
};

}  // namespace escarp::desktop
