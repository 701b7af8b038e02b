#pragma once
// Meeting what moves: the tool comes up with a place that travels at a steady speed, works there while it goes along
// with it, and leaves it again, all in one motion from rest to rest.

#include <functional>

#include "motion.h"

namespace escarp::motion {

struct MeetingRequest {
    const kinematics::ArmModel& model;
    const kinematics::JointSolver& solver;
    Frame tool;                          ///< tool frame in the flange
    std::function<Frame(double)> place;  ///< where the tool frame works when the place has come so far, m; in the base
    double way = 0;                      ///< how far the place has come when the motion begins, m
    double speed = 0;                    ///< of the place, m/s, > 0
    double approach = 0, retreat = 0;    ///< along the tool's axis, m
    double work_s = 0;                   ///< how long the tool stays with the place
    JointVector near = {};               ///< joint values near those of the beginning, on the branch to use
    double straight_speed = 1;           ///< share of the limits on the tool beside the travel
    double acceleration = 1;             ///< share of all acceleration limits
    std::optional<double> bearable_in = {}, bearable_out = {};  ///< tool acceleration before and after the work, m/s^2
};

struct Meeting {
    MotionPtr motion;
    JointVector start;                       ///< where it begins at rest: the arm has to be there by then
    double in_s = 0, work_s = 0, out_s = 0;  ///< the three parts of its duration
    double first_way = 0;                    ///< of the tool at the beginning, m: a little ahead of the place
    double last_way = 0;                     ///< at the end of the work, m
};

/// `at`: share of the motion's duration.
struct MeetingFailure {
    enum class Kind { out_of_reach, joint_limit, posture_jump, too_fast } kind;
    double at = 0;
    int joint = -1;
};

/// Across the travel the tool goes in and out by a rest-to-rest profile; along it, it takes up and gives back the speed
/// by u^2 (3 - 2 u) of it, u a share of the time that takes, within the ways in and out. Both take as long as the
/// limits of tool and joints ask for, in full (the speed of the place is not the arm's to choose); `too_fast` where
/// following alone asks too much.
std::variant<Meeting, MeetingFailure> meet(const MeetingRequest& request);

}  // namespace escarp::motion
