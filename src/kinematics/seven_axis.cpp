#include "subproblems.h"
#include "swept.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;

struct Geometry {
    Vector3 axis[7];
    Vector3 shoulder, elbow, wrist;  ///< at zero; elbow: a point of axis 4
    Frame flange;
};

std::optional<Geometry> recognise(const ArmModel& model) {
    if (!plain_chain(model, 7, JointType::hinge)) return std::nullopt;
    const std::vector<Axis> axes = axes_at_zero(model, model.mechanism.chain(model.flange_link));
    const auto meeting = [&](int first) -> std::optional<Vector3> {
        std::optional<Vector3> at = crossing(axes[first], axes[static_cast<std::size_t>(first) + 1]);
        const Axis& third = axes[static_cast<std::size_t>(first) + 2];
        if (!at || (*at - third.point).cross(third.direction).norm() > 1e-9) return std::nullopt;
        if (axes[static_cast<std::size_t>(first) + 1].direction.cross(third.direction).norm() < 1e-3)
            return std::nullopt;
        return at;
    };
    const std::optional<Vector3> shoulder = meeting(0), wrist = meeting(4);
    if (!shoulder || !wrist) return std::nullopt;
    Geometry g;
    for (int i = 0; i < 7; ++i) g.axis[i] = axes[i].direction;
    g.shoulder = *shoulder, g.wrist = *wrist, g.elbow = axes[3].point;
    g.flange = model.flange_frame(JointVector::Zero(7));
    return g;
}

class SevenAxis final : public Swept {
public:
    SevenAxis(const Mechanism& mechanism, const Geometry& g)
        : Swept(mechanism, 2),
          g_(g),
          wrist_(g.axis[4], g.axis[5], g.axis[6]),
          in_flange_(g.flange.inverse() * g.wrist) {}
    const char* name() const override { return "closed form, seven axes"; }
    std::vector<int> free_joints() const override { return {2}; }

protected:
    void at(const Frame& target, const JointVector& reference, double value, bool,
        std::vector<JointSolution>& out) const override {
        const Vector3 goal = target * in_flange_ - g_.shoulder;
        const Matrix3 turned = target.linear() * g_.flange.linear().transpose();
        const Vector3 upper = g_.elbow - g_.shoulder, fore = g_.wrist - g_.elbow;
        const Vector3 &a1 = g_.axis[0], &a2 = g_.axis[1], &a4 = g_.axis[3];
        // |upper + R4 fore| = |goal| fixes the elbow.
        double fourth[2], second[2], last[2][3];
        const double along = upper.dot(a4) * a4.dot(fore);
        if (trig_angles(upper.dot(fore) - along, upper.dot(a4.cross(fore)),
                0.5 * (goal.squaredNorm() - upper.squaredNorm() - fore.squaredNorm()) - along, fourth) == 0)
            return;
        const Matrix3 r3 = geometry::rotation(g_.axis[2], value);
        JointVector q(7);
        for (int e = 0; e < 2; ++e) {
            const Matrix3 r4 = geometry::rotation(a4, fourth[e]);
            const Vector3 reached = r3 * (upper + r4 * fore);
            const double level = a1.dot(a2) * a2.dot(reached);
            if (trig_angles(a1.dot(reached) - level, a1.dot(a2.cross(reached)), a1.dot(goal) - level, second) == 0)
                continue;
            for (int s = 0; s < 2; ++s) {
                const Matrix3 r2 = geometry::rotation(a2, second[s]);
                double first;
                if (!turn_about(a1, r2 * reached, goal, first)) first = reference[0];
                const Matrix3 left = (geometry::rotation(a1, first) * r2 * r3 * r4).transpose() * turned;
                const int wrists = wrist_.solve(left, reference[4], last);
                for (int w = 0; w < wrists; ++w) {
                    q << first, second[s], value, fourth[e], last[w][0], last[w][1], last[w][2];
                    add_solution(mechanism_, reference, q, s | e << 1 | w << 2, out);
                    if (out.back().q[2] != value && out.back().within_limits)
                        out.back().within_limits = std::abs(out.back().q[2] - value) < 1e-9;
                }
            }
        }
    }

private:
    Geometry g_;
    ThreeTurns wrist_;
    Vector3 in_flange_;
};

}  // namespace

std::unique_ptr<JointSolver> seven_axis_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<SevenAxis>(model.mechanism, *g);
}

}  // namespace escarp::kinematics
