#pragma once
// What is wrong with an input, where, and how to mend it.

#include <stdexcept>
#include <string>
#include <vector>

namespace escarp::cell {

struct Problem {
    std::string where;    ///< path of keys ("devices/arm1/speed_mm_s") or "line 12, column 3"
    std::string message;  ///< what was found and what was expected, a whole sentence
};

/// Thrown for input that a user can mend. Holds the first 50 problems that were found, the first one first, each short
/// enough to be read.
class InputError : public std::runtime_error {
public:
    explicit InputError(std::vector<Problem> problems);
    InputError(std::string where, std::string message)
        : InputError(std::vector<Problem>{{std::move(where), std::move(message)}}) {}
    const std::vector<Problem>& problems() const { return problems_; }

private:
    std::vector<Problem> problems_;
};

}  // namespace escarp::cell
