#include "reader.h"

#include <cmath>
#include <sstream>

#include <cell/text/names.h>

namespace escarp::cell {
namespace {

struct Unit {
    const char* suffix;
    double factor;
    const char* sign;
};
using geometry::degree;
constexpr Unit units[] = {
    // longest suffix first
    {"_deg_s3", degree, "deg/s3"},
    {"_deg_s2", degree, "deg/s2"},
    {"_deg_s", degree, "deg/s"},
    {"_mm_s3", 1e-3, "mm/s3"},
    {"_mm_s2", 1e-3, "mm/s2"},
    {"_mm_s", 1e-3, "mm/s"},
    {"_deg", degree, "deg"},
    {"_mm", 1e-3, "mm"},
    {"_pct", 1e-2, "%"},
    {"_kg", 1, "kg"},
    {"_s", 1, "s"},
    {"_N", 1, "N"},
};

const Unit* unit_of(const std::string& key) {
    for (const Unit& u : units)
        if (key.ends_with(u.suffix)) return &u;
    return nullptr;
}

std::string shown(const json& value) {
    std::string text = value.dump(-1, ' ', false, json::error_handler_t::replace);
    if (text.size() > 40) text = text.substr(0, 37) + "...";
    return text;
}

std::string shown(double number) {
    std::ostringstream out;
    out << number;
    return out.str();
}

}  // namespace

double unit_factor(const std::string& key) {
    const Unit* u = unit_of(key);
    return u ? u->factor : 1.0;
}

std::string unit_sign(const std::string& key) {
    const Unit* u = unit_of(key);
    return u ? u->sign : "";
}

Reader::Reader(const json& value, std::string path, std::vector<Problem>& problems, KeyLedger* ledger)
    : path_(std::move(path)), problems_(&problems), ledger_(ledger) {
    if (value.is_object()) {
        group_ = &value;
        if (ledger_) asked_ = &ledger_->group(value, path_);
    } else problems_->push_back({path_, "A group of keys { ... } is expected here, found " + shown(value) + "."});
}

const json* Reader::look(const std::string& key) const {
    if (!group_) return nullptr;
    const auto& keys = group_->get_ref<const json::object_t&>();
    const auto found = keys.find(key);
    if (asked_) ledger_->asked(*asked_, key, found == keys.end() ? -1 : found - keys.begin());
    return found == keys.end() ? nullptr : &found->second;
}

void Reader::knows(std::initializer_list<const char*> keys) const {
    for (const char* key : keys) look(key);
}

const json& Reader::raw(const std::string& key) const {
    static const json nothing;
    const json* value = look(key);
    return value ? *value : nothing;
}

void Reader::problem(const std::string& key, const std::string& message) const {
    problems_->push_back({key.empty() ? path_ : path_.empty() ? key : path_ + "/" + key, message});
}

double Reader::converted(const std::string& key, const json& value, Range range) const {
    const auto refuse = [&](const std::string& found) {
        const std::string unit = unit_sign(key);
        problem(key, "Found " + found + "; a number from " + shown(range.low) + " to " + shown(range.high) +
                         (unit.empty() ? "" : " " + unit) + " is expected.");
    };
    const double factor = unit_factor(key), number = value.is_number() ? value.get<double>() : NAN;
    if (!std::isfinite(number)) {
        refuse(shown(value));
        return range.low * factor;
    }
    if (number < range.low || number > range.high) refuse(shown(number));
    return std::min(std::max(number, range.low), range.high) * factor;
}

double Reader::number(const std::string& key, Range range, std::optional<double> fallback) const {
    if (const json* value = look(key)) return converted(key, *value, range);
    if (fallback) return *fallback * unit_factor(key);
    if (group_)
        problem(key, "The key is missing; a number from " + shown(range.low) + " to " + shown(range.high) + " " +
                         unit_sign(key) + " is expected.");
    return range.low * unit_factor(key);
}

int Reader::whole(const std::string& key, int low, int high, std::optional<int> fallback) const {
    const json* there = look(key);
    if (!there && fallback) return *fallback;
    const json& value = there ? *there : raw(key);
    const bool whole =
        value.is_number_integer() || (value.is_number() && std::floor(value.get<double>()) == value.get<double>());
    if (whole && value.get<double>() >= low && value.get<double>() <= high)
        return static_cast<int>(value.get<double>());
    if (group_)
        problem(key, (there ? "Found " + shown(value) + "; a" : std::string("The key is missing; a")) +
                         " whole number from " + std::to_string(low) + " to " + std::to_string(high) + " is expected.");
    return low;
}

bool Reader::flag(const std::string& key, bool fallback) const {
    const json* value = look(key);
    if (!value) return fallback;
    if (value->is_boolean()) return value->get<bool>();
    problem(key, "Found " + shown(*value) + "; true or false is expected.");
    return fallback;
}

std::string Reader::text(const std::string& key, const std::optional<std::string>& fallback) const {
    const json* value = look(key);
    if (!value && fallback) return *fallback;
    if (value && value->is_string()) return value->get<std::string>();
    if (group_)
        problem(key, value ? "Found " + shown(*value) + "; a text in quotes is expected."
                           : "The key is missing; a text is expected.");
    return fallback.value_or("");
}

std::string Reader::id(const std::string& key, const std::optional<std::string>& fallback) const {
    std::string value = text(key, fallback);
    const bool missing = !has(key) || !raw(key).is_string();
    if (!missing && !value.empty() && !valid_id(value))
        problem(key, "Found \"" + value + "\"; an id of at most 64 letters, digits, - and _ is expected.");
    if (!missing && value.empty() && !fallback) problem(key, "The id is empty; letters, digits, - and _ are expected.");
    return value;
}

std::string Reader::choice(
    const std::string& key, const std::vector<std::string>& words, const std::optional<std::string>& fallback) const {
    const std::size_t before = problems_->size();
    std::string value = text(key, fallback);
    for (const std::string& word : words)
        if (value == word) return value;
    std::string all;
    for (const std::string& word : words) all += (all.empty() ? "\"" : ", \"") + word + "\"";
    if (problems_->size() == before && group_) problem(key, "Found \"" + value + "\"; one of " + all + " is expected.");
    return fallback.value_or(words.front());
}

geometry::Vector3 Reader::triple(const std::string& key, Range range, std::optional<geometry::Vector3> fallback) const {
    if (!has(key) && fallback) return *fallback * unit_factor(key);
    const std::vector<double> three = numbers(key, 3, range);
    return {three[0], three[1], three[2]};
}

std::vector<double> Reader::numbers(const std::string& key, std::size_t count, Range range) const {
    std::vector<double> out(count, std::max(range.low, std::min(range.high, 0.0)) * unit_factor(key));
    const json& value = raw(key);
    if (!value.is_array() || value.size() != count) {
        if (group_)
            problem(key, (has(key) ? "Found " + shown(value) + "; a" : std::string("The key is missing; a")) +
                             " list of " + std::to_string(count) + " numbers is expected.");
        return out;
    }
    for (std::size_t i = 0; i < count; ++i) out[i] = converted(key, value[i], range);
    return out;
}

geometry::Frame Reader::frame() const {
    const geometry::Vector3 at = triple("at_mm", {-1e5, 1e5}, geometry::Vector3::Zero());
    const geometry::Vector3 turn = triple("turn_deg", {-3600, 3600}, geometry::Vector3::Zero());
    return geometry::make_frame(at, turn);
}

std::vector<Reader> Reader::list(const std::string& key, std::size_t most) const {
    std::vector<Reader> all;
    if (!has(key)) return all;
    const json& value = raw(key);
    if (!value.is_array()) {
        problem(key, "Found " + shown(value) + "; a list [ ... ] is expected.");
        return all;
    }
    if (value.size() > most) {
        problem(key, "The list has " + std::to_string(value.size()) + " elements; at most " + std::to_string(most) +
                         " are possible.");
        return all;
    }
    for (std::size_t i = 0; i < value.size(); ++i) {
        const json& one = value[i];
        const bool named =
            one.is_object() && one.contains("id") && one["id"].is_string() && valid_id(one["id"].get<std::string>());
        all.emplace_back(one,
            path_ + (path_.empty() ? "" : "/") + key + "/" + (named ? one["id"].get<std::string>() : std::to_string(i)),
            *problems_, ledger_);
    }
    return all;
}

Reader Reader::group(const std::string& key) const {
    static const json empty = json::object();
    const bool there = has(key);
    return Reader(
        there ? raw(key) : empty, path_ + (path_.empty() ? "" : "/") + key, *problems_, there ? ledger_ : nullptr);
}

}  // namespace escarp::cell
