#pragma once
// Reads tasks and poses.

#include "device_kind.h"

namespace escarp::cell {

Pose read_pose(const Reader& reader, const Device& owner);
std::vector<Step> read_task(const Reader& device_reader, const Cell& cell, const Device& owner);

}  // namespace escarp::cell
