#include "schema.h"

#include <cell/model/tables.h>

namespace escarp::cell {
namespace {

using Type = Field::Type;

json reference(const char* what) { return {{"$ref", std::string("#/$defs/") + what}}; }

/// A whole number where it is one: 1e5 is written as 100000.
json bound(double value) {
    const auto whole = static_cast<long long>(value);
    return static_cast<double>(whole) == value ? json(whole) : json(value);
}

json number_within(const char* type, double low, double high) {
    return {{"type", type}, {"minimum", bound(low)}, {"maximum", bound(high)}};
}

json list_of(json items, int least, int most) {
    json out{{"type", "array"}, {"items", std::move(items)}};
    if (least > 0) out["minItems"] = least;
    if (most > 0) out["maxItems"] = most;
    return out;
}

json schema_of(const Field& field);

json group_of(const Fields& fields) {
    json properties = json::object(), needed = json::array();
    for (const Field& f : fields) {
        properties[f.key] = schema_of(f);
        if (f.needed()) needed.push_back(f.key);
    }
    json out{{"type", "object"}, {"properties", std::move(properties)}};
    if (!needed.empty()) out["required"] = std::move(needed);
    return out;
}

/// The id of something else: may be empty where a missing key means none.
json id_of(const Field& f) { return f.usual.is_string() ? json{{"type", "string"}} : reference("id"); }

json value_of(const Field& f) {
    switch (f.type) {
        case Type::number:
            if (f.varies) {
                std::string all;
                for (const Spread::Words& w : Spread::words()) all += (all.empty() ? "" : "|") + std::string(w.word);
                return {{"anyOf",
                    {number_within("number", f.low, f.high), {{"type", "string"}, {"pattern", "^(" + all + ") "}}}}};
            }
            return number_within("number", f.low, f.high);
        case Type::held: return number_within("number", f.low, f.high);
        case Type::whole:
        case Type::posture: return number_within("integer", f.low, f.high);
        case Type::flag: return {{"type", "boolean"}};
        case Type::text:
            return f.least > 0 ? json{{"type", "string"}, {"minLength", f.least}} : json{{"type", "string"}};
        case Type::colour:
        case Type::signal:
        case Type::own_signal:
        case Type::own_number:
        case Type::condition:
        case Type::formula:
        case Type::grip:
        case Type::body: return {{"type", "string"}};
        case Type::choice: return {{"enum", f.words}};
        case Type::points:  // of a plan; of space where they are a hull's
            if (f.most > 200) return list_of(reference("vector"), f.least, f.most);
            return list_of(list_of(number_within("number", -1e5, 1e5), 2, 2), f.least, f.most);
        case Type::numbers: return list_of(number_within("number", f.low, f.high), f.least, f.most);
        case Type::vector: return list_of(number_within("number", f.low, f.high), 3, 3);
        case Type::bodies: return list_of(reference("body"), f.least, f.most);
        case Type::group: return group_of(f.inner());
        case Type::list: return list_of(group_of(f.inner()), f.least, f.most);
        case Type::steps: return list_of(reference("step"), f.least, f.most);
        case Type::ids: return list_of(reference("id"), f.least, f.most);
        case Type::texts: return list_of({{"type", "string"}}, f.least, f.most);
        case Type::pieces: return list_of(list_of(number_within("number", -1e5, 1e5), 12, 1536), 1, 200);
        case Type::devices: return list_of(reference("device"), f.least, f.most);
        case Type::differences: return list_of(reference("difference"), f.least, f.most);
        case Type::anything: return {{"type", "object"}};
        case Type::id:
        case Type::device:
        case Type::arm:
        case Type::mover:
        case Type::arm_model:
        case Type::tool_model:
        case Type::mesh:
        case Type::part_type:
        case Type::giver:
        case Type::taker:
        case Type::sight:
        case Type::pose:
        case Type::tool:
        case Type::side_task:
        case Type::block: return id_of(f);
    }
    return json::object();
}

json schema_of(const Field& f) {
    json out = value_of(f);
    if (f.label != f.key) out["title"] = f.label;
    if (!f.help.empty()) out["description"] = f.help;
    if (!f.usual.is_null()) out["default"] = f.usual;
    return out;
}

/// One word out of many decides about further keys: "kind", "do", "shape".
json by_word(const Fields& common, const std::string& key, const std::vector<std::pair<std::string, Fields>>& each) {
    json out = group_of(common), words = json::array(), cases = json::array();
    for (const auto& [word, fields] : each) {
        json one = group_of(fields);
        one["properties"][key] = {{"const", word}};
        cases.push_back(std::move(one));
        words.push_back(word);
    }
    out["properties"][key] = {{"enum", std::move(words)}};
    out["oneOf"] = std::move(cases);
    return out;
}

json difference_schema() {
    json one_of = json::array();
    for (const char* key : {"value", "remove", "add", "order"}) one_of.push_back({{"required", {key}}});
    return {{"type", "object"}, {"required", {"at"}}, {"properties", {{"at", {{"type", "string"}, {"pattern", "^/"}}}}},
        {"oneOf", std::move(one_of)}};
}

}  // namespace

json cell_schema(const Kinds& kinds) {
    std::vector<std::pair<std::string, Fields>> devices, steps, shapes;
    for (const auto& k : kinds.all()) devices.emplace_back(k->id(), k->fields());
    for (const auto& k : kinds.steps()) steps.emplace_back(k->id(), k->fields());
    for (const BodyShape& s : body_shapes()) shapes.emplace_back(s.word, s.fields);
    json out{{"$schema", "https://json-schema.org/draft/2020-12/schema"}, {"title", "Escarp cell"}};
    out.update(group_of(cell_fields()));
    out["required"] = {"escarp", "devices"};
    out["properties"]["escarp"] = {{"const", 1}};
    out["$defs"] = {{"id", {{"type", "string"}, {"pattern", "^[A-Za-z0-9_-]{1,64}$"}}},
        {"vector", list_of(number_within("number", -1e5, 1e5), 3, 3)}, {"difference", difference_schema()},
        {"device", by_word(device_fields(), "kind", devices)}, {"step", by_word(step_fields(), "do", steps)},
        {"body", by_word(body_fields(), "shape", shapes)}};
    return out;
}

}  // namespace escarp::cell
