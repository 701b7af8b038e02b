#include "meeting.h"

#include <geometry/work_done.h>

#include <algorithm>
#include <cmath>

#include "follower.h"
#include "tool_motion.h"

namespace escarp::motion {
namespace {

/// A joint path whose s is the time.
class TimedPath final : public Motion {
public:
    explicit TimedPath(std::vector<PathNode> nodes) : nodes_(std::move(nodes)) {
        for (std::size_t i = 0; i + 1 < nodes_.size(); ++i) {
            const PathNode &a = nodes_[i], &b = nodes_[i + 1];
            // The rate of a cubic lies between the values that span it as a parabola.
            const JointVector middle = 3 / (b.s - a.s) * (b.q - a.q) - a.slope - b.slope;
            bounds_.push_back(a.slope.cwiseAbs().cwiseMax(b.slope.cwiseAbs()).cwiseMax(middle.cwiseAbs()));
        }
    }
    std::size_t bytes() const override {
        return sizeof *this + nodes_.size() * (sizeof(PathNode) + sizeof(JointVector));
    }
    double duration() const override { return nodes_.back().s; }
    JointState at(double t) const override {
        const PathPoint p = on_path(nodes_, std::clamp(t, 0.0, duration()));
        if (t >= 0 && t <= duration()) return {p.q, p.slope, p.curve};
        return {p.q, JointVector::Zero(p.q.size()), JointVector::Zero(p.q.size())};
    }
    JointVector rate_bound(double from, double to) const override {
        JointVector bound = JointVector::Zero(nodes_.front().q.size());
        for (std::size_t i = 0; i < bounds_.size(); ++i)
            if (nodes_[i + 1].s >= from && nodes_[i].s <= to) bound = bound.cwiseMax(bounds_[i]);
        return bound;
    }
    std::vector<double> breaks() const override {
        std::vector<double> all;
        for (const PathNode& n : nodes_) all.push_back(n.s);
        return all;
    }
    const std::vector<PathNode>& nodes() const { return nodes_; }

private:
    std::vector<PathNode> nodes_;
    std::vector<JointVector> bounds_;  ///< of the rates, by stretch between nodes
};

/// To or from the place: across the travel by a profile, along it by taking up the speed.
struct Phase {
    double distance = 0, length = 0, ramp = 0;  ///< m, s, s
    Profile across;

    /// `slow`: everything so many times slower than the tool alone could.
    Phase(const MeetingRequest& r, double distance_m, double slow, double most, bool smooth) : distance(distance_m) {
        constexpr double share_of_way = 0.8;  // of the time for going in, that taking up the speed may last
        constexpr double jerk_time = 0.03;    // s, for reaching the acceleration, where jerk is limited
        const double v = r.straight_speed * r.model.line_speed / slow;
        const double a = std::clamp(most, 1e-3, r.acceleration * r.model.line_acceleration) / (slow * slow);
        ramp = 1.5 * r.speed / a;
        if (distance > 1e-9) {
            across = Profile(v / distance, a / distance, smooth ? a / (jerk_time * slow * distance) : 0);
            length = std::max(across.duration(), ramp / share_of_way);
        } else {
            length = ramp;
        }
    }
    double stretch() const { return distance > 1e-9 ? across.duration() / length : 0; }
    std::vector<double> breaks() const {
        std::vector<double> all{0.0, ramp, length};
        if (distance > 1e-9)
            for (const Profile::Piece& p : across.pieces()) all.push_back(p.t / stretch());
        return all;
    }
    /// Distance from the place at a time since rest at the far end, and its rate.
    std::pair<double, double> off(double t) const {
        if (distance <= 1e-9) return {0.0, 0.0};
        const PathState s = across.at(std::clamp(t, 0.0, length) * stretch());
        return {distance * (1 - s.s), -distance * s.rate * stretch()};
    }
    /// Way since then at full speed `v`, and its rate.
    std::pair<double, double> along(double t, double v) const {
        const double u = std::clamp(t / ramp, 0.0, 1.0);
        const double way = v * ramp * (u * u * u - 0.5 * u * u * u * u) + (t > ramp ? v * (t - ramp) : 0);
        return {way, v * u * u * (3 - 2 * u)};
    }
};

/// The tool from instant to instant.
class Course {
public:
    Course(const MeetingRequest& r, double slow_in, double slow_out, bool smooth)
        : request_(r),
          in_(r, r.approach, slow_in, r.bearable_in.value_or(1e300), smooth),
          out_(r, r.retreat, slow_out, r.bearable_out.value_or(1e300), smooth),
          first_(r.way + 0.5 * r.speed * in_.ramp) {}

    double first_way() const { return first_; }
    double last_way() const { return way(in_.length + request_.work_s).first; }
    double in() const { return in_.length; }
    double out() const { return out_.length; }
    double end() const { return in_.length + request_.work_s + out_.length; }
    /// Instants between which all of it is smooth.
    std::vector<double> breaks() const {
        std::vector<double> all = in_.breaks();
        for (const double t : out_.breaks()) all.push_back(end() - t);
        std::sort(all.begin(), all.end());
        std::vector<double> apart{0.0};
        for (const double t : all)
            if (t > apart.back() + 1e-6 && t < end() - 1e-6) apart.push_back(t);
        apart.push_back(end());
        return apart;
    }
    Frame at(double t) const { return request_.place(way(t).first) * geometry::make_frame({0, 0, -off(t).first}); }
    Eigen::Matrix<double, 6, 1> rate(double t) const {
        constexpr double beside = 1e-5;  // m
        const auto [here, speed] = way(t);
        const auto [distance, rate] = off(t);
        const Frame before = request_.place(here - beside), after = request_.place(here + beside),
                    now = request_.place(here);
        const Vector3 back(0, 0, -distance);
        Eigen::Matrix<double, 6, 1> twist;
        twist << (after * back - before * back) * (speed / (2 * beside)) - rate * now.linear().col(2),
            geometry::rotation_between(before.linear(), after.linear()) * (speed / (2 * beside));
        return twist;
    }

private:
    std::pair<double, double> way(double t) const {
        const double leaves = in_.length + request_.work_s;
        const auto [come, speed] = in_.along(std::min(t, leaves), request_.speed);
        if (t <= leaves) return {first_ + come, speed};
        const auto [left, rate] = out_.along(end() - t, request_.speed);
        return {first_ + come + out_.along(out_.length, request_.speed).first - left, rate};
    }
    std::pair<double, double> off(double t) const {
        if (t <= in_.length) return in_.off(t);
        const double leaves = in_.length + request_.work_s;
        if (t <= leaves) return {0.0, 0.0};
        const auto [distance, rate] = out_.off(end() - t);
        return {distance, -rate};
    }

    const MeetingRequest& request_;
    Phase in_, out_;
    double first_;
};

/// A stretch of a course between two instants.
class Stretch final : public ToolWay {
public:
    Stretch(const Course& course, double from, double to) : course_(course), from_(from), to_(to) {}
    Frame at(double s) const override { return course_.at(time(s)); }
    Eigen::Matrix<double, 6, 1> rate(double s) const override { return (to_ - from_) * course_.rate(time(s)); }

private:
    double time(double s) const { return from_ + s * (to_ - from_); }
    const Course& course_;
    const double from_, to_;
};

MeetingFailure failure_of(const StraightFailure& f, double at) {
    using From = StraightFailure::Kind;
    const auto kind = f.kind == From::out_of_reach  ? MeetingFailure::Kind::out_of_reach
                      : f.kind == From::joint_limit ? MeetingFailure::Kind::joint_limit
                                                    : MeetingFailure::Kind::posture_jump;
    return {kind, at, f.joint};
}

std::variant<std::vector<PathNode>, MeetingFailure> joint_path(
    const MeetingRequest& r, const Course& course, const JointVector& start) {
    std::vector<PathNode> all;
    JointVector from = start;
    const std::vector<double> breaks = course.breaks();
    for (std::size_t i = 0; i + 1 < breaks.size(); ++i) {
        const double begins = breaks[i], length = breaks[i + 1] - breaks[i];
        auto nodes = follow({r.model, r.solver, r.tool, from}, Stretch(course, begins, breaks[i + 1]));
        if (const auto* wrong = std::get_if<StraightFailure>(&nodes))
            return failure_of(*wrong, (begins + wrong->at * length) / course.end());
        for (PathNode& n : std::get<std::vector<PathNode>>(nodes)) {
            if (n.s == 0 && !all.empty()) continue;
            n.s = begins + n.s * length;
            n.slope /= length;
            all.push_back(std::move(n));
        }
        from = all.back().q;
    }
    return all;
}

/// How many times slower a stretch of a path has to be for the joints' limits; 1 or less: they hold.
double excess(const MeetingRequest& r, const std::vector<PathNode>& nodes, double from, double to) {
    double most = 0;
    const auto& joints = r.model.mechanism.joints;
    const auto look = [&](double t) {
        const PathPoint p = on_path(nodes, t);
        for (int j = 0; j < p.q.size(); ++j) {
            most = std::max(most, std::abs(p.slope[j]) / joints[j].speed);
            most = std::max(most, std::sqrt(std::abs(p.curve[j]) / (r.acceleration * joints[j].acceleration)));
        }
    };
    for (std::size_t i = 0; i + 1 < nodes.size(); ++i) {
        const double a = nodes[i].s, b = nodes[i + 1].s;
        if (b <= from + 1e-9 || a >= to - 1e-9) continue;
        for (const double share : {1e-6, 0.5, 1 - 1e-6}) look(a + share * (b - a));
    }
    // Jerk as the change of the acceleration over a time in which it means something.
    constexpr double span = 0.01;
    for (double t = from + 0.5 * span; t + span < to; t += 0.5 * span) {
        const JointVector change = on_path(nodes, t + span).curve - on_path(nodes, t).curve;
        for (int j = 0; j < change.size(); ++j)
            if (joints[j].jerk > 0) most = std::max(most, std::cbrt(std::abs(change[j]) / (span * joints[j].jerk)));
    }
    return most;
}

}  // namespace

std::variant<Meeting, MeetingFailure> meet(const MeetingRequest& r) {
    ++geometry::work_done;
    constexpr double slowest = 6;
    constexpr int most_tries = 12;
    const bool smooth = r.model.mechanism.limits_jerk();
    // Both at once, across and along, keep the tool's limit.
    double slow_in = std::pow(2.0, 0.25), slow_out = slow_in;
    for (int i = 0; i < most_tries; ++i) {
        const Course course(r, slow_in, slow_out, smooth);
        const Frame flange_in_tool = r.tool.inverse();
        const auto start = r.solver.nearest(course.at(0) * flange_in_tool, r.near);
        if (!start) return MeetingFailure{MeetingFailure::Kind::out_of_reach, 0};
        if (!start->within_limits)
            return MeetingFailure{
                MeetingFailure::Kind::joint_limit, 0, kinematics::limit_margin(r.model.mechanism, start->q).joint};
        auto path = joint_path(r, course, start->q);
        if (const auto* wrong = std::get_if<MeetingFailure>(&path)) return *wrong;
        const auto& nodes = std::get<std::vector<PathNode>>(path);
        const double leaves = course.in() + r.work_s;
        double in = excess(r, nodes, 0, leaves);
        const double with_it = excess(r, nodes, course.in(), leaves);
        double out = excess(r, nodes, leaves, course.end());
        if (with_it > 1) return MeetingFailure{MeetingFailure::Kind::too_fast, course.in() / course.end()};
        auto motion = std::make_shared<TimedPath>(nodes);
        const auto shaken = [&](double from, double to, const std::optional<double>& bearable) {
            if (!bearable) return 0.0;
            constexpr double found_within = 1e-3;  // of the greatest acceleration
            return std::sqrt(
                (1 + found_within) * greatest_tool_acceleration(r.model, r.tool, *slice(motion, from, to)) / *bearable);
        };
        if (in <= 1 && out <= 1) {
            in = shaken(0, leaves, r.bearable_in);
            out = shaken(leaves, course.end(), r.bearable_out);
        }
        if (in <= 1 && out <= 1)
            return Meeting{
                motion, start->q, course.in(), r.work_s, course.out(), course.first_way(), course.last_way()};
        if (in > 1) slow_in *= std::clamp(1.01 * in, 1.02, 2.0);
        if (out > 1) slow_out *= std::clamp(1.01 * out, 1.02, 2.0);
        if (std::max(slow_in, slow_out) > slowest) break;
    }
    return MeetingFailure{MeetingFailure::Kind::too_fast, 0};
}

}  // namespace escarp::motion
