#include <cmath>

#include <geometry/work_done.h>

#include "subproblems.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;

double wrapped(double angle) {
    return std::abs(angle) <= geometry::pi ? angle
                                           : angle - 2 * geometry::pi * std::floor(angle / (2 * geometry::pi) + 0.5);
}

/// Arm coordinates: z along axis 1, y along axis 2, origin on axis 1. All lengths in metres.
struct Geometry {
    Matrix3 axes;                     // columns: the arm coordinates' axes in the base frame
    Vector3 origin;                   // a point of axis 1, in the base frame
    double sx, sz;                    // shoulder (axis 2)
    double u1x, u1z;                  // shoulder to elbow (axis 3) at zero
    double u2x, u2z;                  // elbow to wrist centre at zero
    double l1, l2;                    // lengths of both
    double bend, cos_bend, sin_bend;  // of the elbow at zero, from stretched
    double aside;                     // wrist centre along y: the same at all joint values
    double third_sign;                // axis 3 along (+1) or against (-1) axis 2
    Vector3 centre_in_flange;
    Matrix3 before, after;  // constant turns around the wrist's own
    double fifth_offset;
};

std::optional<Geometry> recognise(const ArmModel& model) {
    constexpr double tight = 1e-9;
    const Mechanism& m = model.mechanism;
    if (!plain_chain(model, 6, JointType::hinge)) return std::nullopt;
    std::vector<Frame> frames;
    m.link_frames(JointVector::Zero(6), Frame::Identity(), frames);
    Vector3 axis[6], point[6];
    for (int i = 0; i < 6; ++i) {
        const Joint& joint = m.joints[i];
        axis[i] = frames[joint.child].linear() * joint.axis;
        point[i] = frames[joint.child].translation();
    }
    if (std::abs(axis[0].dot(axis[1])) > tight || axis[1].cross(axis[2]).norm() > tight) return std::nullopt;
    if (std::abs(axis[3].dot(axis[4])) > tight || std::abs(axis[4].dot(axis[5])) > tight) return std::nullopt;
    // The wrist centre: nearest point of axes 4 and 5 (perpendicular lines), which axis 6 must also pass.
    const double along = (point[4] - point[3]).dot(axis[3]);
    const Vector3 centre = point[3] + along * axis[3];
    const auto off_line = [&](int i) { return (centre - point[i]).cross(axis[i]).norm(); };
    if (off_line(4) > tight || off_line(5) > tight) return std::nullopt;

    Geometry g;
    g.axes.col(2) = axis[0];
    g.axes.col(1) = axis[1];
    g.axes.col(0) = axis[1].cross(axis[0]);
    g.origin = point[0];
    const auto seen = [&](const Vector3& p) { return Vector3(g.axes.transpose() * (p - g.origin)); };
    const Vector3 shoulder = seen(point[1]), elbow = seen(point[2]), wrist = seen(centre);
    g.sx = shoulder.x(), g.sz = shoulder.z();
    g.u1x = elbow.x() - shoulder.x(), g.u1z = elbow.z() - shoulder.z();
    g.u2x = wrist.x() - elbow.x(), g.u2z = wrist.z() - elbow.z();
    g.l1 = std::hypot(g.u1x, g.u1z), g.l2 = std::hypot(g.u2x, g.u2z);
    if (g.l1 < 1e-6 || g.l2 < 1e-6) return std::nullopt;
    g.bend = std::atan2(g.u1x * g.u2z - g.u1z * g.u2x, g.u1x * g.u2x + g.u1z * g.u2z);
    g.cos_bend = std::cos(g.bend), g.sin_bend = std::sin(g.bend);
    g.aside = wrist.y();
    g.third_sign = axis[1].dot(axis[2]) > 0 ? 1.0 : -1.0;
    const Frame flange = frames[model.flange_link] * model.flange;
    g.centre_in_flange = flange.inverse() * centre;
    // With axis 6 turned onto axis 4 about axis 5 the wrist reads Rz Ry Rz in the basis (5 x 4, 5, 4).
    Matrix3 wrist_axes;
    wrist_axes.col(2) = axis[3];
    wrist_axes.col(1) = axis[4];
    wrist_axes.col(0) = axis[4].cross(axis[3]);
    g.fifth_offset = std::atan2(axis[5].dot(wrist_axes.col(0)), axis[5].dot(wrist_axes.col(2)));
    g.before = wrist_axes.transpose() * g.axes;
    g.after = flange.linear().transpose() * geometry::rotation(axis[4], g.fifth_offset) * wrist_axes;
    return g;
}

class SphericalWrist final : public JointSolver {
public:
    SphericalWrist(const Mechanism& mechanism, const Geometry& geometry) : mechanism_(mechanism), g_(geometry) {}
    const char* name() const override { return "closed form, spherical wrist"; }
    bool closed_form() const override { return true; }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        visit(target, reference, [&](const JointSolution& s) {
            out.push_back(s);
            return true;
        });
    }
    bool reachable(const Frame& target, const JointVector& reference) const override {
        bool found = false;
        visit(target, reference, [&](const JointSolution& s) { return !(found = s.within_limits); });
        return found;
    }

private:
    /// Calls `take` for each solution until it returns false. Long, since what each branch has worked out is what the
    /// ones within it begin with: where planning time goes.
    template <typename Take>
    void visit(const Frame& target, const JointVector& reference, Take take) const {
        const Vector3 p = g_.axes.transpose() * (target * g_.centre_in_flange - g_.origin);
        const Matrix3 turned = g_.axes.transpose() * target.linear() * g_.after;
        const double across2 = p.x() * p.x() + p.y() * p.y();
        const double in_plane2 = across2 - g_.aside * g_.aside;
        if (in_plane2 < -1e-11) return;
        const double in_plane = std::sqrt(std::max(0.0, in_plane2));
        JointSolution s;
        s.q.resize(6);
        for (int shoulder = 0; shoulder < 2; ++shoulder) {
            const double x = shoulder ? -in_plane : in_plane;
            const bool above = across2 < 1e-20;  // wrist centre on axis 1: any first joint value will do
            const double first =
                above ? reference[0] : std::atan2(p.y() * x - p.x() * g_.aside, p.x() * x + p.y() * g_.aside);
            const double c1 = std::cos(first), s1 = std::sin(first);
            Matrix3 level;  // the orientation seen after joint 1
            level.row(0) = c1 * turned.row(0) + s1 * turned.row(1);
            level.row(1) = c1 * turned.row(1) - s1 * turned.row(0);
            level.row(2) = turned.row(2);
            const double wx = x - g_.sx, wz = p.z() - g_.sz, far2 = wx * wx + wz * wz;
            double cosine = (far2 - g_.l1 * g_.l1 - g_.l2 * g_.l2) / (2 * g_.l1 * g_.l2);
            if (std::abs(cosine) > 1 + 1e-10) continue;
            cosine = std::clamp(cosine, -1.0, 1.0);
            const double sine = std::sqrt(1 - cosine * cosine), open = std::acos(cosine);
            for (int elbow = 0; elbow < 2; ++elbow) {
                const double third = g_.bend + (elbow ? -open : open);
                const double bent = elbow ? -sine : sine;
                const double c = g_.cos_bend * cosine - g_.sin_bend * bent,
                             sn = g_.sin_bend * cosine + g_.cos_bend * bent;
                const double vx = g_.u1x + g_.u2x * c + g_.u2z * sn, vz = g_.u1z - g_.u2x * sn + g_.u2z * c;
                const double reach2 = vx * vx + vz * vz;
                const bool folded = reach2 < 1e-20;
                const double second = folded ? reference[1] : std::atan2(wx * vz - wz * vx, wx * vx + wz * vz);
                const double scale = folded ? 0 : 1 / std::sqrt(reach2 * far2);
                const double c2 = folded || far2 == 0 ? std::cos(second) : (wx * vx + wz * vz) * scale,
                             s2 = folded || far2 == 0 ? std::sin(second) : (wx * vz - wz * vx) * scale;
                const double c23 = c2 * c - s2 * sn, s23 = s2 * c + c2 * sn;
                Matrix3 seen;  // and after joints 2 and 3
                seen.row(0) = c23 * level.row(0) - s23 * level.row(2);
                seen.row(1) = level.row(1);
                seen.row(2) = s23 * level.row(0) + c23 * level.row(2);
                const Matrix3 n = g_.before * seen;
                const double radius = std::sqrt(n(0, 2) * n(0, 2) + n(1, 2) * n(1, 2));
                const bool straight = radius < 1e-9;
                const double fourth = straight ? reference[3] : std::atan2(n(1, 2), n(0, 2));
                const double c4 = straight ? std::cos(fourth) : n(0, 2) / radius,
                             s4 = straight ? std::sin(fourth) : n(1, 2) / radius;
                const double lean = c4 * n(0, 2) + s4 * n(1, 2), across0 = c4 * n(1, 0) - s4 * n(0, 0),
                             across1 = c4 * n(1, 1) - s4 * n(0, 1);
                const double fifth = std::atan2(lean, n(2, 2)), sixth = std::atan2(across0, across1);
                for (int flip = 0; flip < 2; ++flip) {
                    s.q[0] = wrapped(first);
                    s.q[1] = wrapped(second);
                    s.q[2] = wrapped(g_.third_sign * third);
                    s.q[3] = wrapped(flip ? fourth + geometry::pi : fourth);
                    s.q[4] = wrapped((flip ? -fifth : fifth) - g_.fifth_offset);
                    s.q[5] = wrapped(flip ? sixth + geometry::pi : sixth);
                    s.posture = shoulder | elbow << 1 | flip << 2;
                    s.within_limits = settle_turns(mechanism_, reference, s.q);
                    if (!take(s)) return;
                }
            }
        }
    }

    Mechanism mechanism_;
    Geometry g_;
};

}  // namespace

std::unique_ptr<JointSolver> spherical_wrist_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<SphericalWrist>(model.mechanism, *g);
}

}  // namespace escarp::kinematics
