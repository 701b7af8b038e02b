#pragma once
// Reads arm models, tool models, and what an arm device says of itself.

#include "device_kind.h"

namespace escarp::cell {

kinematics::ArmModel read_arm_model(const Reader& reader, const std::vector<MeshAsset>& meshes);
ToolModel read_tool_model(const Reader& reader, const std::vector<MeshAsset>& meshes);
/// Model, tools, travel axis, signals and poses of an arm device.
void read_arm(const Reader& reader, const Cell& cell, Device& device);

/// One value per joint, degrees or mm in the file, under `key` + "_deg" (hinges alone) or `key`.
std::optional<JointVector> read_joints(const Reader& reader, const std::string& key, const kinematics::Mechanism& mechanism);
/// The key and the values as `read_joints` takes them.
std::pair<std::string, json> joints_json(const std::string& key, const kinematics::Mechanism& mechanism, const JointVector& q);

}  // namespace escarp::cell
