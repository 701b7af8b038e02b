#pragma once
// Comma-separated values as RFC 4180 has them.

#include <string>
#include <vector>

namespace escarp::exchange {

/// A text that a spreadsheet would compute gets an apostrophe before it, so that it stays a text.
std::string csv_field(const std::string& text);
/// With the end of line.
std::string csv_line(const std::vector<std::string>& fields);

}  // namespace escarp::exchange
