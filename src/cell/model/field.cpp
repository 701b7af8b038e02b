#include "field.h"

#include <algorithm>
#include <cassert>

#include <cell/text/numbers.h>

namespace escarp::cell {

const Field* find_field(const Fields& fields, const std::string& key) {
    const auto found = std::find_if(fields.begin(), fields.end(), [&](const Field& f) { return f.key == key; });
    return found == fields.end() ? nullptr : &*found;
}

json fresh_of(const Fields& fields) {
    json out = json::object();
    for (const Field& f : fields)
        if (!f.fresh.is_null()) out[f.key] = f.fresh;
    return out;
}

const Field& Values::field(const std::string& key) const {
    const Field* found = find_field(fields_, key);
    assert(found);
    return *found;
}

double Values::number(const std::string& key) const {
    const Field& f = field(key);
    const std::optional<double> usual = f.usual.is_number() ? std::optional(f.usual.get<double>()) : std::nullopt;
    return reader_.number(key, {f.low, f.high}, usual);
}

double Values::number(const std::string& key, double usual) const {
    const Field& f = field(key);
    return reader_.number(key, {f.low, f.high}, usual);
}

Spread Values::spread(const std::string& key) const {
    const Field& f = field(key);
    const json& raw = reader_.raw(key);
    if (!raw.is_string()) return {number(key)};
    try {
        Spread spread = Spread::parse(raw.get<std::string>());
        if (spread.mean() >= f.low && spread.mean() <= f.high) return spread;
        reader_.problem(key, "\"" + spread.text() + "\" has a mean of " + shortest(spread.mean()) + "; from " +
                                 shortest(f.low) + " to " + shortest(f.high) + " is expected.");
    } catch (const InputError& e) {
        reader_.problem(key, e.problems().front().message);
    }
    return {f.low};
}

int Values::whole(const std::string& key) const {
    const Field& f = field(key);
    const std::optional<int> usual = f.usual.is_number() ? std::optional(f.usual.get<int>()) : std::nullopt;
    return reader_.whole(key, static_cast<int>(f.low), static_cast<int>(f.high), usual);
}

bool Values::flag(const std::string& key) const { return reader_.flag(key, field(key).usual.get<bool>()); }

std::string Values::text(const std::string& key) const {
    const Field& f = field(key);
    return reader_.text(key, f.usual.is_string() ? std::optional(f.usual.get<std::string>()) : std::nullopt);
}

std::string Values::text(const std::string& key, const std::string& usual) const {
    return reader_.text(field(key).key, usual);
}

geometry::Vector3 Values::vector(const std::string& key, const std::optional<geometry::Vector3>& usual) const {
    const Field& f = field(key);
    return reader_.triple(key, {f.low, f.high}, usual);
}

std::vector<double> Values::numbers(const std::string& key) const {
    const Field& f = field(key);
    return reader_.numbers(key, static_cast<std::size_t>(f.most), {f.low, f.high});
}

std::vector<std::string> Values::ids(const std::string& key) const {
    const json& all = reader_.raw(field(key).key);
    std::vector<std::string> out;
    bool fits = all.is_array() && static_cast<int>(all.size()) >= field(key).least;
    for (const json& one : fits ? all : json::array())
        if (one.is_string()) out.push_back(one);
        else fits = false;
    if (!fits) reader_.problem(key, "A list of ids is expected.");
    return out;
}

void Values::check() const {
    using Type = Field::Type;
    for (const Field& f : fields_) {
        if (!has(f.key)) {
            if (f.needed()) problem(f.key, "The key is missing; " + f.label + " is expected.");
            continue;
        }
        switch (f.type) {
            case Type::number: f.varies ? void(spread(f.key)) : void(number(f.key)); break;
            case Type::whole: whole(f.key); break;
            case Type::flag: reader_.flag(f.key, false); break;
            case Type::choice: choice(f.key); break;
            case Type::ids: ids(f.key); break;
            case Type::vector: vector(f.key); break;
            case Type::text: text(f.key, ""); break;
            case Type::numbers: {
                const json& all = reader_.raw(f.key);
                if (!all.is_array()) problem(f.key, "A list of numbers is expected.");
                else if (static_cast<int>(all.size()) < f.least ||
                         (f.most > 0 && static_cast<int>(all.size()) > f.most))
                    problem(f.key, f.most == 0         ? "At least one number is expected."
                                   : f.least == f.most ? "A list of " + std::to_string(f.most) + " numbers is expected."
                                                       : "A list of " + std::to_string(f.least) + " to " +
                                                             std::to_string(f.most) + " numbers is expected.");
                else reader_.numbers(f.key, all.size(), {f.low, f.high});
                break;
            }
            default: break;  // a name of something in the cell, or a group: who uses it looks it up
        }
    }
}

std::vector<Reader> Values::list(const std::string& key) const {
    const int most = field(key).most;
    return most > 0 ? reader_.list(key, static_cast<std::size_t>(most)) : reader_.list(key);
}

std::string Values::choice(const std::string& key) const {
    const Field& f = field(key);
    return reader_.choice(key, f.words, f.usual.is_string() ? std::optional(f.usual.get<std::string>()) : std::nullopt);
}

}  // namespace escarp::cell
