#pragma once
// What the libraries take for granted (an index within a matrix, a key of a JSON value) is an exception where it does
// not hold: it is told, and the program goes on. Included before them.

#include <stdexcept>
#include <string>

namespace escarp {
[[noreturn]] inline void not_so(const char* what, const char* file, int line) {
    throw std::logic_error(std::string(what) + " does not hold (" + file + ", line " + std::to_string(line) + ")");
}
}  // namespace escarp

#define eigen_assert(x) ((x) ? static_cast<void>(0) : escarp::not_so(#x, __FILE__, __LINE__))
#define JSON_ASSERT(x) ((x) ? static_cast<void>(0) : escarp::not_so(#x, __FILE__, __LINE__))
