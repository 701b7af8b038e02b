// What is kept between evaluations may never be taken for something else: whatever value is edited, the figures found
// by what was known before are those of a fresh start.

#include <catch2/catch.hpp>

#include <exchange/result_json.h>

#include "support/cells.h"
#include "support/random_cells.h"

using namespace escarp;
using cell::json;

namespace {

/// Every number and flag, by its path.
void find_values(const json& at, const json::json_pointer& path, std::vector<json::json_pointer>& out) {
    if (at.is_object())
        for (const auto& [key, value] : at.items()) find_values(value, path / key, out);
    else if (at.is_array())
        for (std::size_t i = 0; i < at.size(); ++i) find_values(at[i], path / i, out);
    else if (at.is_number() || at.is_boolean()) out.push_back(path);
}

std::string figures(const json& tree, inspection::Cache& cache) {
    const cell::Document d = cell::Document::parse(tree.dump());
    const auto e = study::evaluate(simulation::layout(d, d.baseline()), cache);
    return exchange::run_json(*study::with_zones(*e, cache, nullptr, true)).dump();
}

/// Changes one in so many of a cell's values, each by itself. How many changed the figures.
int change_each(json tree, int one_in) {
    tree.erase("studies");
    tree["horizon_s"] = std::min(60.0, tree.value("horizon_s", 60.0));
    inspection::Cache warm;
    const std::string before = figures(tree, warm);
    std::vector<json::json_pointer> all;
    find_values(tree, json::json_pointer(), all);
    int changed = 0;
    for (std::size_t i = 0; i < all.size(); i += static_cast<std::size_t>(one_in)) {
        json other = tree;
        json& value = other[all[i]];
        if (value.is_boolean()) value = !value.get<bool>();
        else if (value.is_number_float() || all[i].to_string().find("_mm") != std::string::npos)
            value = value.get<double>() * 1.03 + 0.5;
        else value = value.get<long>() + 1;
        std::string known;
        try {
            known = figures(other, warm);
        } catch (const cell::InputError&) {
            continue;
        }
        inspection::Cache cold;
        INFO(all[i].to_string());
        CHECK(known == figures(other, cold));
        changed += known != before;
    }
    return changed;
}

}  // namespace

TEST_CASE("another shape of a part type: clearance of what is held, of what lies there, and zones are looked at anew") {
    for (const char* variant : {"B", "D"}) {
        json tree = tests::demo().resolved(variant);
        tree.erase("studies");
        inspection::Cache warm;
        const std::string before = figures(tree, warm);
        for (const double diameter : {126.0, 200.0}) {
            tree["part_types"][0]["bodies"][0]["diameter_mm"] = diameter;
            inspection::Cache cold;
            const std::string known = figures(tree, warm);
            INFO(variant << " " << diameter);
            CHECK(known == figures(tree, cold));
            CHECK(known != before);
        }
    }
}

TEST_CASE("whatever value is edited: figures by what is known are those of a fresh start") {
    CHECK(change_each(tests::demo().resolved("B"), 29) >= 4);
}

TEST_CASE("the same for every value of the demos and of 20 random cells", "[.][thorough]") {
    for (const char* file : {"leak-test", "lens-kitting", "seedling-trays", "twin-testers"}) {
        const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/" + file + ".escarp");
        for (const auto& v : d.variants()) change_each(d.resolved(v.id), 1);
    }
    for (unsigned seed = 1; seed <= 20; ++seed) change_each(tests::RandomCell(seed).tree(), 1);
}
