#include "joint_solver.h"

#include <Eigen/SVD>
#include <algorithm>
#include <cmath>

namespace escarp::kinematics {

bool JointSolver::reachable(const Frame& target, const JointVector& reference) const {
    std::vector<JointSolution> all;
    solve(target, reference, all);
    return std::any_of(all.begin(), all.end(), [](const JointSolution& s) { return s.within_limits; });
}

std::unique_ptr<JointSolver> make_joint_solver(const ArmModel& model) {
    using Recogniser = std::unique_ptr<JointSolver> (*)(const ArmModel&);
    static constexpr Recogniser closed_forms[] = {spherical_wrist_solver};
    for (const Recogniser recognise : closed_forms)
        if (auto solver = recognise(model)) return solver;
    return numeric_solver(model);
}

bool settle_turns(const Mechanism& m, const JointVector& reference, JointVector& q) {
    constexpr double turn = 2 * geometry::pi, slack = 1e-9;
    bool all = true;
    for (int j = 0; j < m.size(); ++j) {
        const Joint& joint = m.joints[j];
        double best = q[j];
        if (joint.type == JointType::hinge) {
            const double nearest = q[j] + turn * std::round((reference[j] - q[j]) / turn);
            best = nearest;
            if (nearest < joint.low - slack) best = nearest + turn * std::ceil((joint.low - slack - nearest) / turn);
            if (nearest > joint.high + slack) best = nearest - turn * std::ceil((nearest - joint.high - slack) / turn);
        }
        const bool inside = best >= joint.low - slack && best <= joint.high + slack;
        if (inside) q[j] = std::clamp(best, joint.low, joint.high);
        all = all && inside;
    }
    return all;
}

std::pair<int, double> limit_margin(const Mechanism& m, const JointVector& q) {
    std::pair<int, double> tightest{0, 1e300};
    for (int j = 0; j < m.size(); ++j) {
        const double inside = std::min(q[j] - m.joints[j].low, m.joints[j].high - q[j]);
        if (inside < tightest.second) tightest = {j, inside};
    }
    return tightest;
}

double singularity_distance(const ArmModel& model, const JointVector& q, const Frame& tool, double length) {
    std::vector<Frame> frames;
    model.mechanism.link_frames(q, Frame::Identity(), frames);
    const Vector3 point = (frames[model.flange_link] * model.flange * tool).translation();
    Eigen::MatrixXd scaled = jacobian(model.mechanism, frames, model.flange_link, point);
    scaled.topRows<3>() /= length;
    return Eigen::JacobiSVD<Eigen::MatrixXd>(scaled).singularValues().minCoeff();
}

}  // namespace escarp::kinematics
