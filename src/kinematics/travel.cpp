#include <Eigen/SVD>

#include "swept.h"

namespace escarp::kinematics {
namespace {

/// The arm without its first joint; its base is what that joint moves.
ArmModel without_first(const ArmModel& model) {
    ArmModel rest = model;
    Mechanism& m = rest.mechanism;
    m.links.erase(m.links.begin());
    m.joints.erase(m.joints.begin());
    for (Joint& j : m.joints) --j.parent, --j.child;
    for (Follower& f : m.followers) {
        --f.joint.parent, --f.joint.child;
        f.ratios = f.ratios.tail(f.ratios.size() - 1).eval();
    }
    if (!m.order.empty()) m.order.erase(m.order.begin());
    for (int& code : m.order) --code;
    rest.ready = model.ready.tail(model.ready.size() - 1);
    --rest.flange_link;
    return rest;
}

bool first_carries_all(const Mechanism& m) {
    if (m.size() < 2 || m.joints.front().parent != 0 || m.joints.front().child != 1 ||
        (!m.order.empty() && m.order.front() != 0))
        return false;
    for (int code = 1; code < m.size() + static_cast<int>(m.followers.size()); ++code)
        if (m.connection(code).parent == 0) return false;
    return std::all_of(m.followers.begin(), m.followers.end(), [](const Follower& f) { return f.ratios[0] == 0; });
}

int rank(const ArmModel& model, const JointVector& q) {
    std::vector<Frame> frames;
    model.mechanism.link_frames(q, Frame::Identity(), frames);
    const Vector3 at = frames[model.flange_link] * model.flange.translation();
    Eigen::JacobiSVD<Eigen::MatrixXd> svd(Eigen::MatrixXd(jacobian(model.mechanism, frames, model.flange_link, at)));
    svd.setThreshold(1e-6);
    return static_cast<int>(svd.rank());
}

/// The first joint moves the flange in no way that the others could not.
bool first_is_free(const ArmModel& model, const ArmModel& rest) {
    JointVector q(model.mechanism.size());
    for (int j = 0; j < q.size(); ++j) {  // anywhere but at a singular position
        const Joint& joint = model.mechanism.joints[j];
        const double share = 0.5 + 0.31 * std::sin(1.0 + 2.3 * j);
        q[j] = joint.low + share * (joint.high - joint.low);
    }
    return rank(model, q) == rank(rest, q.tail(q.size() - 1));
}

class Travel final : public Swept {
public:
    Travel(const ArmModel& model, const ArmModel& rest, std::unique_ptr<JointSolver> inner)
        : Swept(model.mechanism, 0),
          inner_(std::move(inner)),
          name_(std::string(inner_->name()) + ", on a free first joint"),
          bound_(reach_bound(rest)) {}
    const char* name() const override { return name_.c_str(); }
    std::vector<int> free_joints() const override {
        std::vector<int> all{0};
        for (const int j : inner_->free_joints()) all.push_back(j + 1);
        return all;
    }
    bool can_orient(const geometry::Matrix3& r) const override {
        return mechanism_.joints.front().type == JointType::hinge ||
               inner_->can_orient(mechanism_.joints.front().at.linear().transpose() * r);
    }

protected:
    void at(const Frame& target, const JointVector& reference, double value, bool hold,
        std::vector<JointSolution>& out) const override {
        const JointVector rest = reference.tail(reference.size() - 1);
        std::vector<JointSolution> found;
        if (hold) inner_->held(carried(target, value), rest, found);
        else inner_->solve(carried(target, value), rest, found);
        const Joint& first = mechanism_.joints.front();
        const bool inside = value >= first.low - 1e-9 && value <= first.high + 1e-9;
        for (const JointSolution& s : found) {
            JointVector q(reference.size());
            q << value, s.q;
            out.push_back({std::move(q), s.posture, s.within_limits && inside});
        }
    }
    bool reachable_at(const Frame& target, const JointVector& reference, double value) const override {
        const Joint& first = mechanism_.joints.front();
        if (value < first.low - 1e-9 || value > first.high + 1e-9) return false;
        return inner_->reachable(carried(target, value), reference.tail(reference.size() - 1));
    }
    bool promising(const Frame& target, double value) const override {
        return carried(target, value).translation().squaredNorm() <= bound_ * bound_;
    }

private:
    /// The target as the rest of the arm sees it.
    Frame carried(const Frame& target, double value) const {
        const Joint& first = mechanism_.joints.front();
        Frame moved = first.at;
        if (first.type == JointType::slide) moved.translation() += moved.linear() * (first.axis * value);
        else moved.linear() = moved.linear() * geometry::rotation(first.axis, value);
        return moved.inverse() * target;
    }

    std::unique_ptr<JointSolver> inner_;
    std::string name_;
    double bound_;
};

}  // namespace

std::unique_ptr<JointSolver> travel_solver(const ArmModel& model) {
    if (!first_carries_all(model.mechanism) || model.flange_link == 0) return nullptr;
    ArmModel rest = without_first(model);
    auto inner = make_joint_solver(rest);
    if (!inner->closed_form() || inner->free_joints().size() > 1 || !first_is_free(model, rest)) return nullptr;
    return std::make_unique<Travel>(model, rest, std::move(inner));
}

}  // namespace escarp::kinematics
