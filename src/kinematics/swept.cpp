#include "swept.h"

#include <geometry/work_done.h>

namespace escarp::kinematics {

double Swept::step_value(int i) const {
    const Joint& joint = mechanism_.joints[joint_];
    return joint.low + (joint.high - joint.low) * i / steps;
}

void Swept::solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const {
    ++geometry::work_done;
    out.clear();
    at(target, reference, reference[joint_], false, out);
    for (int i = 0; i <= steps; ++i)
        if (promising(target, step_value(i)) && std::abs(step_value(i) - reference[joint_]) > 1e-9)
            at(target, reference, step_value(i), false, out);
}

void Swept::held(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const {
    out.clear();
    at(target, reference, reference[joint_], true, out);
}

bool Swept::reachable(const Frame& target, const JointVector& reference) const {
    // Questions come in rows of near poses: the value that answered the last one is likely to answer this. It changes
    // no answer.
    thread_local std::pair<const Swept*, double> last{nullptr, 0.0};
    if (last.first == this && reachable_at(target, reference, last.second)) return true;
    if (reachable_at(target, reference, reference[joint_])) return true;
    // Every fourth value first: reachable values mostly lie together.
    for (const int first : {0, 2, 1, 3})
        for (int i = first; i <= steps; i += 4)
            if (promising(target, step_value(i)) && reachable_at(target, reference, step_value(i))) {
                last = {this, step_value(i)};
                return true;
            }
    return false;
}

bool Swept::reachable_at(const Frame& target, const JointVector& reference, double value) const {
    thread_local std::vector<JointSolution> found;
    found.clear();
    at(target, reference, value, false, found);
    return std::any_of(found.begin(), found.end(), [](const JointSolution& s) { return s.within_limits; });
}

}  // namespace escarp::kinematics
