#pragma once
// Cells on the disk as the engineer sees them: opened and saved, what a session that ended left behind, what another
// program changed, and which were open last.

#include <QMenu>

#include <desktop/dialogs/questions.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class CellFiles : public QObject {
    Q_OBJECT
public:
    CellFiles(Workspace& workspace, const Questions& questions, QWidget* window);
    /// False where the engineer would rather not lose what is not saved.
    bool may_lose_work();
    bool save();
    bool save_as();
    void choose();  ///< a file, and opens it
    bool open(const QString& file);
    /// Offers what interrupted sessions without a file left behind.
    void offer_unsaved();
    void fill_recent(QMenu* menu);

Q_SIGNALS:
    void opened();
    void brought_back();  ///< a cell that was never saved

private:
    bool show_opened(const QString& file);
    bool offer_lost(const QString& file);
    void offer_left_over();
    void changed_outside();
    static void remember(const QString& file);

    Workspace& workspace_;
    const Questions& questions_;
    QWidget* window_;
    bool told_outside_ = false;
};

}  // namespace escarp::desktop
