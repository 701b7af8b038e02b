#include "clearance.h"

#include <algorithm>
#include <cmath>

namespace escarp::motion {
namespace {

class Search {
public:
    Search(const Mover& one, const Mover& two, const ClearanceQuery& query) : a_(one), b_(two), query_(query) { best_.distance = query.cap; }

    Clearance run() {
        std::vector<int> all;
        if (query_.pairs) {
            pairs_ = *query_.pairs;
        } else {
            for (int i = 0; i < static_cast<int>(a_.parts().size()); ++i)
                for (int j = 0; j < static_cast<int>(b_.parts().size()); ++j) pairs_.emplace_back(i, j);
        }
        warm_.assign(pairs_.size(), geometry::Warm::Zero());
        for (int i = 0; i < static_cast<int>(pairs_.size()); ++i) all.push_back(i);
        visit(query_.from, query_.to, all, 0);
        if (best_.part_a < 0) best_.distance = std::max(best_.distance, query_.cap);
        return best_;
    }

private:
    /// Looks at the middle of a stretch; pairs that cannot beat the best anywhere in it are dropped, the rest is halved.
    void visit(double from, double to, const std::vector<int>& active, int depth) {
        const double middle = 0.5 * (from + to), half = 0.5 * (to - from);
        std::vector<Frame> frames_a, frames_b;
        std::vector<double> speed_a, speed_b;
        a_.frames(middle, frames_a);
        b_.frames(middle, frames_b);
        a_.speed_bounds(from, to, speed_a);
        b_.speed_bounds(from, to, speed_b);
        std::vector<int> left;
        for (const int index : active) {
            const auto [i, j] = pairs_[index];
            const Part &p = a_.parts()[i], &q = b_.parts()[j];
            const double travel = (speed_a[i] + speed_b[j]) * half;
            const double useful = best_.distance + travel;  // farther than this at the middle cannot matter
            const Frame at_p = frames_a[p.frame] * p.at, at_q = frames_b[q.frame] * q.at;
            const double apart = (at_p * p.shape.centre() - at_q * q.shape.centre()).norm() - p.shape.bound() - q.shape.bound();
            if (apart > useful) continue;
            const geometry::Separation apart_by = geometry::separation(p.shape, at_p, q.shape, at_q, &warm_[index], useful);
            const double d = apart_by.distance;
            if (d < best_.distance) best_ = {d, middle, i, j, apart_by.on_a, apart_by.on_b};
            if (d - travel < best_.distance - query_.tolerance) left.push_back(index);
        }
        if (left.empty() || best_.distance <= 0 || depth > 40) return;
        visit(from, middle, left, depth + 1);
        visit(middle, to, left, depth + 1);
    }

    const Mover &a_, &b_;
    const ClearanceQuery& query_;
    std::vector<std::pair<int, int>> pairs_;
    std::vector<geometry::Warm> warm_;
    Clearance best_;
};

/// Distance at one instant, and how fast it can shrink around it.
double distance_at(const Mover& a, const Mover& b, double t) {
    std::vector<Frame> frames_a, frames_b;
    a.frames(t, frames_a);
    b.frames(t, frames_b);
    double least = 1e300;
    for (const Part& p : a.parts())
        for (const Part& q : b.parts())
            least = std::min(least, geometry::separation(p.shape, frames_a[p.frame] * p.at, q.shape, frames_b[q.frame] * q.at).distance);
    return least;
}

double closing_bound(const Mover& a, const Mover& b, double from, double to) {
    std::vector<double> speed_a, speed_b;
    a.speed_bounds(from, to, speed_a);
    b.speed_bounds(from, to, speed_b);
    double most_a = 0, most_b = 0;
    for (const double s : speed_a) most_a = std::max(most_a, s);
    for (const double s : speed_b) most_b = std::max(most_b, s);
    return most_a + most_b;
}

}  // namespace

ArmMover::ArmMover(const kinematics::Mechanism& mechanism, const Frame& base, MotionPtr motion, double start, std::vector<Part> parts)
    : mechanism_(mechanism), base_(base), motion_(std::move(motion)), start_(start) {
    parts_ = std::move(parts);
}

void ArmMover::frames(double t, std::vector<Frame>& out) const { mechanism_.link_frames(motion_->position(t - start_), base_, out); }

void ArmMover::speed_bounds(double from, double to, std::vector<double>& out) const {
    const JointVector rates = motion_->rate_bound(from - start_, to - start_);
    out.resize(parts_.size());
    for (std::size_t i = 0; i < parts_.size(); ++i) out[i] = parts_[i].levers.size() ? parts_[i].levers.dot(rates) : 0.0;
}

LineMover::LineMover(const Frame& at, std::vector<Part> parts, const Vector3& velocity, double start)
    : at_(at), velocity_(velocity), start_(start) {
    parts_ = std::move(parts);
}

void LineMover::frames(double t, std::vector<Frame>& out) const {
    out.assign(1, at_);
    out[0].translation() += (t - start_) * velocity_;
}

void LineMover::speed_bounds(double, double, std::vector<double>& out) const { out.assign(parts_.size(), velocity_.norm()); }

Clearance least_clearance(const Mover& a, const Mover& b, const ClearanceQuery& query) { return Search(a, b, query).run(); }

Clearance least_self_clearance(const Mover& mover, const ClearanceQuery& query) { return Search(mover, mover, query).run(); }

std::vector<std::pair<double, double>> contact_times(const Mover& a, const Mover& b, double from, double to, double resolution) {
    constexpr double touching = 1e-6, exact = 1e-6;
    const double fastest = std::max(1e-9, closing_bound(a, b, from, to));
    const auto touches = [&](double t) { return distance_at(a, b, t) <= touching; };
    const auto edge = [&](double low, double high, bool at_low) {
        while (high - low > exact) {
            const double middle = 0.5 * (low + high);
            (touches(middle) == at_low ? low : high) = middle;
        }
        return high;
    };
    std::vector<std::pair<double, double>> found;
    double t = from;
    bool inside = touches(from);
    double entered = from;
    while (t < to) {
        // Apart: no contact before the bodies can have met. Touching: look again after the resolution.
        const double stride = inside ? resolution : std::max(distance_at(a, b, t) / fastest, exact);
        const double next = std::min(to, t + stride);
        const bool then = touches(next);
        if (then != inside) {
            const double when = edge(t, next, inside);
            if (inside) found.emplace_back(entered, when);
            else entered = when;
            inside = then;
        }
        t = next;
    }
    if (inside) found.emplace_back(entered, to);
    return found;
}

}  // namespace escarp::motion
