#pragma once
// What would let an arm reach what it does not: tried before it is offered, the smallest changes first.

#include "check.h"

namespace escarp::inspection {

/// Ways out for poses of one step at one device: another place of the arm or of the device, another height of either,
/// a shorter approach, another turn or grip.
std::vector<WayOut> reach_ways(
    const Context& context, const std::vector<PoseNeed>& poses, const std::vector<const PoseNeed*>& unreached);
/// The name of the next longer arm of the catalogue that reaches all that an arm has to from where it stands; empty:
/// there is none.
std::string longer_arm(const Context& context, const std::vector<PoseNeed>& poses, int arm);

/// Whether a pose is reached, with its straight moves, and by how much: fills that in. Of a window the worst place.
void judge_pose(const cell::Cell& cell, PoseNeed& need, Cache& cache);
/// Of one place of its window alone.
PoseNeed at_place(const PoseNeed& need, const WindowPlace& place);
/// The stretches of a window in which the arm reaches all, or does not: from, to, m.
std::vector<std::pair<double, double>> stretches(const PoseNeed& need, bool reached);
kinematics::Reach kept_reach(
    const cell::Arm& arm, const Frame& tool, const kinematics::JointVector* q, double cap, Cache& cache);

}  // namespace escarp::inspection
