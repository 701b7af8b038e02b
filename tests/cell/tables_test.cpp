// The tables of keys against what is read: bounds, usual values, what is needed, and words.
#include <catch2/catch.hpp>

#include <cell/model/tables.h>
#include <cell/read/schema.h>
#include <exchange/result_json.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::cell;

namespace {

json everything() {
    return Document::load(std::string(ESCARP_SOURCE) + "/tests/cases/everything.escarp").resolved("A");
}

/// What is refused, as text; empty: nothing.
std::string refusal(const json& tree) {
    try {
        read_cell(tree, simulation::standard_kinds());
    } catch (const InputError& e) {
        std::string all;
        for (const Problem& p : e.problems()) all += p.where + ": " + p.message + "\n";
        return all;
    }
    return {};
}

/// A group of the tree, its table and where it stands.
struct Place {
    std::string path;
    const Fields* fields;
};

std::vector<Place> places(const json& tree) {
    const Kinds& kinds = simulation::standard_kinds();
    std::vector<Place> all;
    std::set<std::string> seen;
    for (const json& d : tree["devices"]) {
        const std::string kind = d["kind"], at = "/devices/" + d["id"].get<std::string>();
        if (seen.insert(kind).second) all.push_back({at, &kinds.find(kind)->fields()});
        for (const json& s : d.value("task", json::array()))
            if (seen.insert("step " + s["do"].get<std::string>()).second)
                all.push_back({at + "/task/" + s["id"].get<std::string>(), &kinds.find_step(s["do"])->fields()});
    }
    all.push_back({"/part_types/" + tree["part_types"][0]["id"].get<std::string>(), &part_type_fields()});
    all.push_back({"/tool_models/" + tree["tool_models"][0]["id"].get<std::string>(), &tool_model_fields()});
    return all;
}

json with(const json& tree, const std::string& path, const json& value) {
    json changed = tree;
    cell::apply(changed, Operation::set(path, value));
    return changed;
}

}  // namespace

TEST_CASE("a number beyond its bounds is refused with its key, its bounds and its unit; at its bounds it is not") {
    const json tree = everything();
    REQUIRE(refusal(tree).empty());
    int tried = 0;
    for (const Place& place : places(tree))
        for (const Field& f : *place.fields) {
            if ((f.type != Field::Type::number && f.type != Field::Type::whole) || f.old) continue;
            const std::string path = place.path + "/" + f.key;
            INFO(path);
            ++tried;
            for (const double beyond : {f.low - 1, f.high + 1}) {
                const json value = f.type == Field::Type::whole ? json(static_cast<long long>(beyond)) : json(beyond);
                const std::string said = refusal(with(tree, path, value));
                CHECK(said.find(f.key) != std::string::npos);
            }
            // Within, other keys may still object, but not this one because of its range.
            for (const double within : {f.low, f.high}) {
                const json value = f.type == Field::Type::whole ? json(static_cast<long long>(within)) : json(within);
                CHECK(refusal(with(tree, path, value)).find(f.key + ": Found") == std::string::npos);
            }
            for (const json& wrong : {json("many"), json(nullptr), json::array(), json(true)})
                CHECK(refusal(with(tree, path, wrong)).find(f.key) != std::string::npos);
        }
    CHECK(tried > 60);
}

TEST_CASE("what is needed is missed when it is gone, and only that") {
    const json tree = everything();
    for (const Place& place : places(tree))
        for (const Field& f : *place.fields) {
            json less = tree;
            if (!find(tree, place.path + "/" + f.key) || f.type == Field::Type::id) continue;
            cell::apply(less, Operation::remove(place.path + "/" + f.key));
            INFO(place.path + "/" + f.key);
            const std::string said = refusal(less);
            if (f.needed() && f.type != Field::Type::bodies) CHECK(said.find(f.key) != std::string::npos);
            if (!f.usual.is_null()) {  // another key may need it, but it is not missing
                CHECK(said.find(f.key + ": The key is missing") == std::string::npos);
            }
        }
}

TEST_CASE("a missing key means its usual value: the figures are the same bits with it and without it") {
    const json tree = everything();
    const auto figures = [](const json& of) {
        json file = of;
        file.erase("retired_ids");
        inspection::Cache cache;
        const Document d = Document::parse(file.dump());
        study::EvaluateOptions options;
        options.run.horizon_s = 40;
        json result = exchange::run_json(*study::evaluate(simulation::layout(d, d.baseline()), cache, options));
        result.erase("unknown_keys");
        return result.dump();
    };
    int tried = 0, possible = 0;
    for (const Place& place : places(tree))
        for (const Field& f : *place.fields) {
            if (f.usual.is_null() || f.old || f.key == "name" || f.type == Field::Type::posture) continue;
            const std::string path = place.path + "/" + f.key;
            json without = tree;
            if (find(tree, path)) cell::apply(without, Operation::remove(path));
            if (!refusal(without).empty() || possible++ % tests::one_in) continue;
            INFO(path);
            const json said = with(without, path, f.usual);
            REQUIRE(refusal(said).empty());
            CHECK(figures(said) == figures(without));
            ++tried;
        }
    CHECK(tried > tests::rounds(40));
}

TEST_CASE("choices are refused with the words that there are, and every word is taken") {
    const json tree = everything();
    for (const Place& place : places(tree))
        for (const Field& f : *place.fields) {
            if (f.type != Field::Type::choice) continue;
            const std::string path = place.path + "/" + f.key;
            INFO(path);
            const std::string said = refusal(with(tree, path, "sideways"));
            for (const std::string& word : f.words) {
                CHECK(said.find("\"" + word + "\"") != std::string::npos);
                CHECK(refusal(with(tree, path, word)).find(f.key + ": Found") == std::string::npos);
            }
        }
}

TEST_CASE("labels are there for everything that people see, and none is written twice in a table") {
    for (const Place& place : places(everything())) {
        std::set<std::string> keys;
        for (const Field& f : *place.fields) {
            INFO(place.path + "/" + f.key);
            CHECK_FALSE(f.label.empty());
            CHECK(keys.insert(f.key).second);
            CHECK(f.said.size() <= std::max<std::size_t>(2, f.words.size()));
            if (f.type == Field::Type::number) CHECK(f.low < f.high);
            if (f.usual.is_number() && f.type == Field::Type::number) {
                CHECK(f.usual.get<double>() >= f.low);
                CHECK(f.usual.get<double>() <= f.high);
            }
        }
    }
}
