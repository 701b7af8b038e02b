#include "arm_by_hand.h"

#include <desktop/looks/arm_words.h>
#include <kinematics/reach.h>

namespace escarp::desktop {

ArmByHand::ArmByHand(
    const OpenCell& open, const Results& results, const Selection& selection, Playhead& playhead, QObject* parent)
    : QObject(parent), open_(open), results_(results), selection_(selection), playhead_(playhead) {
    connect(&playhead_, &Playhead::time_changed, this, &ArmByHand::let_go);
}

void ArmByHand::set_how(const ByHand& how) {
    if (how == how_) return;
    how_ = how;
    Q_EMIT how_changed();
}

int ArmByHand::arm() const {
    const int i = how_.on ? open_.cell()->device(selection_.first().device.toStdString()) : -1;
    return i >= 0 && open_.cell()->devices[i].arm ? i : -1;
}

void ArmByHand::pose(const std::string& device, const kinematics::JointVector& q) {
    playhead_.play(false);
    posed_ = simulation::Posed{device, q};
    ++pose_count_;
    Q_EMIT posed_changed();
}

void ArmByHand::let_go() {
    if (!posed_) return;
    posed_.reset();
    ++pose_count_;
    Q_EMIT posed_changed();
}

kinematics::JointVector ArmByHand::joints(int device) const {
    const cell::Device& d = open_.cell()->devices[device];
    const int count = d.mover()->model->mechanism.size();
    if (posed_ && posed_->device == d.id && posed_->q.size() == count) return posed_->q;
    const auto e = results_.shown();
    const int there = e ? e->cell->device(d.id) : -1;
    if (there < 0 || !e->cell->devices[there].mover()) return d.mover()->ready;
    const kinematics::JointVector q = e->run->trace.joints(*e->cell, there, playhead_.instant());
    return q.size() == count ? q : d.mover()->ready;
}

bool ArmByHand::bring_tool(const geometry::Frame& tool, bool leaps) {
    const int index = open_.cell()->device(selection_.first().device.toStdString());
    if (index < 0 || !open_.cell()->devices[index].arm) return false;
    const cell::Device& d = open_.cell()->devices[index];
    const cell::Brought brought = cell::bring_tool(d, joints(index), tool, leaps);
    if (brought.q) {
        Q_EMIT stopped({});
        pose(d.id, *brought.q);
        return true;
    }
    if (brought.joint >= 0) {
        const kinematics::Joint& tight = d.arm->model->mechanism.joints[brought.joint];
        Q_EMIT stopped(tr("%1 would be %2 %3 beyond its limit.")
                           .arg(QString::fromStdString(tight.name))
                           .arg(brought.beyond / joint_unit(tight), 0, 'f', 1)
                           .arg(joint_sign(tight)));
    } else {
        Q_EMIT stopped(brought.can_orient ? tr("The arm cannot reach there.")
                                          : tr("The arm cannot bring its tool into this orientation."));
    }
    return false;
}

void ArmByHand::set_ghosts(const std::string& device, std::vector<kinematics::JointVector> ghosts) {
    if (ghosts.empty() && ghosts_.empty()) return;
    ghosts_for_ = device;
    ghosts_ = std::move(ghosts);
    Q_EMIT ghosts_changed();
}

}  // namespace escarp::desktop
