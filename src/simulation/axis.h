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
    AxisDrive(const cell::Device& device, int index) : device_(device), index_(index) {}

    void start(Kernel& kernel);
    /// Begins to go to a value, with `carried` on it; when it is there. One at a time.
    Ticks go(Kernel& kernel, double to, const std::vector<int>& carried = {});
    /// It is there, where the value is called `now`: that of the way it went, or the same once round.
    void arrived(Kernel& kernel, double now);
    bool moves() const { return block_ >= 0; }
    double value() const { return value_; }  ///< where it stands, or is going to
    int block() const { return block_; }     ///< of its motion
    void write_state(StateWriter& writer) const { writer.add(moves()), writer.add_double(value_); }

private:
    kinematics::JointVector joint(double value) const { return kinematics::JointVector::Constant(1, value); }
    const cell::Device& device_;
    const int index_;
    double value_ = 0;
    int block_ = -1;
};

}  // namespace escarp::simulation
