#include <geometry/indices.h>
#include <geometry/work_done.h>
#include "subproblems.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;
using Vector2 = Eigen::Vector2d;

/// Everything along `up`; the plane across it has the axes `side` and `other`.
struct Geometry {
    Vector3 up, side, other;
    std::vector<int> hinges;      ///< joint indexes, from the base out: two or three
    std::vector<Vector2> points;  ///< of the hinges at zero, in the plane
    std::vector<double> signs;
    int slide = -1;
    double slide_sign = 1;
    Frame flange;

    Vector2 flat(const Vector3& v) const { return {side.dot(v), other.dot(v)}; }
};

std::optional<Geometry> recognise(const ArmModel& model) {
    const Mechanism& m = model.mechanism;
    const std::vector<int> chain = m.chain(model.flange_link);
    if (static_cast<int>(chain.size()) != m.size() || chain.size() < 2 || chain.size() > 4) return std::nullopt;
    const std::vector<Axis> axes = axes_at_zero(model, chain);
    Geometry g;
    g.up = axes[0].direction;
    g.side = g.up.unitOrthogonal();
    g.other = g.up.cross(g.side);
    g.flange = model.flange_frame(JointVector::Zero(m.size()));
    for (const int i : indices(chain)) {
        if (chain[i] != i || axes[i].direction.cross(g.up).norm() > 1e-9) return std::nullopt;
        const double sign = axes[i].direction.dot(g.up) > 0 ? 1.0 : -1.0;
        if (m.joints[i].type == JointType::slide) {
            if (g.slide >= 0) return std::nullopt;
            g.slide = i, g.slide_sign = sign;
        } else {
            g.hinges.push_back(i);
            g.points.push_back(g.flat(axes[i].point));
            g.signs.push_back(sign);
        }
    }
    if (g.hinges.size() < 2 || g.hinges.size() > 3) return std::nullopt;
    if (g.hinges.size() == 2)
        g.points.push_back(g.flat(g.flange.translation()));  // the flange itself is what two hinges place
    if ((g.points[1] - g.points[0]).norm() < 1e-6 || (g.points[2] - g.points[1]).norm() < 1e-6) return std::nullopt;
    return g;
}

class Scara final : public JointSolver {
public:
    Scara(const ArmModel& model, const Geometry& g) : model_(model), g_(g) {}
    const char* name() const override { return "closed form, parallel hinges"; }
    bool closed_form() const override { return true; }
    bool can_orient(const Matrix3& r) const override {
        return (r * g_.flange.linear().transpose() * g_.up - g_.up).norm() < 1e-7;
    }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        if (!can_orient(target.linear())) return;
        const Matrix3 turned = target.linear() * g_.flange.linear().transpose();
        double sum = 0;
        turn_about(g_.up, g_.side, turned * g_.side, sum);
        const bool three = g_.hinges.size() == 3;
        Vector2 goal = g_.flat(target.translation());
        if (three) {
            const Vector2 tip = g_.flat(g_.flange.translation()) - g_.points[2];
            goal -= Eigen::Rotation2Dd(sum) * tip;
        }
        goal -= g_.points[0];
        const Vector2 upper = g_.points[1] - g_.points[0], fore = g_.points[2] - g_.points[1];
        const auto cross = [](const Vector2& a, const Vector2& b) { return a.x() * b.y() - a.y() * b.x(); };
        double elbow[2];
        if (trig_angles(upper.dot(fore), -cross(upper, fore),
                0.5 * (goal.squaredNorm() - upper.squaredNorm() - fore.squaredNorm()), elbow) == 0)
            return;
        JointVector q(model_.mechanism.size());
        for (int e = 0; e < 2; ++e) {
            const Vector2 reached = upper + Eigen::Rotation2Dd(elbow[e]) * fore;
            const double first = reached.squaredNorm() < 1e-20 ? g_.signs[0] * reference[g_.hinges[0]]
                                                               : std::atan2(cross(reached, goal), reached.dot(goal));
            q[g_.hinges[0]] = g_.signs[0] * first;
            q[g_.hinges[1]] = g_.signs[1] * elbow[e];
            if (three) q[g_.hinges[2]] = g_.signs[2] * (sum - first - elbow[e]);
            if (g_.slide >= 0) q[g_.slide] = g_.slide_sign * g_.up.dot(target.translation() - g_.flange.translation());
            const geometry::FrameGap miss = geometry::gap(model_.flange_frame(q), target);
            if (miss.distance < 1e-7 && miss.angle < 1e-7) add_solution(model_.mechanism, reference, q, e << 1, out);
        }
    }

private:
    ArmModel model_;
    Geometry g_;
};

}  // namespace

std::unique_ptr<JointSolver> scara_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<Scara>(model, *g);
}

}  // namespace escarp::kinematics
