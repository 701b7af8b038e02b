#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <optional>

#include "motion.h"
#include "timing.h"

namespace escarp::motion {
namespace {

using kinematics::JointSolution;

/// The straight line of the tool frame, on s in [0, 1].
struct Line {
    Frame from;
    Vector3 shift, turn;

    Line(const Frame& a, const Frame& b)
        : from(a), shift(b.translation() - a.translation()), turn(geometry::rotation_between(a.linear(), b.linear())) {}
    Frame at(double s) const {
        Frame f = from;
        f.translation() += s * shift;
        const double angle = turn.norm();
        if (angle > 1e-12) f.linear() = geometry::rotation(turn / angle, s * angle) * from.linear();
        return f;
    }
};

class StraightMove final : public Motion {
public:
    StraightMove(std::vector<PathNode> nodes, std::vector<double> rates) : nodes_(std::move(nodes)), rate_(std::move(rates)) {
        time_.assign(nodes_.size(), 0.0);
        for (std::size_t i = 1; i < nodes_.size(); ++i)
            time_[i] = time_[i - 1] + 2 * (nodes_[i].s - nodes_[i - 1].s) / std::max(1e-12, rate_[i] + rate_[i - 1]);
        bound_.resize(nodes_.size() - 1);
        for (std::size_t i = 0; i + 1 < nodes_.size(); ++i) bound_[i] = slope_bound(i);
    }

    double duration() const override { return time_.back() * stretch_; }
    JointState at(double t) const override {
        const int n = nodes_.front().q.size();
        if (t <= 0) return {nodes_.front().q, JointVector::Zero(n), JointVector::Zero(n)};
        if (t >= duration()) return {nodes_.back().q, JointVector::Zero(n), JointVector::Zero(n)};
        const double own = t / stretch_;
        const std::size_t i = interval(own);
        const double u = acceleration(i), d = own - time_[i];
        const double s = nodes_[i].s + d * (rate_[i] + d * u / 2), rate = rate_[i] + d * u;
        const Cubic c = cubic(i, s);
        return {c.q, c.slope * rate / stretch_, (c.curve * rate * rate + c.slope * u) / (stretch_ * stretch_)};
    }
    JointVector rate_bound(double from, double to) const override {
        const int n = nodes_.front().q.size();
        JointVector most = JointVector::Zero(n);
        const double begin = std::clamp(from / stretch_, 0.0, time_.back()), end = std::clamp(to / stretch_, 0.0, time_.back());
        for (std::size_t i = interval(begin); i + 1 < nodes_.size() && (time_[i] <= end); ++i) {
            const double a = std::max(begin, time_[i]) - time_[i], b = std::min(end, time_[i + 1]) - time_[i];
            const double u = acceleration(i);
            most = most.cwiseMax(bound_[i] * (std::max(rate_[i] + a * u, rate_[i] + b * u) / stretch_));
        }
        return most;
    }
    /// Slows the whole move evenly until no sampled instant exceeds a limit.
    void respect(const kinematics::Mechanism& m, double speed) {
        constexpr int per_interval = 4;
        double worst = 1.0;
        for (std::size_t i = 0; i + 1 < nodes_.size(); ++i)
            for (int k = 0; k <= per_interval; ++k) {
                const double span = time_[i + 1] - time_[i];
                const JointState state = at(time_[i] + span * (0.001 + 0.998 * k / per_interval));
                for (int j = 0; j < m.size(); ++j) {
                    worst = std::max(worst, std::abs(state.rate[j]) / (speed * m.joints[j].speed));
                    worst = std::max(worst, std::sqrt(std::abs(state.acceleration[j]) / m.joints[j].acceleration));
                }
            }
        stretch_ = worst;
    }

private:
    struct Cubic {
        JointVector q, slope, curve;
    };
    std::size_t interval(double own) const {
        const auto after = std::upper_bound(time_.begin(), time_.end() - 1, own);
        return static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, after - time_.begin() - 1));
    }
    double acceleration(std::size_t i) const {
        return (rate_[i + 1] * rate_[i + 1] - rate_[i] * rate_[i]) / (2 * (nodes_[i + 1].s - nodes_[i].s));
    }
    /// Cubic through both nodes' values and slopes (Hermite).
    Cubic cubic(std::size_t i, double s) const {
        const PathNode &a = nodes_[i], &b = nodes_[i + 1];
        const double h = b.s - a.s, x = std::clamp((s - a.s) / h, 0.0, 1.0);
        const JointVector c2 = 3 * (b.q - a.q) - h * (2 * a.slope + b.slope), c3 = 2 * (a.q - b.q) + h * (a.slope + b.slope);
        return {a.q + x * (h * a.slope + x * (c2 + x * c3)), (h * a.slope + x * (2 * c2 + x * 3 * c3)) / h,
                (2 * c2 + 6 * x * c3) / (h * h)};
    }
    /// Greatest slope within an interval: the slope is a parabola, bounded by its Bezier control values.
    JointVector slope_bound(std::size_t i) const {
        const PathNode &a = nodes_[i], &b = nodes_[i + 1];
        const double h = b.s - a.s;
        const JointVector middle = 3 * (b.q - a.q) / h - a.slope - b.slope;
        return a.slope.cwiseAbs().cwiseMax(b.slope.cwiseAbs()).cwiseMax(middle.cwiseAbs());
    }

    std::vector<PathNode> nodes_;
    std::vector<double> rate_, time_;
    std::vector<JointVector> bound_;
    double stretch_ = 1.0;
};

class Follower {
public:
    explicit Follower(const StraightRequest& request)
        : request_(request), line_(request.from, request.to), flange_in_tool_(request.tool.inverse()) {}

    std::optional<StraightFailure> follow(std::vector<PathNode>& nodes) {
        constexpr double longest = 1.0 / 16, shortest = 1e-5, turn_step = 0.06;
        nodes.push_back({0.0, request_.start, slope(0.0, request_.start)});
        double step = longest;
        while (nodes.back().s < 1.0) {
            const PathNode& last = nodes.back();
            const double s = std::min(1.0, last.s + step);
            StraightFailure failure{StraightFailure::Kind::out_of_reach, s};
            const std::optional<JointVector> q = nearest(s, last, failure);
            const bool close = q && (*q - last.q).cwiseAbs().maxCoeff() <= turn_step && on_line(last, s, *q);
            if (close) {
                nodes.push_back({s, *q, slope(s, *q)});
                step = std::min(longest, 1.5 * step);
                continue;
            }
            if (step <= shortest) {
                if (q) failure = {StraightFailure::Kind::posture_jump, s};
                return failure;
            }
            step *= 0.5;
        }
        return std::nullopt;
    }

private:
    std::optional<JointVector> nearest(double s, const PathNode& last, StraightFailure& failure) {
        request_.solver.solve(line_.at(s) * flange_in_tool_, last.q, found_);
        const JointSolution* best = nullptr;
        double least = 1e300;
        for (const JointSolution& one : found_) {
            const double far = (one.q - last.q).norm();
            if (far < least) least = far, best = &one;
        }
        if (!best) return std::nullopt;
        if (!best->within_limits) {
            failure = {StraightFailure::Kind::joint_limit, s, kinematics::limit_margin(request_.model.mechanism, best->q).first};
            return std::nullopt;
        }
        return best->q;
    }
    /// dq/ds from the tool frame's constant velocity along the line; damped a little where the wrist is straight.
    JointVector slope(double s, const JointVector& q) {
        request_.model.mechanism.link_frames(q, Frame::Identity(), frames_);
        const kinematics::Jacobian j = kinematics::jacobian(request_.model.mechanism, frames_, request_.model.flange_link, line_.at(s).translation());
        Eigen::Matrix<double, 6, 1> twist;
        twist << line_.shift, line_.turn;
        const Eigen::Matrix<double, 6, 6> normal = j * j.transpose() + 1e-10 * Eigen::Matrix<double, 6, 6>::Identity();
        return j.transpose() * normal.ldlt().solve(twist);
    }
    bool on_line(const PathNode& last, double s, const JointVector& q) {
        const double h = s - last.s;
        const JointVector middle = 0.5 * (last.q + q) + h / 8 * (last.slope - slope(s, q));
        request_.model.mechanism.link_frames(middle, Frame::Identity(), frames_);
        const Frame tool = frames_[request_.model.flange_link] * request_.model.flange * request_.tool;
        const geometry::FrameGap gap = geometry::gap(tool, line_.at(last.s + h / 2));
        return gap.distance < 2e-5 && gap.angle < 2e-4;
    }

    const StraightRequest& request_;
    Line line_;
    Frame flange_in_tool_;
    std::vector<JointSolution> found_;
    std::vector<Frame> frames_;
};

}  // namespace

std::variant<MotionPtr, StraightFailure> straight_move(const StraightRequest& request) {
    std::vector<PathNode> nodes;
    const geometry::FrameGap whole = geometry::gap(request.from, request.to);
    if (whole.distance < 1e-9 && whole.angle < 1e-9) return standstill(request.start);
    if (const auto failure = Follower(request).follow(nodes)) return *failure;
    PathLimits limits;
    const kinematics::ArmModel& model = request.model;
    limits.rate = std::min(whole.distance > 1e-9 ? request.speed * model.line_speed / whole.distance : 1e300,
                           whole.angle > 1e-9 ? request.speed * model.turn_speed / whole.angle : 1e300);
    limits.acceleration = std::min(whole.distance > 1e-9 ? model.line_acceleration / whole.distance : 1e300,
                                   whole.angle > 1e-9 ? model.turn_acceleration / whole.angle : 1e300);
    for (const kinematics::Joint& joint : model.mechanism.joints) {
        limits.joint_rate.push_back(request.speed * joint.speed);
        limits.joint_acceleration.push_back(joint.acceleration);
    }
    const std::vector<double> rates = time_optimal_rates(nodes, limits);
    auto move = std::make_shared<StraightMove>(std::move(nodes), rates);
    move->respect(model.mechanism, request.speed);
    return MotionPtr(move);
}

}  // namespace escarp::motion
