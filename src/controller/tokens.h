#pragma once
// Structured text (IEC 61131-3, part 3.3) in words, numbers and signs.

#include <cstdint>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace escarp::controller {

/// Where something stands in a program's text, from 1.
struct Position {
    int line = 1, column = 1;
};

/// A program that cannot be understood, or that cannot go on: where, and what was expected.
class Mistake : public std::runtime_error {
public:
    Mistake(Position at, const std::string& words)
        : std::runtime_error(
              "line " + std::to_string(at.line) + ", column " + std::to_string(at.column) + ": " + words),
          at_(at),
          words_(words) {}
    Position at() const { return at_; }
    const std::string& words() const { return words_; }

private:
    Position at_;
    std::string words_;
};

struct Token {
    enum class Kind { name, whole, real, time, address, sign, end };
    Kind kind = Kind::end;
    std::string text;         ///< a name in capitals; a sign; an address without the %
    std::int64_t number = 0;  ///< of a whole number; of a time: microseconds
    double real = 0;
    Position at = {};
    std::string written = {};  ///< as it stands in the text
};

/// The last one is of kind `end`. Throws Mistake.
std::vector<Token> tokens_of(std::string_view text);

/// In capitals (A to Z alone).
std::string capitals(std::string_view name);
/// Microseconds of "1h2m3.5s", what follows T# or TIME#. Throws Mistake.
std::int64_t time_of(const std::string& text, Position at);
/// "T#1m2s3ms".
std::string time_text(std::int64_t microseconds);

}  // namespace escarp::controller
