#include "detour.h"

#include "flown_way.h"

#include <geometry/indices.h>
#include <geometry/work_done.h>
#include <algorithm>
#include <cmath>
#include <future>
#include <map>
#include <optional>
#include <random>

namespace escarp::motion {
namespace {

constexpr double resolution = 5e-4;  ///< metres: closer than this a bound need not be
constexpr double coarse = 0.2;       ///< metres of way in one look to begin with

PartSet as_parts(const std::vector<Obstacle>& obstacles) {
    std::vector<Part> parts;
    parts.reserve(obstacles.size());
    for (const Obstacle& o : obstacles) parts.push_back({0, o.shape, o.at, {}, o.owner});
    return PartSet(std::move(parts));
}

}  // namespace

Surroundings::Surroundings(std::vector<Obstacle> obstacles)
    : obstacles_(std::move(obstacles)), set_(as_parts(obstacles_)) {}

Room::Room(const kinematics::Mechanism& mechanism, PartSetPtr parts, const Surroundings& surroundings,
    const std::vector<std::pair<int, int>>& self_pairs)
    : mechanism_(mechanism), parts_(std::move(parts)), around_(surroundings) {
    const std::size_t n = parts_->parts().size(), m = around_.obstacles().size();
    for (const auto& [a, b] : self_pairs) {
        const auto i = static_cast<std::size_t>(a), j = static_cast<std::size_t>(b);
        self_pairs_.push_back({a, b, kinematics::carried_by(mechanism, parts_->frame(j), parts_->frame(i)),
            parts_->bound(i) + parts_->bound(j)});
    }
    for (const Part& p : parts_->parts())
        for (const Obstacle& o : around_.obstacles()) counts_.push_back(p.frame > 0 && p.tag >= o.first_part_tag);
    at_.resize(n), centre_.resize(n), travel_.resize(n), gap2_.resize(m);
    placed_.assign(n, -1), bounded_.assign(n, -1), framed_.assign(n, -1);
    warm_.assign(n * (m + n), geometry::Warm::Zero());
}

/// The arm stands at `q`; every joint may be up to `by` from there.
void Room::look(const JointVector& q, const JointVector& by) const {
    mechanism_.link_frames(q, Frame::Identity(), frames_);
    by_ = by;
    ++looks_;
}

/// The middle of a part's ball; a loose bound of the part's way is at hand with it.
const Vector3& Room::place(std::size_t i) const {
    if (placed_[i] != looks_) {
        const Part& p = parts_->parts()[i];
        centre_[i] = frames_[p.frame] * parts_->centre(i);
        travel_[i] = p.levers.size() == 0 ? 0.0 : p.levers.dot(by_);
        placed_[i] = looks_;
    }
    return centre_[i];
}

/// How far a part gets from where it is placed, bounded tightly.
double Room::travel(std::size_t i) const {
    const Vector3& centre = place(i);
    if (bounded_[i] != looks_) {
        const Part& p = parts_->parts()[i];
        if (travel_[i] > resolution)
            travel_[i] = std::min(
                travel_[i], kinematics::travel_bound(mechanism_, frames_, p.frame, centre, p.shape.bound(), by_));
        bounded_[i] = looks_;
    }
    return travel_[i];
}

const Frame& Room::frame_at(std::size_t i) const {
    const Part& p = parts_->parts()[i];
    if (framed_[i] != looks_) at_[i] = frames_[p.frame] * p.at, framed_[i] = looks_;
    return at_[i];
}

/// How far one part of the arm gets, seen from another.
double Room::travel(const SelfPair& pair) const {
    const auto i = static_cast<std::size_t>(pair.part), j = static_cast<std::size_t>(pair.other);
    if (!pair.carried) return travel(i) + travel(j);
    const Part& p = parts_->parts()[j];
    return kinematics::travel_bound(mechanism_, frames_, p.frame, place(j), p.shape.bound(), by_, parts_->frame(i));
}

double Room::closing(const Pair& pair) const {
    return pair.other < 0 ? travel(self_pairs_[-1 - pair.other]) : travel(static_cast<std::size_t>(pair.part));
}

/// Puts all pairs that may come within a distance of each other at the end of `active_`.
void Room::near_pairs(double within) const {
    const std::size_t m = around_.obstacles().size();
    for (const int i : indices(parts_->parts())) {
        around_.set().box_gaps(0, m, place(i), gap2_.data());
        const auto near = [&](std::size_t o) {
            const double round = within + travel_[i] + parts_->bound(i);
            return gap2_[o] <= round * round;
        };
        for (std::size_t o = 0; o < m; ++o)
            if (near(o) && counts_[i * m + o] && (travel(i), near(o))) active_.push_back({i, static_cast<int>(o)});
    }
    for (const int k : indices(self_pairs_)) {
        const SelfPair& pair = self_pairs_[k];
        const auto i = static_cast<std::size_t>(pair.part), j = static_cast<std::size_t>(pair.other);
        const double gap2 = (centre_[i] - centre_[j]).squaredNorm(), apart = within + pair.apart,
                     round = apart + travel_[i] + travel_[j];
        if (gap2 > round * round) continue;
        const double tight = gap2 > apart * apart ? apart + travel(pair) : round;
        if (gap2 <= tight * tight) active_.push_back({pair.part, -1 - k});
    }
}

/// The distance, or a lower bound above `enough`.
double Room::pair_distance(const Pair& pair, double enough) const {
    const auto p = static_cast<std::size_t>(pair.part);
    const geometry::Convex& shape = parts_->parts()[p].shape;
    const std::size_t m = around_.obstacles().size(), row = p * (m + parts_->parts().size());
    if (pair.other >= 0) {
        const auto o = static_cast<std::size_t>(pair.other);
        double gap2 = 0;
        around_.set().box_gaps(o, o + 1, place(p), &gap2);
        const double round = enough + parts_->bound(p);
        if (gap2 > round * round) return std::sqrt(gap2) - parts_->bound(p);
        const Obstacle& obstacle = around_.obstacles()[o];
        return geometry::separation(shape, frame_at(p), obstacle.shape, obstacle.at, &warm_[row + o], enough).distance;
    }
    const auto b = static_cast<std::size_t>(self_pairs_[-1 - pair.other].other);
    const double apart = (place(p) - place(b)).norm() - parts_->bound(p) - parts_->bound(b);
    if (apart > enough) return apart;
    return geometry::separation(shape, frame_at(p), parts_->parts()[b].shape, frame_at(b), &warm_[row + m + b], enough)
        .distance;
}

double Room::clearance(const JointVector& q, double cap) const {
    look(q, JointVector::Zero(q.size()));
    active_.clear();
    near_pairs(cap);
    double least = cap;
    for (const Pair& pair : active_) least = std::min(least, pair_distance(pair, least));
    return least;
}

/// Level by level: the whole way is looked at ever more finely, so that what stands in the way is soon met.
bool Room::free(const std::vector<JointVector>& points, double need) const {
    const auto at = [&](double t) -> JointVector {
        const auto i = std::min(static_cast<std::size_t>(t), points.size() - 2);
        return points[i] + (t - static_cast<double>(i)) * (points[i + 1] - points[i]);
    };
    active_.clear();
    stretches_.clear();
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
        const JointVector size = (points[i + 1] - points[i]).cwiseAbs();
        double longest = 0;
        for (const Part& p : parts_->parts())
            if (p.levers.size()) longest = std::max(longest, p.levers.dot(size));
        const int looks = std::clamp(static_cast<int>(longest / coarse), 1, 32);
        for (int k = 0; k < looks; ++k)
            stretches_.push_back({static_cast<double>(i) + static_cast<double>(k) / looks,
                static_cast<double>(i) + (k + 1.0) / looks, 0, 0, true});
    }
    std::rotate(stretches_.begin(), stretches_.begin() + static_cast<std::ptrdiff_t>(stretches_.size() / 2),
        stretches_.end());  // from the middle on
    for (std::size_t k = 0; k < stretches_.size(); ++k) {
        const Stretch s = stretches_[k];
        const double middle = 0.5 * (s.from + s.to);
        const auto i = std::min(static_cast<std::size_t>(middle), points.size() - 2);
        look(at(middle), 0.5 * (s.to - s.from) * (points[i + 1] - points[i]).cwiseAbs());
        std::size_t begin = s.begin, end = s.end;
        if (s.first) {
            begin = active_.size();
            near_pairs(need);
            end = active_.size();
        }
        const std::size_t mine = active_.size();
        for (std::size_t i = begin; i < end; ++i) {
            const Pair pair = active_[i];
            const double near = closing(pair), distance = pair_distance(pair, need + near);
            if (distance < need - resolution) {
                blocker_ = pair.other >= 0 ? around_.obstacles()[pair.other].owner : -1;
                return false;
            }
            if (distance - near < need - resolution && near > resolution) active_.push_back(pair);
        }
        const std::size_t top = active_.size();
        if (top == mine) continue;
        stretches_.push_back({s.from, middle, mine, top, false});
        stretches_.push_back({middle, s.to, mine, top, false});
    }
    return true;
}

namespace {

struct TreeNode {
    JointVector q;
    int from;
};
using Tree = std::vector<TreeNode>;

/// A way over corner points, flown with a share `cut` of every leg taken by the curve in its corner.
struct Candidate {
    std::vector<JointVector> way;
    double cut = 0.5;
    double time = 1e300;  ///< estimated, s
};

class WaySearch {
public:
    explicit WaySearch(const DetourRequest& r)
        : r_(r),
          n_(static_cast<int>(r.from.size())),
          scale_(n_),
          looked_before_(r.room.looks()),
          draw_(r.seed),
          flown_(r.model.mechanism, r.speed, r.acceleration) {
        for (int j = 0; j < n_; ++j) scale_[j] = 1 / joint(j).speed;
    }

    /// Nothing if something stands in the way of the direct move.
    std::optional<Detour> direct() {
        Detour found;
        // Where an end itself is nearer than asked for, no farther than it.
        constexpr double estimate = 1e-3;  // metres, for what the estimate of a flown way leaves out
        const double at_ends =
            std::min(r_.room.clearance(r_.from, r_.need + estimate), r_.room.clearance(r_.to, r_.need + estimate));
        spare_ = std::clamp(at_ends - r_.need, 0.0, estimate);
        need_ = at_ends < r_.need ? 0.9 * at_ends : r_.need;
        if (at_ends < resolution || r_.room.free(r_.from, r_.to, need_)) {
            found.direct = true;
            found.way = {r_.from, r_.to};
            found.motion = joint_move(r_.model.mechanism, r_.from, r_.to, r_.speed, r_.acceleration);
            found.looks = r_.room.looks() - looked_before_;
            return found;
        }
        ++blocked_[r_.room.blocker()];
        return std::nullopt;
    }

    /// A way round; `direct` has found none.
    Detour run() {
        Detour found;
        std::vector<JointVector> safe;  // free with a stop at every corner
        const auto take = [&] {         // the quickest that keeps away not only by the estimate
            for (const Candidate& c : ways_) {
                const MotionPtr motion = flown(c);
                if (!keeps_away(*motion)) continue;
                found.motion = motion, found.way = c.way;
                return;
            }
        };
        if (r_.effort > 0) {
            over_one_point();
            take();
            if (!found.motion) {
                ways_.clear();
                safe = over_trees();
                take();
            }
        }
        if (!found.motion && !safe.empty()) found.motion = stopping(safe), found.way = safe;
        found.blocker = std::max_element(blocked_.begin(), blocked_.end(), [](const auto& a, const auto& b) {
            return a.second < b.second;
        })->first;
        found.looks = r_.room.looks() - looked_before_;
        return found;
    }

private:
    const kinematics::Joint& joint(int j) const { return r_.model.mechanism.joints[j]; }
    double cost(const JointVector& a, const JointVector& b) const {
        return (b - a).cwiseAbs().cwiseProduct(scale_).maxCoeff();
    }
    double uniform(double low, double high) {
        return low + (high - low) * (static_cast<double>(draw_()) / 4294967296.0);
    }
    double normal() {
        return uniform(-1, 1) + uniform(-1, 1) + uniform(-1, 1);
    }  // near enough, and the same with every library
    double size_of(int j) const {
        return joint(j).type == kinematics::JointType::hinge ? 1.0 : 0.4 * (joint(j).high - joint(j).low);
    }
    /// Enough has been looked at: nothing further is found free, and what has been found is all there is.
    bool spent() const { return r_.room.looks() - looked_before_ > r_.most_looks; }
    bool free(const JointVector& a, const JointVector& b) {
        throw_if_stopped(r_.stop);
        if (spent()) return false;
        if (r_.room.free(a, b, need_)) return true;
        ++blocked_[r_.room.blocker()];
        return false;
    }

    /// Whether the way as it would be flown keeps away; it must have been timed last.
    bool flown_free() {
        throw_if_stopped(r_.stop);
        if (spent()) return false;
        constexpr int pieces = 20;
        flown_.passes(flown_.window(), pieces, passes_);
        if (r_.room.free(passes_, need_ + spare_)) return true;
        ++blocked_[r_.room.blocker()];
        return false;
    }

    /// Whether a candidate can be, would be quicker than `than` and keeps away; sets its time.
    bool good(Candidate& c, double than) {
        for (const JointVector& q : c.way)
            if (!r_.model.mechanism.followers_within(q)) return false;
        c.time = flown_.time(c.way, c.cut);
        return c.time < than && flown_free();
    }

    /// Many detours need one point between: points drawn round the middle of the direct move, near and far; each that
    /// is quicker flown than the best so far and free takes its place. The last two are made quicker.
    void over_one_point() {
        constexpr int draws = 200;
        for (int i = 0; i < draws; ++i) {
            const double spread = uniform(0.2, 1.5), share = uniform(0.25, 0.75);
            JointVector via(n_);
            for (int j = 0; j < n_; ++j)
                via[j] = std::clamp(r_.from[j] + share * (r_.to[j] - r_.from[j]) +
                                        spread * size_of(j) * (j < 3 ? 1.0 : 0.5) * uniform(-1, 1),
                    joint(j).low, joint(j).high);
            Candidate c{{r_.from, via, r_.to}};
            if (good(c, ways_.empty() ? 1e300 : ways_.back().time)) ways_.push_back(std::move(c));
        }
        if (ways_.size() > 2) ways_.erase(ways_.begin(), ways_.end() - 2);
        quicken_all(30, 60);
    }

    /// All ways a little, the best of them more.
    void quicken_all(int each, int best) {
        for (Candidate& c : ways_) quicken(c, each);
        std::stable_sort(
            ways_.begin(), ways_.end(), [](const Candidate& a, const Candidate& b) { return a.time < b.time; });
        if (!ways_.empty()) quicken(ways_.front(), best);
    }

    /// Small changes, kept where they make the way quicker and it stays free (Rechenberg's rule for their size).
    void quicken(Candidate& best, int rounds) {
        double spread = 0.25;
        for (int round = 0; round < rounds; ++round) {
            Candidate next = best;
            const std::size_t corners = next.way.size() - 2, i = 1 + draw_() % corners;
            const unsigned kind = draw_() % 8;
            JointVector& q = next.way[i];
            if (kind == 0 && corners > 1) {
                next.way.erase(next.way.begin() + static_cast<std::ptrdiff_t>(i));
            } else if (kind <= 1) {
                next.cut = std::clamp(next.cut + uniform(-0.2, 0.2), 0.05, corners > 1 ? 0.5 : 0.95);
            } else if (kind <= 3) {  // toward the line between its neighbours, some joints only
                const double before = cost(next.way[i - 1], q),
                             share = before / std::max(1e-9, before + cost(q, next.way[i + 1]));
                const JointVector pull =
                    uniform(0.02, 0.5) * (next.way[i - 1] + share * (next.way[i + 1] - next.way[i - 1]) - q);
                for (int j = 0; j < n_; ++j)
                    if (draw_() % 2) q[j] += pull[j];
            } else {
                for (std::size_t k = 1; k <= corners; ++k)
                    for (int j = 0; j < n_ && (k == i || kind == 7); ++j)
                        next.way[k][j] = std::clamp(
                            next.way[k][j] + spread * size_of(j) * normal() * 0.6, joint(j).low, joint(j).high);
            }
            const bool better = good(next, best.time - 1e-4);
            if (better) best = std::move(next);
            if (kind > 3) spread = std::clamp(spread * (better ? 1.5 : 0.92), 0.01, 0.6);
        }
    }

    JointVector random_point() {
        JointVector q(n_);
        const bool wide = draw_() % 4 == 0;
        for (int j = 0; j < n_; ++j) {
            double low = joint(j).low, high = joint(j).high;
            if (!wide) {
                const double beside = joint(j).type == kinematics::JointType::hinge ? 1.2 : 0.3 * (high - low);
                low = std::max(low, std::min(r_.from[j], r_.to[j]) - beside);
                high = std::min(high, std::max(r_.from[j], r_.to[j]) + beside);
            }
            q[j] = uniform(low, high);
        }
        return q;
    }

    int nearest(const Tree& tree, const JointVector& q) const {
        int best = 0;
        double least = 1e300;
        for (std::size_t i = 0; i < tree.size(); ++i) {
            const double far = cost(tree[i].q, q);
            if (far < least) least = far, best = static_cast<int>(i);
        }
        return best;
    }

    /// A step from the nearest node toward `q`; the new node's index, or -1.
    int grow(Tree& tree, const JointVector& q, bool& arrived) {
        constexpr double stride = 0.12;  // seconds at full speed
        const int near = nearest(tree, q);
        const double far = cost(tree[near].q, q);
        arrived = far <= stride;
        const JointVector next = arrived ? q : JointVector(tree[near].q + stride / far * (q - tree[near].q));
        if (!r_.model.mechanism.followers_within(next) || !free(tree[near].q, next)) return -1;
        tree.push_back({next, near});
        return static_cast<int>(tree.size()) - 1;
    }

    std::vector<JointVector> trees() {
        Tree one{{r_.from, -1}}, two{{r_.to, -1}};
        Tree *grows = &one, *reaches = &two;
        for (int i = 0; i < r_.effort; ++i, std::swap(grows, reaches)) {
            bool arrived = false;
            const int added = grow(*grows, random_point(), arrived);
            if (added < 0) continue;
            const JointVector goal = (*grows)[added].q;
            int last = -1;
            for (int step = 0; step < 200; ++step) {
                last = grow(*reaches, goal, arrived);
                if (last < 0 || arrived) break;
            }
            if (last < 0 || !arrived) continue;
            std::vector<JointVector> way;
            const bool forward = grows == &one;
            for (int k = forward ? added : last; k >= 0; k = one[k].from) way.push_back(one[k].q);
            std::reverse(way.begin(), way.end());
            for (int k = two[forward ? last : added].from; k >= 0; k = two[k].from) way.push_back(two[k].q);
            return way;
        }
        return {};
    }

    /// Trees wander: three of them, shortened, and the flown ways along both made quicker. A way that is free with
    /// stops, if any.
    std::vector<JointVector> over_trees() {
        std::vector<JointVector> safe;
        for (int attempt = 0; attempt < 3; ++attempt) {
            std::vector<JointVector> way = trees();
            if (way.empty()) break;
            shorten(way);
            if (way.size() > 2)
                if (auto c = loosened(way)) ways_.push_back(std::move(*c));
            if (safe.empty() || length(way) < length(safe)) safe = std::move(way);
        }
        quicken_all(60, 160);
        return safe;
    }

    /// Flying cuts corners: a way that is free only with stops at them is widened until it is free flown.
    std::optional<Candidate> loosened(const std::vector<JointVector>& way) {
        constexpr int tries = 80;
        for (int i = 0; i < tries; ++i) {
            const double share = static_cast<double>(i) / tries;
            Candidate c{way, uniform(0.05, 0.5)};
            for (std::size_t k = 1; k + 1 < way.size() && i > 0; ++k) {
                const double before = cost(way[k - 1], way[k]),
                             part = before / std::max(1e-9, before + cost(way[k], way[k + 1]));
                const JointVector out = way[k] - way[k - 1] - part * (way[k + 1] - way[k - 1]);
                const double wider = uniform(0, 0.2 + 0.8 * share);
                for (int j = 0; j < n_; ++j)
                    c.way[k][j] = std::clamp(
                        way[k][j] + wider * out[j] + 0.25 * share * size_of(j) * normal(), joint(j).low, joint(j).high);
            }
            if (good(c, 1e300)) return c;
        }
        return std::nullopt;
    }

    /// Seconds at full speed, and a price for every corner.
    double length(const std::vector<JointVector>& way) const {
        constexpr double corner = 0.12;
        double sum = corner * static_cast<double>(way.size());
        for (std::size_t i = 0; i + 1 < way.size(); ++i) sum += cost(way[i], way[i + 1]);
        return sum;
    }

    /// Replaces stretches by straight lines, and pulls corner points toward the line between their neighbours.
    void shorten(std::vector<JointVector>& way) {
        constexpr int tries = 30;
        for (int i = 0; i < tries && way.size() > 2; ++i) {
            double a = uniform(0, static_cast<double>(way.size() - 1)),
                   b = uniform(0, static_cast<double>(way.size() - 1));
            if (a > b) std::swap(a, b);
            const auto ka = static_cast<std::size_t>(a), kb = static_cast<std::size_t>(b);
            if (ka == kb) continue;
            const JointVector from = way[ka] + (a - static_cast<double>(ka)) * (way[ka + 1] - way[ka]),
                              to = way[kb] + (b - static_cast<double>(kb)) * (way[kb + 1] - way[kb]);
            std::vector<JointVector> next(way.begin(), way.begin() + static_cast<std::ptrdiff_t>(ka) + 1);
            next.push_back(from), next.push_back(to);
            next.insert(next.end(), way.begin() + static_cast<std::ptrdiff_t>(kb) + 1, way.end());
            if (length(next) > length(way) - 1e-6 || !free(from, to)) continue;
            way = std::move(next);
        }
        for (int round = 0; round < 6; ++round)
            for (std::size_t i = 1; i + 1 < way.size(); ++i) {
                const double share =
                    cost(way[i - 1], way[i]) / std::max(1e-9, cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]));
                const JointVector on_line = way[i - 1] + share * (way[i + 1] - way[i - 1]);
                JointVector pulled = way[i] + uniform(0.1, 0.6) * (on_line - way[i]);
                if (round % 2)  // one joint at a time
                    for (int j = 0, keep = static_cast<int>(draw_() % static_cast<unsigned>(n_)); j < n_; ++j)
                        if (j != keep) pulled[j] = way[i][j];
                if (cost(way[i - 1], pulled) + cost(pulled, way[i + 1]) >
                        cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]) - 1e-6 &&
                    round % 2 == 0)
                    continue;
                if (!r_.model.mechanism.followers_within(pulled) || !free(way[i - 1], pulled) ||
                    !free(pulled, way[i + 1]))
                    continue;
                if (cost(way[i - 1], pulled) + cost(pulled, way[i + 1]) <=
                    cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]) + 1e-9)
                    way[i] = pulled;
            }
        for (std::size_t i = 1; i + 1 < way.size();)
            if (free(way[i - 1], way[i + 1]) || cost(way[i - 1], way[i]) < 1e-6)
                way.erase(way.begin() + static_cast<std::ptrdiff_t>(i));
            else ++i;
    }

    MotionPtr flown(const Candidate& c) {
        std::vector<Leg> legs;
        for (std::size_t i = 0; i + 1 < c.way.size(); ++i) {
            legs.push_back(joint_leg(c.way[i], c.way[i + 1], r_.speed, r_.acceleration));
            if (i + 2 < c.way.size()) legs.back().cut = c.cut;
        }
        // Which share of the speed is quickest in all is known well enough beforehand (see `fly`).
        double share = 1, least = 1e300;
        for (const double part : speed_shares) {
            FlownWay slower(r_.model.mechanism, part * r_.speed, r_.acceleration);
            const double time = slower.time(c.way, c.cut) + slower.window();
            if (time < least) least = time, share = part;
        }
        return fly(r_.model, r_.tool, legs, {share}).first_run;
    }

    bool keeps_away(const Motion& motion) {
        constexpr int pieces = 48;
        passes_.resize(pieces + 1);
        for (int i = 0; i <= pieces; ++i) passes_[i] = motion.position(motion.duration() * i / pieces);
        return r_.room.free(passes_, need_);
    }

    MotionPtr stopping(const std::vector<JointVector>& way) const {
        std::vector<MotionPtr> moves;
        for (std::size_t i = 0; i + 1 < way.size(); ++i)
            moves.push_back(joint_move(r_.model.mechanism, way[i], way[i + 1], r_.speed, r_.acceleration));
        return one_after_another(std::move(moves));
    }

    const DetourRequest& r_;
    int n_;
    JointVector scale_;
    double need_ = 0, spare_ = 0;
    const long long looked_before_;
    std::mt19937 draw_;
    std::map<int, int> blocked_;
    FlownWay flown_;
    std::vector<JointVector> passes_;
    std::vector<Candidate> ways_;
};

}  // namespace

Detour find_way(const DetourRequest& request) {
    ++geometry::work_done;
    WaySearch first(request);
    if (auto found = first.direct()) return *found;
    if (request.effort <= 0) return first.run();
    // Draws differ in how good a way they lead to: two searches side by side, and the quicker way of the two.
    const Room room = request.room;
    DetourRequest again{
        request.model, request.tool, room, request.from, request.to, request.need, request.speed, request.acceleration};
    again.most_looks = request.most_looks;
    again.effort = request.effort, again.seed = request.seed + 0x9E3779B9u, again.stop = request.stop;
    std::future<Detour> second = std::async(std::launch::async, [&again] {
        WaySearch search(again);
        auto found = search.direct();
        return found ? *found : search.run();
    });
    Detour one = first.run();
    const Detour two = second.get();
    if (two.motion && (!one.motion || two.motion->duration() < one.motion->duration()))
        one.motion = two.motion, one.way = two.way;
    one.looks += two.looks;
    return one;
}

}  // namespace escarp::motion
