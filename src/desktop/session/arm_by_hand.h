#pragma once
// An arm that is moved by hand: it is shown where it was brought, until the time is moved or it is let go.

#include <simulation/scene.h>

#include "playhead.h"
#include "selection.h"

namespace escarp::desktop {

/// How the selected arm is moved by hand: in whose directions, by what steps, and what else is shown.
struct ByHand {
    enum class Frame { world, base, tool, joint };
    bool on = false;       ///< the views have handles for it
    bool picking = false;  ///< the next click in the Model says where the tool goes
    Frame frame = Frame::world;
    double mm = 10, deg = 5;
    bool operator==(const ByHand&) const = default;
};

class ArmByHand : public QObject {
    Q_OBJECT
public:
    ArmByHand(const OpenCell& open, const Results& results, const Selection& selection, Playhead& playhead,
        QObject* parent = nullptr);
    const ByHand& how() const { return how_; }
    void set_how(const ByHand& how);
    /// The selected arm, if it is moved by hand in the views; -1: none.
    int arm() const;

    const simulation::Posed* posed() const { return posed_ ? &*posed_ : nullptr; }
    int pose_count() const { return pose_count_; }  ///< changes whenever `posed` does
    void pose(const std::string& device, const kinematics::JointVector& q);
    void let_go();
    /// Joint values of what moves, as it is drawn now.
    kinematics::JointVector joints(int device) const;
    /// Moves the selected arm so that its tool frame comes to `tool` (world). False, and `stopped` with the reason,
    /// where it cannot. `leaps`: another joint solution will do, too.
    bool bring_tool(const geometry::Frame& tool, bool leaps);

    /// Further joint values of an arm that are shown, faintly.
    void set_ghosts(const std::string& device, std::vector<kinematics::JointVector> ghosts);
    const std::string& ghosts_for() const { return ghosts_for_; }
    const std::vector<kinematics::JointVector>& ghosts() const { return ghosts_; }

Q_SIGNALS:
    void how_changed();
    void posed_changed();
    void ghosts_changed();
    void stopped(const QString& why);  ///< empty: it went on
    void picked(const escarp::geometry::Vector3& point, const escarp::geometry::Vector3& outward);

private:
    const OpenCell& open_;
    const Results& results_;
    const Selection& selection_;
    Playhead& playhead_;
    ByHand how_;
    std::optional<simulation::Posed> posed_;
    int pose_count_ = 0;
    std::string ghosts_for_;
    std::vector<kinematics::JointVector> ghosts_;
};

}  // namespace escarp::desktop
