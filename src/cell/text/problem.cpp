#include "problem.h"

#include <algorithm>

namespace escarp::cell {
namespace {

constexpr std::size_t most_problems = 50, longest = 600;

/// A text that somebody wrote into a file may be of any length; its beginning and its end say enough. Cut between
/// letters (UTF-8).
std::string shortened(const std::string& text) {
    if (text.size() <= longest) return text;
    const auto inside = [&](std::size_t i) {
        return i < text.size() && (static_cast<unsigned char>(text[i]) & 0xC0) == 0x80;
    };
    std::size_t head = longest / 2, tail = text.size() - longest / 3;
    while (inside(head)) --head;
    while (inside(tail)) ++tail;
    return text.substr(0, head) + " ... " + text.substr(tail);
}

std::vector<Problem> readable(std::vector<Problem> problems) {
    if (problems.size() > most_problems) problems.resize(most_problems);
    for (Problem& p : problems) p = {shortened(p.where), shortened(p.message)};
    return problems;
}

}  // namespace

InputError::InputError(std::vector<Problem> problems)
    : std::runtime_error(problems.empty()
                             ? "input error"
                             : shortened(problems.front().where) + ": " + shortened(problems.front().message)),
      problems_(readable(std::move(problems))) {}

}  // namespace escarp::cell
