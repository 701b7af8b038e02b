#include "path.h"

#include "profile.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>

namespace escarp::motion {
namespace {

std::size_t interval_of(const std::vector<PathNode>& nodes, double s) {
    const auto after =
        std::upper_bound(nodes.begin() + 1, nodes.end() - 1, s, [](double v, const PathNode& n) { return v < n.s; });
    return static_cast<std::size_t>(after - nodes.begin()) - 1;
}

PathPoint cubic(const PathNode& a, const PathNode& b, double s) {
    const double h = b.s - a.s, x = std::clamp((s - a.s) / h, 0.0, 1.0);
    const JointVector c2 = 3 * (b.q - a.q) - h * (2 * a.slope + b.slope),
                      c3 = 2 * (a.q - b.q) + h * (a.slope + b.slope);
    return {a.q + x * (h * a.slope + x * (c2 + x * c3)), (h * a.slope + x * (2 * c2 + x * 3 * c3)) / h,
        (2 * c2 + 6 * x * c3) / (h * h)};
}

/// Half of the points by how far the joints move, half by how much the path's limits change: a stretch is driven at
/// what both of its ends allow.
std::vector<GridPoint> grid_of(
    const std::vector<PathNode>& nodes, const kinematics::Mechanism& mechanism, double points = 240) {
    std::vector<double> spans, changes;
    double way = 1e-12, change = 1e-12;
    for (std::size_t i = 0; i + 1 < nodes.size(); ++i) {
        double span = 0, steep = 1e-12, steeper = 0;
        for (int j = 0; j < mechanism.size(); ++j) {
            const kinematics::Joint& joint = mechanism.joints[j];
            span = std::max(span, std::abs(nodes[i + 1].q[j] - nodes[i].q[j]) / joint.speed);
            steep = std::max(steep, std::abs(nodes[i].slope[j]) / joint.acceleration);
            steeper = std::max(steeper, std::abs(nodes[i + 1].slope[j] - nodes[i].slope[j]) / joint.acceleration);
        }
        spans.push_back(span);
        changes.push_back(steeper / steep);
        way += span, change += changes.back();
    }
    std::vector<GridPoint> grid;
    for (std::size_t i = 0; i + 1 < nodes.size(); ++i) {
        const PathNode &a = nodes[i], &b = nodes[i + 1];
        const int pieces =
            std::max(2, static_cast<int>(std::lround(points * (0.5 * spans[i] / way + 0.5 * changes[i] / change))));
        for (int k = 0; k < pieces; ++k) {
            const double s = a.s + (b.s - a.s) * k / pieces;
            const PathPoint p = cubic(a, b, s);
            if (k == 0 && !grid.empty()) {  // the end of the last stretch is the same point
                GridPoint& both = grid.back();
                both.curve_after = p.curve;
                both.rate = a.rate, both.acceleration = a.acceleration, both.speed_share = a.speed_share,
                both.effort_share = a.effort_share;
            } else {
                grid.push_back({s, p.slope, p.curve, p.curve, a.rate, a.acceleration, a.speed_share, a.effort_share});
            }
        }
        const double end = b.s;
        const PathPoint p = cubic(a, b, end);
        grid.push_back({b.s, p.slope, p.curve, p.curve, a.rate, a.acceleration, a.speed_share, a.effort_share});
    }
    return grid;
}

/// Averaging over a window carries a fast stretch into the slow one beside it: each slow point slows its surroundings,
/// as far as half the window reaches at its own rate.
void slow_round(std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism, double window) {
    const std::vector<double> most = greatest_rates(grid, mechanism);
    for (std::size_t i = 0; i < grid.size(); ++i) {
        if (most[i] > 1e6) continue;
        const double far = 0.55 * window * most[i];
        for (std::size_t k = i + 1; k-- > 0 && grid[i].s - grid[k].s <= far;)
            grid[k].rate = std::min(grid[k].rate, most[i]);
        for (std::size_t k = i; k < grid.size() && grid[k].s - grid[i].s <= far; ++k)
            grid[k].rate = std::min(grid[k].rate, most[i]);
    }
}

class Slice final : public Motion {
public:
    Slice(MotionPtr whole, double from, double to) : whole_(std::move(whole)), from_(from), to_(to) {}
    std::size_t bytes() const override { return sizeof *this + whole_->bytes(); }
    double duration() const override { return to_ - from_; }
    JointState at(double t) const override {
        JointState state = whole_->at(std::clamp(from_ + t, from_, to_));
        if (t < 0 || t > duration()) state.rate.setZero(), state.acceleration.setZero();
        return state;
    }
    JointVector position(double t) const override { return whole_->position(std::clamp(from_ + t, from_, to_)); }
    JointVector rate_bound(double from, double to) const override {
        return whole_->rate_bound(std::clamp(from_ + from, from_, to_), std::clamp(from_ + to, from_, to_));
    }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        if (from < 0 || to > duration()) return std::nullopt;
        return whole_->acceleration_bound(from_ + from, from_ + to);
    }
    std::vector<double> breaks() const override {
        std::vector<double> all{0.0};
        for (const double t : whole_->breaks())
            if (t > from_ && t < to_) all.push_back(t - from_);
        all.push_back(to_ - from_);
        return all;
    }

private:
    MotionPtr whole_;
    double from_, to_;
};

class Sequence final : public Motion {
public:
    explicit Sequence(std::vector<MotionPtr> motions) : motions_(std::move(motions)) {
        for (const MotionPtr& m : motions_) start_.push_back(end_), end_ += m->duration();
    }
    std::size_t bytes() const override {
        std::size_t sum = sizeof *this + start_.size() * (sizeof(MotionPtr) + sizeof(double));
        for (const MotionPtr& m : motions_) sum += m->bytes();
        return sum;
    }
    double duration() const override { return end_; }
    JointState at(double t) const override {
        const std::size_t i = which(t);
        return motions_[i]->at(t - start_[i]);
    }
    JointVector position(double t) const override {
        const std::size_t i = which(t);
        return motions_[i]->position(t - start_[i]);
    }
    JointVector rate_bound(double from, double to) const override {
        JointVector most = JointVector::Zero(motions_.front()->position(0).size());
        for (std::size_t i = which(from), last = which(to); i <= last; ++i)
            most = most.cwiseMax(motions_[i]->rate_bound(from - start_[i], to - start_[i]));
        return most;
    }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        JointVector most = JointVector::Zero(motions_.front()->position(0).size());
        for (std::size_t i = which(from), last = which(to); i <= last; ++i) {
            const auto one = motions_[i]->acceleration_bound(from - start_[i], to - start_[i]);
            if (!one) return std::nullopt;
            most = most.cwiseMax(*one);
        }
        return most;
    }
    std::vector<double> breaks() const override {
        std::vector<double> all;
        for (std::size_t i = 0; i < motions_.size(); ++i)
            for (const double t : motions_[i]->breaks()) all.push_back(start_[i] + t);
        return all;
    }

private:
    std::size_t which(double t) const {
        return static_cast<std::size_t>(std::upper_bound(start_.begin() + 1, start_.end(), t) - start_.begin()) - 1;
    }
    std::vector<MotionPtr> motions_;
    std::vector<double> start_;
    double end_ = 0;
};

class Slowed final : public Motion {
public:
    Slowed(MotionPtr motion, double factor) : motion_(std::move(motion)), factor_(factor) {}
    std::size_t bytes() const override { return sizeof *this + motion_->bytes(); }
    double duration() const override { return motion_->duration() * factor_; }
    JointState at(double t) const override {
        const JointState s = motion_->at(t / factor_);
        return {s.q, s.rate / factor_, s.acceleration / (factor_ * factor_)};
    }
    JointVector position(double t) const override { return motion_->position(t / factor_); }
    JointVector rate_bound(double from, double to) const override {
        return motion_->rate_bound(from / factor_, to / factor_) / factor_;
    }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        auto most = motion_->acceleration_bound(from / factor_, to / factor_);
        if (most) *most /= factor_ * factor_;
        return most;
    }
    std::vector<double> breaks() const override {
        std::vector<double> all = motion_->breaks();
        for (double& t : all) t *= factor_;
        return all;
    }

private:
    MotionPtr motion_;
    double factor_;
};

}  // namespace

PathPoint on_path(const std::vector<PathNode>& nodes, double s) {
    const std::size_t i = interval_of(nodes, s);
    return cubic(nodes[i], nodes[i + 1], s);
}

std::vector<PathNode> part_of(const std::vector<PathNode>& nodes, double from, double to) {
    std::vector<PathNode> part;
    const auto cut = [&](double s, std::size_t i) {
        const PathPoint p = cubic(nodes[i], nodes[i + 1], s);
        PathNode node = nodes[i];
        node.s = s, node.q = p.q, node.slope = p.slope;
        return node;
    };
    part.push_back(cut(from, interval_of(nodes, from)));
    for (const PathNode& n : nodes)
        if (n.s > from + 1e-12 && n.s < to - 1e-12) part.push_back(n);
    part.push_back(cut(to, interval_of(nodes, to)));
    return part;
}

PathMotion::PathMotion(const kinematics::Mechanism& mechanism, std::vector<PathNode> nodes, bool corners)
    : nodes_(std::move(nodes)) {
    assert(nodes_.size() >= 2);
    time_it(mechanism, corners);
    keep_bounds();
}

namespace {

/// The greatest acceleration of a joint as a multiple of the most that is allowed anywhere on the path.
double greatest_effort(
    const Motion& motion, const kinematics::Mechanism& mechanism, const std::vector<PathNode>& nodes) {
    constexpr double step = 0.5e-3;
    double share = 0, worst = 0;
    for (const PathNode& n : nodes) share = std::max(share, n.effort_share);
    const double end = motion.duration();
    for (double t = 0; t < end + step; t += step) {
        const JointVector now = motion.at(std::min(t, end)).acceleration;
        for (int j = 0; j < mechanism.size(); ++j)
            worst = std::max(worst, std::abs(now[j]) / (share * mechanism.joints[j].acceleration));
    }
    return worst;
}

}  // namespace

void PathMotion::time_it(const kinematics::Mechanism& mechanism, bool corners) {
    constexpr double round_corners = 120;
    std::vector<GridPoint> grid = corners ? grid_of(nodes_, mechanism, round_corners) : grid_of(nodes_, mechanism);
    bool jerk = false;
    for (int j = 0; j < mechanism.size() && !corners; ++j) {
        const bool moves =
            std::any_of(nodes_.begin(), nodes_.end(), [&](const PathNode& n) { return std::abs(n.slope[j]) > 1e-9; });
        jerk = jerk || (moves && mechanism.joints[j].jerk > 0);
    }
    plain_phases(grid, time_optimal_rates(grid, mechanism));
    double window = 0;
    if (jerk) {
        window = needed_window(grid, mechanism);
        slow_round(grid, mechanism, window);
    }
    // Where the limits are exceeded between grid points, or by the softening, they are tightened there and the path is
    // timed again; what little is left slows the whole.
    constexpr int rounds = 5;
    double over = 1;
    for (int round = 0; round < rounds; ++round) {
        if (round > 0 || jerk) plain_phases(grid, time_optimal_rates(grid, mechanism));
        if (jerk) {
            window = needed_window(grid, mechanism);
            const std::vector<Phase> hard = phases_;
            const double hard_end = end_;
            soften(window);
            // A short move never reaches the changes that the window was made for: it may do with less.
            for (int more = 0; more < 4; ++more) {
                const double rough = roughness(mechanism);
                if (rough > 0.8 && rough <= 1.0) break;
                phases_ = hard, end_ = hard_end;
                soften(window *= std::clamp(rough < 1 ? std::sqrt(rough) : rough, 0.6, 1.5));
            }
        }
        over = excess(mechanism, jerk, round + 1 < rounds ? &grid : nullptr);
        if (over <= 1.0005) break;
    }
    // What was looked at in the middles of the softened pieces alone counts at their ends and between them, too.
    if (jerk)
        over = std::max({over, excess(mechanism, false, nullptr), std::cbrt(roughness(mechanism)),
            std::sqrt(greatest_effort(*this, mechanism, nodes_))});
    if (over > 1) stretch_ = over, end_ *= over;
    if (jerk) try_even(grid_of(nodes_, mechanism), mechanism);
}

/// Where the limits hardly change along the path, the seven-phase profile under the least of them is quicker than the
/// softened one: taken if it is.
void PathMotion::try_even(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) {
    const double whole = nodes_.back().s - nodes_.front().s;
    double rate = 1e9, acceleration = 1e9, jerk = 1e9;
    for (const GridPoint& g : grid) {
        rate = std::min(rate, g.rate), acceleration = std::min(acceleration, g.acceleration);
        for (int j = 0; j < mechanism.size(); ++j) {
            const kinematics::Joint& joint = mechanism.joints[j];
            const double slope = std::abs(g.slope[j]);
            if (slope < 1e-9) continue;
            rate = std::min(rate, g.speed_share * joint.speed / slope);
            acceleration = std::min(acceleration, g.effort_share * joint.acceleration / slope);
            jerk = std::min(jerk, joint.jerk_limit() / slope);
        }
    }
    const Profile profile(rate / whole, acceleration / whole, jerk / whole);
    if (profile.duration() >= end_) return;
    const std::vector<Phase> kept = phases_;
    const double kept_end = end_, kept_stretch = stretch_;
    phases_.clear();
    for (const Profile::Piece& p : profile.pieces())
        phases_.push_back(
            {p.t, nodes_.front().s + whole * p.s, whole * p.rate, whole * p.acceleration, whole * p.jerk});
    end_ = profile.duration(), stretch_ = 1;
    const double over = std::max({excess(mechanism, false, nullptr), std::cbrt(roughness(mechanism)),
        std::sqrt(greatest_effort(*this, mechanism, nodes_))});
    if (end_ * over < kept_end) stretch_ = over, end_ *= over;
    else phases_ = kept, end_ = kept_end, stretch_ = kept_stretch;
}

void PathMotion::plain_phases(const std::vector<GridPoint>& grid, const std::vector<double>& rates) {
    phases_.clear();
    double t = 0;
    for (std::size_t i = 0; i + 1 < grid.size(); ++i) {
        const double h = grid[i + 1].s - grid[i].s, sum = std::max(1e-9, rates[i] + rates[i + 1]);
        phases_.push_back({t, grid[i].s, rates[i], (rates[i + 1] * rates[i + 1] - rates[i] * rates[i]) / (2 * h), 0});
        t += 2 * h / sum;
    }
    end_ = t;
}

double PathMotion::needed_window(const std::vector<GridPoint>& grid, const kinematics::Mechanism& mechanism) const {
    std::vector<double> ease(phases_.size());  // for each phase, the jerk of s that the joints allow
    for (std::size_t i = 0; i < phases_.size(); ++i) {
        double least = 1e300;
        for (int j = 0; j < mechanism.size(); ++j) {
            const double slope = std::max(std::abs(grid[i].slope[j]), std::abs(grid[i + 1].slope[j]));
            if (slope > 1e-9) least = std::min(least, mechanism.joints[j].jerk_limit() / slope);
        }
        ease[i] = least;
    }
    double window = 1e-4;
    // The shortest window that no stretch finds too rough.
    for (int round = 0; round < 6; ++round) {
        double needed = 0;
        // Each phase's beginning against what the window lets go of there, and the end of the window behind it.
        std::size_t behind = 0, ahead = 0;
        const auto change = [&](double one, double other, std::size_t at) {
            needed = std::max(needed, std::abs(one - other) / ease[at]);
        };
        for (std::size_t k = 0; k < phases_.size(); ++k) {
            const double begin = phases_[k].t;
            while (behind + 1 < phases_.size() && phases_[behind + 1].t <= begin - window) ++behind;
            while (ahead + 1 < phases_.size() && phases_[ahead + 1].t <= begin + window) ++ahead;
            const double then = begin < window ? 0.0 : phases_[behind].acceleration,
                         then_on = begin + window >= end_ ? 0.0 : phases_[ahead].acceleration;
            change(phases_[k].acceleration, then, k);
            if (begin >= window) change(phases_[k].acceleration, then, behind);
            change(then_on, phases_[k].acceleration, k);
            change(then_on, phases_[k].acceleration, ahead);
        }
        if (needed <= window * 1.001) break;
        window = needed;
    }
    return window;
}

/// The profile s(t) averaged over a moving window: its acceleration becomes continuous, its jerk the change of the
/// acceleration over the window.
void PathMotion::soften(double window) {
    const std::vector<Phase> hard = std::move(phases_);
    const double hard_end = end_;
    phases_.clear();
    phases_.reserve(2 * hard.size() + 2);
    // Its pieces end where a phase begins now, or began a window ago: both lists rise. The entry behind the last is the
    // end.
    const auto begin = [&](std::size_t i) { return i < hard.size() ? hard[i].t : hard_end; };
    const auto acceleration = [&](std::size_t phases_begun) {
        return phases_begun == 0 || phases_begun > hard.size() ? 0.0 : hard[phases_begun - 1].acceleration;
    };
    std::size_t now_begun = 0, then_begun = 0;  // of the phases and their end
    Phase now{0, hard.front().s, 0, 0, 0};
    while (then_begun <= hard.size()) {
        const double t = std::min(now_begun <= hard.size() ? begin(now_begun) : 1e300, begin(then_begun) + window);
        const double d = t - now.t;
        if (d >= 1e-12) {
            now.jerk = (acceleration(now_begun) - acceleration(then_begun)) / window;
            phases_.push_back(now);
            now.t = t;
            now.s += d * (now.rate + d * (now.acceleration / 2 + d * now.jerk / 6));
            now.rate = std::max(0.0, now.rate + d * (now.acceleration + d * now.jerk / 2));
            now.acceleration += d * now.jerk;
        }
        while (now_begun <= hard.size() && begin(now_begun) <= t) ++now_begun;
        while (then_begun <= hard.size() && begin(then_begun) + window <= t) ++then_begun;
    }
    end_ = hard_end + window;
}

double PathMotion::roughness(const kinematics::Mechanism& mechanism) const {
    constexpr double step = 1e-3;
    constexpr std::size_t span = 4;  // steps: over shorter times the path's own roundings would count
    double worst = 0;
    std::array<JointVector, span> before;
    std::size_t looks = 0;
    for (double t = 0; t < end_ + span * step; t += step, ++looks) {
        JointVector now = at(t).acceleration;
        if (looks >= span)
            for (int j = 0; j < mechanism.size(); ++j)
                worst = std::max(worst,
                    std::abs(now[j] - before[looks % span][j]) / (span * step * mechanism.joints[j].jerk_limit()));
        before[looks % span] = std::move(now);
    }
    return worst;
}

double PathMotion::excess(const kinematics::Mechanism& mechanism, bool soft, std::vector<GridPoint>* tighten) const {
    double worst = 1;
    for (std::size_t i = 0; i < phases_.size(); ++i) {
        const double span = (i + 1 < phases_.size() ? phases_[i + 1].t : end_) - phases_[i].t;
        for (const double share : {0.5, 0.02, 0.98, 0.15, 0.3, 0.7, 0.85}) {
            if (soft && share != 0.5) break;                 // softened phases are short, and run into each other
            if (share == 0.15 && phases_.size() > 8) break;  // long ones need more looks
            const double d = span * share;
            const Phase& p = phases_[i];
            const double s = p.s + d * (p.rate + d * (p.acceleration / 2 + d * p.jerk / 6));
            const double rate = p.rate + d * (p.acceleration + d * p.jerk / 2),
                         acceleration = p.acceleration + d * p.jerk;
            const std::size_t k = interval_of(nodes_, s);
            const PathPoint at = cubic(nodes_[k], nodes_[k + 1], s);
            double fast = rate / nodes_[k].rate, hard = std::abs(acceleration) / nodes_[k].acceleration;
            for (int j = 0; j < mechanism.size(); ++j) {
                const kinematics::Joint& joint = mechanism.joints[j];
                fast = std::max(fast, std::abs(at.slope[j] * rate) / (nodes_[k].speed_share * joint.speed));
                hard = std::max(hard, std::abs(at.curve[j] * rate * rate + at.slope[j] * acceleration) /
                                          (nodes_[k].effort_share * joint.acceleration));
            }
            worst = std::max({worst, fast, std::sqrt(hard)});
            if (!tighten || (fast <= 1.0002 && hard <= 1.0002)) continue;
            auto after = std::upper_bound(
                tighten->begin(), tighten->end() - 1, s, [](double v, const GridPoint& g) { return v < g.s; });
            GridPoint& g = *(after - 1);
            g.speed_share /= std::max(1.0, fast), g.rate /= std::max(1.0, fast);
            g.effort_share /= std::max(1.0, hard);
        }
    }
    return worst;
}

void PathMotion::keep_bounds() {
    const int n = static_cast<int>(nodes_.front().q.size());
    bounds_.assign(std::size_t{2} * slices, JointVector::Zero(n));
    // The slope of a cubic is a parabola, bounded by its Bezier control values.
    efforts_.assign(slices, JointVector::Zero(n));
    std::vector<JointVector> steep(nodes_.size() - 1), flex(nodes_.size() - 1);
    for (std::size_t i = 0; i + 1 < nodes_.size(); ++i) {
        const PathNode &a = nodes_[i], &b = nodes_[i + 1];
        const double h = b.s - a.s;
        const JointVector middle = 3 * (b.q - a.q) / h - a.slope - b.slope;
        steep[i] = a.slope.cwiseAbs().cwiseMax(b.slope.cwiseAbs()).cwiseMax(middle.cwiseAbs());
        // Its curvature goes evenly from one end to the other.
        flex[i] = (2 * (middle - a.slope) / h).cwiseAbs().cwiseMax((2 * (b.slope - middle) / h).cwiseAbs());
    }
    for (std::size_t i = 0; i < phases_.size(); ++i) {
        const Phase& p = phases_[i];
        const double t1 = i + 1 < phases_.size() ? phases_[i + 1].t : end_ / stretch_, d = t1 - p.t;
        double rate = std::max(p.rate, p.rate + d * (p.acceleration + d * p.jerk / 2));
        if (p.jerk < 0 && p.acceleration > 0 && -p.acceleration / p.jerk < d)
            rate = std::max(rate, p.rate - p.acceleration * p.acceleration / (2 * p.jerk));
        const double s1 = p.s + d * (p.rate + d * (p.acceleration / 2 + d * p.jerk / 6));
        JointVector bound = JointVector::Zero(n), effort = JointVector::Zero(n);
        const double acceleration = std::max(std::abs(p.acceleration), std::abs(p.acceleration + d * p.jerk));
        for (std::size_t k = interval_of(nodes_, p.s), last = interval_of(nodes_, s1); k <= last; ++k) {
            bound = bound.cwiseMax(steep[k]);
            effort = effort.cwiseMax(flex[k] * (rate * rate) + steep[k] * acceleration);
        }
        bound *= rate / stretch_ * (1 + 1e-9);
        effort *= (1 + 1e-9) / (stretch_ * stretch_);
        const int from = std::clamp(static_cast<int>(slices * p.t * stretch_ / end_), 0, slices - 1),
                  to = std::clamp(static_cast<int>(slices * t1 * stretch_ / end_), 0, slices - 1);
        for (int slot = from; slot <= to; ++slot) {
            bounds_[slices + slot] = bounds_[slices + slot].cwiseMax(bound);
            efforts_[slot] = efforts_[slot].cwiseMax(effort);
        }
    }
    for (std::size_t i = slices - 1; i > 0; --i) bounds_[i] = bounds_[2 * i].cwiseMax(bounds_[2 * i + 1]);
}

JointVector PathMotion::rate_bound(double from, double to) const {
    if (to <= 0 || from >= end_) return JointVector::Zero(nodes_.front().q.size());
    int low = std::clamp(static_cast<int>(slices * from / end_), 0, slices - 1) + slices,
        high = std::clamp(static_cast<int>(slices * to / end_), 0, slices - 1) + slices;
    JointVector most = JointVector::Zero(nodes_.front().q.size());
    for (; low <= high; low /= 2, high /= 2) {
        if (low % 2 == 1) most = most.cwiseMax(bounds_[low++]);
        if (high % 2 == 0) most = most.cwiseMax(bounds_[high--]);
    }
    return most;
}

std::optional<JointVector> PathMotion::acceleration_bound(double from, double to) const {
    JointVector most = JointVector::Zero(nodes_.front().q.size());
    if (to <= 0 || from >= end_) return most;
    const int low = std::clamp(static_cast<int>(slices * from / end_), 0, slices - 1),
              high = std::clamp(static_cast<int>(slices * to / end_), 0, slices - 1);
    for (int i = low; i <= high; ++i) most = most.cwiseMax(efforts_[i]);
    return most;
}

PathMotion::Along PathMotion::along(double t) const {
    const double own = t / stretch_;
    const auto after =
        std::upper_bound(phases_.begin() + 1, phases_.end(), own, [](double v, const Phase& p) { return v < p.t; });
    const Phase& p = *(after - 1);
    const double d = own - p.t;
    return {
        std::clamp(p.s + d * (p.rate + d * (p.acceleration / 2 + d * p.jerk / 6)), nodes_.front().s, nodes_.back().s),
        (p.rate + d * (p.acceleration + d * p.jerk / 2)) / stretch_,
        (p.acceleration + d * p.jerk) / (stretch_ * stretch_)};
}

JointState PathMotion::at(double t) const {
    const auto n = nodes_.front().q.size();
    if (t <= 0) return {nodes_.front().q, JointVector::Zero(n), JointVector::Zero(n)};
    if (t >= end_) return {nodes_.back().q, JointVector::Zero(n), JointVector::Zero(n)};
    const Along a = along(t);
    const PathPoint p = on_path(nodes_, a.s);
    return {p.q, p.slope * a.rate, p.curve * a.rate * a.rate + p.slope * a.acceleration};
}

JointVector PathMotion::position(double t) const {
    if (t <= 0) return nodes_.front().q;
    if (t >= end_) return nodes_.back().q;
    return on_path(nodes_, along(t).s).q;
}

double PathMotion::s_at(double t) const { return t <= 0 ? nodes_.front().s : t >= end_ ? nodes_.back().s : along(t).s; }

double PathMotion::time_of(double s) const { return passes(s, 0, end_); }

std::vector<double> PathMotion::phases() const {
    std::vector<double> all;
    for (const Phase& p : phases_) all.push_back(p.t * stretch_);
    all.push_back(end_);
    return all;
}

/// Where a phase begins or a node is passed.
std::vector<double> PathMotion::breaks() const {
    const std::vector<double> begins = phases();
    std::vector<double> all;
    std::size_t node = 1;
    for (std::size_t i = 0; i < phases_.size(); ++i) {
        all.push_back(begins[i]);
        const double then = s_at(begins[i + 1]);
        for (; node + 1 < nodes_.size() && nodes_[node].s < then - 1e-12; ++node)
            if (nodes_[node].s > phases_[i].s + 1e-12) all.push_back(passes(nodes_[node].s, begins[i], begins[i + 1]));
    }
    all.push_back(end_);
    return all;
}

double PathMotion::passes(double s, double low, double high) const {
    while (high - low > 1e-9) {
        const double middle = 0.5 * (low + high);
        (s_at(middle) < s ? low : high) = middle;
    }
    return high;
}

/// Where the window's beginning or end passes a break of the path's motion.
std::vector<double> Averaged::breaks() const {
    const std::vector<double> own = motion_->breaks();
    std::vector<double> all;
    for (const double t : own) all.push_back(t), all.push_back(t + window_);
    std::sort(all.begin(), all.end());
    return all;
}

Averaged::Averaged(std::shared_ptr<const PathMotion> motion, const kinematics::Mechanism& mechanism)
    : motion_(std::move(motion)), breaks_(motion_->phases()) {
    const auto acceleration = [&](double t) { return motion_->at(t).acceleration; };
    for (int round = 0; round < 8; ++round) {
        double needed = 1e-4;
        const auto look = [&](double t) {
            const JointVector change = acceleration(t) - acceleration(t - window_);
            for (int j = 0; j < mechanism.size(); ++j)
                if (mechanism.joints[j].jerk > 0)
                    needed = std::max(needed, std::abs(change[j]) / mechanism.joints[j].jerk);
        };
        constexpr double beside = 1e-7;
        for (const double t : breaks_)
            look(t + beside), look(t - beside), look(t + window_ + beside), look(t + window_ - beside);
        for (std::size_t i = 0; i + 1 < breaks_.size(); ++i) {
            const double middle = 0.5 * (breaks_[i] + breaks_[i + 1]);
            look(middle), look(middle + window_);
        }
        if (needed <= window_ * 1.001) break;
        window_ = needed;
    }
    area_.push_back(JointVector::Zero(motion_->position(0).size()));
    for (std::size_t i = 0; i + 1 < breaks_.size(); ++i)
        area_.push_back(area_.back() + area(breaks_[i], breaks_[i + 1]));
}

/// Two-point Gauss quadrature: over stretches of a few milliseconds exact to rounding.
JointVector Averaged::area(double from, double to) const {
    const double half = 0.5 * (to - from), middle = 0.5 * (from + to), beside = half / std::sqrt(3.0);
    return half * (motion_->position(middle - beside) + motion_->position(middle + beside));
}

JointVector Averaged::area_to(double t) const {
    if (t <= 0) return t * motion_->position(0);
    if (t >= breaks_.back()) return area_.back() + (t - breaks_.back()) * motion_->position(breaks_.back());
    const std::size_t i =
        static_cast<std::size_t>(std::upper_bound(breaks_.begin(), breaks_.end(), t) - breaks_.begin()) - 1;
    return area_[i] + area(breaks_[i], t);
}

JointVector Averaged::position(double t) const {
    if (t <= 0) return motion_->position(0);
    if (t >= duration()) return motion_->position(breaks_.back());
    return (area_to(t) - area_to(t - window_)) / window_;
}

JointState Averaged::at(double t) const {
    const JointState now = motion_->at(t), then = motion_->at(t - window_);
    return {position(t), (now.q - then.q) / window_, (now.rate - then.rate) / window_};
}

MotionPtr slice(MotionPtr whole, double from, double to) { return std::make_shared<Slice>(std::move(whole), from, to); }

MotionPtr one_after_another(std::vector<MotionPtr> motions) { return std::make_shared<Sequence>(std::move(motions)); }

MotionPtr slowed(MotionPtr motion, double factor) {
    if (factor <= 1) return motion;
    return std::make_shared<Slowed>(std::move(motion), factor);
}

}  // namespace escarp::motion
