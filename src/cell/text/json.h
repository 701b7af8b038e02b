#pragma once
#include <nlohmann/json.hpp>
#include <string>

#include <geometry/asserts.h>

namespace escarp::cell {
/// Keys keep the order in which the file has them.
using json = nlohmann::ordered_json;

/// Throws InputError with line and column where the text is no JSON, where groups are nested more than 64 deep or have
/// more than 5000 keys (nothing here is or has, and what does could bring a program down that only wants to copy it).
/// `more`: so much deeper, for what holds a document and some groups around it.
json parse_json(const std::string& text, int more = 0);
/// The bounds of every tree that becomes a cell: its depth, the length of names (200 bytes) and of other texts
/// (100,000; packed triangles and the picture under the Floor may be longer), the size of numbers (up to 1e12). Throws
/// InputError with the place. What goes down into a document after that needs no bound of its own.
void check_bounds(const json& tree);
}  // namespace escarp::cell
