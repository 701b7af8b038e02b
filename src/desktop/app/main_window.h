#pragma once
// The window: arrangement, actions, files.

#include <QLabel>
#include <QMainWindow>
#include <QStackedWidget>
#include <array>
#include <functional>
#include <map>

#include <cell/edits/compose.h>
#include <desktop/dialogs/import_geometry.h>
#include <desktop/floor/floor_view.h>
#include <desktop/model/model_view.h>
#include <desktop/pages/build_page.h>
#include <desktop/pages/cell_panel.h>
#include <desktop/pages/side_by_side.h>
#include <desktop/pages/signals_page.h>
#include <desktop/pages/studies_page.h>
#include <desktop/panels/catalogue_panel.h>
#include <desktop/panels/device_list.h>
#include <desktop/panels/findings_panel.h>
#include <desktop/panels/first_steps.h>
#include <desktop/panels/panel_column.h>
#include <desktop/panels/variant_tabs.h>
#include <desktop/panels/verdict_strip.h>
#include <desktop/session/workspace.h>
#include <desktop/time/cycle_ribbon.h>
#include <desktop/time/motion_plot.h>
#include <desktop/worksheet/arm_panel.h>
#include <desktop/worksheet/worksheet.h>

#include "cell_files.h"
#include "layout_actions.h"

namespace escarp::desktop {

class HistoryPanel;
class LiveSession;
class RecordSession;
class CommandSession;
class ManualDialog;

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(std::shared_ptr<inspection::Cache> cache = std::make_shared<inspection::Cache>());

    Workspace& workspace() { return workspace_; }
    FloorView* floor() { return floor_; }
    ModelView* model() { return model_; }
    CycleRibbon* ribbon() { return ribbon_; }
    VerdictStrip* verdict() { return verdict_; }
    VariantTabs* tabs() { return tabs_; }
    SignalsPage* signals_page() { return signals_; }
    StudiesPage* studies_page() { return studies_; }
    SideBySide* side_by_side() { return comparison_; }
    BuildPage* build() { return build_; }
    /// Nothing that was asked for is still to come (see settle.h).
    bool settled(bool every_variant) const;
    CataloguePanel* catalogue() { return catalogue_; }
    LayoutActions* layout_actions() { return layout_; }
    ImportGeometry* importer() { return import_; }
    bool open_file(const QString& file) { return files_->open(file); }
    CellFiles* files() { return files_; }
    /// Questions are answered by this instead of a dialog (for tests): returns the button chosen.
    void answer_instead(std::function<int(const QString& text)> answer) { questions_.instead = std::move(answer); }
    /// Something was refused, with the reason.
    void tell_refused(const QString& words) { questions_.tell(tr("This is not possible"), words); }
    /// Something went wrong that nobody had thought of.
    void tell_surprise(const QString& words) {
        questions_.tell(
            tr("Something went wrong"), words + "\n" +
                                            tr("What you see may be out of date; every edit up to here is kept. "
                                               "Saving and opening again puts it right."));
    }

protected:
    void closeEvent(QCloseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void make_actions();
    void make_edit_actions();
    void make_panel_actions();
    void make_jog_actions();
    void make_play_actions();
    void make_view_actions();
    void make_page_actions();
    void make_help_actions();
    void follow_document();
    void follow_pages();
    void make_menus();
    void make_layout();
    QAction* action(const QString& name, const QString& text, const QKeySequence& key, std::function<void()> act);
    QAction* action(const QString& name) const { return findChild<QAction*>(name); }
    bool building() const { return tabs_->page() == "build"; }
    void renew_title();
    void renew_actions();
    void fill_place();
    void add_device(const cell::Offering& what);
    void remove_selected();
    /// A panel in a column, or a page beside the views: all that the window has to know of it.
    struct Place {
        QString id;          ///< and of its action
        QString tab;         ///< what its tab says
        QString words;       ///< what its action says, in menus and where actions are found
        QString key;         ///< of its action
        const char* manual;  ///< section about it
        QWidget* widget;
        std::function<void()> opened = {};  ///< when it was asked for
        bool takes_numbers = false;         ///< opens when a number is dragged onto its tab
    };
    void make_places();
    void add_panel(PanelColumn* column, Place place);
    void add_page(Place place);
    void show_panel(const QString& id);
    void fold();
    void find_action();
    void show_manual(const QString& section);

    Workspace workspace_;
    Questions questions_;
    CellFiles* files_;
    VerdictStrip* verdict_;
    VariantTabs* tabs_;
    Worksheet* worksheet_;
    FloorView* floor_;
    ModelView* model_;
    FindingsPanel* findings_;
    ArmPanel* arm_;
    MotionPlot* plot_;
    CycleRibbon* ribbon_;
    SideBySide* comparison_;
    BuildPage* build_;
    SignalsPage* signals_;
    StudiesPage* studies_;
    QStackedWidget* pages_;
    PanelColumn *left_, *right_;
    HistoryPanel* history_;
    LiveSession* live_;
    RecordSession* record_;
    CommandSession* command_;
    std::map<QString, Place> places_;
    CataloguePanel* catalogue_;
    DeviceList* devices_;
    CellPanel* cell_;
    ManualDialog* manual_ = nullptr;
    FirstSteps* first_steps_;
    LayoutActions* layout_ = nullptr;
    ImportGeometry* import_ = nullptr;
    std::array<QWidget*, 4> panels_{};  ///< in the order in which they fold: right side, Model, left side, Floor
    QWidget* asked_for_ = nullptr;      ///< the panel that was asked for last
    QLabel* status_;
    QMenu* place_ = nullptr;
};

}  // namespace escarp::desktop
