#pragma once
// Edits of an arm's taught poses.

#include <cell/model/cell.h>

#include "compose.h"

namespace escarp::cell {

/// Where a stored pose is kept: relative to a device or the floor, or as joint values.
struct PoseHost {
    bool joints = false;
    std::string device;  ///< id; empty: the floor
};

/// Stores where the arm stands with the joint values `q` as a new pose `name` (made unique), or over the pose `id` when
/// that is given. `made`: the pose's id.
Edit store_pose(const Layout& layout, const std::string& arm, const std::string& name, const JointVector& q,
    const PoseHost& host, const std::string& id = {}, std::string* made = nullptr);
/// The same place relative to something else.
Edit rehost_pose(const Layout& layout, const std::string& arm, const std::string& pose, const PoseHost& host);
/// Throws InputError naming the steps that use it.
Edit remove_pose(const Layout& layout, const std::string& arm, const std::string& pose);
Edit rename_pose(const Layout& layout, const std::string& arm, const std::string& pose, const std::string& name);

/// The enabled and disabled steps of an arm that move to a pose.
std::vector<const Step*> uses_of_pose(const Device& arm, const std::string& pose);
/// The tool frame of a pose in the world; the arm's active tool is its first.
Frame pose_in_world(const Cell& cell, const Device& arm, const Pose& pose);

}  // namespace escarp::cell
