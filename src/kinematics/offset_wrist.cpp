#include "subproblems.h"

#include <geometry/work_done.h>

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;

struct Geometry {
    Axis axis[6];
    Vector3 wrist;       ///< where axes 5 and 6 meet, at zero
    Vector3 first_side;  ///< unit vectors across the parallel axes: the plane in which joints 2 to 4 move
    Vector3 second_side;
    double sign[3];  ///< of joints 2, 3, 4 along axis 2
    Frame flange;    ///< at zero
};

std::optional<Geometry> recognise(const ArmModel& model) {
    if (!plain_chain(model, 6, JointType::hinge)) return std::nullopt;
    Geometry g;
    const std::vector<Axis> axes = axes_at_zero(model, model.mechanism.chain(model.flange_link));
    std::copy(axes.begin(), axes.end(), g.axis);
    const Vector3& h = g.axis[1].direction;
    for (int i = 1; i < 4; ++i) {
        if (h.cross(g.axis[i].direction).norm() > 1e-9) return std::nullopt;
        g.sign[i - 1] = h.dot(g.axis[i].direction) > 0 ? 1.0 : -1.0;
    }
    if (g.axis[0].direction.cross(h).norm() < 1e-3 || g.axis[4].direction.cross(h).norm() < 1e-3) return std::nullopt;
    const std::optional<Vector3> wrist = crossing(g.axis[4], g.axis[5]);
    if (!wrist) return std::nullopt;
    g.wrist = *wrist;
    g.first_side = h.unitOrthogonal();
    g.second_side = h.cross(g.first_side);
    g.flange = model.flange_frame(JointVector::Zero(6));
    const auto across = [&](const Vector3& v) { return (v - h.dot(v) * h).norm(); };
    if (across(g.axis[2].point - g.axis[1].point) < 1e-6 || across(g.axis[3].point - g.axis[2].point) < 1e-6)
        return std::nullopt;
    return g;
}

class OffsetWrist final : public JointSolver {
public:
    OffsetWrist(const Mechanism& mechanism, const Geometry& g)
        : mechanism_(mechanism), g_(g), in_flange_(g.flange.inverse() * g.wrist) {}
    const char* name() const override { return "closed form, offset wrist"; }
    bool closed_form() const override { return true; }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        const Vector3 &a1 = g_.axis[0].direction, &h = g_.axis[1].direction, &a5 = g_.axis[4].direction,
                      &a6 = g_.axis[5].direction;
        const Vector3 centre = target * in_flange_ - g_.axis[0].point;  // of the wrist, from axis 1
        const Matrix3 turned = target.linear() * g_.flange.linear().transpose();
        const Vector3 rest = g_.wrist - g_.axis[0].point;
        // Joints 2 to 5 leave the wrist where it is along h: a1 and h fix joint 1.
        double first[2];
        const double along = h.dot(a1) * a1.dot(centre);
        if (trig_angles(h.dot(centre) - along, -h.dot(a1.cross(centre)), h.dot(rest) - along, first) == 0) return;
        JointVector q(6);
        for (int i = 0; i < 2; ++i) {
            const Matrix3 back = geometry::rotation(a1, first[i]).transpose();
            const Matrix3 seen = back * turned;
            // The sixth axis along h depends on joint 5 alone.
            double fifth[2];
            const double level = h.dot(a5) * a5.dot(a6);
            if (trig_angles(h.dot(a6) - level, h.dot(a5.cross(a6)), h.dot(seen * a6) - level, fifth) == 0) continue;
            for (int k = 0; k < 2; ++k) {
                const Matrix3 r5 = geometry::rotation(a5, fifth[k]);
                double sixth;
                if (!turn_about(a6, seen.transpose() * h, r5.transpose() * h, sixth)) sixth = reference[5];
                const Matrix3 level_turn = seen * (r5 * geometry::rotation(a6, sixth)).transpose();  // about h
                double sum = 0;
                turn_about(h, g_.first_side, level_turn * g_.first_side, sum);
                const Vector3 fourth = back * centre + g_.axis[0].point - level_turn * (g_.wrist - g_.axis[3].point);
                add_elbows(fourth, sum, reference, i, k, first[i], fifth[k], sixth, q, out);
            }
        }
    }

private:
    /// Both elbows that bring the point of axis 4 to `fourth`, in the plane across h.
    void add_elbows(const Vector3& fourth, double sum, const JointVector& reference, int shoulder, int flip,
        double first, double fifth, double sixth, JointVector& q, std::vector<JointSolution>& out) const {
        const auto flat = [&](const Vector3& v) {
            return Eigen::Vector2d(g_.first_side.dot(v), g_.second_side.dot(v));
        };
        const Eigen::Vector2d upper = flat(g_.axis[2].point - g_.axis[1].point),
                              fore = flat(g_.axis[3].point - g_.axis[2].point), goal = flat(fourth - g_.axis[1].point);
        const auto cross = [](const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
            return a.x() * b.y() - a.y() * b.x();
        };
        double third[2];
        // |upper + R fore| = |goal|
        if (trig_angles(upper.dot(fore), -cross(upper, fore),
                0.5 * (goal.squaredNorm() - upper.squaredNorm() - fore.squaredNorm()), third) == 0)
            return;
        for (int e = 0; e < 2; ++e) {
            const double c = std::cos(third[e]), s = std::sin(third[e]);
            const Eigen::Vector2d reached =
                upper + Eigen::Vector2d(c * fore.x() - s * fore.y(), s * fore.x() + c * fore.y());
            const double second = reached.squaredNorm() < 1e-20 ? g_.sign[0] * reference[1]
                                                                : std::atan2(cross(reached, goal), reached.dot(goal));
            q << first, g_.sign[0] * second, g_.sign[1] * third[e], g_.sign[2] * (sum - second - third[e]), fifth,
                sixth;
            add_solution(mechanism_, reference, q, shoulder | e << 1 | flip << 2, out);
        }
    }

    Mechanism mechanism_;
    Geometry g_;
    Vector3 in_flange_;
};

}  // namespace

std::unique_ptr<JointSolver> offset_wrist_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<OffsetWrist>(model.mechanism, *g);
}

}  // namespace escarp::kinematics
