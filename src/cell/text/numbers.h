#pragma once
// Numbers as people read them, the same everywhere.

#include <string>

namespace escarp::cell {

/// With so many decimals: "0.70".
std::string fixed(double value, int decimals);
/// No longer than it must be: "6", "0.5", "1.25"; six digits at most.
std::string shortest(double value);

}  // namespace escarp::cell
