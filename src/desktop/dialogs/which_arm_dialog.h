#pragma once
// Which arm? A table of every arm given the selected arm's task; choosing one swaps the arm and keeps the task.

#include <QDialog>
#include <QTableWidget>

#include <desktop/session/selection.h>
#include <study/which_arm.h>

namespace escarp::desktop {

class WhichArmDialog : public QDialog {
    Q_OBJECT
public:
    WhichArmDialog(OpenCell& open, Selection& selection, const QString& arm, std::vector<study::ArmChoice> choices,
        QWidget* parent);

private:
    void fill();
    const study::ArmChoice* chosen() const;
    void take(const cell::Edit& edit);

    OpenCell& open_;
    Selection& selection_;
    std::vector<study::ArmChoice> choices_;
    QTableWidget* table_;
    QPushButton *here_, *best_;
};

/// Works the table out beside the window and shows it.
void ask_which_arm(OpenCell& open, Selection& selection, QWidget* window);

}  // namespace escarp::desktop
