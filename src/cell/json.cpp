#include "json.h"

#include <algorithm>
#include <vector>

#include "problem.h"

namespace escarp::cell {
namespace {

constexpr int deepest = 64;
constexpr std::size_t most_keys = 5000;  // in one group; they are kept in their order, and found one by one

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
    if (message.size() > 300 && last != std::string::npos) message.erase(last, message.rfind('\'') + 1 - last);
    return message.size() > 300 ? message.substr(0, 300) + " ..." : message;
}

[[noreturn]] void too_deep() {
    throw InputError("file", "Groups are nested more than " + std::to_string(deepest) + " deep; no cell file is.");
}

bool within_depth(const json& tree, int left) {
    if (left < 0) return false;
    return !tree.is_structured() ||
           std::all_of(tree.begin(), tree.end(), [left](const json& child) { return within_depth(child, left - 1); });
}

/// Goes through a text before anything is made of it.
struct Bounds : nlohmann::json_sax<json> {
    std::vector<std::size_t> keys;  ///< of each group that is open
    bool within() const {
        if (keys.size() > static_cast<std::size_t>(deepest)) too_deep();
        return true;
    }
    bool opened() {
        within();
        keys.push_back(0);
        return true;
    }
    bool closed() {
        keys.pop_back();
        return true;
    }
    bool null() override { return within(); }
    bool boolean(bool) override { return within(); }
    bool number_integer(number_integer_t) override { return within(); }
    bool number_unsigned(number_unsigned_t) override { return within(); }
    bool number_float(number_float_t, const string_t&) override { return within(); }
    bool string(string_t&) override { return within(); }
    bool binary(binary_t&) override { return within(); }
    bool start_object(std::size_t) override { return opened(); }
    bool end_object() override { return closed(); }
    bool start_array(std::size_t) override { return opened(); }
    bool end_array() override { return closed(); }
    bool key(string_t&) override {
        if (++keys.back() > most_keys)
            throw InputError(
                "file", "A group has more than " + std::to_string(most_keys) + " keys; no cell file's has.");
        return true;
    }
    bool parse_error(std::size_t, const std::string&, const nlohmann::detail::exception&) override {
        return false;
    }  // said when it is read
};

}  // namespace

json parse_json(const std::string& text) {
    Bounds bounds;
    json::sax_parse(text, &bounds);
    try {
        return json::parse(text);
    } catch (const json::parse_error& e) {
        throw InputError(
            place_in(text, e.byte > 0 ? e.byte - 1 : 0), "The file is not valid JSON: " + plain(e.what()) + ".");
    } catch (const json::exception& e) {
        throw InputError("file", std::string("The file is not valid JSON: ") + e.what() + ".");
    }
}

void check_depth(const json& tree) {
    if (!within_depth(tree, deepest)) too_deep();
}

}  // namespace escarp::cell
