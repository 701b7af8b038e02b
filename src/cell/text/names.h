#pragma once
// Ids and names.

#include <string>

#include "json.h"

namespace escarp::cell {

/// 1 to 64 letters, digits, '-' and '_'.
bool valid_id(const std::string& id);
/// An id that no element anywhere in the cell or its variants has, made from a name: "Arm 1" -> "arm_1".
std::string free_id(const json& whole_document, const std::string& wish);
/// The wished device name, or the first of "Name 2", "Name 3" ... that no device of the cell has, nor one that a
/// variant of the document adds: what is in the baseline reaches every variant.
std::string free_name(const json& cell, const std::string& wish, const json& whole_document = json::object());

}  // namespace escarp::cell
