#include "unit.h"

#include <charconv>
#include <cmath>
#include <cstdio>

namespace escarp::controller {

const char* word(Type type) {
    switch (type) {
        case Type::boolean: return "BOOL";
        case Type::integer: return "INT";
        case Type::long_integer: return "DINT";
        case Type::real: return "REAL";
        case Type::time: return "TIME";
    }
    return "";
}

Value kept(Value v, Type type) {
    switch (type) {
        case Type::boolean: return {v.whole != 0, 0};
        case Type::integer: return {static_cast<std::int16_t>(static_cast<std::uint64_t>(v.whole)), 0};
        case Type::long_integer: return {static_cast<std::int32_t>(static_cast<std::uint64_t>(v.whole)), 0};
        case Type::real: return {0, static_cast<double>(static_cast<float>(v.real))};
        case Type::time: return {v.whole, 0};
    }
    return v;
}

std::string text_of(Value v, Type type) {
    if (type == Type::boolean) return v.on() ? "TRUE" : "FALSE";
    if (type == Type::time) return time_text(v.whole);
    if (type != Type::real) return std::to_string(v.whole);
    char out[40];
    std::snprintf(out, sizeof out, "%.7g", v.real);
    std::string text = out;
    if (std::isfinite(v.real) && text.find_first_of(".e") == std::string::npos) text += ".0";
    return text;
}

std::optional<Value> value_of(const std::string& text, Type type) {
    const std::string t = capitals(text);
    if (type == Type::boolean) {
        if (t == "TRUE" || t == "1" || t == "ON") return Value{1, 0};
        if (t == "FALSE" || t == "0" || t == "OFF") return Value{0, 0};
        return std::nullopt;
    }
    if (type == Type::time) {
        const std::size_t sign = t.find('#');
        try {
            return Value{time_of(sign == std::string::npos ? t : t.substr(sign + 1), {}), 0};
        } catch (const Mistake&) {
            return std::nullopt;
        }
    }
    const char* end = t.data() + t.size();
    if (type == Type::real) {
        double real = 0;
        const auto [stopped, problem] = std::from_chars(t.data(), end, real);
        if (problem != std::errc() || stopped != end || !std::isfinite(real)) return std::nullopt;
        return kept({0, real}, type);
    }
    std::int64_t whole_number = 0;
    const auto [stopped, problem] = std::from_chars(t.data(), end, whole_number);
    if (problem != std::errc() || stopped != end || kept({whole_number, 0}, type).whole != whole_number)
        return std::nullopt;
    return Value{whole_number, 0};
}

std::string Address::text() const {
    const char* names[] = {"I", "Q", "M"};
    return std::string("%") + names[static_cast<int>(area)] +
           (bits == 1       ? "X" + std::to_string(byte) + "." + std::to_string(bit)
               : bits == 16 ? "W" + std::to_string(byte)
                            : "D" + std::to_string(byte));
}

std::optional<Address> address_of(std::string_view text) {
    Address a;
    if (text.size() < 3) return std::nullopt;
    switch (text[0]) {
        case 'I': a.area = Address::Area::input; break;
        case 'Q': a.area = Address::Area::output; break;
        case 'M': a.area = Address::Area::memory; break;
        default: return std::nullopt;
    }
    switch (text[1]) {
        case 'X': a.bits = 1; break;
        case 'W': a.bits = 16; break;
        case 'D': a.bits = 32; break;
        default: return std::nullopt;
    }
    const char *from = text.data() + 2, *end = text.data() + text.size();
    auto [stopped, problem] = std::from_chars(from, end, a.byte);
    if (problem != std::errc() || a.byte < 0 || a.byte + (a.bits + 7) / 8 > most_bytes) return std::nullopt;
    if (a.bits == 1) {
        if (stopped == end || *stopped != '.') return std::nullopt;
        const auto [last, trouble] = std::from_chars(stopped + 1, end, a.bit);
        if (trouble != std::errc() || last != end || a.bit < 0 || a.bit > 7) return std::nullopt;
    } else if (stopped != end) {
        return std::nullopt;
    }
    return a;
}

int BlockType::variable(const std::string& wanted) const {
    for (std::size_t i = 0; i < variables.size(); ++i)
        if (variables[i].name == wanted) return static_cast<int>(i);
    return -1;
}

}  // namespace escarp::controller
