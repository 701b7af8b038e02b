#pragma once
// Brings geometry from CAD files into the cell: loads beside the window with progress and cancel, asks what it is,
// makes the edit.

#include <QDialog>
#include <QWidget>
#include <functional>

#include <desktop/session/selection.h>
#include <exchange/mesh_import.h>

namespace escarp::desktop {

/// Runs work on a thread of its own while the window stays alive; a dialog with progress and cancel comes up when it
/// takes long. Throws what the work throws.
void run_beside(QWidget* parent, const QString& title, const std::function<void(const exchange::LoadWatch&)>& work);

class ImportGeometry : public QObject {
    Q_OBJECT
public:
    ImportGeometry(OpenCell& open, Selection& selection, QWidget* window);
    void choose_file();
    void import_file(const QString& file);
    /// The same with the answers given, for tests. False, and `OpenCell::refused`, when it cannot be done.
    bool import_file(const QString& file, exchange::ImportOptions options, exchange::ImportAs as, bool link);

private:
    OpenCell& open_;
    Selection& selection_;
    QWidget* window_;
};

}  // namespace escarp::desktop
