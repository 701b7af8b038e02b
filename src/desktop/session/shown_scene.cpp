#include "shown_scene.h"

namespace escarp::desktop {

ShownScene::ShownScene(const OpenCell& open, const Results& results, const Selection& selection,
    const Playhead& playhead, const ArmByHand& hand, QObject* parent)
    : QObject(parent), open_(open), results_(results), selection_(selection), playhead_(playhead), hand_(hand) {
    connect(&open_, &OpenCell::document_changed, this, &ShownScene::renew);
    connect(&open_, &OpenCell::document_changed, this, &ShownScene::renew_ghosts);
    connect(&results_, &Results::came, this, &ShownScene::renew);
    connect(&results_, &Results::evaluated, this, &ShownScene::renew);
    connect(&playhead_, &Playhead::time_changed, this, &ShownScene::renew);
    connect(&hand_, &ArmByHand::posed_changed, this, &ShownScene::renew);
    connect(&selection_, &Selection::selection_changed, this, &ShownScene::renew_path);
    connect(&hand_, &ArmByHand::ghosts_changed, this, &ShownScene::renew_ghosts);
    renew();
}

void ShownScene::renew() {
    const auto evaluation = results_.shown();
    if (scene_ && cell_ == open_.cell() && evaluation_ == evaluation && instant_ == playhead_.instant() &&
        pose_count_ == hand_.pose_count())
        return;  // figures of another variant have come, say
    const auto before = std::exchange(evaluation_, evaluation);
    cell_ = open_.cell(), instant_ = playhead_.instant(), pose_count_ = hand_.pose_count();
    const bool ran = evaluation_ != nullptr;
    scene_.emplace(*cell_, ran ? evaluation_->cell.get() : nullptr, ran ? &evaluation_->run->trace : nullptr, instant_,
        hand_.posed());
    ++number_;
    if (evaluation_ != before) renew_path();
}

void ShownScene::renew_path() {
    path_.clear();
    const Selected& chosen = selection_.first();
    const int device = evaluation_ ? evaluation_->cell->device(chosen.device.toStdString()) : -1;
    if (device >= 0 && !chosen.step.isEmpty()) path_ = step_path(*evaluation_, device, chosen.step.toStdString());
}

void ShownScene::renew_ghosts() {
    ghosts_.clear();
    const int device = open_.cell()->device(hand_.ghosts_for());
    if (device < 0 || !open_.cell()->devices[device].arm) return;
    const cell::Device& d = open_.cell()->devices[device];
    for (const kinematics::JointVector& q : hand_.ghosts()) {
        if (q.size() != d.arm->model->mechanism.size()) continue;  // of the model that it had
        d.arm->model->mechanism.link_frames(q, d.world, ghosts_.emplace_back());
    }
}

}  // namespace escarp::desktop
