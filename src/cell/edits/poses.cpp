#include "poses.h"

#include <algorithm>
#include <cmath>

#include <cell/model/step_kind.h>
#include <cell/read/read_model.h>

namespace escarp::cell {
namespace {

const Device& arm_of(const Cell& cell, const std::string& id) {
    const int index = cell.device(id);
    if (index < 0 || !cell.devices[index].arm)
        throw InputError(id, "Only arms and mechanisms have poses: choose one first.");
    return cell.devices[index];
}

const Pose& pose_of(const Device& arm, const std::string& id) {
    const Pose* pose = arm.pose(id);
    if (!pose) throw InputError(id, "\"" + arm.name + "\" has no such pose.");
    return *pose;
}

json rounded(const Vector3& v, double factor, double digits) {
    json out = json::array();
    for (int i = 0; i < 3; ++i) {
        const double value = std::round(v[i] * factor * digits) / digits;
        out.push_back(value == 0 ? 0.0 : value);
    }
    return out;
}

/// The keys that say where a pose is.
json place(const Cell& cell, const Device& arm, const Frame& world, const std::optional<JointVector>& q,
    const PoseHost& host) {
    if (host.joints) {
        if (!q) throw InputError(arm.id, "The arm cannot take this pose, so it has no joint values.");
        const auto [key, values] = joints_json("joints", arm.arm->model->mechanism, *q);
        return {{key, values}};
    }
    const int index = host.device.empty() ? -1 : cell.device(host.device);
    if (!host.device.empty() && index < 0) throw InputError(host.device, "This is not the id of a device.");
    const Frame at = index < 0 ? world : Frame(cell.devices[index].world.inverse() * world);
    return {{"relative_to", host.device.empty() ? "floor" : host.device},
        {"at_mm", rounded(at.translation(), 1e3, 1e5)},
        {"turn_deg", rounded(geometry::to_triple(at.linear()), 180 / geometry::pi, 1e7)}};
}

std::string free_name(const Device& arm, const std::string& wish, const std::string& except) {
    for (int n = 1;; ++n) {
        std::string name = n == 1 ? wish : wish + " " + std::to_string(n);
        if (std::none_of(
                arm.poses.begin(), arm.poses.end(), [&](const Pose& p) { return p.id != except && p.name == name; }))
            return name;
    }
}

}  // namespace

std::vector<const Step*> uses_of_pose(const Device& arm, const std::string& pose) {
    std::vector<const Step*> uses;
    for (const Step* s : all_steps(arm))
        if (s->kind->reach() == Reach::pose && s->pose == pose) uses.push_back(s);
    return uses;
}

Frame pose_in_world(const Cell& cell, const Device& arm, const Pose& pose) {
    if (pose.joints) return arm.world * arm.arm->model->flange_frame(*pose.joints) * arm.arm->tool_frame;
    const int host = pose.relative_to.empty() ? -1 : cell.device(pose.relative_to);
    return (host < 0 ? Frame::Identity() : cell.devices[host].world) * pose.at;
}

Edit store_pose(const Layout& layout, const std::string& arm_id, const std::string& name, const JointVector& q,
    const PoseHost& host, const std::string& id, std::string* made) {
    const json& tree = layout.tree();
    const auto cell = layout.shared_cell();
    const Device& arm = arm_of(*cell, arm_id);
    json pose = place(*cell, arm, arm.world * arm.arm->model->flange_frame(q) * arm.arm->tool_frame, q, host);
    const Path list = at_device(arm_id) / "poses";
    if (!id.empty()) {
        const Pose& old = pose_of(arm, id);
        Edit edit{"Correct pose " + old.name, {}};
        const json& was = *find(tree, list / id);
        for (const char* key : {"joints", "joints_deg", "relative_to", "at_mm", "turn_deg"})
            if (was.contains(key) && !pose.contains(key)) edit.operations.push_back(Operation::remove(list / id / key));
        for (const auto& [key, value] : pose.items()) edit.operations.push_back(Operation::set(list / id / key, value));
        if (made) *made = id;
        return edit;
    }
    std::string fresh;
    for (int n = 1; fresh.empty() || arm.pose(fresh); ++n) fresh = "p" + std::to_string(n);
    pose["id"] = fresh;
    pose["name"] = free_name(arm, name.empty() ? "Pose" : name, {});
    Edit edit{"Store pose " + pose["name"].get<std::string>(), {}};
    if (!find(tree, list)) edit.operations.push_back(Operation::set(list, json::array()));
    edit.operations.push_back(Operation::add(list, pose));
    if (made) *made = fresh;
    return edit;
}

Edit rehost_pose(const Layout& layout, const std::string& arm_id, const std::string& id, const PoseHost& host) {
    const json& tree = layout.tree();
    const auto cell = layout.shared_cell();
    const Device& arm = arm_of(*cell, arm_id);
    const Pose& pose = pose_of(arm, id);
    const Frame world = pose_in_world(*cell, arm, pose);
    std::optional<JointVector> q = pose.joints;
    if (!q && host.joints) {
        std::vector<kinematics::JointSolution> all;
        arm.arm->solver->solve(arm.world.inverse() * world * arm.arm->tool_frame.inverse(), arm.arm->ready, all);
        for (const kinematics::JointSolution& s : all)
            if (s.within_limits && (!q || (s.q - arm.arm->ready).norm() < (*q - arm.arm->ready).norm())) q = s.q;
    }
    const Path at = at_device(arm_id) / "poses" / id;
    const json now = place(*cell, arm, world, q, host);
    Edit edit{"Attach pose " + pose.name, {}};
    for (const char* key : {"joints", "joints_deg", "relative_to", "at_mm", "turn_deg"})
        if (find(tree, at)->contains(key) && !now.contains(key)) edit.operations.push_back(Operation::remove(at / key));
    for (const auto& [key, value] : now.items()) edit.operations.push_back(Operation::set(at / key, value));
    return edit;
}

Edit remove_pose(const Layout& layout, const std::string& arm_id, const std::string& id) {
    const Device& arm = arm_of(layout.cell(), arm_id);
    const Pose& pose = pose_of(arm, id);
    std::string used;
    for (const Step* s : uses_of_pose(arm, id)) used += (used.empty() ? "" : ", ") + std::to_string(s->number + 1);
    if (!used.empty())
        throw InputError(id, "\"" + pose.name + "\" is used by step " + used + " of " + arm.name +
                                 "; give these steps another pose first.");
    return {"Remove pose " + pose.name, {Operation::remove(at_device(arm_id) / "poses" / id)}};
}

Edit rename_pose(const Layout& layout, const std::string& arm_id, const std::string& id, const std::string& name) {
    const Device& arm = arm_of(layout.cell(), arm_id);
    const Pose& pose = pose_of(arm, id);
    if (name.empty()) throw InputError(id, "A pose needs a name.");
    if (free_name(arm, name, id) != name)
        throw InputError(id, "Another pose of " + arm.name + " is named \"" + name + "\"; \"" +
                                 free_name(arm, name, id) + "\" is free.");
    return {"Rename pose " + pose.name, {Operation::set(at_device(arm_id) / "poses" / id / "name", name)}};
}

}  // namespace escarp::cell
