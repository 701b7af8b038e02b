#include "follower.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace escarp::motion {
namespace {

using kinematics::JointSolution;

class Follower {
public:
    Follower(const FollowRequest& request, const ToolWay& way)
        : request_(request), way_(way), flange_in_tool_(request.tool.inverse()), free_(request.solver.free_joints()) {
        if (request.free_to && !free_.empty()) free_travel_ = *request.free_to - request.start[free_.front()];
        for (int j = 0; j < request.model.mechanism.size(); ++j)
            if (std::find(free_.begin(), free_.end(), j) == free_.end()) driven_.push_back(j);
    }

    std::optional<StraightFailure> follow(std::vector<PathNode>& nodes) {
        constexpr double longest = 1.0 / 24, shortest = 1e-5, turn_step = 0.12;
        nodes.push_back(node(0.0, request_.start));
        double step = longest;
        while (nodes.back().s < 1.0) {
            const PathNode& last = nodes.back();
            const double s = 1.0 - last.s < 1.01 * step ? 1.0 : last.s + step;  // no sliver at the end
            StraightFailure failure{StraightFailure::Kind::out_of_reach, s};
            const std::optional<JointVector> q = nearest(s, last, failure);
            double off = 1e300;  // from the way, as a multiple of what is allowed
            PathNode next;
            if (q && turned(last.q, *q) <= turn_step) {
                next = node(s, *q);
                off = off_way(last, next);
            }
            // The deviation of a cubic grows with the fourth power of the step.
            const double better =
                step * (off < 1e200 ? std::clamp(0.9 * std::pow(std::max(off, 1e-6), -0.25), 0.3, 2.0) : 0.5);
            if (off <= 1) {
                nodes.push_back(std::move(next));
                step = std::min(longest, better);
                continue;
            }
            if (step <= shortest) {
                if (q) failure = {StraightFailure::Kind::posture_jump, s};
                return failure;
            }
            step = std::max(0.99 * shortest, std::min(better, 0.7 * step));
        }
        return std::nullopt;
    }

private:
    PathNode node(double s, const JointVector& q) {
        PathNode n;
        n.s = s, n.q = q, n.slope = slope(s, q);
        return n;
    }
    double turned(const JointVector& a, const JointVector& b) const {
        double most = 0;
        for (int j = 0; j < a.size(); ++j)
            if (request_.model.mechanism.joints[j].type == kinematics::JointType::hinge)
                most = std::max(most, std::abs(a[j] - b[j]));
        return most;
    }
    std::optional<JointVector> nearest(double s, const PathNode& last, StraightFailure& failure) {
        JointVector reference = last.q;
        if (free_travel_ != 0) reference[free_.front()] = request_.start[free_.front()] + s * free_travel_;
        const std::optional<JointSolution> best = request_.solver.nearest(way_.at(s) * flange_in_tool_, reference);
        if (!best) return std::nullopt;
        if (!best->within_limits) {
            failure = {StraightFailure::Kind::joint_limit, s,
                kinematics::limit_margin(request_.model.mechanism, best->q).joint};
            return std::nullopt;
        }
        return best->q;
    }
    /// dq/ds from the tool frame's velocity, free joints moving evenly; damped a little where the arm is singular.
    JointVector slope(double s, const JointVector& q) {
        request_.model.mechanism.link_frames(q, Frame::Identity(), frames_);
        const kinematics::Jacobian j = kinematics::jacobian(
            request_.model.mechanism, frames_, request_.model.flange_link, way_.at(s).translation());
        Eigen::Matrix<double, 6, 1> twist = way_.rate(s);
        JointVector rates = JointVector::Zero(q.size());
        if (free_travel_ != 0) {
            rates[free_.front()] = free_travel_;
            twist -= j.col(free_.front()) * free_travel_;
        }
        const auto n = static_cast<Eigen::Index>(driven_.size());
        Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, kinematics::most_joints> own(6, n);
        for (Eigen::Index k = 0; k < n; ++k) own.col(k) = j.col(driven_[k]);
        Eigen::Matrix<double, Eigen::Dynamic, 1, 0, kinematics::most_joints, 1> solved(n);
        if (n < 6) {
            Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, kinematics::most_joints, kinematics::most_joints>
                normal = own.transpose() * own;
            normal.diagonal().array() += 1e-13;
            solved = normal.llt().solve(own.transpose() * twist);
        } else {
            Eigen::Matrix<double, 6, 6> normal = own * own.transpose();
            normal.diagonal().array() += 1e-10;
            solved = own.transpose() * normal.llt().solve(twist);
        }
        for (Eigen::Index k = 0; k < n; ++k) rates[driven_[k]] = solved[k];
        return rates;
    }
    double off_way(const PathNode& last, const PathNode& next) {
        const double h = next.s - last.s;
        const JointVector middle = 0.5 * (last.q + next.q) + h / 8 * (last.slope - next.slope);
        request_.model.mechanism.link_frames(middle, Frame::Identity(), frames_);
        const Frame tool = frames_[request_.model.flange_link] * request_.model.flange * request_.tool;
        const geometry::FrameGap gap = geometry::gap(tool, way_.at(last.s + h / 2));
        return std::max(gap.distance / 8e-7, gap.angle / 8e-6);
    }

    const FollowRequest& request_;
    const ToolWay& way_;
    Frame flange_in_tool_;
    std::vector<int> free_, driven_;
    double free_travel_ = 0;
    std::vector<Frame> frames_;
};

}  // namespace

std::variant<std::vector<PathNode>, StraightFailure> follow(const FollowRequest& request, const ToolWay& way) {
    std::vector<PathNode> nodes;
    if (const auto failure = Follower(request, way).follow(nodes)) return *failure;
    return nodes;
}

}  // namespace escarp::motion
