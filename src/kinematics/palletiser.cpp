#include <Eigen/LU>

#include <geometry/work_done.h>

#include "subproblems.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;
using Vector2 = Eigen::Vector2d;

struct Geometry {
    Axis first, last;
    Vector3 h, side, other;     ///< of the level hinges, and the plane across
    Vector3 point[3];           ///< of the level hinges at zero
    int drives[2];              ///< joints that move them
    Eigen::Matrix2d to_drives;  ///< from the upper arm's and the forearm's angle about h to the drives' values
    Vector2 offset;             ///< of these angles
    double last_sign;
    Frame flange;

    Vector2 flat(const Vector3& v) const { return {side.dot(v), other.dot(v)}; }
};

/// A hinge's value as a function of the joint values: (ratios, offset).
std::pair<JointVector, double> law(const Mechanism& m, int code) {
    if (code < m.size()) return {JointVector::Unit(m.size(), code), 0.0};
    const Follower& f = m.followers[code - m.size()];
    return {f.ratios, f.offset};
}

std::optional<Geometry> recognise(const ArmModel& model) {
    const Mechanism& m = model.mechanism;
    const std::vector<int> chain = m.chain(model.flange_link);
    if (m.size() != 4 || chain.size() != 5 || chain.front() != 0 || chain.back() >= m.size()) return std::nullopt;
    for (const int code : chain)
        if (m.connection(code).type != JointType::hinge) return std::nullopt;
    const std::vector<Axis> axes = axes_at_zero(model, chain);
    Geometry g;
    g.first = axes.front(), g.last = axes.back();
    if (g.first.direction.cross(g.last.direction).norm() > 1e-9) return std::nullopt;
    g.last_sign = g.first.direction.dot(g.last.direction) > 0 ? 1.0 : -1.0;
    g.h = axes[1].direction;
    if (std::abs(g.h.dot(g.first.direction)) > 1e-9) return std::nullopt;
    g.side = g.h.unitOrthogonal();
    g.other = g.h.cross(g.side);
    JointVector sum = JointVector::Zero(4);
    double offset = 0;
    Eigen::Matrix<double, 2, 4> angles;
    for (int i = 0; i < 3; ++i) {
        const Axis& axis = axes[static_cast<std::size_t>(i) + 1];
        if (axis.direction.cross(g.h).norm() > 1e-9) return std::nullopt;
        const double sign = axis.direction.dot(g.h) > 0 ? 1.0 : -1.0;
        const auto [ratios, constant] = law(m, chain[static_cast<std::size_t>(i) + 1]);
        sum += sign * ratios;
        offset += sign * constant;
        g.point[i] = axis.point;
        if (i < 2) angles.row(i) = sum.transpose(), g.offset[i] = offset;
    }
    if (sum.norm() > 1e-9 || std::abs(offset) > 1e-9) return std::nullopt;  // the flange does not stay level
    int count = 0;
    for (int j = 1; j < 4; ++j)
        if (j != chain.back()) g.drives[count++] = j;
    if (count != 2 || angles.col(0).norm() > 1e-12 || angles.col(chain.back()).norm() > 1e-12) return std::nullopt;
    Eigen::Matrix2d from_drives;
    from_drives << angles(0, g.drives[0]), angles(0, g.drives[1]), angles(1, g.drives[0]), angles(1, g.drives[1]);
    if (std::abs(from_drives.determinant()) < 1e-9) return std::nullopt;
    g.to_drives = from_drives.inverse();
    g.flange = model.flange_frame(JointVector::Zero(4));
    return g;
}

class Palletiser final : public JointSolver {
public:
    Palletiser(const ArmModel& model, const Geometry& g)
        : model_(model), g_(g), last_(model.mechanism.chain(model.flange_link).back()) {}
    const char* name() const override { return "closed form, level flange"; }
    bool closed_form() const override { return true; }
    bool can_orient(const Matrix3& r) const override {
        return (r * g_.flange.linear().transpose() * g_.first.direction - g_.first.direction).norm() < 1e-7;
    }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        if (!can_orient(target.linear())) return;
        const Vector3& up = g_.first.direction;
        const Matrix3 turned = target.linear() * g_.flange.linear().transpose();
        const Vector3 spare = up.unitOrthogonal();
        double sum = 0;
        turn_about(up, spare, turned * spare, sum);
        // The point of the last axis, from the first; it stays where it is along h.
        const Vector3 centre =
            target.translation() - turned * (g_.flange.translation() - g_.last.point) - g_.first.point;
        double first[2];
        if (trig_angles(
                g_.h.dot(centre), -g_.h.dot(up.cross(centre)), g_.h.dot(g_.last.point - g_.first.point), first) == 0)
            return;
        const Vector2 upper = g_.flat(g_.point[1] - g_.point[0]), fore = g_.flat(g_.point[2] - g_.point[1]);
        const auto cross = [](const Vector2& a, const Vector2& b) { return a.x() * b.y() - a.y() * b.x(); };
        JointVector q(4);
        for (int s = 0; s < 2; ++s) {
            const Vector3 level =
                geometry::rotation(up, first[s]).transpose() * centre + g_.first.point - (g_.last.point - g_.point[2]);
            const Vector2 goal = g_.flat(level - g_.point[0]);
            double elbow[2];
            if (trig_angles(upper.dot(fore), -cross(upper, fore),
                    0.5 * (goal.squaredNorm() - upper.squaredNorm() - fore.squaredNorm()), elbow) == 0)
                continue;
            for (int e = 0; e < 2; ++e) {
                const Vector2 reached = upper + Eigen::Rotation2Dd(elbow[e]) * fore;
                if (reached.squaredNorm() < 1e-20) continue;
                const double raised =
                    std::remainder(std::atan2(cross(reached, goal), reached.dot(goal)), 2 * geometry::pi);
                const Vector2 drives = g_.to_drives * (Vector2(raised, raised + elbow[e]) - g_.offset);
                q[0] = first[s];
                q[g_.drives[0]] = drives[0], q[g_.drives[1]] = drives[1];
                q[last_] = g_.last_sign * (sum - first[s]);
                const geometry::FrameGap miss = geometry::gap(model_.flange_frame(q), target);
                if (miss.distance < 1e-7 && miss.angle < 1e-7)
                    add_solution(model_.mechanism, reference, q, s | e << 1, out);
            }
        }
    }

private:
    ArmModel model_;
    Geometry g_;
    int last_;
};

}  // namespace

std::unique_ptr<JointSolver> palletiser_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<Palletiser>(model, *g);
}

}  // namespace escarp::kinematics
