#include "clearance.h"

#include <geometry/work_done.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <deque>
#include <optional>
#include <unordered_map>

namespace escarp::motion {
namespace {

constexpr int deepest = 40;
constexpr double long_way = 0.3;  // m: of bodies that go farther the square of the time says no less

/// What a search works with; kept by each thread, so that a query asks for no memory.
struct Scratch {
    /// A mover during a stretch of time; what of each of its parts is worked out when it is first needed.
    struct Sight {
        Mover::Look look;
        std::vector<Frame> at;
        std::vector<Vector3> centre;
        std::vector<double> travel;
        std::vector<char> at_known, known;
        void begin(std::size_t parts) {
            at.resize(parts), centre.resize(parts), travel.resize(parts);
            at_known.assign(parts, 0), known.assign(parts, 0);
        }
    };
    /// One of the two movers. The same one is often asked about against many others, one after another, and the
    /// stretches are the same again: what was seen of it is kept until another comes.
    struct Side {
        Sight* now = nullptr;
        std::deque<Sight> kept;
        std::size_t used = 0;
        std::uint64_t who = 0;
        std::unordered_map<std::uint64_t, std::vector<std::size_t>> by_beginning;
        std::vector<std::pair<double, double>> spans;

        /// The sight of a stretch; true: it was there.
        bool find(std::uint64_t mover, double from, double to) {
            constexpr std::size_t most = 300;
            if (mover == 0 || mover != who || used >= most) {
                used = 0, who = mover;
                by_beginning.clear(), spans.clear();
            }
            std::uint64_t bits;
            std::memcpy(&bits, &from, sizeof bits);
            std::vector<std::size_t>& there = by_beginning[bits];
            for (const std::size_t i : there)
                if (spans[i].second == to) return now = &kept[i], true;
            there.push_back(used);
            spans.emplace_back(from, to);
            if (used == kept.size()) kept.emplace_back();
            now = &kept[used++];
            return false;
        }
    };
    struct Active {
        int i, j;
        geometry::Warm warm;
    };
    Side a, b;
    std::vector<Vector3> seen;  // centres of a's parts in the frames of b
    std::vector<int> seen_visit;
    std::vector<double> gap2;    // of a part of a to the boxes of the parts of b, squared
    std::vector<Active> active;  // a stack: every stretch has its own piece of it
};

class Search {
public:
    Search(const Mover& one, const Mover& two, const ClearanceQuery& query, Scratch& scratch)
        : one_(one),
          two_(two),
          self_(&one == &two),
          query_(query),
          k_(scratch),
          a_(scratch.a),
          b_(self_ ? scratch.a : scratch.b) {
        best_.distance = query.cap;
    }

    Clearance least() {
        begin();
        stretch(query_.from, query_.to, 0, 0, 0);
        if (best_.part_a < 0) best_.distance = std::max(best_.distance, query_.cap);
        return best_;
    }

    Clearance first() {
        begin();
        if (!touch(query_.from, query_.to, 0, 0, 0)) return {};
        name_place();
        return best_;
    }

private:
    void begin() {
        frames_b_ = static_cast<std::size_t>(two_.set().frames());
        k_.seen.resize(frames_b_ * parts_a());
        k_.seen_visit.assign(frames_b_ * parts_a(), -1);
        k_.gap2.resize(parts_b());
        k_.active.clear();
    }
    using Active = Scratch::Active;
    std::size_t parts_a() const { return one_.parts().size(); }
    std::size_t parts_b() const { return two_.parts().size(); }

    void look(const Mover& mover, Scratch::Side& side, double from, double to) {
        if (visits_ > 0 && mover.rests()) return;
        if (side.find(mover.identity(), from, to)) return;
        side.now->begin(mover.parts().size());
        mover.look(from, to, side.now->look);
    }
    /// Where a part's ball is in the middle of the stretch, and how far the part gets from there.
    const Vector3& place(const Mover& mover, Scratch::Side& side, std::size_t i) {
        Scratch::Sight& s = *side.now;
        if (!s.known[i]) {
            s.centre[i] = s.look.frames[mover.set().frame(i)] * mover.set().centre(i);
            s.travel[i] = mover.travel(s.look, i, s.centre[i]);
            s.known[i] = 1;
        }
        return s.centre[i];
    }
    const Frame& frame_at(const Mover& mover, Scratch::Side& side, std::size_t i) {
        Scratch::Sight& s = *side.now;
        if (!s.at_known[i]) s.at[i] = s.look.frames[mover.parts()[i].frame] * mover.parts()[i].at, s.at_known[i] = 1;
        return s.at[i];
    }
    /// The middle of a part of a, seen from a frame of b.
    const Vector3& seen(std::size_t i, int frame) {
        const std::size_t k = static_cast<std::size_t>(frame) * parts_a() + i;
        if (k_.seen_visit[k] != visits_) {
            const Frame& f = b_.now->look.frames[frame];
            k_.seen[k].noalias() = f.linear().transpose() * (a_.now->centre[i] - f.translation());
            k_.seen_visit[k] = visits_;
        }
        return k_.seen[k];
    }
    bool taken(std::size_t i, std::size_t j) const {
        return !query_.take || query_.take(one_.parts()[i], two_.parts()[j]);
    }

    /// Looks at the middle of a stretch; pairs that cannot beat the best anywhere in it are dropped, the rest is
    /// halved. Pairs to look at: those in the stack from `begin` to `end`, at the root all.
    void stretch(double from, double to, std::size_t begin, std::size_t end, int depth) {
        const double middle = 0.5 * (from + to);
        from_ = from, to_ = to;
        look(one_, a_, from, to);
        if (!self_) look(two_, b_, from, to);
        const std::size_t mine = k_.active.size();
        const auto keep = [&](const Active& pair, double gap2) { consider(pair, middle, gap2); };
        if (depth == 0) each_near(keep);
        else each_of(begin, end, keep);
        ++visits_;
        const std::size_t top = k_.active.size();
        if (top > mine && best_.distance > 0 && depth <= deepest) {
            stretch(from, middle, mine, top, depth + 1);
            stretch(middle, to, mine, top, depth + 1);
        }
        k_.active.resize(mine);
    }

    /// Whether a pair touches in the stretch; the first instant is then in `best_`.
    bool touch(double from, double to, std::size_t begin, std::size_t end, int depth) {
        constexpr double exact = 1e-6;
        const double middle = 0.5 * (from + to);
        look(one_, a_, from, to);
        if (!self_) look(two_, b_, from, to);
        const std::size_t mine = k_.active.size();
        best_.distance = 0;
        bool now = false;    // some pair touches at the middle,
        bool moves = false;  // and one that may touch moves
        const auto keep = [&](Active pair, double gap2) {
            const double travel = travel_of(pair);
            const std::optional<geometry::Separation> found = look_at(pair, gap2, travel);
            if (!found || found->distance > travel) return;
            if (found->distance <= 0 && !now) now = true, best_ = at_contact(pair, middle);
            moves = moves || travel > 0;
            k_.active.push_back(pair);
        };
        if (depth == 0) each_near(keep);
        else each_of(begin, end, keep);
        ++visits_;
        const std::size_t top = k_.active.size();
        bool found = false;
        if (now && !moves) best_.when = from, found = true;
        else if (to - from < exact || depth > deepest) found = now;
        else if (top > mine)
            found = touch(from, middle, mine, top, depth + 1) || touch(middle, to, mine, top, depth + 1);
        k_.active.resize(mine);
        return found;
    }
    /// Where they touch: between their nearest points a moment before.
    void name_place() {
        constexpr double before = 1e-5;
        if (best_.when - before < query_.from) return;
        std::vector<Frame> one, two;
        one_.frames(best_.when - before, one), two_.frames(best_.when - before, two);
        const Part &p = one_.parts()[best_.part_a], &q = two_.parts()[best_.part_b];
        const geometry::Separation s = geometry::separation(p.shape, one[p.frame] * p.at, q.shape, two[q.frame] * q.at);
        if (s.distance > 0) best_.on_a = best_.on_b = 0.5 * (s.on_a + s.on_b);
    }
    Clearance at_contact(const Active& pair, double when) const {
        const Vector3 between = 0.5 * (a_.now->centre[pair.i] + b_.now->centre[pair.j]);
        return {0, when, pair.i, pair.j, between, between};
    }

    template <typename Keep>
    void each_of(std::size_t begin, std::size_t end, const Keep& keep) {
        for (std::size_t k = begin; k < end; ++k) {
            const Active pair = k_.active[k];
            const auto i = static_cast<std::size_t>(pair.i), j = static_cast<std::size_t>(pair.j);
            place(one_, a_, i), place(two_, b_, j);
            two_.set().box_gaps(j, j + 1, seen(i, two_.set().frame(j)), &k_.gap2[j]);
            keep(pair, k_.gap2[j]);
        }
    }
    /// All pairs that are taken and could come nearer than the best so far.
    template <typename Keep>
    void each_near(const Keep& keep) {
        const std::size_t nb = parts_b();
        for (std::size_t j = 0; j < nb; ++j) place(two_, b_, j);
        for (std::size_t i = 0; i < parts_a(); ++i) {
            place(one_, a_, i);
            for (const PartSet::Run& r : two_.set().runs())
                two_.set().box_gaps(r.from, r.to, seen(i, r.frame), k_.gap2.data() + r.from);
            const double near = best_.distance + a_.now->travel[i] + one_.set().bound(i);
            const double *travel = b_.now->travel.data(), *gap2 = k_.gap2.data();
            for (std::size_t j = self_ ? i + 1 : 0; j < nb; ++j) {
                const double round = near + travel[j];
                if (gap2[j] <= round * round && taken(i, j))
                    keep({static_cast<int>(i), static_cast<int>(j), geometry::Warm::Zero()}, gap2[j]);
            }
        }
    }

    double travel_of(const Active& pair) const {
        const auto i = static_cast<std::size_t>(pair.i), j = static_cast<std::size_t>(pair.j);
        return self_ ? one_.travel_seen_from(a_.now->look, j, a_.now->centre[j], i, a_.now->centre[i])
                     : a_.now->travel[i] + b_.now->travel[j];
    }
    /// Distance at the middle, with what the pair may overlap added; nothing where it is surely more than `useful`.
    std::optional<geometry::Separation> look_at(Active& pair, double gap2, double useful) {
        const auto i = static_cast<std::size_t>(pair.i), j = static_cast<std::size_t>(pair.j);
        const double round = useful + one_.set().bound(i), apart = round + two_.set().bound(j);
        if (gap2 > round * round || (a_.now->centre[i] - b_.now->centre[j]).squaredNorm() > apart * apart)
            return std::nullopt;
        const Part &p = one_.parts()[i], &q = two_.parts()[j];
        const Frame &at_p = frame_at(one_, a_, i), &at_q = frame_at(two_, b_, j);
        geometry::Separation found = geometry::separation(p.shape, at_p, q.shape, at_q, &pair.warm, useful);
        if (!query_.sink) return found;
        const double allowed = query_.sink(p, q);
        if (found.distance > 0 || allowed <= 0) found.distance += allowed;
        else found.distance = std::max(0.0, allowed - geometry::penetration(p.shape, at_p, q.shape, at_q));
        return found;
    }

    void consider(Active pair, double middle, double gap2) {
        const double travel = travel_of(pair);
        // Bodies are no farther apart than their middles: where they could surely meet, how far is no use yet.
        constexpr double surely = 0.95;
        if ((a_.now->centre[pair.i] - b_.now->centre[pair.j]).squaredNorm() < surely * surely * travel * travel)
            return k_.active.push_back(pair);
        const auto found =
            look_at(pair, gap2, best_.distance + travel);  // farther than this at the middle cannot matter
        if (!found) return;
        if (found->distance < best_.distance) {
            if (found->distance > 0) best_ = {found->distance, middle, pair.i, pair.j, found->on_a, found->on_b};
            else best_ = at_contact(pair, middle);
        }
        const double useful = best_.distance - query_.tolerance;
        if (found->distance - travel < useful &&
            (travel > long_way || !stays_away(pair, *found, found->distance - useful)))
            k_.active.push_back(pair);
    }
    /// Whether a pair surely does not come nearer by so much anywhere in the stretch. Along the line between their
    /// nearest points both are convex bodies on either side of a gap; it shrinks by no more than what each does along
    /// it.
    bool stays_away(const Active& pair, const geometry::Separation& found, double by) {
        constexpr double least_gap = 1e-4;  // where the direction is sure
        if (self_ || query_.sink || found.distance < least_gap || by <= 0) return false;
        const Vector3 along = (found.on_b - found.on_a) / found.distance;
        const double left = by - gain(one_, a_, static_cast<std::size_t>(pair.i), found.on_a, along);
        return left >= 0 && left >= gain(two_, b_, static_cast<std::size_t>(pair.j), found.on_b, -along);
    }
    /// How far any point of a part gets at most beyond `point`, along a direction.
    double gain(const Mover& mover, Scratch::Side& side, std::size_t i, const Vector3& point, const Vector3& along) {
        if (mover.rests()) return 0;
        Mover::Look& look = side.now->look;
        if (!look.close) mover.look_closer(from_, to_, look);
        const kinematics::Drift d = mover.drift(look, i, side.now->centre[i], point, along);
        if (d.turning.isZero()) return d.straight + d.rest;
        const geometry::Convex& shape = mover.parts()[i].shape;
        const Frame& at = side.now->at[i];
        const auto ahead = [&](const Vector3& direction) {
            const Vector3 there = at * shape.support(at.linear().transpose() * direction);
            return direction.dot(there - point) + shape.radius() * direction.norm();
        };
        return d.straight + d.rest + std::max(ahead(along + d.turning), ahead(along - d.turning));
    }

    const Mover &one_, &two_;
    const bool self_;  ///< a mover against itself is looked at once
    const ClearanceQuery& query_;
    Scratch& k_;
    Scratch::Side &a_, &b_;
    std::size_t frames_b_ = 0;
    Clearance best_;
    int visits_ = 0;
    double from_ = 0, to_ = 0;  ///< of the stretch that is looked at
};

Search search(const Mover& a, const Mover& b, const ClearanceQuery& query) {
    thread_local Scratch scratch;
    return {a, b, query, scratch};
}

/// Distance at one instant, and how fast it can shrink around it.
double distance_at(const Mover& a, const Mover& b, double t) {
    std::vector<Frame> frames_a, frames_b;
    a.frames(t, frames_a);
    b.frames(t, frames_b);
    double least = 1e300;
    for (const Part& p : a.parts())
        for (const Part& q : b.parts())
            least = std::min(least,
                geometry::separation(p.shape, frames_a[p.frame] * p.at, q.shape, frames_b[q.frame] * q.at).distance);
    return least;
}

/// How fast two movers can come nearer to each other at most, m/s.
double closing_bound(const Mover& a, const Mover& b, double from, double to) {
    double sum = 0;
    for (const Mover* m : {&a, &b}) {
        Mover::Look look;
        m->look(from, to, look);
        double most = 0;
        for (std::size_t i = 0; i < m->parts().size(); ++i)
            most = std::max(most, m->travel(look, i, look.frames[m->set().frame(i)] * m->set().centre(i)));
        sum += most / std::max(1e-12, look.half);
    }
    return sum;
}

}  // namespace

PartSet::PartSet(std::vector<Part> parts) : parts_(std::move(parts)), serial_(++made_) {
    for (const Part& p : parts_) {
        centre_.push_back(p.at * p.shape.centre());
        bound_.push_back(p.shape.bound());
        if (runs_.empty() || runs_.back().frame != p.frame) runs_.push_back({p.frame, frame_.size(), frame_.size()});
        frame_.push_back(p.frame);
        runs_.back().to = frame_.size();
        frames_ = std::max(frames_, p.frame + 1);
        const geometry::Box3 box = geometry::bounds(p.shape, p.at);
        for (int k = 0; k < 3; ++k) low_[k].push_back(box.low[k]), high_[k].push_back(box.high[k]);
    }
}

void PartSet::box_gaps(std::size_t from, std::size_t to, const Vector3& point, double* out) const {
    const double x = point.x(), y = point.y(), z = point.z();
    const double *x0 = low_[0].data() + from, *x1 = high_[0].data() + from, *y0 = low_[1].data() + from,
                 *y1 = high_[1].data() + from, *z0 = low_[2].data() + from, *z1 = high_[2].data() + from;
    const std::size_t count = to - from;
#ifndef __clang__
#pragma GCC ivdep
#endif
    for (std::size_t j = 0; j < count; ++j) {
        const double u = std::max(0.0, std::max(x0[j] - x, x - x1[j])),
                     v = std::max(0.0, std::max(y0[j] - y, y - y1[j])),
                     w = std::max(0.0, std::max(z0[j] - z, z - z1[j]));
        out[j] = u * u + v * v + w * w;
    }
}

ArmMover::ArmMover(
    const kinematics::Mechanism& mechanism, const Frame& base, MotionPtr motion, double start, PartSetPtr parts)
    : Mover(std::move(parts)),
      mechanism_(mechanism),
      base_(base),
      motion_(std::move(motion)),
      start_(start),
      identity_(identity_of(base_, *motion_, start_, *set_)) {}

std::uint64_t ArmMover::identity_of(const Frame& base, const Motion& motion, double start, const PartSet& parts) {
    std::uint64_t sum = 1469598103934665603u;  // FNV-1a, by words
    const auto add = [&sum](const void* from, std::size_t words) {
        for (std::size_t i = 0; i < words; ++i) {
            std::uint64_t word;
            std::memcpy(&word, static_cast<const char*>(from) + 8 * i, 8);
            sum = (sum ^ word) * 1099511628211u;
            sum ^= sum >> 29;
        }
    };
    const std::uint64_t serials[] = {motion.serial(), parts.serial()};
    add(serials, 2), add(&start, 1), add(base.data(), static_cast<std::size_t>(base.matrix().size()));
    return sum | 1;
}

void ArmMover::frames(double t, std::vector<Frame>& out) const {
    mechanism_.link_frames(motion_->position(t - start_), base_, out);
}

void ArmMover::look(double from, double to, Look& out) const {
    out.half = 0.5 * (to - from);
    frames(0.5 * (from + to), out.frames);
    out.by = motion_->rate_bound(from - start_, to - start_) * out.half;
    out.close = false;
}

void ArmMover::look_closer(double from, double to, Look& out) const {
    out.close = true;
    out.rate = motion_->at(0.5 * (from + to) - start_).rate;
    if (const auto most = motion_->acceleration_bound(from - start_, to - start_))
        out.bend = 0.5 * out.half * out.half * *most;
    else out.bend = out.by + out.half * out.rate.cwiseAbs();
}

kinematics::Drift ArmMover::drift(
    const Look& look, std::size_t part, const Vector3& centre, const Vector3& point, const Vector3& along) const {
    const Part& p = parts()[part];
    if (p.levers.size() == 0) return {};
    kinematics::Drift d = kinematics::drift_bound(
        mechanism_, look.frames, p.frame, centre, p.shape.bound(), point, along, look.rate, look.by, look.bend);
    d.straight *= look.half, d.turning *= look.half;
    return d;
}

double ArmMover::travel(const Look& look, std::size_t part, const Vector3& centre) const {
    const Part& p = parts()[part];
    if (p.levers.size() == 0) return 0;
    return std::min(p.levers.dot(look.by),
        kinematics::travel_bound(mechanism_, look.frames, p.frame, centre, p.shape.bound(), look.by));
}

Mover::Straight ArmMover::course(const Look& look, std::size_t part, const Vector3& centre, double radius) const {
    const Part& p = parts()[part];
    if (p.levers.size() == 0) return {};
    const kinematics::Course c =
        kinematics::course(mechanism_, look.frames, p.frame, centre, radius, look.rate, look.by, look.bend);
    return {look.half * c.velocity, look.half * c.turning, c.rest};
}

/// Only the joints between the two count where one carries the other.
double ArmMover::travel_seen_from(
    const Look& look, std::size_t part, const Vector3& centre, std::size_t other, const Vector3& other_centre) const {
    const Part &p = parts()[part], &q = parts()[other];
    if (kinematics::carried_by(mechanism_, p.frame, q.frame))
        return kinematics::travel_bound(mechanism_, look.frames, p.frame, centre, p.shape.bound(), look.by, q.frame);
    return Mover::travel_seen_from(look, part, centre, other, other_centre);
}

GlideMover::GlideMover(const Frame& at, PartSetPtr parts, const Glide& glide, double start)
    : Mover(std::move(parts)), at_(at), glide_(glide), start_(start) {
    for (std::size_t i = 0; i < set_->parts().size(); ++i)
        speeds_.push_back(
            glide.speed(at * set_->centre(i)) + std::abs(glide.turn_rate) * set_->parts()[i].shape.bound());
}

void GlideMover::frames(double t, std::vector<Frame>& out) const {
    out.assign(1, glide_.rests() ? at_ : glide_.after(at_, t - start_));
}

void GlideMover::look(double from, double to, Look& out) const {
    const double middle = 0.5 * (from + to), way = glide_.way(middle - start_);
    out.half =
        glide_.steady() ? 0.5 * (to - from) : std::max(way - glide_.way(from - start_), glide_.way(to - start_) - way);
    frames(middle, out.frames);
}

double GlideMover::travel(const Look& look, std::size_t part, const Vector3&) const {
    return speeds_[part] * look.half;
}

kinematics::Drift GlideMover::drift(
    const Look& look, std::size_t part, const Vector3& centre, const Vector3&, const Vector3& along) const {
    if (glide_.turn_rate != 0) return {0, Vector3::Zero(), travel(look, part, centre)};
    return {std::abs(along.dot(glide_.velocity)) * look.half, Vector3::Zero(), 0};
}

Clearance least_clearance(const Mover& a, const Mover& b, const ClearanceQuery& query) {
    ++geometry::work_done;
    return search(a, b, query).least();
}

Clearance least_self_clearance(const Mover& mover, const ClearanceQuery& query) {
    ++geometry::work_done;
    return search(mover, mover, query).least();
}

Clearance first_contact(const Mover& a, const Mover& b, const ClearanceQuery& query) {
    ++geometry::work_done;
    return search(a, b, query).first();
}

Clearance first_self_contact(const Mover& mover, const ClearanceQuery& query) {
    ++geometry::work_done;
    return search(mover, mover, query).first();
}

std::vector<std::pair<double, double>> contact_times(
    const Mover& a, const Mover& b, double from, double to, double resolution) {
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
