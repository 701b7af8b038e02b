#include <Eigen/Cholesky>
#include <cmath>
#include <random>

#include <geometry/work_done.h>

#include "joint_solver.h"

namespace escarp::kinematics {
namespace {

class Numeric final : public JointSolver {
public:
    Numeric(const ArmModel& model, int starts) : model_(model), starts_(starts) {}
    const char* name() const override { return "numeric, damped least squares"; }
    bool closed_form() const override { return false; }

    /// From the reference and two more starts only: asked many times around a pose, where one answer leads to the next.
    bool reachable(const Frame& target, const JointVector& reference) const override {
        std::mt19937 draw(1);
        for (int start = 0; start < 3; ++start) {
            JointVector q = start == 0 ? reference : random_start(draw);
            if (descend(target, q, 50) && settle_turns(model_.mechanism, reference, q)) return true;
        }
        return false;
    }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        std::mt19937 draw(1);
        const int most = starts_ * (model_.mechanism.size() < 6 ? 4 : 12);
        bool good = false;
        for (int start = 0; start < (good ? starts_ : most); ++start) {
            JointVector q = start == 0 ? reference : random_start(draw);
            if (!descend(target, q, 60)) continue;
            const std::size_t before = out.size();
            add_solution(model_.mechanism, reference, q, 0, out);
            for (std::size_t i = 0; i < before; ++i)
                if ((out[i].q - out.back().q).norm() < 1e-5) {
                    out.pop_back();
                    break;
                }
            if (out.size() > before)
                out.back().posture = static_cast<int>(before), good = good || out.back().within_limits;
        }
    }

    /// Along a path one answer leads to the next; the whole search only where that fails.
    std::optional<JointSolution> nearest(const Frame& target, const JointVector& reference) const override {
        JointVector q = reference;
        if (!descend(target, q, 60)) return JointSolver::nearest(target, reference);
        const bool within = settle_turns(model_.mechanism, reference, q);
        return JointSolution{std::move(q), 0, within};
    }

private:
    JointVector random_start(std::mt19937& draw) const {
        JointVector q(model_.mechanism.size());
        for (int j = 0; j < q.size(); ++j) {
            const Joint& joint = model_.mechanism.joints[j];
            q[j] = joint.low + (joint.high - joint.low) * (draw() / 4294967296.0);
        }
        return q;
    }

    /// Levenberg's damping, lowered while the error falls and raised when it does not.
    bool descend(const Frame& target, JointVector& q, int most_iterations) const {
        std::vector<Frame> frames;
        const auto error_at = [&](const JointVector& at) {
            model_.mechanism.link_frames(at, Frame::Identity(), frames);
            const Frame now = frames[model_.flange_link] * model_.flange;
            Eigen::Matrix<double, 6, 1> e;
            e.head<3>() = target.translation() - now.translation();
            e.tail<3>() = geometry::rotation_between(now.linear(), target.linear());
            return e;
        };
        Eigen::Matrix<double, 6, 1> error = error_at(q);
        double damping = 1e-2;
        for (int iteration = 0; iteration < most_iterations; ++iteration) {
            ++search_steps();
            if (error.norm() < 1e-13) return true;
            const Frame now = frames[model_.flange_link] * model_.flange;
            const Jacobian j = jacobian(model_.mechanism, frames, model_.flange_link, now.translation());
            const Eigen::Matrix<double, 6, 6> normal =
                j * j.transpose() + damping * Eigen::Matrix<double, 6, 6>::Identity();
            JointVector step = j.transpose() * normal.llt().solve(error);
            const double longest = step.cwiseAbs().maxCoeff();
            if (longest > 1.0) step /= longest;  // the linear picture holds no farther
            const JointVector next = q + step;
            const Eigen::Matrix<double, 6, 1> next_error = error_at(next);
            if (next_error.norm() < error.norm()) {
                q = next;
                error = next_error;
                damping = std::max(1e-14, damping * 0.2);
            } else {
                error_at(q);  // brings `frames` back
                damping *= 5;
                if (damping > 1e4) break;
            }
        }
        return error.norm() < 1e-10;
    }

    ArmModel model_;
    int starts_;
};

}  // namespace

long long& search_steps() {
    static thread_local long long steps = 0;
    return steps;
}

std::unique_ptr<JointSolver> numeric_solver(const ArmModel& model, int starts) {
    return std::make_unique<Numeric>(model, starts);
}

}  // namespace escarp::kinematics
