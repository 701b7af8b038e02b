#include "chain.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <optional>

namespace escarp::motion {
namespace {

class ToolPath {
public:
    ToolPath(const kinematics::ArmModel& model, const Frame& tool)
        : model_(model), tool_(model.flange * tool.translation()) {}
    Vector3 at(const JointVector& q) const {
        model_.mechanism.link_frames(q, Frame::Identity(), frames_);
        return frames_[model_.flange_link] * tool_;
    }
    double speed(const JointVector& q, const JointVector& slope) const {
        const Vector3 point = at(q);
        return (kinematics::jacobian(model_.mechanism, frames_, model_.flange_link, point) * slope).head<3>().norm();
    }

private:
    const kinematics::ArmModel& model_;
    Vector3 tool_;
    mutable std::vector<Frame> frames_;
};

/// The curve that replaces a corner: a parabola from the cut to the cut whose tangents meet at the corner (of straight
/// legs in joint space exactly there), as two path nodes, on an s that fits the leg before.
struct Corner {
    PathNode from, to;
};

Corner corner(const Leg& before, const Leg& after, double cut_before, double cut_after) {
    const PathPoint a = on_path(before.nodes, 1 - cut_before), b = on_path(after.nodes, cut_after);
    Corner c;
    c.from = before.nodes[before.nodes.size() - 2];
    c.from.s = 0, c.from.q = a.q, c.from.slope = a.slope;
    c.to = after.nodes.front();
    c.to.s = 2 * cut_before, c.to.q = b.q, c.to.slope = b.slope * (cut_after / cut_before);
    return c;
}

double farthest(const ToolPath& tool, const Vector3& pose, const Corner& c) {
    double far = 0;
    const std::vector<PathNode> nodes{c.from, c.to};
    constexpr int looks = 12;
    for (int i = 0; i <= looks; ++i) far = std::max(far, (tool.at(on_path(nodes, c.to.s * i / looks).q) - pose).norm());
    return far;
}

/// The greatest share of a leg, from its end or from its beginning, that stays within `distance` of the pose there.
double share_within(
    const ToolPath& tool, const Leg& leg, bool at_end, const Vector3& pose, double distance, double most) {
    const auto gap = [&](double share) {
        return (tool.at(on_path(leg.nodes, at_end ? 1 - share : share).q) - pose).norm();
    };
    double low = 0, high = most;
    if (gap(most) <= distance) {
        // The path may have left the ball and come back.
        for (int i = 1; i < 8; ++i)
            if (gap(most * i / 8) > distance) {
                high = most * i / 8;
                break;
            }
        if (high == most) return most;
    }
    for (int i = 0; i < 30; ++i) {
        const double middle = 0.5 * (low + high);
        (gap(middle) <= distance ? low : high) = middle;
    }
    return low;
}

}  // namespace

Leg joint_leg(const JointVector& from, const JointVector& to, double speed, double acceleration) {
    Leg leg;
    PathNode a;
    a.q = from, a.slope = to - from, a.speed_share = speed, a.effort_share = acceleration;
    PathNode b = a;
    b.s = 1, b.q = to;
    leg.nodes = {a, b};
    return leg;
}

namespace {

/// Legs without exact stops between them, as one motion.
struct Chain {
    MotionPtr whole;
    std::vector<double>
        ends;  ///< when each leg gives way to the next: in the middle of the corner, the last at the end
    std::vector<double> rates;  ///< ds/dt there, before averaging
};

/// Shares cut off the beginning and the end of each leg.
struct Cuts {
    std::vector<double> begin, end;
};

Cuts cuts_for(const ToolPath& path, const std::vector<Leg>& legs, const std::vector<double>& corners) {
    const std::size_t n = legs.size();
    Cuts cuts{std::vector<double>(n, 0.0), std::vector<double>(n, 0.0)};
    for (std::size_t i = 0; i + 1 < n; ++i) {
        const Leg &a = legs[i], &b = legs[i + 1];
        const double most_a = i == 0 ? 0.95 : 0.5, most_b = i + 2 == n ? 0.95 : 0.5;
        if (a.cut > 0) {
            cuts.end[i] = std::min(a.cut, most_a), cuts.begin[i + 1] = std::min(a.cut, most_b);
            continue;
        }
        const Vector3 pose = path.at(a.nodes.back().q);
        double distance = corners[i];
        for (int round = 0; round < 20; ++round) {
            cuts.end[i] = std::max(1e-4, share_within(path, a, true, pose, distance, most_a));
            cuts.begin[i + 1] = std::max(1e-4, share_within(path, b, false, pose, distance, most_b));
            if (farthest(path, pose, corner(a, b, cuts.end[i], cuts.begin[i + 1])) <= corners[i]) break;
            distance *= 0.8;
        }
    }
    return cuts;
}

Chain chained(const kinematics::ArmModel& model, const ToolPath& path, const std::vector<Leg>& legs, const Cuts& cuts,
    const std::vector<double>& most_rate) {
    const std::size_t n = legs.size();
    const auto &begin = cuts.begin, &end = cuts.end;
    std::vector<PathNode> nodes;
    std::vector<double> gives_way(n);
    double s = 0, scale = 1;  // of the present leg's own s
    const auto add = [&](PathNode node, double from, double offset) {
        node.s = offset + (node.s - from) * scale;
        node.slope /= scale;
        node.rate = node.rate < 1e150 ? node.rate * scale : node.rate;
        node.acceleration = node.acceleration < 1e150 ? node.acceleration * scale : node.acceleration;
        if (!nodes.empty() && node.s - nodes.back().s < 1e-12) nodes.pop_back();
        nodes.push_back(std::move(node));
    };
    for (std::size_t i = 0; i < n; ++i) {
        const Leg& leg = legs[i];
        const double from = begin[i], to = 1 - end[i];
        if (i > 0) scale *= end[i - 1] / begin[i];
        for (const PathNode& node : part_of(leg.nodes, from, to)) add(node, from, s);
        s += (to - from) * scale;
        gives_way[i] = s;
        if (i + 1 == n) break;
        Corner c = corner(leg, legs[i + 1], end[i], begin[i + 1]);
        const PathNode& next = legs[i + 1].nodes.front();
        c.from.speed_share = std::min(c.from.speed_share, next.speed_share);
        c.from.effort_share = std::min(c.from.effort_share, next.effort_share);
        c.from.rate = c.from.acceleration = 1e300;
        if (leg.straight || legs[i + 1].straight) {  // the tool's limit holds round the corner too
            double fastest = 1e-9;
            const std::vector<PathNode> both{c.from, c.to};
            for (int k = 0; k <= 4; ++k) {
                const PathPoint p = on_path(both, c.to.s * k / 4);
                fastest = std::max(fastest, path.speed(p.q, p.slope));
            }
            c.from.rate = c.from.speed_share * model.line_speed / fastest;
            c.from.acceleration = c.from.effort_share * model.line_acceleration / fastest;
        }
        c.from.rate = std::min(c.from.rate, most_rate[i] / scale);
        add(c.from, 0, s);
        gives_way[i] = s + end[i] * scale;
        s += 2 * end[i] * scale;
    }
    auto hard = std::make_shared<const PathMotion>(model.mechanism, std::move(nodes), n > 1);
    Chain chain;
    for (std::size_t i = 0; i + 1 < n; ++i) {
        constexpr double beside = 1e-5;
        chain.ends.push_back(hard->time_of(gives_way[i]));
        chain.rates.push_back((hard->s_at(chain.ends[i] + beside) - hard->s_at(chain.ends[i] - beside)) / (2 * beside));
    }
    chain.whole = hard;
    if (n > 1 && model.mechanism.limits_jerk()) {
        auto soft = std::make_shared<Averaged>(hard, model.mechanism);
        for (double& t : chain.ends) t += 0.5 * soft->window();
        chain.whole = soft;
    }
    chain.ends.push_back(chain.whole->duration());
    return chain;
}

Flight in_legs(const Chain& chain) {
    Flight flight{chain.whole, {}};
    double from = 0;
    for (const double end : chain.ends) flight.legs.push_back(slice(chain.whole, from, end)), from = end;
    return flight;
}

double duration(const Flight& flight) {
    double sum = 0;
    for (const MotionPtr& m : flight.legs) sum += m->duration();
    return sum;
}

/// How far each pose is passed, as a share of its corner.
std::vector<double> passed(const ToolPath& path, const std::vector<Leg>& legs, const Chain& chain) {
    std::vector<double> out(legs.size(), 0.0);
    for (std::size_t i = 0; i + 1 < legs.size(); ++i)
        if (legs[i].cut <= 0)
            out[i] = (path.at(chain.whole->position(chain.ends[i])) - path.at(legs[i].nodes.back().q)).norm() /
                     legs[i].corner;
    return out;
}

/// Averaging rounds corners further the faster they are passed: here they are cut to a part of what is asked for and
/// passed more slowly until the rest is enough for it. Nothing if that does not come about.
std::optional<Flight> slow_corners(
    const kinematics::ArmModel& model, const ToolPath& path, const std::vector<Leg>& legs, double part) {
    std::vector<double> corners, most(legs.size(), 1e300);
    for (const Leg& leg : legs) corners.push_back(part * leg.corner);
    const Cuts cuts = cuts_for(path, legs, corners);
    constexpr int rounds = 5;
    for (int round = 0; round < rounds; ++round) {
        const Chain chain = chained(model, path, legs, cuts, most);
        const std::vector<double> far = passed(path, legs, chain);
        bool good = true;
        for (std::size_t i = 0; i + 1 < legs.size(); ++i) {
            if (far[i] <= 1) continue;
            good = false;
            most[i] = std::min(most[i], chain.rates[i]) *
                      std::clamp((0.97 - part) / std::max(1e-3, far[i] - part), 0.4, 0.95);
        }
        if (good) return in_legs(chain);
    }
    return std::nullopt;
}

/// At the rates that the legs' nodes allow.
Flight fly_as_fast(const kinematics::ArmModel& model, const Frame& tool, const std::vector<Leg>& legs) {
    assert(!legs.empty());
    if (legs.size() == 1) {
        const std::vector<PathNode>& nodes = legs.front().nodes;
        const MotionPtr only = legs.front().straight ? std::make_shared<PathMotion>(model.mechanism, nodes)
                                                     : joint_move(model.mechanism, nodes.front().q, nodes.back().q,
                                                           nodes.front().speed_share, nodes.front().effort_share);
        return {only, {only}};
    }
    const ToolPath path(model, tool);
    std::vector<double> corners;
    corners.reserve(legs.size());
    for (const Leg& leg : legs) corners.push_back(leg.corner);
    const std::vector<double> any_rate(legs.size(), 1e300);
    // Averaging rounds corners further: they are cut later until the pose is passed as near as asked for, or passed
    // more slowly, whichever is quicker in all; a corner that allows neither is an exact stop.
    constexpr int rounds = 6;
    std::size_t worst = 0;
    std::optional<Flight> best;
    for (int round = 0; round < rounds && !best; ++round) {
        const Chain chain = chained(model, path, legs, cuts_for(path, legs, corners), any_rate);
        const std::vector<double> far = passed(path, legs, chain);
        for (std::size_t i = 0; i + 1 < legs.size(); ++i) {
            if (far[i] > 1 && far[i] >= far[worst]) worst = i;
            if (far[i] > 1) corners[i] *= std::min(0.7, 1 / far[i]);
        }
        if (*std::max_element(far.begin(), far.end()) > 1) continue;
        best = in_legs(chain);
        if (round == 0) return *best;
    }
    if (auto slower = slow_corners(model, path, legs, 0.5); slower && (!best || duration(*slower) < duration(*best)))
        best = std::move(slower);
    // A corner too small for the jerk limits: an exact stop there.
    const auto middle = legs.begin() + static_cast<std::ptrdiff_t>(worst) + 1;
    Flight first = fly_as_fast(model, tool, {legs.begin(), middle});
    const Flight second = fly_as_fast(model, tool, {middle, legs.end()});
    first.legs.insert(first.legs.end(), second.legs.begin(), second.legs.end());
    return best && duration(*best) <= duration(first) ? *best : first;
}

std::vector<Leg> slower(std::vector<Leg> legs, double share) {
    for (Leg& leg : legs)
        for (PathNode& node : leg.nodes) {
            node.speed_share *= share;
            if (node.rate < 1e150) node.rate *= share;
        }
    return legs;
}

}  // namespace

Flight fly(const kinematics::ArmModel& model, const Frame& tool, const std::vector<Leg>& legs,
    const std::vector<double>& shares) {
    // The window of the averaging is the greatest change of acceleration over the jerk limit. Where a joint is braked
    // just when it is at its fastest, that is twice what a stretch of even speed between would need.
    if (legs.size() == 1 || !model.mechanism.limits_jerk()) return fly_as_fast(model, tool, legs);
    Flight best = fly_as_fast(model, tool, slower(legs, shares.front()));
    for (std::size_t i = 1; i < shares.size(); ++i) {
        Flight other = fly_as_fast(model, tool, slower(legs, shares[i]));
        if (duration(other) < duration(best)) best = std::move(other);
    }
    return best;
}

}  // namespace escarp::motion
