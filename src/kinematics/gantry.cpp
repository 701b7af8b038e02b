#include <Eigen/QR>

#include <geometry/indices.h>
#include <geometry/work_done.h>
#include "subproblems.h"

namespace escarp::kinematics {
namespace {

using geometry::Matrix3;

struct Geometry {
    Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 3> slides;   ///< directions
    Eigen::Matrix<double, Eigen::Dynamic, 3, 0, 3, 3> inverse;  ///< least squares
    std::optional<Axis> hinge;
    Frame flange;
};

std::optional<Geometry> recognise(const ArmModel& model) {
    const Mechanism& m = model.mechanism;
    const std::vector<int> chain = m.chain(model.flange_link);
    if (static_cast<int>(chain.size()) != m.size() || chain.empty()) return std::nullopt;
    const std::vector<Axis> axes = axes_at_zero(model, chain);
    Geometry g;
    g.flange = model.flange_frame(JointVector::Zero(m.size()));
    std::vector<Vector3> slides;
    for (const int i : indices(chain)) {
        if (chain[i] != i || g.hinge) return std::nullopt;
        if (m.joints[i].type == JointType::slide) slides.push_back(axes[i].direction);
        else g.hinge = axes[i];
    }
    if (slides.size() > 3) return std::nullopt;
    g.slides.resize(3, static_cast<Eigen::Index>(slides.size()));
    for (std::size_t i = 0; i < slides.size(); ++i) g.slides.col(static_cast<Eigen::Index>(i)) = slides[i];
    if (!slides.empty()) {
        const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr{Eigen::MatrixXd(g.slides)};
        if (qr.rank() < static_cast<int>(slides.size())) return std::nullopt;
        g.inverse = qr.solve(Eigen::Matrix3d::Identity());
    }
    return g;
}

class Gantry final : public JointSolver {
public:
    Gantry(const ArmModel& model, const Geometry& g) : model_(model), g_(g) {}
    const char* name() const override { return "closed form, slides"; }
    bool closed_form() const override { return true; }
    bool can_orient(const Matrix3& r) const override {
        const Matrix3 turned = r * g_.flange.linear().transpose();
        return g_.hinge ? (turned * g_.hinge->direction - g_.hinge->direction).norm() < 1e-7
                        : (turned - Matrix3::Identity()).norm() < 1e-7;
    }

    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const override {
        ++geometry::work_done;
        out.clear();
        if (!can_orient(target.linear())) return;
        JointVector q(model_.mechanism.size());
        Vector3 start = g_.flange.translation();
        if (g_.hinge) {
            const Matrix3 turned = target.linear() * g_.flange.linear().transpose();
            const Vector3 side = g_.hinge->direction.unitOrthogonal();
            double angle = 0;
            turn_about(g_.hinge->direction, side, turned * side, angle);
            q[q.size() - 1] = angle;
            start = g_.hinge->point + turned * (start - g_.hinge->point);
        }
        if (g_.slides.cols() > 0) q.head(g_.slides.cols()) = g_.inverse * (target.translation() - start);
        const geometry::FrameGap miss = geometry::gap(model_.flange_frame(q), target);
        if (miss.distance < 1e-7 && miss.angle < 1e-7) add_solution(model_.mechanism, reference, q, 0, out);
    }

private:
    ArmModel model_;
    Geometry g_;
};

}  // namespace

std::unique_ptr<JointSolver> gantry_solver(const ArmModel& model) {
    const std::optional<Geometry> g = recognise(model);
    if (!g) return nullptr;
    return std::make_unique<Gantry>(model, *g);
}

}  // namespace escarp::kinematics
