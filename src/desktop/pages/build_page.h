#pragma once
// Build: mechanisms of the engineer's own, and changed copies of those that come along. Every change is an edit of the
// document: a model without mistakes is in the cell at once, one with mistakes waits in the document until they are
// mended.

#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QSlider>
#include <QTreeWidget>
#include <QVBoxLayout>

#include <desktop/fields/number_field.h>
#include <desktop/session/selection.h>

#include "build_form.h"

namespace escarp::desktop {

class BuildPage : public QWidget {
    Q_OBJECT
public:
    explicit BuildPage(OpenCell& open, Selection& selection, QWidget* parent = nullptr);
    /// Shows a model of the document; that of the selected arm, or the first, for an empty id.
    void open(const std::string& id = {});
    void begin(const std::string& like = {});  ///< a new one: empty, or a copy of a model that comes along
    /// An arm from a robot description; what it says and there is no place for is listed. False, and
    /// `OpenCell::refused`, when it cannot be.
    /// `meshes`: a folder that its meshes may be read from, beside its own.
    bool read_urdf(const QString& file, const QString& meshes = {});
    bool write_urdf(const QString& file);
    void choose_urdf();  ///< asks for the file to read
    void remove();       ///< the link that is looked at
    /// The joint of the link looked at (or that moves it), one step; as far as its limits.
    void jog(int direction);
    void choose_link(int direction);
    const Building& building() const { return building_; }
    BuildView* view() { return view_; }

Q_SIGNALS:
    void placed();  ///< a device with the mechanism is in the cell now, and selected

private:
    QWidget* make_left();
    QHBoxLayout* make_begin_row();
    void make_tree(QVBoxLayout* rows);
    void make_tries(QVBoxLayout* rows);
    QWidget* make_middle();
    void follow();  ///< the document
    void show_models();
    void show_form();
    void show_tree();
    void show_tries();
    void show_values();
    void show_mistakes();
    void choose(int link);
    void try_value(const QString& joint, double value);
    bool keep(const QString& name, const cell::json& model, const std::map<std::string, double>& shifts = {});
    void change(const QString& name, const BuildForm::Change& change);
    void go_to(const std::string& where);
    void place();
    void keep_ready();
    std::string id() const { return building_.model.is_null() ? std::string() : building_.model.value("id", ""); }

    OpenCell& open_;
    Selection& selection_;
    Building building_;
    std::string chosen_;  ///< id of the model
    std::vector<cell::Problem> mistakes_;
    std::string noted_;               ///< id of the model that the notes are about
    QStringList elsewhere_;           ///< meshes of the last description that may not be read where they are
    std::vector<std::string> notes_;  ///< what could not be read from, or written to, a file
    BuildView* view_;
    BuildForm* form_;
    QComboBox* models_ = nullptr;
    QLineEdit* name_ = nullptr;
    QTreeWidget* tree_ = nullptr;
    QVBoxLayout* tries_ = nullptr;
    NumberField *payload_ = nullptr, *step_mm_ = nullptr, *step_deg_ = nullptr;
    QLabel* verdict_ = nullptr;
    QListWidget* list_ = nullptr;
    struct Try {
        QString joint;
        double unit, low, high;
        QSlider* slider;
        NumberField* value;
    };
    std::vector<Try> try_rows_;
    bool filling_ = false;
};

}  // namespace escarp::desktop
