#pragma once
#include <geometry/asserts.h>

#include <nlohmann/json.hpp>
#include <string>

namespace escarp::cell {
/// Keys keep the order in which the file has them.
using json = nlohmann::ordered_json;

/// Throws InputError with line and column where the text is no JSON, where groups are nested more than 64 deep or have
/// more than 5000 keys (nothing here is or has, and what does could bring a program down that only wants to copy it).
json parse_json(const std::string& text);
/// The same bound for a tree that was put together otherwise.
void check_depth(const json& tree);
}  // namespace escarp::cell
