#include "clearance.h"

#include <algorithm>
#include <cmath>

namespace escarp::motion {
namespace {

class Search {
public:
    Search(const Mover& one, const Mover& two, const ClearanceQuery& query) : a_(one), other_(two), b_(&one == &two ? a_ : other_), query_(query) { best_.distance = query.cap; }

    Clearance run() {
        std::vector<int> all;
        if (query_.pairs) {
            pairs_ = *query_.pairs;
        } else {
            for (int i = 0; i < static_cast<int>(a_.mover.parts().size()); ++i)
                for (int j = 0; j < static_cast<int>(b_.mover.parts().size()); ++j) pairs_.emplace_back(i, j);
        }
        warm_.assign(pairs_.size(), geometry::Warm::Zero());
        for (int i = 0; i < static_cast<int>(pairs_.size()); ++i) all.push_back(i);
        visit(query_.from, query_.to, all, 0);
        if (best_.part_a < 0) best_.distance = std::max(best_.distance, query_.cap);
        return best_;
    }

private:
    /// Where the parts of one mover stand at the instant looked at: worked out when first needed.
    struct Side {
        const Mover& mover;
        std::vector<Vector3> local_centre;  // of each part, in the frame that carries it
        std::vector<Vector3> centre;
        std::vector<Frame> frames, at;
        std::vector<int> centre_of_visit, at_of_visit;
        std::vector<double> speed;

        explicit Side(const Mover& m) : mover(m), centre(m.parts().size()), at(m.parts().size()), centre_of_visit(m.parts().size(), -1), at_of_visit(m.parts().size(), -1) {
            for (const Part& p : m.parts()) local_centre.push_back(p.at * p.shape.centre());
        }
        void look(double from, double middle, double to) {
            mover.frames(middle, frames);
            mover.speed_bounds(from, to, speed);
        }
        const Part& part(int i) const { return mover.parts()[static_cast<std::size_t>(i)]; }
        const Vector3& centre_at(int i, int visit) {
            const auto k = static_cast<std::size_t>(i);
            if (centre_of_visit[k] != visit) centre[k] = frames[static_cast<std::size_t>(part(i).frame)] * local_centre[k], centre_of_visit[k] = visit;
            return centre[k];
        }
        const Frame& frame_at(int i, int visit) {
            const auto k = static_cast<std::size_t>(i);
            if (at_of_visit[k] != visit) at[k] = frames[static_cast<std::size_t>(part(i).frame)] * part(i).at, at_of_visit[k] = visit;
            return at[k];
        }
    };

    /// Looks at the middle of a stretch; pairs that cannot beat the best anywhere in it are dropped, the rest is halved.
    void visit(double from, double to, const std::vector<int>& active, int depth) {
        const double middle = 0.5 * (from + to), half = 0.5 * (to - from);
        const int now = visits_++;
        a_.look(from, middle, to);
        if (&b_ != &a_) b_.look(from, middle, to);
        std::vector<int> left;
        for (const int index : active) {
            const auto [i, j] = pairs_[static_cast<std::size_t>(index)];
            const geometry::Convex &p = a_.part(i).shape, &q = b_.part(j).shape;
            const double travel = (a_.speed[static_cast<std::size_t>(i)] + b_.speed[static_cast<std::size_t>(j)]) * half;
            const double useful = best_.distance + travel;  // farther than this at the middle cannot matter
            const double apart = useful + p.bound() + q.bound();
            if ((a_.centre_at(i, now) - b_.centre_at(j, now)).squaredNorm() > apart * apart) continue;
            const geometry::Separation found = geometry::separation(p, a_.frame_at(i, now), q, b_.frame_at(j, now), &warm_[static_cast<std::size_t>(index)], useful);
            if (found.distance < best_.distance) best_ = {found.distance, middle, i, j, found.on_a, found.on_b};
            if (found.distance - travel < best_.distance - query_.tolerance) left.push_back(index);
        }
        if (left.empty() || best_.distance <= 0 || depth > 40) return;
        visit(from, middle, left, depth + 1);
        visit(middle, to, left, depth + 1);
    }

    Side a_, other_;
    Side& b_;  ///< a mover against itself is looked at once
    const ClearanceQuery& query_;
    std::vector<std::pair<int, int>> pairs_;
    std::vector<geometry::Warm> warm_;
    Clearance best_;
    int visits_ = 0;
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

GlideMover::GlideMover(const Frame& at, std::vector<Part> parts, const Glide& glide, double start) : at_(at), glide_(glide), start_(start) {
    parts_ = std::move(parts);
    for (const Part& p : parts_) speeds_.push_back(glide.speed(at * p.at * p.shape.centre()) + std::abs(glide.turn_rate) * p.shape.bound());
}

void GlideMover::frames(double t, std::vector<Frame>& out) const { out.assign(1, glide_.rests() ? at_ : glide_.after(at_, t - start_)); }

void GlideMover::speed_bounds(double, double, std::vector<double>& out) const { out = speeds_; }

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
