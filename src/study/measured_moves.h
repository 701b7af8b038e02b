#pragma once
// Which of an arm's computed moves were measured, and when: the samples of each, as lengths along its path.

#include "calibrate.h"

namespace escarp::study {

/// A motion of the task between two poses that other limits would only make faster or slower.
struct Way {
    bool straight;
    kinematics::JointVector from, to;
    double speed, acceleration;  ///< shares of the limits
    int tool;
    int step;
    simulation::BlockKind kind;
    int begin, end;  ///< indexes of its poses
    double before_s;
    geometry::Frame tool_from = geometry::Frame::Identity(), tool_to = geometry::Frame::Identity();  ///< straight
};

/// What lies between the end of one way and the beginning of the next, in the computed run.
struct Between {
    enum class Is { nothing, grip, release, dwell, else_ } is = Is::else_;
    int step = -1;
};

/// A way as it was measured: lengths along it, from its first sample on.
struct Sampled {
    int way;
    std::size_t first;
    std::vector<double> s;  ///< rad or m along the way
    double t0 = 0;          ///< when it began, fitted
    double takes = 0;       ///< with the limits fitted
    bool follows = false;   ///< nothing else was measured between it and the one before
};

struct MeasuredMoves {
    std::vector<Way> ways;
    std::vector<kinematics::JointVector> real;  ///< by pose: where the arm really stands
    std::map<std::pair<int, int>, Between> between;
    std::vector<Sampled> moves;  ///< in order
    int left_over = 0;           ///< between poses of the task, and none of its moves
    double noise = 0;            ///< of the joint values, rad
};
/// Throws InputError where nothing was measured of the arm's task, or what was is no measurement.
MeasuredMoves measured_moves(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
    const inspection::StopFlag* stop);

/// The motion along a way that an arm with these limits makes; null: none.
motion::MotionPtr computed(const cell::Device& arm, const Way& way, const kinematics::ArmModel& model);
/// When a step's moves of a kind begin, from one instant to before another.
std::vector<simulation::Ticks> begins_in(const simulation::Run& run, int device, int step, simulation::BlockKind kind,
    simulation::Ticks from, simulation::Ticks to);

}  // namespace escarp::study
