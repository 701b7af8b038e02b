#pragma once
// The actions of laying out: arranging, copying, grouping, what is shown, views, pictures and drawings.

#include <QAction>
#include <QMenu>
#include <functional>

#include <desktop/dialogs/questions.h>
#include <desktop/floor/floor_view.h>
#include <desktop/model/model_view.h>
#include <desktop/panels/catalogue_panel.h>
#include <desktop/session/workspace.h>
#include <exchange/question.h>

namespace escarp::desktop {

class LayoutActions : public QObject {
    Q_OBJECT
public:
    using Make = std::function<QAction*(
        const QString& name, const QString& text, const QKeySequence& key, std::function<void()> act)>;
    LayoutActions(Workspace& workspace, const Questions& questions, FloorView* floor, ModelView* model,
        CataloguePanel* catalogue, QWidget* window, const Make& make);

    /// The menus that these actions make up.
    void fill_arrange(QMenu* menu) const;
    void fill_view(QMenu* menu);
    void fill_export(QMenu* menu) const;
    /// What can be done with what lies under the pointer.
    void pop_menu(const QPoint& global, const QList<int>& under);
    void duplicate();
    /// Takes away what is selected; asks what those that stand on it should do.
    void remove_selected();
    void renew();

    /// Writes by an exporter of this name, with its options by key. False with a message where it cannot be done.
    bool hand_on(const QString& exporter, const QString& file, const cell::json& options = cell::json::object());
    bool take_picture_under(const QString& file);  ///< a picture under the Floor
    bool scale_picture_under(const geometry::Vector3& a, const geometry::Vector3& b, double distance);
    bool save_picture(const QString& what, const QString& file);  ///< "floor", "model", "window"

    /// Answers instead of a dialog, for tests.
    std::function<QString(const QString& question)> name_instead;

private:
    void make_arranging(const Make& make);
    void make_choosing(const Make& make);
    void make_seeing(const Make& make);
    void make_exporting(const Make& make);
    void apply(const std::function<cell::Edit()>& edit);
    void array_rows();
    void array_ring();
    void group();
    void ungroup();
    void lock();
    void copies(const std::vector<geometry::Frame>& by);
    void ask_height();
    void show_height(std::optional<double> metres);
    QString ask_name(const QString& title, const QString& label, const QString& now);
    std::vector<std::string> ids() const;
    QAction* find(const QString& name) const;
    void store_view();
    /// Writes a key of the cell itself, not of the variant looked at.
    bool set_of_cell(const std::string& at, const cell::json& value, const QString& name);
    void fill_views(QMenu* menu);
    void ask_export(const exchange::Exporter& exporter);
    /// Says why where it cannot be written.
    bool write(const QString& file, const std::string& bytes, const QString& otherwise);
    QString default_file(const QString& ending) const;

    Workspace& workspace_;
    const Questions& questions_;
    FloorView* floor_;
    ModelView* model_;
    CataloguePanel* catalogue_;
    QWidget* window_;
};

}  // namespace escarp::desktop
