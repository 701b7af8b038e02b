#pragma once
// The instant that is shown, as it is to be drawn: worked out when something changes, so that painting only draws.

#include "arm_by_hand.h"
#include "step_path.h"

namespace escarp::desktop {

class ShownScene : public QObject {
    Q_OBJECT
public:
    ShownScene(const OpenCell& open, const Results& results, const Selection& selection, const Playhead& playhead,
        const ArmByHand& hand, QObject* parent = nullptr);
    /// Where everything is; until something changes.
    const simulation::Scene& scene() const { return *scene_; }
    std::uint64_t number() const { return number_; }  ///< grows with each scene
    /// The way of the tool during the selected step (see step_path).
    const std::vector<std::vector<geometry::Vector3>>& path() const { return path_; }
    /// Links of the ghosts of an arm, each by all of its links, in the world.
    const std::vector<std::vector<geometry::Frame>>& ghosts() const { return ghosts_; }

private:
    void renew();
    void renew_path();
    void renew_ghosts();
    const OpenCell& open_;
    const Results& results_;
    const Selection& selection_;
    const Playhead& playhead_;
    const ArmByHand& hand_;
    std::shared_ptr<const cell::Cell> cell_;  ///< what the scene is of
    std::shared_ptr<const study::Evaluation> evaluation_;
    std::optional<simulation::Scene> scene_;
    std::uint64_t number_ = 0;
    simulation::Ticks instant_ = 0;
    int pose_count_ = 0;
    std::vector<std::vector<geometry::Vector3>> path_;
    std::vector<std::vector<geometry::Frame>> ghosts_;
};

}  // namespace escarp::desktop
