#pragma once
// Reads arm models, tool models, and what an arm device says of itself.

#include <cell/model/device_kind.h>

namespace escarp::cell {

/// One joint of an arm model as the file says it, fixed and following ones too.
struct FileJoint {
    kinematics::Joint joint;  ///< parent and child count the file's links
    bool fixed = false, follows = false;
    std::vector<std::pair<std::string, double>> leaders;  ///< names, and ratios in the file's units
    double offset = 0;                                    ///< of a follower, rad or m
};
FileJoint read_file_joint(const Reader& reader, int index, int links);
/// Radians or metres per degree or mm, by the joint's type.
double file_unit(kinematics::JointType type);
/// Whether the joint values of a mechanism are all angles, and so stand under a key with "_deg".
bool all_hinges(const kinematics::Mechanism& mechanism);

kinematics::ArmModel read_arm_model(const Reader& reader, const std::vector<MeshAsset>& meshes);
ToolModel read_tool_model(const Reader& reader, const std::vector<MeshAsset>& meshes);
/// Model, tools, travel axis, signals and poses of an arm device.
void read_arm(const Reader& reader, const Cell& cell, Device& device);

/// One value per joint, degrees or mm in the file, under `key` + "_deg" (hinges alone) or `key`.
std::optional<JointVector> read_joints(
    const Reader& reader, const std::string& key, const kinematics::Mechanism& mechanism);
/// The key and the values as `read_joints` takes them.
std::pair<std::string, json> joints_json(
    const std::string& key, const kinematics::Mechanism& mechanism, const JointVector& q);

}  // namespace escarp::cell
