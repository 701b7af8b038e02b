#pragma once
// The selected arm by hand: joint values, tool position, jogging, joint solutions, and its taught poses.

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QScrollArea>
#include <QSlider>
#include <QVBoxLayout>

#include <desktop/fields/number_field.h>
#include <desktop/session/command_session.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class CommandBox;

class ArmPanel : public QScrollArea {
    Q_OBJECT
public:
    ArmPanel(Workspace& workspace, CommandSession& command, QWidget* parent = nullptr);

    /// What a jog step moves: the tool along or about an axis of a frame, or the joint chosen last.
    using Frame = ByHand::Frame;
    /// One step along (axis 0 to 2) or about (3 to 5) an axis; stops at limits. In joint directions axis 0 moves the
    /// joint.
    void jog(int axis, int direction);
    /// The next joint, for jogging by keys.
    void choose_joint(int direction);
    bool by_joint() const { return workspace_.hand.how().frame == Frame::joint; }
    void straight_down();
    void store();

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void rebuild();  ///< another arm, or other poses
    void refresh();  ///< other joint values
    std::string key() const;
    void add_head();
    void add_joints();
    void add_tool();
    void add_jog();
    void add_jog_buttons();
    void add_solutions();
    void add_poses();
    void add_pose(const cell::Pose& pose);
    void add_pose_note(const cell::Pose& pose);
    void add_outside();
    void show_joints(const kinematics::JointVector& q);
    void show_tool(const kinematics::JointVector& q);
    void show_clearance(const kinematics::JointVector& q);
    void show_solutions(const kinematics::JointVector& q);
    QLabel* title(const QString& text);
    int index() const;  ///< of the arm shown, -1: none is selected
    const cell::Device& device() const { return workspace_.open.cell()->devices[index()]; }
    kinematics::JointVector joints() const { return workspace_.hand.joints(index()); }
    void take(const kinematics::JointVector& q);
    /// Goes to a pose of the tool in the arm's base frame; says so where it cannot.
    bool go(const geometry::Frame& tool);
    void go_to_picked(const geometry::Vector3& point, const geometry::Vector3& outward);
    void change_by_hand(const std::function<void(ByHand&)>& change);
    geometry::Frame reference() const;  ///< that the tool's numbers are relative to, in the world
    void say(const QString& text);
    void apply(const std::function<cell::Edit()>& edit);

    Workspace& workspace_;
    CommandSession& command_;
    QWidget* page_;
    QVBoxLayout* rows_;
    struct JointRow {
        QLabel* name;
        QSlider* slider;
        NumberField* value;
    };
    std::vector<JointRow> joint_rows_;
    NumberField* tool_[6] = {};
    NumberField *step_mm_ = nullptr, *step_deg_ = nullptr;
    QComboBox *relative_ = nullptr, *direction_ = nullptr, *host_ = nullptr;
    QLineEdit* name_ = nullptr;
    QLabel *quaternion_ = nullptr, *clearance_ = nullptr, *said_ = nullptr, *state_ = nullptr;
    QVBoxLayout* solutions_ = nullptr;
    QCheckBox* ghosts_ = nullptr;
    CommandBox* outside_ = nullptr;
    std::string built_;  ///< key of what is shown
    int joint_ = 0;
    bool show_ghosts_ = false;
    bool filling_ = false;
};

}  // namespace escarp::desktop
