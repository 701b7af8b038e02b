#pragma once
// Reads tasks and poses.

#include <cell/model/device_kind.h>

namespace escarp::cell {

Pose read_pose(const Reader& reader, const Device& owner);
/// `blocks`: the file's blocks of steps, which `block` steps use.
void read_tasks(const Reader& device_reader, const Kinds& kinds, const Cell& cell, Device& owner,
    const std::vector<Reader>& blocks);

}  // namespace escarp::cell
