#include "json.h"

#include <cmath>
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

constexpr std::size_t longest_name = 200, longest_text = 100'000;
constexpr double largest_number = 1e12;

/// What is out of bounds in one value that holds no others; empty: nothing.
std::string out_of_bounds(const std::string& key, const json& value) {
    if (value.is_string()) {
        const std::size_t length = value.get_ref<const std::string&>().size();
        if (key == "name" && length > longest_name)
            return "The name takes " + std::to_string(length) + " bytes; at most " + std::to_string(longest_name) +
                   " are possible.";
        const bool packed = key == "surface" || key == "picture";  // triangles, and what lies under the Floor
        if (!packed && length > longest_text)
            return "The text takes " + std::to_string(length) + " bytes; at most " + std::to_string(longest_text) +
                   " are possible.";
    } else if (value.is_number() && !(std::abs(value.get<double>()) <= largest_number)) {
        return "Found " + value.dump() + "; numbers of up to 1e12 are possible.";
    }
    return {};
}

/// The first place that is out of bounds, and what is wrong there; its steps are put before `where` on the way back.
bool look_for_bounds(const std::string& key, const json& tree, int left, std::string& where, std::string& what) {
    if (left < (tree.is_structured() ? 1 : 0)) too_deep();
    const auto beneath = [&](const std::string& name, const json& child) {
        if (!look_for_bounds(name, child, left - 1, where, what)) return false;
        where = (name.size() > 60 ? name.substr(0, 60) + "..." : name) + (where.empty() ? "" : "/") + where;
        return true;
    };
    if (tree.is_object()) {
        for (const auto& [name, child] : tree.get_ref<const json::object_t&>()) {
            if (name.size() > longest_name)
                throw InputError("file", "A key takes " + std::to_string(name.size()) + " bytes; no cell file's does.");
            if (beneath(name, child)) return true;
        }
        return false;
    }
    if (tree.is_array()) {
        for (std::size_t i = 0; i < tree.size(); ++i) {
            const json& child = tree[i];
            const bool flat = !child.is_structured();  // long lists of numbers: no text is made for each
            if (flat && (what = out_of_bounds({}, child)).empty()) continue;
            if (flat) return where = std::to_string(i), true;
            const bool named = child.is_object() && child.contains("id") && child["id"].is_string() &&
                               child["id"].get_ref<const std::string&>().size() <= longest_name;
            if (beneath(named ? child["id"].get<std::string>() : std::to_string(i), child)) return true;
        }
        return false;
    }
    what = out_of_bounds(key, tree);
    return !what.empty();
}

/// Goes through a text before anything is made of it.
struct Bounds : nlohmann::json_sax<json> {
    explicit Bounds(int most) : deepest_here(most) {}
    const int deepest_here;
    std::vector<std::size_t> keys;  ///< of each group that is open
    bool within() const {
        if (keys.size() > static_cast<std::size_t>(deepest_here)) too_deep();
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

json parse_json(const std::string& text, int more) {
    Bounds bounds(deepest + more);
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

void check_bounds(const json& tree) {
    std::string where, what;
    if (look_for_bounds({}, tree, deepest, where, what)) throw InputError(where, what);
}

}  // namespace escarp::cell
