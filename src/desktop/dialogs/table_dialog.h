#pragma once
// Asks for what something has to be told, by its table of fields: the options of an exporter, the arguments of an edit.

#include <QDialog>
#include <functional>

#include <cell/model/field.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class TableDialog : public QDialog {
    Q_OBJECT
public:
    enum class Ends { save, carry_out };
    /// Its editors are called `name` and the key. What is selected in the window stands there where devices are asked
    /// for.
    TableDialog(const QString& title, const cell::Fields& fields, const Workspace& workspace, const QString& name,
        Ends ends, QWidget* parent);
    /// What was said, by key; what was left empty is not there.
    cell::json said() const;

private:
    QWidget* editor(const cell::Field& field, const Workspace& workspace);
    QWidget* line(const cell::Field& field, const QString& text);
    bool selected_taken_ = false;  ///< what is selected stands in a field already
    std::vector<std::pair<std::string, std::function<cell::json()>>> read_;
};

}  // namespace escarp::desktop
