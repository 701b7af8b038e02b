#pragma once
// Which arm? A table of every arm given the selected arm's task; choosing one swaps the arm and keeps the task.

#include <QDialog>
#include <QTableWidget>

#include <desktop/session/workspace.h>
#include <study/which_arm.h>

namespace escarp::desktop {

class WhichArmDialog : public QDialog {
    Q_OBJECT
public:
    WhichArmDialog(Workspace& workspace, const QString& arm, std::vector<study::ArmChoice> choices, QWidget* parent);

private:
    void fill();
    const study::ArmChoice* chosen() const;
    void take(const cell::Edit& edit);

    Workspace& workspace_;
    std::vector<study::ArmChoice> choices_;
    QTableWidget* table_;
    QPushButton *here_, *best_;
};

/// Works the table out beside the window and shows it.
void ask_which_arm(Workspace& workspace, QWidget* window);

}  // namespace escarp::desktop
