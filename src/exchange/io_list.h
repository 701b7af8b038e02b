#pragma once
// The I/O list of a cell, as a table and as printed pages.

#include <cell/read/wiring.h>

namespace escarp::exchange {

/// Address, name, direction (seen from the controller), type, unit, comment: one line for each signal.
std::string io_csv(const cell::Cell& cell);
/// By the file's ending: CSV, or PDF pages (A4) with the cell's name. Throws InputError.
void write_io_list(const cell::Cell& cell, const std::string& title, const std::string& file);
const char* controller_way(const cell::Signal& signal);  ///< "input" for what a device sets

}  // namespace escarp::exchange
