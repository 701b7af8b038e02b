#include "arm_panel.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QPushButton>
#include <QResizeEvent>
#include <QTimer>

#include <cell/edits/poses.h>
#include <desktop/looks/arm_words.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>
#include <kinematics/reach.h>
#include <simulation/kinds.h>
#include <study/test_cycle.h>

#include "command_box.h"

namespace escarp::desktop {
namespace {

using geometry::degree;
using kinematics::JointVector;
constexpr int most_solutions = 8;

}  // namespace

ArmPanel::ArmPanel(Workspace& workspace, CommandSession& command, QWidget* parent)
    : QScrollArea(parent), workspace_(workspace), command_(command) {
    setObjectName("arm_panel");
    setAccessibleName(tr("Arm"));
    setWidgetResizable(true);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    page_ = new QWidget;
    rows_ = new QVBoxLayout(page_);
    rows_->setContentsMargins(8, 6, 8, 8);
    rows_->setSpacing(3);
    setWidget(page_);
    connect(&workspace_.open, &OpenCell::document_changed, this, &ArmPanel::rebuild);
    connect(&workspace_.selection, &Selection::selection_changed, this, &ArmPanel::rebuild);
    connect(&workspace_.results, &Results::evaluated, this, &ArmPanel::rebuild);
    connect(&workspace_.playhead, &Playhead::time_changed, this, &ArmPanel::refresh);
    connect(&workspace_.hand, &ArmByHand::posed_changed, this, &ArmPanel::refresh);
    connect(&workspace_.hand, &ArmByHand::stopped, this, &ArmPanel::say);
    connect(&workspace_.hand, &ArmByHand::picked, this, &ArmPanel::go_to_picked);
    rebuild();
}

void ArmPanel::resizeEvent(QResizeEvent* event) {
    QScrollArea::resizeEvent(event);
    page_->setMaximumWidth(viewport()->width());
}

int ArmPanel::index() const {
    const int i = workspace_.open.cell()->device(workspace_.selection.first().device.toStdString());
    return i >= 0 && workspace_.open.cell()->devices[i].arm ? i : -1;
}

QLabel* ArmPanel::title(const QString& text) {
    auto* label = plain_label(text);
    label->setFont(theme::font(10, true));
    label->setStyleSheet(QString("color: %1; padding-top: 5px;").arg(theme::muted.name()));
    rows_->addWidget(label);
    return label;
}

/// Of all that the rows are made from: empty without an arm.
std::string ArmPanel::key() const {
    if (index() < 0) return {};
    const cell::Device& d = device();
    std::string key = d.id + "|" + d.name + "|" + d.arm->model->id + "|" + std::to_string(d.arm->model_key);
    for (const cell::Pose& p : d.poses)
        key += "|" + p.id + p.name + p.relative_to + (p.joints ? "j" : "") +
               std::to_string(cell::uses_of_pose(d, p.id).size());
    for (const cell::Device& o : workspace_.open.cell()->devices) key += "," + o.name;
    for (const cell::Link& l : workspace_.open.cell()->links) key += "@" + l.id + l.name + word(l.protocol);
    if (const auto e = workspace_.results.shown())
        for (const inspection::PoseNeed& n : e->inspection->poses)
            if (n.seat < 0 && !n.reached) key += "!" + n.step_id;
    return key;
}

void ArmPanel::rebuild() {
    const std::string key = this->key();
    if (key == built_ && !key.empty()) return refresh();
    if (QWidget* focus = page_->focusWidget(); focus && qobject_cast<QLineEdit*>(focus) &&
                                               key.substr(0, key.find('|')) == built_.substr(0, built_.find('|')) &&
                                               static_cast<QLineEdit*>(focus)->isModified())
        return;
    built_ = key;
    const FormPlace place(page_, this);
    clear(rows_);
    joint_rows_.clear();
    std::fill(std::begin(tool_), std::end(tool_), nullptr);
    relative_ = direction_ = host_ = nullptr;
    name_ = nullptr, solutions_ = nullptr, ghosts_ = nullptr, said_ = nullptr, state_ = nullptr, clearance_ = nullptr,
    quaternion_ = nullptr, outside_ = nullptr;
    if (key.empty()) {
        auto* hint = plain_label(tr("Select an arm: its joints, its tool and its poses are here."));
        hint->setWordWrap(true);
        hint->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
        rows_->addWidget(hint);
        rows_->addStretch(1);
        return;
    }
    add_head();
    add_joints();
    add_tool();
    add_jog();
    add_solutions();
    add_poses();
    add_outside();
    rows_->addStretch(1);
    refresh();
}

/// Where the cell has a link over which arms are told to move.
void ArmPanel::add_outside() {
    if (command_.links().empty()) return;
    outside_ = new CommandBox(
        command_,
        [this] {
            return std::pair{index(), index() < 0 ? JointVector() : joints()};
        },
        page_);
    rows_->addWidget(outside_);
}

/// Which arm it is, and how it stands.
void ArmPanel::add_head() {
    const cell::Device& d = device();
    auto* name = plain_label(QString::fromStdString(d.name));
    name->setFont(theme::font(13, true));
    rows_->addWidget(name);
    auto* model =
        plain_label(tr("%1 \u00b7 %2 \u00b7 carries %3 kg")
                        .arg(QString::fromStdString(d.arm->model->name), QString::fromLatin1(d.arm->solver->name()))
                        .arg(d.arm->model->payload));
    model->setObjectName("arm_model");
    if (const auto seconds = study::test_cycle(*d.arm)) {
        model->setText(model->text() + tr(" \u00b7 test cycle %1 s").arg(*seconds, 0, 'f', 2));
        model->setToolTip(
            tr("25 mm up, 300 mm across, 25 mm down and back, 50 mm below the ready pose, upper corners flown within "
               "10 mm"));
    }
    model->setWordWrap(true);
    model->setFont(theme::font(10));
    model->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    rows_->addWidget(model);
    state_ = plain_label();
    state_->setObjectName("arm_state");
    state_->setWordWrap(true);
    state_->setFont(theme::font(11));
    rows_->addWidget(state_);
}

void ArmPanel::add_joints() {
    title(tr("JOINTS"));
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(5);
    grid->setVerticalSpacing(1);
    const auto& joints = device().arm->model->mechanism.joints;
    joint_ = std::min(joint_, static_cast<int>(joints.size()) - 1);
    for (const int j : indices(joints)) {
        const kinematics::Joint& joint = joints[j];
        const double unit = joint_unit(joint);
        JointRow row{plain_label(QString::fromStdString(joint.name)), new QSlider(Qt::Horizontal),
            new NumberField(joint_sign(joint), joint.low / unit, joint.high / unit)};
        row.slider->setRange(0, slider_steps);
        row.slider->setObjectName(QString("joint_slider_%1").arg(j));
        row.slider->setAccessibleName(QString::fromStdString(joint.name));
        row.slider->setToolTip(tr("%1 to %2 %3")
                                   .arg(joint.low / unit, 0, 'f', 0)
                                   .arg(joint.high / unit, 0, 'f', 0)
                                   .arg(joint_sign(joint)));
        row.value->setObjectName(QString("joint_value_%1").arg(j));
        row.value->setFixedWidth(58);
        connect(row.slider, &QSlider::valueChanged, this, [this, j](int at) {
            if (filling_ || index() < 0) return;
            const kinematics::Joint& moved = device().arm->model->mechanism.joints[j];
            JointVector q = this->joints();
            q[j] = moved.low + (moved.high - moved.low) * at / slider_steps;
            joint_ = j;
            take(q);
        });
        connect(row.value, &NumberField::changed, this, [this, j, unit](double v) {
            JointVector q = this->joints();
            q[j] = v * unit;
            joint_ = j;
            take(q);
        });
        const int at = j;
        grid->addWidget(row.name, at, 0);
        grid->addWidget(row.slider, at, 1);
        grid->addWidget(row.value, at, 2);
        grid->addWidget(plain_label(joint_sign(joint)), at, 3);
        joint_rows_.push_back(row);
    }
    grid->setColumnStretch(1, 1);
    rows_->addLayout(grid);
}

void ArmPanel::add_tool() {
    title(tr("TOOL FRAME"));
    auto* first = new QHBoxLayout;
    first->addWidget(plain_label(tr("relative to")));
    relative_ = new QComboBox;
    relative_->setObjectName("tool_relative_to");
    relative_->addItem(tr("world"), "world");
    relative_->addItem(tr("the arm's base"), "base");
    for (const cell::Device& o : workspace_.open.cell()->devices)
        if (o.id != device().id) relative_->addItem(QString::fromStdString(o.name), QString::fromStdString(o.id));
    connect(relative_, &QComboBox::activated, this, &ArmPanel::refresh);
    first->addWidget(relative_, 1);
    rows_->addLayout(first);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(4);
    grid->setVerticalSpacing(1);
    static const char* names[6] = {"X", "Y", "Z", "Rx", "Ry", "Rz"};
    for (int i = 0; i < 6; ++i) {
        tool_[i] = new NumberField(i < 3 ? "mm" : QStringLiteral("\u00b0"), -1e5, 1e5);
        tool_[i]->setObjectName(QString("tool_%1").arg(names[i]));
        tool_[i]->setMaximumWidth(72);
        connect(tool_[i], &NumberField::changed, this, [this, i](double v) {
            const cell::Device& d = device();
            geometry::Frame at =
                reference().inverse() * d.world * d.arm->model->flange_frame(joints()) * d.arm->tool_frame;
            geometry::Vector3 turn = geometry::to_triple(at.linear());
            if (i < 3) at.translation()[i] = 1e-3 * v;
            else turn[i - 3] = v * degree;
            go(d.world.inverse() * reference() * geometry::make_frame(at.translation(), turn));
        });
        grid->addWidget(plain_label(names[i]), i % 3, i < 3 ? 0 : 3);
        grid->addWidget(tool_[i], i % 3, i < 3 ? 1 : 4);
        grid->addWidget(plain_label(i < 3 ? "mm" : QStringLiteral("\u00b0")), i % 3, i < 3 ? 2 : 5);
    }
    rows_->addLayout(grid);
    quaternion_ = plain_label();
    quaternion_->setFont(theme::font(10));
    quaternion_->setWordWrap(true);
    quaternion_->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    quaternion_->setToolTip(
        tr("Rx, Ry, Rz: turns about the fixed x, then the fixed y, then the fixed z axis (R = Rz Ry Rx). Quaternion w, "
           "x, y, z with w \u2265 0. The tool's z points out of it."));
    rows_->addWidget(quaternion_);
}

void ArmPanel::add_jog() {
    title(tr("JOG"));
    auto* first = new QHBoxLayout;
    first->addWidget(plain_label(tr("along")));
    direction_ = new QComboBox;
    direction_->setObjectName("jog_frame");
    for (const QString& text : {tr("world"), tr("base"), tr("tool"), tr("joint")}) direction_->addItem(text);
    direction_->setCurrentIndex(static_cast<int>(workspace_.hand.how().frame));
    direction_->setMinimumContentsLength(6);
    connect(direction_, &QComboBox::currentIndexChanged, this,
        [this](int i) { change_by_hand([i](ByHand& h) { h.frame = static_cast<ByHand::Frame>(i); }); });
    first->addWidget(direction_, 1);
    step_mm_ = new NumberField("mm", 0.01, 1000);
    step_mm_->set_value(workspace_.hand.how().mm);
    step_mm_->setObjectName("jog_mm");
    step_deg_ = new NumberField(QStringLiteral("\u00b0"), 0.01, 180);
    step_deg_->set_value(workspace_.hand.how().deg);
    step_deg_->setObjectName("jog_deg");
    for (NumberField* f : {step_mm_, step_deg_}) {
        f->setFixedWidth(36);
        connect(f, &NumberField::changed, this,
            [this, f](double v) { change_by_hand([&](ByHand& h) { (f == step_mm_ ? h.mm : h.deg) = v; }); });
        first->addWidget(f);
        first->addWidget(plain_label(f == step_mm_ ? "mm" : QStringLiteral("\u00b0")));
    }
    rows_->addLayout(first);
    add_jog_buttons();
    auto* row = new QHBoxLayout;
    auto* down = link_button(tr("straight down"), "tool_down");
    connect(down, &QPushButton::clicked, this, &ArmPanel::straight_down);
    auto* back = link_button(tr("back to cycle"), "jog_back");
    connect(back, &QPushButton::clicked, this, [this] { workspace_.hand.let_go(); });
    auto* pick = link_button(tr("pick in Model"), "jog_pick");
    pick->setToolTip(tr("Click a surface in the Model: the tool goes there, pointing into it"));
    connect(pick, &QPushButton::clicked, this, [this] { change_by_hand([](ByHand& h) { h.picking = true; }); });
    row->setSpacing(2);
    row->addWidget(down);
    row->addWidget(pick);
    row->addWidget(back);
    row->addStretch(1);
    rows_->addLayout(row);
    clearance_ = plain_label();
    clearance_->setObjectName("jog_clearance");
    clearance_->setFont(theme::font(11));
    clearance_->setToolTip(tr("To everything that stands still, and of the arm to itself"));
    rows_->addWidget(clearance_);
    said_ = plain_label();
    said_->setObjectName("jog_said");
    said_->setWordWrap(true);
    said_->setFont(theme::font(11));
    said_->setStyleSheet(QString("color: %1;").arg(theme::stop.name()));
    rows_->addWidget(said_);
}

void ArmPanel::add_jog_buttons() {
    auto* grid = new QGridLayout;
    grid->setSpacing(2);
    static const char* names[6] = {"X", "Y", "Z", "Rx", "Ry", "Rz"};
    for (int axis = 0; axis < 6; ++axis)
        for (const int direction : {-1, 1}) {
            auto* b = new QPushButton(
                QString("%1%2").arg(direction < 0 ? QStringLiteral("\u2212") : QStringLiteral("+"), names[axis]));
            b->setObjectName(QString("jog_%1%2").arg(direction < 0 ? "minus_" : "plus_", names[axis]));
            b->setAutoRepeat(true);
            b->setStyleSheet("padding: 1px 2px; min-width: 26px;");
            connect(b, &QPushButton::clicked, this, [this, axis, direction] { jog(axis, direction); });
            grid->addWidget(b, direction < 0 ? 1 : 0, axis);
        }
    rows_->addLayout(grid);
    auto* keys =
        plain_label(tr("Keys: Alt+\u2190\u2192 X, Alt+\u2191\u2193 Y, Alt+PgUp PgDn Z. Joint: Alt+\u2190\u2192 turns "
                       "it, Alt+\u2191\u2193 takes the next."));
    keys->setFont(theme::font(9));
    keys->setToolTip(
        tr("In Model and Floor: drag the handles at the tool; with \"joint\", drag the links themselves. Ctrl keeps to "
           "whole steps."));
    keys->setWordWrap(true);
    keys->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
    rows_->addWidget(keys);
}

void ArmPanel::add_solutions() {
    title(tr("JOINT SOLUTIONS"))
        ->setToolTip(tr("All joint values that bring the tool where it is, with the joint nearest to a limit. Press "
                        "one to see the arm in it."));
    ghosts_ = new QCheckBox(tr("show all in the Model"));
    ghosts_->setObjectName("solution_ghosts");
    ghosts_->setFont(theme::font(10));
    ghosts_->setChecked(show_ghosts_);
    connect(ghosts_, &QCheckBox::toggled, this, [this](bool on) {
        show_ghosts_ = on;
        refresh();
    });
    rows_->addWidget(ghosts_);
    solutions_ = new QVBoxLayout;
    solutions_->setSpacing(0);
    rows_->addLayout(solutions_);
}

void ArmPanel::apply(const std::function<cell::Edit()>& edit) {
    try {
        workspace_.open.apply(edit());
    } catch (const cell::InputError& e) {
        Q_EMIT workspace_.open.refused(tr("Not changed"), QString::fromStdString(e.problems().front().message));
    }
}

void ArmPanel::store() {
    if (index() < 0) return;
    const std::string host = host_->currentData().toString().toStdString();
    const JointVector q = joints();
    apply([&] {
        return cell::store_pose(workspace_.open.layout(), device().id, name_->text().toStdString(), q,
            {host == "*", host == "*" ? std::string() : host});
    });
}

geometry::Frame ArmPanel::reference() const {
    const QString which = relative_ ? relative_->currentData().toString() : "world";
    if (which == "base") return device().world;
    const int host = which == "world" ? -1 : workspace_.open.cell()->device(which.toStdString());
    return host < 0 ? geometry::Frame::Identity() : workspace_.open.cell()->devices[host].world;
}

void ArmPanel::say(const QString& text) {
    if (said_) said_->setText(text), said_->setVisible(!text.isEmpty());
}

void ArmPanel::take(const JointVector& q) {
    if (index() < 0) return;
    say({});
    workspace_.hand.pose(device().id, q);
}

bool ArmPanel::go(const geometry::Frame& tool) {
    if (workspace_.hand.bring_tool(device().world * tool, true)) return true;
    refresh();
    return false;
}

/// The tool on a point of a surface that was clicked, pointing into it, turned as little as can be.
void ArmPanel::go_to_picked(const geometry::Vector3& point, const geometry::Vector3& outward) {
    if (index() < 0) return;
    const geometry::Frame now = workspace_.tool_by_hand();
    geometry::Frame tool = now;
    tool.translation() = point;
    tool.linear() =
        (Eigen::Quaterniond::FromTwoVectors(now.linear().col(2), -outward).toRotationMatrix() * now.linear()).eval();
    go(device().world.inverse() * tool);
}

void ArmPanel::jog(int axis, int direction) {
    if (index() < 0 || !direction_) return;
    const cell::Device& d = device();
    const Frame frame = workspace_.hand.how().frame;
    JointVector q = joints();
    if (frame == Frame::joint) {
        // X is the joint chosen last; the other buttons are the joints in their order.
        const int j = std::min(axis == 0 ? joint_ : axis, static_cast<int>(q.size()) - 1);
        const kinematics::Joint& joint = d.arm->model->mechanism.joints[j];
        const double step =
            joint.type == kinematics::JointType::hinge ? step_deg_->value() * degree : step_mm_->value() * 1e-3;
        const double wish = q[j] + direction * step;
        q[j] = std::clamp(wish, joint.low, joint.high);
        take(q);
        if (wish != q[j]) say(tr("%1 stops at its limit.").arg(QString::fromStdString(joint.name)));
        return;
    }
    geometry::Frame tool = d.arm->model->flange_frame(q) * d.arm->tool_frame;
    const geometry::Matrix3 axes = frame == Frame::world  ? geometry::Matrix3(d.world.linear().transpose())
                                   : frame == Frame::base ? geometry::Matrix3(geometry::Matrix3::Identity())
                                                          : geometry::Matrix3(tool.linear());
    const geometry::Vector3 along = axes.col(axis % 3);
    if (axis < 3) tool.translation() += direction * 1e-3 * step_mm_->value() * along;
    else tool.linear() = (geometry::rotation(along, direction * degree * step_deg_->value()) * tool.linear()).eval();
    go(tool);
}

void ArmPanel::choose_joint(int direction) {
    if (index() < 0) return;
    const int n = static_cast<int>(joint_rows_.size());
    joint_ = (joint_ + direction + n) % n;
    refresh();
}

void ArmPanel::change_by_hand(const std::function<void(ByHand&)>& change) {
    ByHand next = workspace_.hand.how();
    change(next);
    workspace_.hand.set_how(next);
}

void ArmPanel::straight_down() {
    if (index() < 0) return;
    const cell::Device& d = device();
    geometry::Frame tool = d.world * d.arm->model->flange_frame(joints()) * d.arm->tool_frame;
    const geometry::Vector3 x = tool.linear().col(0);
    tool.linear() = kinematics::straight_down(std::atan2(x.y(), x.x()));
    go(d.world.inverse() * tool);
}

void ArmPanel::refresh() {
    if (index() < 0 || joint_rows_.empty() || built_.empty()) return;
    const JointVector q = joints();
    if (q.size() != static_cast<int>(joint_rows_.size())) return;
    filling_ = true;
    show_joints(q);
    show_tool(q);
    show_clearance(q);
    show_solutions(q);
    if (outside_) outside_->renew();
    filling_ = false;
}

void ArmPanel::show_joints(const JointVector& q) {
    const cell::Device& d = device();
    for (const int j : indices(joint_rows_)) {
        const kinematics::Joint& joint = d.arm->model->mechanism.joints[j];
        joint_rows_[j].slider->setValue(
            static_cast<int>(std::lround(slider_steps * (q[j] - joint.low) / (joint.high - joint.low))));
        joint_rows_[j].value->set_value(std::round(q[j] / joint_unit(joint) * 100) / 100);
        joint_rows_[j].name->setStyleSheet(
            j == joint_ ? QString("color: %1; font-weight: bold;").arg(theme::accent.name()) : QString());
    }
}

void ArmPanel::show_tool(const JointVector& q) {
    const cell::Device& d = device();
    const geometry::Frame world = d.world * d.arm->model->flange_frame(q) * d.arm->tool_frame,
                          shown = reference().inverse() * world;
    const geometry::Vector3 turn = geometry::to_triple(shown.linear());
    for (int i = 0; i < 6; ++i) {
        const double v = i < 3 ? shown.translation()[i] * 1e3 : turn[i - 3] / degree;
        tool_[i]->set_value(std::abs(v) < 0.005 ? 0.0 : std::round(v * 100) / 100);
    }
    Eigen::Vector4d w = geometry::to_quaternion(shown.linear());
    for (double& one : w)
        if (std::abs(one) < 5e-5) one = 0;  // no "-0.0000"
    quaternion_->setText(tr("fixed x, y, z \u00b7 quaternion w %1  x %2  y %3  z %4")
                             .arg(w[0], 0, 'f', 4)
                             .arg(w[1], 0, 'f', 4)
                             .arg(w[2], 0, 'f', 4)
                             .arg(w[3], 0, 'f', 4));
}

/// To all that stands still; while the arm is jogged.
void ArmPanel::show_clearance(const JointVector& q) {
    const cell::Device& d = device();
    const bool posed = workspace_.hand.posed() && workspace_.hand.posed()->device == d.id;
    state_->setText(
        posed ? tr("\u25c6 jogged by hand") : tr("as in the cycle at %1 s").arg(workspace_.playhead.time(), 0, 'f', 2));
    state_->setStyleSheet(QString("color: %1;").arg(posed ? theme::accent.name() : theme::muted.name()));
    clearance_->setVisible(posed);
    if (!posed) return;
    const simulation::ArmRoom room = simulation::room_of(*workspace_.open.cell(), index(), {});
    const motion::Room space(d.arm->model->mechanism, room.parts, *room.around, room.self_pairs);
    const double away = space.clearance(q, 0.5);
    const bool near = away < workspace_.open.cell()->safety_distance;
    clearance_->setText(
        away <= 1e-6 ? tr("\u2715 touches something")
        : away >= 0.5
            ? tr("clearance more than 500 mm")
            : tr("%1clearance %2 mm").arg(near ? QStringLiteral("! ") : QString()).arg(away * 1e3, 0, 'f', 0));
    clearance_->setStyleSheet(QString("color: %1;")
                                  .arg(away <= 1e-6 ? theme::stop.name()
                                       : near       ? theme::watch_text.name()
                                                    : theme::ink.name()));
}

/// The arm itself in one of them is the ghost that a press shows.
void ArmPanel::show_solutions(const JointVector& q) {
    const cell::Device& d = device();
    const geometry::Frame flange = d.arm->model->flange_frame(q);
    clear(solutions_);
    std::vector<kinematics::JointSolution> all;
    if (d.arm->solver->closed_form()) d.arm->solver->held(flange, q, all);
    int listed = 0;
    for (const kinematics::JointSolution& s : all) {
        if (++listed > most_solutions) break;
        const auto [joint, margin, share] = kinematics::limit_margin(d.arm->model->mechanism, s.q);
        const kinematics::Joint& tight = d.arm->model->mechanism.joints[joint];
        const bool here = (s.q - q).cwiseAbs().maxCoeff() < 1e-6;
        const QString room = s.within_limits
                                 ? tr("%1 %2 in hand").arg(margin / joint_unit(tight), 0, 'f', 0).arg(joint_sign(tight))
                                 : tr("%1 %2 over").arg(-margin / joint_unit(tight), 0, 'f', 0).arg(joint_sign(tight));
        const QString text = tr("%1%2: %3 %4")
                                 .arg(here ? QStringLiteral("\u25c6 ") : QString(), posture_name(s.posture),
                                     QString::fromStdString(tight.name), room);
        auto* b = link_button(text.trimmed(), QString("solution_%1").arg(s.posture));
        b->setStyleSheet(QString("text-align: left; font-size: 10px; font-weight: normal; padding: 1px 0px; color: %1;")
                             .arg(s.within_limits ? (here ? theme::accent : theme::ink).name() : theme::muted.name()));
        b->setEnabled(s.within_limits);
        connect(b, &QPushButton::clicked, this,
            [this, to = s.q] { QTimer::singleShot(0, this, [this, to] { take(to); }); });
        solutions_->addWidget(b);
    }
    std::vector<JointVector> others;
    for (const kinematics::JointSolution& s : all)
        if (show_ghosts_ && s.within_limits && (s.q - q).cwiseAbs().maxCoeff() > 1e-6) others.push_back(s.q);
    workspace_.hand.set_ghosts(d.id, std::move(others));
    ghosts_->setVisible(!all.empty());
    if (all.empty()) {
        auto* none = plain_label(tr("searched for numerically: only the present one is known"));
        none->setFont(theme::font(10));
        none->setWordWrap(true);
        solutions_->addWidget(none);
    }
}

}  // namespace escarp::desktop
