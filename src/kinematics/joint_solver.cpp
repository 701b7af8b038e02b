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

std::optional<JointSolution> JointSolver::nearest(const Frame& target, const JointVector& reference) const {
    std::vector<JointSolution> all;
    held(target, reference, all);
    const auto least = std::min_element(all.begin(), all.end(), [&](const JointSolution& a, const JointSolution& b) {
        return (a.q - reference).squaredNorm() < (b.q - reference).squaredNorm();
    });
    return least == all.end() ? std::nullopt : std::optional(*least);
}

std::unique_ptr<JointSolver> make_joint_solver(const ArmModel& model) {
    using Recogniser = std::unique_ptr<JointSolver> (*)(const ArmModel&);
    static constexpr Recogniser closed_forms[] = {spherical_wrist_solver, offset_wrist_solver, seven_axis_solver,
        scara_solver, palletiser_solver, gantry_solver, travel_solver};
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
            const double away = reference[j] - q[j];
            if (std::abs(away) > geometry::pi) best += turn * std::floor(away / turn + 0.5);
            const double nearest = best;
            if (nearest < joint.low - slack) best = nearest + turn * std::ceil((joint.low - slack - nearest) / turn);
            if (nearest > joint.high + slack) best = nearest - turn * std::ceil((nearest - joint.high - slack) / turn);
        }
        const bool inside = best >= joint.low - slack && best <= joint.high + slack;
        if (inside) q[j] = std::clamp(best, joint.low, joint.high);
        all = all && inside;
    }
    return all && m.followers_within(q);
}

void add_solution(
    const Mechanism& m, const JointVector& reference, JointVector q, int posture, std::vector<JointSolution>& out) {
    constexpr double turn = 2 * geometry::pi;
    for (int j = 0; j < m.size(); ++j)
        if (m.joints[j].type == JointType::hinge && std::abs(q[j]) > geometry::pi)
            q[j] -= turn * std::floor(q[j] / turn + 0.5);
    const bool within = settle_turns(m, reference, q);
    out.push_back({std::move(q), posture, within});
}

LimitMargin limit_margin(const Mechanism& m, const JointVector& q) {
    LimitMargin tightest{0, 1e300, 1e300};
    for (int j = 0; j < m.size(); ++j) {
        const double inside = std::min(q[j] - m.joints[j].low, m.joints[j].high - q[j]),
                     share = inside / std::max(1e-9, m.joints[j].high - m.joints[j].low);
        if (share < tightest.share) tightest = {j, inside, share};
    }
    return tightest;
}

double singularity_distance(const ArmModel& model, const JointVector& q, const Frame& tool, double length) {
    std::vector<Frame> frames;
    model.mechanism.link_frames(q, Frame::Identity(), frames);
    const Vector3 point = (frames[model.flange_link] * model.flange * tool).translation();
    Eigen::MatrixXd scaled = jacobian(model.mechanism, frames, model.flange_link, point);
    scaled.topRows<3>() /= length;
    // As many singular values as the mechanism can have elsewhere: one that never moves in some way is not singular for
    // that.
    const Eigen::VectorXd values = Eigen::JacobiSVD<Eigen::MatrixXd>(scaled).singularValues();
    if (scaled.cols() >= 6) return values[5];
    return values[scaled.cols() - 1];
}

}  // namespace escarp::kinematics
