// Forward and inverse kinematics of an arm.

#include <kinematics/reach.h>

#include <exchange/question.h>
#include <exchange/result_json.h>
#include <geometry/indices.h>

namespace escarp::exchange {
namespace {

using namespace cell::field;
using Type = cell::Field::Type;

double unit(const kinematics::Joint& j) { return j.type == kinematics::JointType::hinge ? geometry::degree : 1e-3; }

Answer fk(Asked& a) {
    const cell::Device& arm = a.cell().devices[a.arm()];
    const auto& joints = arm.arm->model->mechanism.joints;
    const json& values = a.options().reader().raw("joints");
    if (values.size() != joints.size())
        throw cell::InputError("--joints", "The arm has " + std::to_string(joints.size()) + " joints, " +
                                               std::to_string(values.size()) +
                                               " values were given (degrees, or mm for slides).");
    kinematics::JointVector q(static_cast<int>(joints.size()));
    for (const int i : indices(joints)) q[i] = values[i].get<double>() * unit(joints[i]);
    const geometry::Frame base = arm.arm->model->flange_frame(q) * arm.arm->tool_frame;
    return {{{"arm", arm.id}, {"within_limits", arm.arm->model->mechanism.within_limits(q)},
                {"tool_in_base", frame_json(base)}, {"tool_in_world", frame_json(arm.world * base)}},
        {}};
}

Answer ik(Asked& a) {
    const cell::Device& arm = a.cell().devices[a.arm()];
    geometry::Frame frame = geometry::Frame::Identity();
    if (const std::string id = a.options().text("frame"); id != "floor") {
        const int index = a.cell().device(id);
        if (index < 0)
            throw cell::InputError(
                "--frame", "\"" + id + "\" is not the id of a device; \"floor\" or a device's id is expected.");
        frame = a.cell().devices[index].world;
    }
    const std::vector<double> pose = a.options().numbers("pose");
    const geometry::Frame tool = frame * geometry::make_frame(1e-3 * geometry::Vector3(pose[0], pose[1], pose[2]),
                                             geometry::degree * geometry::Vector3(pose[3], pose[4], pose[5]));
    const geometry::Frame target = arm.world.inverse() * tool * arm.arm->tool_frame.inverse();
    std::vector<kinematics::JointSolution> found;
    arm.arm->solver->solve(target, arm.arm->ready, found);
    const auto& joints = arm.arm->model->mechanism.joints;
    json all = json::array();
    for (const kinematics::JointSolution& s : found) {
        json values = json::array();
        for (const int i : indices(joints)) values.push_back(tidy(s.q[i] / unit(joints[i])));
        const auto [tightest, margin, share] = kinematics::limit_margin(arm.arm->model->mechanism, s.q);
        all.push_back({{"joints", values}, {"posture", s.posture}, {"within_limits", s.within_limits},
            {"tightest_joint", joints[tightest].name}, {"joint_margin", tidy(margin / unit(joints[tightest]))},
            {"singularity_distance", tidy(kinematics::singularity_distance(*arm.arm->model, s.q, arm.arm->tool_frame,
                                         kinematics::arm_length(*arm.arm->model)))}});
    }
    const kinematics::Reach r =
        kinematics::reach(*arm.arm->model, *arm.arm->solver, target, arm.arm->tool_frame, arm.arm->ready, nullptr);
    return {{{"arm", arm.id}, {"solver", arm.arm->solver->name()}, {"solutions", all},
                {"reached", r.reason == kinematics::ReachReason::reached}, {"margin_mm", tidy(r.margin * 1e3)}},
        {}};
}

}  // namespace

void add_motion_questions(std::vector<Question>& all) {
    const cell::Field arm = of(Type::device, "arm", "id of the arm");
    all.push_back({"fk", "tool pose from joint values",
        {arm, numbers("joints", "one value per joint: degrees, mm for slides", -1e9, 1e9, 1, 0)}, fk});
    all.push_back({"ik", "all joint solutions for a tool pose",
        {arm, numbers("pose", "x y z (mm) rx ry rz (degrees)", -1e6, 1e6, 6, 6),
            text("frame", "device the pose is relative to; the floor if not given").usually("floor")},
        ik});
}

}  // namespace escarp::exchange
