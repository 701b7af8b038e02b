#pragma once
// Where every device stands, as comma-separated values (RFC 4180): mm and degrees.

#include <cell/model/cell.h>

namespace escarp::exchange {

/// One line per device: relative to its host, in the world, and its full size. Text in quotes where it needs them.
std::string placements_csv(const cell::Cell& cell);

}  // namespace escarp::exchange
