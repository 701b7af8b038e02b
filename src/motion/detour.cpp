#include "detour.h"

#include <algorithm>
#include <cmath>
#include <future>
#include <map>
#include <optional>
#include <random>

namespace escarp::motion {
namespace {

constexpr double resolution = 5e-4;  ///< metres: closer than this a bound need not be

double box_distance(const geometry::Box3& box, const Vector3& p) {
    return (box.low - p).cwiseMax(p - box.high).cwiseMax(0.0).norm();
}

}  // namespace

Surroundings::Surroundings(std::vector<Obstacle> obstacles) : obstacles_(std::move(obstacles)) {
    for (const Obstacle& o : obstacles_) boxes_.push_back(geometry::bounds(o.shape, o.at));
}

Room::Room(const kinematics::Mechanism& mechanism, std::vector<Part> parts, const Surroundings& surroundings, std::vector<std::pair<int, int>> self_pairs)
    : mechanism_(mechanism), parts_(std::move(parts)), around_(surroundings) {
    for (std::size_t p = 0; p < parts_.size(); ++p)
        for (std::size_t o = 0; o < around_.obstacles().size(); ++o)
            if (parts_[p].frame > 0 && parts_[p].tag >= around_.obstacles()[o].first_part_tag) pairs_.push_back({static_cast<int>(p), static_cast<int>(o)});
    for (const auto& [a, b] : self_pairs) pairs_.push_back({a, -1 - b});
    at_.resize(parts_.size());
    centre_.resize(parts_.size());
    warm_.assign(parts_.size() * (around_.obstacles().size() + parts_.size()), geometry::Warm::Zero());
}

void Room::look(const JointVector& q) const {
    mechanism_.link_frames(q, Frame::Identity(), frames_);
    for (std::size_t i = 0; i < parts_.size(); ++i) {
        at_[i] = frames_[static_cast<std::size_t>(parts_[i].frame)] * parts_[i].at;
        centre_[i] = at_[i] * parts_[i].shape.centre();
    }
}

/// The distance, or a lower bound above `enough`.
double Room::pair_distance(const Pair& pair, double enough) const {
    const auto p = static_cast<std::size_t>(pair.part);
    const geometry::Convex& shape = parts_[p].shape;
    const std::size_t row = p * (around_.obstacles().size() + parts_.size());
    if (pair.other >= 0) {
        const auto o = static_cast<std::size_t>(pair.other);
        const double apart = box_distance(around_.box(o), centre_[p]) - shape.bound();
        if (apart > enough) return apart;
        const Obstacle& obstacle = around_.obstacles()[o];
        return geometry::separation(shape, at_[p], obstacle.shape, obstacle.at, &warm_[row + o], enough).distance;
    }
    const auto b = static_cast<std::size_t>(-1 - pair.other);
    const double apart = (centre_[p] - centre_[b]).norm() - shape.bound() - parts_[b].shape.bound();
    if (apart > enough) return apart;
    return geometry::separation(shape, at_[p], parts_[b].shape, at_[b], &warm_[row + around_.obstacles().size() + b], enough).distance;
}

double Room::clearance(const JointVector& q, double cap) const {
    look(q);
    double least = cap;
    for (const Pair& pair : pairs_) least = std::min(least, pair_distance(pair, least));
    return least;
}

bool Room::free(const JointVector& a, const JointVector& b, double need) const { return free_stretch(a, b, need, pairs_, 0); }

bool Room::free_stretch(const JointVector& a, const JointVector& b, double need, const std::vector<Pair>& active, int depth) const {
    const JointVector half = 0.5 * (b - a).cwiseAbs();
    std::vector<double> travel(parts_.size());
    double longest = 0;
    for (std::size_t i = 0; i < parts_.size(); ++i) longest = std::max(longest, travel[i] = parts_[i].levers.dot(half));
    const JointVector middle = 0.5 * (a + b);
    look(middle);
    std::vector<Pair> left;
    for (const Pair& pair : active) {
        const double closing = travel[static_cast<std::size_t>(pair.part)] + (pair.other < 0 ? travel[static_cast<std::size_t>(-1 - pair.other)] : 0.0);
        const double distance = pair_distance(pair, need + closing);
        if (distance < need - resolution) {
            blocker_ = pair.other >= 0 ? around_.obstacles()[static_cast<std::size_t>(pair.other)].owner : -1;
            return false;
        }
        if (distance - closing < need - resolution) left.push_back(pair);
    }
    if (left.empty() || longest < resolution || depth > 24) return true;
    return free_stretch(a, middle, need, left, depth + 1) && free_stretch(middle, b, need, left, depth + 1);
}

namespace {

struct TreeNode {
    JointVector q;
    int from;
};
using Tree = std::vector<TreeNode>;

class Search {
public:
    explicit Search(const DetourRequest& r) : r_(r), n_(static_cast<int>(r.from.size())), scale_(n_), draw_(r.seed) {
        for (int j = 0; j < n_; ++j) scale_[j] = 1 / joint(j).speed;
    }

    /// Nothing if something stands in the way of the direct move.
    std::optional<Detour> direct() {
        Detour found;
        // Where an end itself is nearer than asked for, no farther than it.
        const double at_ends = std::min(r_.room.clearance(r_.from, r_.need), r_.room.clearance(r_.to, r_.need));
        need_ = at_ends < r_.need ? 0.9 * at_ends : r_.need;
        if (at_ends < resolution || r_.room.free(r_.from, r_.to, need_)) {
            found.direct = true;
            found.way = {r_.from, r_.to};
            found.motion = joint_move(r_.model.mechanism, r_.from, r_.to, r_.speed, r_.acceleration);
            return found;
        }
        ++blocked_[r_.room.blocker()];
        return std::nullopt;
    }

    /// A way round; `direct` has found none.
    Detour run() {
        Detour found;
        if (r_.effort > 0) found.way = over_one_point();
        if (!found.way.empty()) shorten(found.way);
        if (found.way.empty()) {  // trees wander: the best of two
            for (int attempt = 0; attempt < 2; ++attempt) {
                std::vector<JointVector> way = trees();
                if (way.empty()) break;
                shorten(way);
                if (found.way.empty() || length(way) < length(found.way)) found.way = std::move(way);
            }
        }
        found.blocker = std::max_element(blocked_.begin(), blocked_.end(), [](const auto& a, const auto& b) { return a.second < b.second; })->first;
        if (found.way.empty()) return found;
        found.motion = timed(found.way);
        return found;
    }

private:
    const kinematics::Joint& joint(int j) const { return r_.model.mechanism.joints[static_cast<std::size_t>(j)]; }
    double cost(const JointVector& a, const JointVector& b) const { return (b - a).cwiseAbs().cwiseProduct(scale_).maxCoeff(); }
    double uniform(double low, double high) { return low + (high - low) * (static_cast<double>(draw_()) / 4294967296.0); }
    bool free(const JointVector& a, const JointVector& b) {
        if (r_.room.free(a, b, need_)) return true;
        ++blocked_[r_.room.blocker()];
        return false;
    }

    /// Many detours need one point between: draws round the middle, farther and farther out; the quickest of the first few.
    std::vector<JointVector> over_one_point() {
        constexpr int draws = 60, enough = 3;
        std::vector<JointVector> best;
        double least = 1e300;
        int found = 0;
        for (int i = 0; i < draws && found < enough; ++i) {
            const double spread = 0.3 + 1.2 * i / draws, share = uniform(0.25, 0.75);
            JointVector via(n_);
            for (int j = 0; j < n_; ++j) {
                const double size = joint(j).type == kinematics::JointType::hinge ? 1.0 : 0.4 * (joint(j).high - joint(j).low);
                via[j] = std::clamp(r_.from[j] + share * (r_.to[j] - r_.from[j]) + spread * size * (j < 3 ? 1.0 : 0.5) * uniform(-1, 1), joint(j).low, joint(j).high);
            }
            if (!r_.model.mechanism.followers_within(via)) continue;
            const double whole = cost(r_.from, via) + cost(via, r_.to);
            if (whole >= least || !free(r_.from, via) || !free(via, r_.to)) continue;
            ++found;
            least = whole;
            best = {r_.from, via, r_.to};
        }
        return best;
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
        const double far = cost(tree[static_cast<std::size_t>(near)].q, q);
        arrived = far <= stride;
        const JointVector next = arrived ? q : JointVector(tree[static_cast<std::size_t>(near)].q + stride / far * (q - tree[static_cast<std::size_t>(near)].q));
        if (!r_.model.mechanism.followers_within(next) || !free(tree[static_cast<std::size_t>(near)].q, next)) return -1;
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
            const JointVector goal = (*grows)[static_cast<std::size_t>(added)].q;
            int last = -1;
            for (int step = 0; step < 200; ++step) {
                last = grow(*reaches, goal, arrived);
                if (last < 0 || arrived) break;
            }
            if (last < 0 || !arrived) continue;
            std::vector<JointVector> way;
            const bool forward = grows == &one;
            for (int k = forward ? added : last; k >= 0; k = one[static_cast<std::size_t>(k)].from) way.push_back(one[static_cast<std::size_t>(k)].q);
            std::reverse(way.begin(), way.end());
            for (int k = two[static_cast<std::size_t>(forward ? last : added)].from; k >= 0; k = two[static_cast<std::size_t>(k)].from) way.push_back(two[static_cast<std::size_t>(k)].q);
            return way;
        }
        return {};
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
        constexpr int tries = 60;
        for (int i = 0; i < tries && way.size() > 2; ++i) {
            double a = uniform(0, static_cast<double>(way.size() - 1)), b = uniform(0, static_cast<double>(way.size() - 1));
            if (a > b) std::swap(a, b);
            const auto ka = static_cast<std::size_t>(a), kb = static_cast<std::size_t>(b);
            if (ka == kb) continue;
            const JointVector from = way[ka] + (a - static_cast<double>(ka)) * (way[ka + 1] - way[ka]), to = way[kb] + (b - static_cast<double>(kb)) * (way[kb + 1] - way[kb]);
            std::vector<JointVector> next(way.begin(), way.begin() + static_cast<std::ptrdiff_t>(ka) + 1);
            next.push_back(from), next.push_back(to);
            next.insert(next.end(), way.begin() + static_cast<std::ptrdiff_t>(kb) + 1, way.end());
            if (length(next) > length(way) - 1e-6 || !free(from, to)) continue;
            way = std::move(next);
        }
        over_one_of(way);
        for (int round = 0; round < 16; ++round)
            for (std::size_t i = 1; i + 1 < way.size(); ++i) {
                const double share = cost(way[i - 1], way[i]) / std::max(1e-9, cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]));
                const JointVector on_line = way[i - 1] + share * (way[i + 1] - way[i - 1]);
                JointVector pulled = way[i] + uniform(0.1, 0.6) * (on_line - way[i]);
                if (round % 2)  // one joint at a time
                    for (int j = 0, keep = static_cast<int>(draw_() % static_cast<unsigned>(n_)); j < n_; ++j)
                        if (j != keep) pulled[j] = way[i][j];
                if (cost(way[i - 1], pulled) + cost(pulled, way[i + 1]) > cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]) - 1e-6 && round % 2 == 0) continue;
                if (!r_.model.mechanism.followers_within(pulled) || !free(way[i - 1], pulled) || !free(pulled, way[i + 1])) continue;
                if (cost(way[i - 1], pulled) + cost(pulled, way[i + 1]) <= cost(way[i - 1], way[i]) + cost(way[i], way[i + 1]) + 1e-9) way[i] = pulled;
            }
        for (std::size_t i = 1; i + 1 < way.size();)
            if (free(way[i - 1], way[i + 1]) || cost(way[i - 1], way[i]) < 1e-6) way.erase(way.begin() + static_cast<std::ptrdiff_t>(i));
            else ++i;
    }

    /// The whole way over a single one of its points, where that is free and shorter.
    void over_one_of(std::vector<JointVector>& way) {
        constexpr int points = 48, most = 16;
        if (way.size() <= 3) return;
        std::vector<std::pair<double, JointVector>> via;
        for (int i = 1; i < points; ++i) {
            const double at = static_cast<double>(i) / points * static_cast<double>(way.size() - 1);
            const auto k = static_cast<std::size_t>(at);
            const JointVector q = way[k] + (at - static_cast<double>(k)) * (way[k + 1] - way[k]);
            via.emplace_back(cost(way.front(), q) + cost(q, way.back()), q);
        }
        std::sort(via.begin(), via.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        for (int i = 0; i < most; ++i) {
            std::vector<JointVector> next{way.front(), via[static_cast<std::size_t>(i)].second, way.back()};
            if (length(next) >= length(way)) return;
            if (!free(next[0], next[1]) || !free(next[1], next[2])) continue;
            way = std::move(next);
            return;
        }
    }

    /// Corners as round as the surroundings allow.
    MotionPtr timed(const std::vector<JointVector>& way) {
        for (const double cut : {0.5, 0.25, 0.1}) {
            std::vector<Leg> legs;
            for (std::size_t i = 0; i + 1 < way.size(); ++i) {
                legs.push_back(joint_leg(way[i], way[i + 1], r_.speed, r_.acceleration));
                if (i + 2 < way.size()) legs.back().cut = cut;
            }
            const MotionPtr motion = fly(r_.model, r_.tool, legs).first_run;
            if (keeps_away(*motion)) return motion;
        }
        return stopping(way);
    }

    bool keeps_away(const Motion& motion) {
        constexpr int pieces = 48;
        JointVector last = motion.position(0);
        for (int i = 1; i <= pieces; ++i) {
            const JointVector next = motion.position(motion.duration() * i / pieces);
            if (!r_.room.free(last, next, need_)) return false;
            last = next;
        }
        return true;
    }

    MotionPtr stopping(const std::vector<JointVector>& way) const {
        std::vector<MotionPtr> moves;
        for (std::size_t i = 0; i + 1 < way.size(); ++i) moves.push_back(joint_move(r_.model.mechanism, way[i], way[i + 1], r_.speed, r_.acceleration));
        return one_after_another(std::move(moves));
    }

    const DetourRequest& r_;
    int n_;
    JointVector scale_;
    double need_ = 0;
    std::mt19937 draw_;
    std::map<int, int> blocked_;
};

}  // namespace

Detour find_way(const DetourRequest& request) {
    Search first(request);
    if (auto found = first.direct()) return *found;
    if (request.effort <= 0) return first.run();
    // Draws differ in how good a way they lead to: two searches side by side, and the quicker way of the two.
    const Room room = request.room;
    DetourRequest again{request.model, request.tool, room, request.from, request.to, request.need, request.speed, request.acceleration};
    again.effort = request.effort, again.seed = request.seed + 0x9E3779B9u;
    std::future<Detour> second = std::async(std::launch::async, [&again] {
        Search search(again);
        auto found = search.direct();
        return found ? *found : search.run();
    });
    Detour one = first.run();
    const Detour two = second.get();
    if (two.motion && (!one.motion || two.motion->duration() < one.motion->duration())) one.motion = two.motion, one.way = two.way;
    return one;
}

}  // namespace escarp::motion
