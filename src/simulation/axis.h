#pragma once
// What one drive moves along or about an axis: the leaf of a door, the jaw of a clamp, the table of a lift.

#include "kernel.h"

namespace escarp::simulation {

/// How an axis is made; lengths in m, angles in rad.
struct AxisMake {
    kinematics::JointType type = kinematics::JointType::slide;
    Frame at = Frame::Identity();      ///< of what moves, at value 0, in the device's frame
    Vector3 axis = Vector3::UnitX();   ///< unit, in that frame
    double travel = 0;                 ///< the longest way that it goes in one go
    double low = 0, high = 0;          ///< values that it may have
    double start = 0;                  ///< its value at the start
    double takes = 1, takes_back = 1;  ///< s for the travel, towards greater values and back
    bool evenly = false;               ///< at one speed from beginning to end, else smoothly
    geometry::Bodies bodies;           ///< that move, in the frame `at`
};

/// The axis of a device. Smooth: the profile of seven phases whose jerk is as low as the time allows with a sixth of it
/// in each phase of jerk and a third between them at full speed.
cell::Arm make_axis(const cell::Device& device, AxisMake make);

/// Drives the axis of a device, from rest to rest.
class AxisDrive {
public:
    AxisDrive(const cell::Device& device, int index, const cell::Cell& cell);

    void start(Kernel& kernel);
    /// Asks for the space on the way to a place (from 1) that it shares with others, one after the other. False: it
    /// waits for some of that, and is to be asked again when a arbiter has changed.
    bool may_go(Kernel& kernel, int place);
    /// It does not want to go any more; true if it did.
    bool stays(Kernel& kernel);
    /// Begins to go to a value, with `carried` on it; the actor's event `there` comes when it is there. One at a time.
    void go(
        Kernel& kernel, const Actor& actor, int there, double to, int place = 0, const std::vector<int>& carried = {});
    /// Whether an event of its actor was its own: it has left shared space.
    bool left(Kernel& kernel, int what);
    /// It is there, where the value is called `now`: that of the way it went, or the same once round.
    void arrived(Kernel& kernel, double now);
    bool moves() const { return block_ >= 0; }
    bool waits() const { return waits_at_ >= 0; }
    std::optional<Waiting> waiting() const {
        return waits() ? std::optional(Waiting{waits_at_, WaitFor::zone}) : std::nullopt;
    }
    void listen(Listening& to) const {
        for (const Checkpoint& c : *checkpoints_) to.devices.push_back(c.arbiter);
    }
    std::string words(const Kernel& kernel, int what) const;  ///< of an event of its own
    double value() const { return value_; }                   ///< where it stands, or is going to
    int block() const { return block_; }                      ///< of its motion
    void write_state(StateWriter& writer) const {
        writer.add(moves()), writer.add_double(value_);
        if (!checkpoints_->empty()) writer.add(wants_);
    }

private:
    kinematics::JointVector joint(double value) const { return kinematics::JointVector::Constant(1, value); }
    /// Events of its actor: where it gives back what the checkpoint of that number is about.
    static constexpr int first_left = -1000;

    const cell::Device& device_;
    const int index_;
    std::shared_ptr<const std::vector<Checkpoint>> checkpoints_;
    double value_ = 0;
    int block_ = -1;
    int wants_ = 0, waits_at_ = -1, wait_ = -1;  ///< the place that it waits to go to; for whom; the last block of that
    std::vector<int> asked_;                     ///< arbiters, since it wants to
    std::vector<EventKey> to_leave_;
};

}  // namespace escarp::simulation
