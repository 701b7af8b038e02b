#include "unfinished_model.h"

#include <cell/text/names.h>
#include <cell/text/problem.h>

namespace escarp::cell {

void check_unfinished_model(const json& model, const std::string& where) {
    const auto expect = [](bool good, const std::string& at, const char* what) {
        if (!good) throw InputError(at, std::string("In an unfinished model ") + what + " is expected here.");
    };
    const auto text = [&](const json& group, const std::string& at, const char* key) {
        expect(!group.contains(key) || group[key].is_string(), at + "/" + key, "a text");
    };
    const auto groups = [&](const json& group, const std::string& at, const char* key) {
        if (!group.contains(key)) return json::array();
        expect(group[key].is_array(), at + "/" + key, "a list");
        for (std::size_t i = 0; i < group[key].size(); ++i)
            expect(group[key][i].is_object(), at + "/" + key + "/" + std::to_string(i), "a group of keys");
        return group[key];
    };
    expect(model.is_object() && model.contains("id") && model["id"].is_string() && valid_id(model["id"]), where + "/id",
        "an id");
    text(model, where, "name");
    expect(!model.contains("payload_kg") || model["payload_kg"].is_number(), where + "/payload_kg", "a number");
    const json links = groups(model, where, "links"), joints = groups(model, where, "joints");
    expect(!links.empty() && links.size() <= 40, where + "/links", "a list of 1 to 40 links");
    const int count = static_cast<int>(links.size());
    const auto link = [&](const json& group, const std::string& at, const char* key) {
        expect(!group.contains(key) || (group[key].is_number_integer() && group[key].get<double>() >= 0 &&
                                           group[key].get<double>() < count),
            at + "/" + key, "the number of a link");
    };
    for (std::size_t i = 0; i < links.size(); ++i) {
        const std::string at = where + "/links/" + std::to_string(i);
        text(links[i], at, "name");
        const json bodies = groups(links[i], at, "bodies");
        for (std::size_t k = 0; k < bodies.size(); ++k)
            for (const char* key : {"shape", "name", "mesh"}) text(bodies[k], at + "/bodies/" + std::to_string(k), key);
    }
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const std::string at = where + "/joints/" + std::to_string(i);
        for (const char* key : {"name", "type"}) text(joints[i], at, key);
        for (const char* key : {"parent", "child"}) link(joints[i], at, key);
        const json leaders = groups(joints[i], at, "follows");
        const std::string below = at + "/";
        for (std::size_t k = 0; k < leaders.size(); ++k)
            text(leaders[k], below + "follows/" + std::to_string(k), "joint");
        for (const auto& [key, value] : joints[i].items())
            if (key.find("_deg") != std::string::npos || (key.find("_mm") != std::string::npos && key != "at_mm"))
                expect(key == "turn_deg" ? value.is_array() : value.is_number(), below + key, "a number");
    }
    for (const char* key : {"ready", "ready_deg"}) {
        expect(!model.contains(key) || model[key].is_array(), where + "/" + key, "a list");
        for (const json& v : model.value(key, json::array()))
            expect(v.is_number(), where + "/" + key, "a list of numbers");
    }
    if (!model.contains("flange")) return;
    expect(model["flange"].is_object(), where + "/flange", "a group of keys");
    link(model["flange"], where + "/flange", "link");
}

}  // namespace escarp::cell
