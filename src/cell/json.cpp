#include "json.h"

#include <algorithm>

#include "problem.h"

namespace escarp::cell {
namespace {

constexpr int deepest = 64;

std::string place_in(const std::string& text, std::size_t byte) {
    std::size_t line = 1, column = 1;
    for (std::size_t i = 0; i < byte && i < text.size(); ++i) {
        if (text[i] == '\n') ++line, column = 1;
        else ++column;
    }
    return "line " + std::to_string(line) + ", column " + std::to_string(column);
}

/// nlohmann's message without its own prefix, and without the text read last, which may be very long.
std::string plain(const std::string& what) {
    const std::size_t at = what.find("syntax error");
    std::string message = at == std::string::npos ? what : what.substr(at);
    const std::size_t last = message.find("; last read: ");
    if (message.size() > 300 && last != std::string::npos) message.erase(last, message.rfind("'") + 1 - last);
    return message.size() > 300 ? message.substr(0, 300) + " ..." : message;
}

[[noreturn]] void too_deep() { throw InputError("file", "Groups are nested more than " + std::to_string(deepest) + " deep; no cell file is."); }

bool within_depth(const json& tree, int left) {
    if (left < 0) return false;
    return !tree.is_structured() || std::all_of(tree.begin(), tree.end(), [left](const json& child) { return within_depth(child, left - 1); });
}

}  // namespace

json parse_json(const std::string& text) {
    try {
        return json::parse(text, [](int depth, json::parse_event_t, json&) { return depth > deepest ? too_deep() : void(), true; });
    } catch (const json::parse_error& e) {
        throw InputError(place_in(text, e.byte > 0 ? e.byte - 1 : 0), "The file is not valid JSON: " + plain(e.what()) + ".");
    } catch (const json::exception& e) {
        throw InputError("file", std::string("The file is not valid JSON: ") + e.what() + ".");
    }
}

void check_depth(const json& tree) {
    if (!within_depth(tree, deepest)) too_deep();
}

}  // namespace escarp::cell
