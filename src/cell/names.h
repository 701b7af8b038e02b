#pragma once
// Ids and names.

#include <string>

#include "json.h"

namespace escarp::cell {

/// 1 to 64 letters, digits, '-' and '_'.
bool valid_id(const std::string& id);
/// An id that no element anywhere in the cell or its variants has, made from a name: "Arm 1" -> "arm_1".
std::string free_id(const json& whole_document, const std::string& wish);
/// The wished device name, or the first of "Name 2", "Name 3" ... that no device has.
std::string free_name(const json& cell, const std::string& wish);

}  // namespace escarp::cell
