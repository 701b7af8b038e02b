#include "field.h"

#include <algorithm>
#include <cassert>

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

std::string Values::choice(const std::string& key) const {
    const Field& f = field(key);
    return reader_.choice(key, f.words, f.usual.is_string() ? std::optional(f.usual.get<std::string>()) : std::nullopt);
}

}  // namespace escarp::cell
