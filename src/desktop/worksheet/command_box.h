#pragma once
// In the panel of an arm that is moved by hand: the arm outside is told to go there.

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include <desktop/session/command_session.h>

namespace escarp::desktop {

class CommandBox : public QWidget {
    Q_OBJECT
public:
    /// `target`: the arm (a device) and the joint values that it is shown with, when a button is pressed.
    CommandBox(
        CommandSession& session, std::function<std::pair<int, kinematics::JointVector>()> target, QWidget* parent);

    /// Another arm, or other joint values, are shown.
    void renew();

private:
    CommandSession& session_;
    const std::function<std::pair<int, kinematics::JointVector>()> target_;
    QComboBox* link_;
    QPushButton *try_, *send_;
    QLabel* words_;
};

}  // namespace escarp::desktop
