#pragma once
// A controller's program to begin with, made from a cell.

#include <string>

#include <cell/read/layout.h>

namespace escarp::exchange {

/// Structured text (IEC 61131-3): every signal of the I/O list at its address, the arbiter of each interlock that is
/// decided outside, and each signal from outside, by what its input takes in the cell or as who waits for it says.
std::string controller_text(const cell::Layout& layout);

}  // namespace escarp::exchange
