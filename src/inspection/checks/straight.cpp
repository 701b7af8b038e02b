// Straight moves that pass near a singular position: where, what it costs, and what would help.

#include <algorithm>
#include <cmath>
#include <set>

#include <cell/edits/poses.h>
#include <kinematics/reach.h>
#include <motion/profile.h>
#include <simulation/kernel.h>

#include "base_field.h"
#include "check.h"

namespace escarp::inspection {
namespace {

using kinematics::JointVector;
using simulation::BlockKind;

constexpr double near = 0.06;        ///< singularity_distance below which the wrist or elbow counts as nearly straight
constexpr double much_slower = 1.5;  ///< times as long as the tool's own limits would have it
using geometry::degree;

/// Time that the tool's own limits ask for, without jerk and without regard to joints. Seconds.
double by_tool_alone(
    const kinematics::ArmModel& m, const Frame& from, const Frame& to, double speed, double acceleration) {
    const geometry::FrameGap gap = geometry::gap(from, to);
    double most = 0;
    if (gap.distance > 1e-9)
        most =
            motion::Profile(speed * m.line_speed / gap.distance, acceleration * m.line_acceleration / gap.distance, 0)
                .duration();
    if (gap.angle > 1e-9)
        most = std::max(
            most, motion::Profile(speed * m.turn_speed / gap.angle, acceleration * m.turn_acceleration / gap.angle, 0)
                      .duration());
    return most;
}

/// A straight move as it was made, or tried.
struct Made {
    int device;
    const cell::Arm* arm;  ///< with the tool that was active
    const cell::Step* step;
    JointVector from;
    Frame to;        ///< tool frame, in the arm's base
    double seconds;  ///< 0: it could not be made
};

std::string time_against(double seconds, double before) {
    return short_number(seconds) + " s" + (before > 0 ? " instead of " + short_number(before) + " s" : "");
}

class Remedies {
public:
    Remedies(const Context& c, const std::vector<PoseNeed>& poses, const Made& made)
        : c_(c), poses_(poses), m_(made), start_(made.arm->model->flange_frame(made.from) * made.arm->tool_frame) {
        const double best =
            by_tool_alone(*m_.arm->model, start_, m_.to, m_.step->straight_speed, m_.step->acceleration);
        good_enough_ = m_.seconds > 0 ? std::max(1.2 * best, 0.6 * m_.seconds) : 3 * best;
    }
    std::vector<WayOut> find() {
        std::vector<WayOut> out;
        if (m_.step->kind->reach() == cell::Reach::pose) joint_move(out);
        const auto change = m_.step->kind->reach() == cell::Reach::pose ? &Remedies::tilt : &Remedies::turn;
        for (const auto& way : {change, &Remedies::shift}) {
            const std::size_t before = out.size();
            (this->*way)(out);
            if (out.size() > before || m_.seconds > 0) continue;
            const double wanted = std::exchange(good_enough_, 1e9);  // better a slow line than none
            (this->*way)(out);
            good_enough_ = wanted;
        }
        return out;
    }

private:
    const cell::Device& device() const { return c_.device(m_.device); }
    std::string step_path() const { return "/" + m_.step->path; }

    void joint_move(std::vector<WayOut>& out) const {
        const auto plan = c_.cache.plans.pose({*m_.arm, m_.to, 0, 0, m_.step->straight_speed, m_.step->posture,
            m_.step->acceleration, m_.step->held, m_.arm->solver->free_joints().empty() ? nullptr : &m_.from});
        if (!plan->good) return;
        const motion::MotionPtr motion =
            c_.cache.plans.joint_move(*m_.arm, m_.from, plan->pose, m_.step->speed, m_.step->acceleration);
        double aside = 0;
        const Vector3 a = start_.translation(), along = m_.to.translation() - a;
        for (int i = 0; i <= 40; ++i) {
            const Vector3 off =
                (m_.arm->model->flange_frame(motion->position(motion->duration() * i / 40)) * m_.arm->tool_frame)
                    .translation() -
                a;
            const double share =
                along.squaredNorm() > 1e-12 ? std::clamp(off.dot(along) / along.squaredNorm(), 0.0, 1.0) : 0;
            aside = std::max(aside, (off - share * along).norm());
        }
        out.push_back({"Make it a joint move",
            time_against(motion->duration(), m_.seconds) + "; the tool leaves the line by up to " + millimetres(aside) +
                " mm",
            {"Joint move", {cell::Operation::set(step_path() + "/by", "joint")}}});
    }

    void tilt(std::vector<WayOut>& out) const {
        const cell::Pose* pose = device().pose(m_.step->pose);
        if (!pose || pose->joints) return;
        for (const double angle : {5.0, 10.0, 15.0, 20.0})
            for (const double sign : {1.0, -1.0})
                for (const int axis : {0, 1}) {
                    Frame tilted = Frame::Identity();
                    tilted.linear() = geometry::rotation(Vector3::Unit(axis), sign * angle * degree);
                    const auto line = c_.cache.plans.straight(
                        *m_.arm, m_.from, m_.to * tilted, m_.step->straight_speed, m_.step->acceleration);
                    if (!line->motion || line->motion->duration() > good_enough_) continue;
                    const Vector3 turn = geometry::to_triple((pose->at * tilted).linear()) / degree;
                    const std::size_t uses = cell::uses_of_pose(device(), pose->id).size();
                    const std::string label = "Tilt " + pose->name + " by " + short_number(sign * angle, 0) +
                                              "\u00b0 about the tool's " + (axis == 0 ? "x" : "y");
                    const auto tidy = [](double v) { return std::round(v * 1e4) / 1e4; };
                    out.push_back({label,
                        time_against(line->motion->duration(), m_.seconds) +
                            (uses > 1 ? "; " + std::to_string(uses) + " steps use this pose" : ""),
                        {label, {cell::Operation::set(cell::at_device(device().id) / "poses" / pose->id / "turn_deg",
                                    {tidy(turn.x()), tidy(turn.y()), tidy(turn.z())})}}});
                    return;
                }
    }

    /// A part can be taken and set down turned about its upright.
    void turn(std::vector<WayOut>& out) const {
        for (const double angle : {10.0, 20.0, 30.0, 45.0, 90.0, 180.0})
            for (const double sign : {1.0, -1.0}) {
                double worst = 0;
                for (const PoseNeed& n : poses_) {
                    if (n.arm != m_.device || n.step_id != m_.step->id) continue;
                    Frame tool = n.tool_world;
                    tool.linear() =
                        (geometry::rotation(Vector3::UnitZ(), sign * angle * degree) * tool.linear()).eval();
                    const auto plan = c_.cache.plans.pose({*m_.arm, device().world.inverse() * tool, n.approach,
                        n.retreat, n.straight_speed, n.posture, n.acceleration, n.held});
                    worst = std::max({worst,
                        plan->good && plan->in ? plan->in->duration()
                        : plan->good           ? 0
                                               : 1e9,
                        plan->good && plan->out ? plan->out->duration() : 0});
                }
                if (worst > good_enough_ || worst == 0) continue;
                const double now = m_.step->turn / degree;
                const std::string label = std::string("Turn the ") +
                                          (m_.step->kind->reach() == cell::Reach::part ? "tool" : "part") + " by " +
                                          short_number(sign * angle, 0) + "\u00b0";
                out.push_back({label, time_against(worst, m_.seconds),
                    {label, {cell::Operation::set(
                                step_path() + "/turn_deg", std::round((now + sign * angle) * 1e4) / 1e4)}}});
                return;
            }
    }

    void shift(std::vector<WayOut>& out) const {
        const int root = movable_root(c_.cell, m_.device);
        for (const double length : {0.03, 0.06, 0.1, 0.15, 0.2})
            for (int k = 0; k < 8; ++k) {
                const Vector3 by =
                    length * Vector3(std::cos(0.25 * geometry::pi * k), std::sin(0.25 * geometry::pi * k), 0);
                const Vector3 seen = device().world.linear().transpose() * by;  // all else goes the other way
                Frame from = start_, to = m_.to;
                from.translation() -= seen, to.translation() -= seen;
                const auto begin = m_.arm->solver->nearest(from * m_.arm->tool_frame.inverse(), m_.from);
                if (!begin || !begin->within_limits) continue;
                const auto line =
                    c_.cache.plans.straight(*m_.arm, begin->q, to, m_.step->straight_speed, m_.step->acceleration);
                if (!line->motion || line->motion->duration() > good_enough_ || !reached_after(c_, poses_, root, by))
                    continue;
                WayOut way = way_of_shift(c_, m_.device, by);
                way.effect = time_against(line->motion->duration(), m_.seconds) + ", every pose still reached";
                out.push_back(std::move(way));
                return;
            }
    }

    const Context& c_;
    const std::vector<PoseNeed>& poses_;
    Made m_;
    Frame start_;
    double good_enough_;
};

/// The place of a motion that is nearest to a singular position.
struct Nearest {
    double distance = 1e300, share = 0;
    JointVector q;
    int hurried = -1;  ///< the joint that comes nearest to its speed limit there
};

Nearest nearest_singular(const cell::Arm& arm, const motion::Motion& motion) {
    constexpr int pieces = 48;
    Nearest out;
    const double length = kinematics::arm_length(*arm.model);
    const Vector3 a = (arm.model->flange_frame(motion.position(0)) * arm.tool_frame).translation(),
                  b = (arm.model->flange_frame(motion.position(motion.duration())) * arm.tool_frame).translation();
    for (int i = 0; i <= pieces; ++i) {
        const motion::JointState s = motion.at(motion.duration() * i / pieces);
        const double d = kinematics::singularity_distance(*arm.model, s.q, arm.tool_frame, length);
        if (d >= out.distance) continue;
        const Vector3 at = (arm.model->flange_frame(s.q) * arm.tool_frame).translation();
        out = {d, (b - a).norm() > 1e-9 ? (at - a).norm() / (b - a).norm() : static_cast<double>(i) / pieces, s.q, -1};
        double most = 0;
        for (int j = 0; j < s.rate.size(); ++j)
            if (const double share = std::abs(s.rate[j]) / arm.model->mechanism.joints[j].speed; share > most)
                most = share, out.hurried = j;
    }
    return out;
}

const cell::Arm& arm_of_step(const Context& c, const std::vector<PoseNeed>& poses, int device, const cell::Step& step) {
    for (const PoseNeed& n : poses)
        if (n.arm == device && n.step_id == step.id) return c.device(device).arm->with_tool(n.tool);
    return *c.device(device).arm;
}

}  // namespace

std::vector<WayOut> straight_remedies(
    const Context& c, const std::vector<PoseNeed>& poses, const simulation::Fault& fault) {
    const cell::Device& d = c.device(fault.device);
    const auto steps = cell::all_steps(d);
    const cell::Step& step = *steps[fault.step];
    const cell::Pose* pose = step.kind->reach() == cell::Reach::pose ? d.pose(step.pose) : nullptr;
    if (!pose || pose->joints) return {};
    const int host = c.cell.device(pose->relative_to);
    const Frame to = d.world.inverse() * (host >= 0 ? c.device(host).world : Frame::Identity()) * pose->at;
    return Remedies(c, poses,
        {fault.device, &arm_of_step(c, poses, fault.device, step), &step,
            c.run.trace.joints(c.cell, fault.device, fault.when), to, 0})
        .find();
}

void straight_check(const Context& c, Inspection& result) {
    const simulation::Ticks until = c.run.steady ? c.run.steady->from + c.run.steady->period : c.run.trace.end;
    std::set<std::pair<const motion::Motion*, int>> seen;
    std::set<std::string> told;
    for (std::size_t device = 0; device < c.cell.devices.size(); ++device) {
        const cell::Device& d = c.cell.devices[device];
        if (!d.arm) continue;
        const auto steps = cell::all_steps(d);
        for (const simulation::MotionRecord& record : c.run.trace.motions[device]) {
            if (record.block < 0 || record.from > until) continue;
            const simulation::Block& block = c.run.trace.blocks[record.block];
            if ((block.kind != BlockKind::straight && block.kind != BlockKind::straight_in &&
                    block.kind != BlockKind::straight_out) ||
                block.step < 0)
                continue;
            const cell::Step& step = *steps[block.step];
            if (!seen.insert({record.motion.get(), block.step}).second) continue;
            const cell::Arm& arm = arm_of_step(c, result.poses, static_cast<int>(device), step);
            const double time = record.motion->duration();
            const JointVector q0 = record.motion->position(0);
            const Frame from = arm.model->flange_frame(q0) * arm.tool_frame,
                        to = arm.model->flange_frame(record.motion->position(time)) * arm.tool_frame;
            const double alone = by_tool_alone(*arm.model, from, to, step.straight_speed, step.acceleration);
            if (time < much_slower * alone + 0.1 || alone <= 0) continue;
            c.throw_if_stopped();
            const Nearest at = nearest_singular(arm, *record.motion);
            if (at.distance > near || at.hurried < 0 || !told.insert(d.id + ":" + step.id).second) continue;
            const kinematics::Joint& hurried = arm.model->mechanism.joints[at.hurried];
            Finding f;
            f.id = "singular:" + d.id + ":" + step.id;
            f.severity = Severity::watch;
            f.title = d.name + " is slow on a straight move";
            f.text = "\"" + cell::describe(c.cell, step) + "\" passes near a singular position " +
                     std::to_string(std::lround(100 * at.share)) + " % along its line: joint " + hurried.name +
                     " has to hurry there, and the line takes " + short_number(time) +
                     " s; the tool's own limits would allow " + short_number(alone) + " s.";
            f.devices = {d.id};
            f.device = d.id;
            f.step = step.id;
            f.when_s = simulation::seconds(record.from) + time * at.share;
            if (!step.shared)
                f.ways_out = Remedies(c, result.poses, {static_cast<int>(device), &arm, &step, q0, to, time}).find();
            result.findings.push_back(std::move(f));
        }
    }
}

}  // namespace escarp::inspection
