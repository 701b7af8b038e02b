#pragma once
#include <nlohmann/json.hpp>

namespace escarp::cell {
/// Keys keep the order in which the file has them.
using json = nlohmann::ordered_json;
}  // namespace escarp::cell
