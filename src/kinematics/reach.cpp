#include "reach.h"

#include <algorithm>
#include <cmath>

#include <geometry/distance_map.h>
#include <geometry/work_done.h>

namespace escarp::kinematics {
namespace {

constexpr double fine = 2.5e-4;    // metres: where bisection stops
constexpr double most_half = 200;  // cells of a field from its middle to a side: an arm of 50 m gets coarser ones

/// The 26 directions of a cube's corners, edges and faces.
const std::vector<Vector3>& directions() {
    static const std::vector<Vector3> all = [] {
        std::vector<Vector3> d;
        for (int x = -1; x <= 1; ++x)
            for (int y = -1; y <= 1; ++y)
                for (int z = -1; z <= 1; ++z)
                    if (x || y || z) d.push_back(Vector3(x, y, z).normalized());
        return d;
    }();
    return all;
}

class Probe {
public:
    Probe(const JointSolver& solver, const Frame& target, const JointVector& reference)
        : solver_(solver), target_(target), reference_(reference) {}

    bool fast() const { return solver_.closed_form(); }
    bool reached(const Vector3& offset) const {
        Frame moved = target_;
        moved.translation() += offset;
        return solver_.reachable(moved, reference_);
    }
    /// Distance along `d` at which reachability first differs from `from`; `limit` if it does not before.
    double change(const Vector3& d, bool from, double limit) const {
        const double stride = fast() ? 0.01 : 0.04;
        double before = 0.0;
        for (double s = std::min(stride, limit); before < limit; s = std::min(s + stride, limit)) {
            if (reached(s * d) != from) {
                double low = before, high = s;
                while (high - low > fine) {
                    const double middle = 0.5 * (low + high);
                    (reached(middle * d) != from ? high : low) = middle;
                }
                return from ? low : high;
            }
            before = s;
        }
        return limit;
    }

private:
    const JointSolver& solver_;
    const Frame& target_;
    const JointVector& reference_;
};

using Ways = Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 3>;

/// The directions in which the flange can go, as columns at right angles.
Ways movable(const ArmModel& model) {
    JointVector q(model.mechanism.size());
    for (int j = 0; j < q.size(); ++j) {  // anywhere but at a singular position
        const Joint& joint = model.mechanism.joints[j];
        q[j] = joint.low + (0.5 + 0.31 * std::sin(1.0 + 2.3 * j)) * (joint.high - joint.low);
    }
    std::vector<Frame> frames;
    model.mechanism.link_frames(q, Frame::Identity(), frames);
    const Vector3 at = frames[model.flange_link] * model.flange.translation();
    const Eigen::Matrix<double, 3, Eigen::Dynamic> moves =
        jacobian(model.mechanism, frames, model.flange_link, at).topRows<3>();
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(Eigen::Matrix3d(moves * moves.transpose()), Eigen::ComputeFullU);
    const auto count = (svd.singularValues().array() > 1e-9).count();
    return count == 3 ? Ways(geometry::Matrix3::Identity()) : Ways(svd.matrixU().leftCols(count));
}

/// Least change distance over a coarse set of directions, and with `refine` by a pattern search around the best ones.
std::pair<double, Vector3> least_change(
    const Probe& probe, const geometry::Matrix3& onto, bool from, double cap, bool refine) {
    std::vector<std::pair<double, Vector3>> found;
    double best = cap;
    const bool anywhere = onto.isIdentity(1e-9);
    const auto in_plane = [&](const Vector3& d) { return anywhere || (onto * d - d).norm() < 1e-6; };
    for (const Vector3& any : directions()) {
        Vector3 d = any;
        if (!anywhere) {
            d = onto * any;
            if (d.norm() < 0.3) continue;
            d.normalize();
        }
        if (!probe.fast() && d.cwiseAbs().maxCoeff() < 0.99) continue;  // each question is dear: the six axes only
        // Other directions matter only if they come out close to the best, as a start for refining.
        const double s = probe.change(d, from, std::min(cap, best * 1.3 + 0.01));
        found.emplace_back(s, d);
        best = std::min(best, s);
    }
    if (best >= cap) return {cap, Vector3::Zero()};
    if (!probe.fast() || !refine)
        return *std::min_element(
            found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::pair<double, Vector3> result = found.front();
    for (std::size_t start = 0; start < std::min<std::size_t>(3, found.size()); ++start) {
        auto [s, d] = found[start];
        if (s >= cap) break;
        double angle = 0.35;
        for (int halvings = 0; halvings < 6; ++halvings, angle *= 0.5) {
            const Vector3 side = d.unitOrthogonal(), other = d.cross(side);
            for (int k = 0; k < 6; ++k) {
                const double turn = geometry::pi * k / 3;
                const Vector3 tilt = std::cos(turn) * side + std::sin(turn) * other;
                const Vector3 tried = (std::cos(angle) * d + std::sin(angle) * tilt).normalized();
                if (!in_plane(tried)) continue;
                const double there = probe.change(tried, from, s);
                if (there < s - 1e-6) s = there, d = tried;
            }
        }
        if (s < result.first) result = {s, d};
    }
    return result;
}

}  // namespace

double arm_length(const ArmModel& model) {
    double length = 0.0, slide = 0.0;
    bool hinged = false;
    for (const int code : model.mechanism.chain(model.flange_link)) {
        const Joint& joint = model.mechanism.connection(code);
        if (joint.type == JointType::slide) {
            slide = std::max(slide, joint.high - joint.low);
            continue;
        }
        if (hinged) length += joint.at.translation().norm();
        hinged = true;
    }
    return std::max({length, hinged && length > 0 ? 0.0 : 0.5 * slide, 0.1});
}

Reach reach(const ArmModel& model, const JointSolver& solver, const Frame& target, const Frame& tool,
    const JointVector& reference, const JointVector* q, double cap) {
    Reach result;
    const Probe probe(solver, target, reference);
    const bool reached = probe.reached(Vector3::Zero());
    const Ways ways = movable(model);
    auto [distance, direction] = least_change(probe, ways * ways.transpose(), reached, cap, !reached);
    if (reached && probe.fast() &&
        ways.cols() > 0)  // narrow gaps lie between the directions looked at, or are stepped over
        if (const auto gap = nearest_gap(model, solver, target, reference, ways, cap, Gap{distance, direction}))
            distance = gap->distance, direction = gap->direction;
    result.margin = reached ? distance : -distance;
    result.direction = direction;
    if (q) {
        const LimitMargin tightest = limit_margin(model.mechanism, *q);
        result.tightest_joint = tightest.joint, result.joint_margin = tightest.inside;
        result.singularity = singularity_distance(model, *q, tool, arm_length(model));
    }
    if (reached) return result;
    if (!solver.can_orient(target.linear())) {
        result.reason = ReachReason::orientation;
        return result;
    }
    std::vector<JointSolution> all;
    solver.solve(target, reference, all);
    if (!all.empty()) {  // the geometry allows it, the limits do not: name the joint of the least wrong solution
        result.reason = ReachReason::joint_limit;
        double least = -1e300;
        for (const JointSolution& s : all) {
            const LimitMargin over = limit_margin(model.mechanism, s.q);
            if (over.share > least)
                least = over.share, result.limiting_joint = over.joint, result.joint_margin = over.inside;
        }
        return result;
    }
    // No solution at all: outward or inward decides between too far and too near.
    std::vector<Frame> frames;
    model.mechanism.link_frames(JointVector::Zero(model.mechanism.size()), Frame::Identity(), frames);
    const Vector3 shoulder = model.mechanism.size() > 1 ? Vector3(frames[model.mechanism.joints[1].child].translation())
                                                        : Vector3(Vector3::Zero());
    const Vector3 away = target.translation() - shoulder;
    const bool inwards = direction.squaredNorm() > 0 ? direction.dot(away) < 0 : away.norm() > 0.5 * arm_length(model);
    result.reason = inwards ? ReachReason::too_far : ReachReason::too_near;
    return result;
}

geometry::Matrix3 straight_down(double turn) {
    return geometry::rotation(Vector3::UnitZ(), turn) * geometry::rotation(Vector3::UnitX(), geometry::pi);
}

ReachField reach_field(const ArmModel& model, const JointSolver& solver, const Frame& tool, double height, double cell,
    const geometry::Matrix3* orientation) {
    ++geometry::work_done;
    ReachField field;
    const double extent = reach_bound(model) + tool.translation().norm() + 0.2;
    cell = std::max(cell, extent / most_half);
    const int half = static_cast<int>(std::ceil(extent / cell));
    field.cell = cell;
    field.origin = -half * cell;
    field.size = 2 * half + 1;
    field.inside.assign(static_cast<std::size_t>(field.size) * field.size, 0);
    const Frame flange_in_tool = tool.inverse();
    const double farthest = reach_bound(model);
    Frame wanted = Frame::Identity(), flange = Frame::Identity();
    const auto reached = [&] {
        flange.linear().noalias() = wanted.linear() * flange_in_tool.linear();
        flange.translation().noalias() = wanted.linear() * flange_in_tool.translation();
        flange.translation() += wanted.translation();
        return flange.translation().squaredNorm() <= farthest * farthest && solver.reachable(flange, model.ready);
    };
    if (orientation) wanted.linear() = *orientation;
    int last = 0;  // the quarter turn that was reached last is asked for first
    for (int row = 0; row < field.size; ++row)
        for (int column = 0; column < field.size; ++column) {
            const Vector3 at(field.origin + column * cell, field.origin + row * cell, height);
            wanted.translation() = at;
            bool in = false;
            if (orientation) {
                in = reached();
            } else {
                const double far = at.head<2>().norm(), c = far > 0 ? at.x() / far : 1, s = far > 0 ? at.y() / far : 0;
                for (int k = 0; k < 4 && !in; ++k) {
                    const int quarter = (last + k) % 4;
                    const double x = quarter == 0   ? c
                                     : quarter == 1 ? -s
                                     : quarter == 2 ? -c
                                                    : s,
                                 y = quarter == 0   ? s
                                     : quarter == 1 ? c
                                     : quarter == 2 ? -s
                                                    : -c;
                    wanted.linear() << x, y, 0, y, -x, 0, 0, 0, -1;  // straight_down, turned outward and by quarters
                    in = reached();
                    if (in) last = quarter;
                }
            }
            field.inside[static_cast<std::size_t>(row) * field.size + column] = in;
        }
    field.margin = geometry::distance_inside(field.inside, field.size, field.size);
    for (float& m : field.margin) m = m > 0 ? (m - 0.5f) * static_cast<float>(cell) : 0.f;
    return field;
}

}  // namespace escarp::kinematics
