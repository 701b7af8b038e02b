#pragma once
// Asks for the options of an exporter, by its table.

#include <QDialog>
#include <functional>

#include <cell/field.h>

#include "workspace.h"

namespace escarp::desktop {

class ExportDialog : public QDialog {
    Q_OBJECT
public:
    ExportDialog(const QString& title, const cell::Fields& options, const Workspace& workspace, QWidget* parent);
    /// What was said, by key; what was left empty is not there.
    cell::json said() const;

private:
    QWidget* editor(const cell::Field& field, const Workspace& workspace);
    std::vector<std::pair<std::string, std::function<cell::json()>>> read_;
};

}  // namespace escarp::desktop
