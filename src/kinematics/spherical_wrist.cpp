#include <cmath>

#include "joint_solver.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;

Matrix3 about_y(double angle) {
    const double c = std::cos(angle), s = std::sin(angle);
    Matrix3 m;
    m << c, 0, s, 0, 1, 0, -s, 0, c;
    return m;
}

Matrix3 about_z(double angle) {
    const double c = std::cos(angle), s = std::sin(angle);
    Matrix3 m;
    m << c, -s, 0, s, c, 0, 0, 0, 1;
    return m;
}

double wrapped(double angle) { return std::remainder(angle, 2 * geometry::pi); }

/// Arm coordinates: z along axis 1, y along axis 2, origin on axis 1. All lengths in metres.
struct Geometry {
    Matrix3 axes;            // columns: the arm coordinates' axes in the base frame
    Vector3 origin;          // a point of axis 1, in the base frame
    double sx, sz;           // shoulder (axis 2)
    double u1x, u1z;         // shoulder to elbow (axis 3) at zero
    double u2x, u2z;         // elbow to wrist centre at zero
    double aside;            // wrist centre along y: the same at all joint values
    double third_sign;       // axis 3 along (+1) or against (-1) axis 2
    Vector3 centre_in_flange;
    Matrix3 before, after;   // constant turns around the wrist's own
    double fifth_offset;
};

std::optional<Geometry> recognise(const ArmModel& model) {
    constexpr double tight = 1e-9;
    const Mechanism& m = model.mechanism;
    if (m.size() != 6 || m.chain(model.flange_link).size() != 6) return std::nullopt;
    std::vector<Frame> frames;
    m.link_frames(JointVector::Zero(6), Frame::Identity(), frames);
    Vector3 axis[6], point[6];
    const std::vector<int> chain = m.chain(model.flange_link);
    for (int i = 0; i < 6; ++i) {
        const Joint& joint = m.joints[i];
        if (joint.type != JointType::hinge || chain[i] != i) return std::nullopt;
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
    if (std::hypot(g.u1x, g.u1z) < 1e-6 || std::hypot(g.u2x, g.u2z) < 1e-6) return std::nullopt;
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
    /// Calls `take` for each solution until it returns false.
    template <typename Take>
    void visit(const Frame& target, const JointVector& reference, Take take) const {
        const Vector3 p = g_.axes.transpose() * (target * g_.centre_in_flange - g_.origin);
        const Matrix3 turned = g_.axes.transpose() * target.linear() * g_.after;
        const double across2 = p.x() * p.x() + p.y() * p.y();
        double in_plane2 = across2 - g_.aside * g_.aside;
        if (in_plane2 < -1e-11) return;
        const double in_plane = std::sqrt(std::max(0.0, in_plane2));
        const double l1 = std::hypot(g_.u1x, g_.u1z), l2 = std::hypot(g_.u2x, g_.u2z);
        const double bend = std::atan2(g_.u1x * g_.u2z - g_.u1z * g_.u2x, g_.u1x * g_.u2x + g_.u1z * g_.u2z);
        JointSolution s;
        s.q.resize(6);
        for (int shoulder = 0; shoulder < 2; ++shoulder) {
            const double x = shoulder ? -in_plane : in_plane;
            const bool above = across2 < 1e-20;  // wrist centre on axis 1: any first joint value will do
            const double first = above ? reference[0] : std::atan2(p.y(), p.x()) - std::atan2(g_.aside, x);
            const double wx = x - g_.sx, wz = p.z() - g_.sz;
            double cosine = (wx * wx + wz * wz - l1 * l1 - l2 * l2) / (2 * l1 * l2);
            if (std::abs(cosine) > 1 + 1e-10) continue;
            cosine = std::clamp(cosine, -1.0, 1.0);
            const double open = std::acos(cosine);
            for (int elbow = 0; elbow < 2; ++elbow) {
                const double third = bend + (elbow ? -open : open);
                const double c = std::cos(third), sn = std::sin(third);
                const double vx = g_.u1x + g_.u2x * c + g_.u2z * sn, vz = g_.u1z - g_.u2x * sn + g_.u2z * c;
                const bool folded = vx * vx + vz * vz < 1e-20;
                const double second = folded ? reference[1] : std::atan2(wx, wz) - std::atan2(vx, vz);
                const Matrix3 arm = about_z(first) * about_y(second + third);
                const Matrix3 n = g_.before * (arm.transpose() * turned);
                const bool straight = std::hypot(n(0, 2), n(1, 2)) < 1e-9;
                const double fourth = straight ? reference[3] : std::atan2(n(1, 2), n(0, 2));
                for (int flip = 0; flip < 2; ++flip) {
                    const double fourth_here = flip ? fourth + geometry::pi : fourth;
                    const Matrix3 k = about_z(fourth_here).transpose() * n;
                    s.q[0] = first;
                    s.q[1] = second;
                    s.q[2] = g_.third_sign * third;
                    s.q[3] = fourth_here;
                    s.q[4] = std::atan2(k(0, 2), k(2, 2)) - g_.fifth_offset;
                    s.q[5] = std::atan2(k(1, 0), k(1, 1));
                    for (int j = 0; j < 6; ++j) s.q[j] = wrapped(s.q[j]);
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
