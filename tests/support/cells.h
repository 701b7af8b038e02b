#pragma once
// Cells and arms for tests.

#include <cell/document/document.h>
#include <cell/edits/compose.h>
#include <cell/model/catalogue.h>
#include <cell/model/device_kind.h>
#include <simulation/kinds.h>
#include <study/figures.h>

namespace escarp::tests {

using cell::json;

inline cell::Document demo() { return cell::Document::load(ESCARP_DEMO); }
#ifdef ESCARP_SOURCE
/// A cell in which something was wrong once.
inline cell::Document past_case(const std::string& name) {
    return cell::Document::load(std::string(ESCARP_SOURCE) + "/tests/cases/" + name + ".escarp");
}
#endif

/// Of a resolved tree, to change it.
inline json& device(json& tree, const std::string& id) {
    for (json& d : tree["devices"])
        if (d["id"] == id) return d;
    throw std::runtime_error("no device " + id);
}

inline std::shared_ptr<const cell::Cell> read(const json& tree) {
    return cell::read_cell(tree, simulation::standard_kinds());
}

/// A file's tree with one arm of each catalogue model, for getting at the models.
inline std::shared_ptr<const cell::Cell> catalogue_cell() {
    json tree = {{"escarp", 1}, {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"part_types", cell::catalogue_part_types()}, {"devices", json::array()}};
    for (const json& model : cell::catalogue_arms())
        tree["devices"].push_back(
            {{"id", model["id"]}, {"name", model["id"]}, {"kind", "arm"}, {"model", model["id"]}, {"tool", "jaw60"}});
    return read(tree);
}

/// Infeed, belt and an outfeed hood at its end; no arm.
inline json belt_cell(double interval_s, double speed_mm_s, double length_mm, double gap_mm) {
    return {{"escarp", 1}, {"horizon_s", 200}, {"part_types", cell::catalogue_part_types()},
        {"devices",
            {{{"id", "belt"}, {"name", "Belt"}, {"kind", "conveyor"}, {"length_mm", length_mm}, {"width_mm", 200},
                 {"height_mm", 800}, {"speed_mm_s", speed_mm_s}, {"gap_mm", gap_mm}, {"to", "out"}},
                {{"id", "in"}, {"name", "In"}, {"kind", "infeed"}, {"host", "belt"}, {"interval_s", interval_s},
                    {"part_type", "block60"}, {"to", "belt"}},
                {{"id", "out"}, {"name", "Out"}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "belt"}}}}};
}

/// So many lines side by side, each an infeed, a belt, a station, a belt and an outfeed: five devices.
inline json station_lines(int count) {
    json devices = json::array();
    for (int i = 0; i < count; ++i) {
        const std::string n = std::to_string(i);
        const auto belt = [&](const std::string& id, double x, const std::string& to) {
            devices.push_back({{"id", id + n}, {"name", id + n}, {"kind", "conveyor"}, {"length_mm", 2000},
                {"width_mm", 200}, {"height_mm", 800}, {"speed_mm_s", 250}, {"gap_mm", 20}, {"to", to + n},
                {"placement", {{"x_mm", x}, {"y_mm", 400 * i}}}});
        };
        belt("a", 0, "m");
        devices.push_back({{"id", "i" + n}, {"name", "i" + n}, {"kind", "infeed"}, {"host", "a" + n},
            {"interval_s", 5 + 0.01 * (i % 7)}, {"part_type", "block60"}, {"to", "a" + n}});
        devices.push_back({{"id", "m" + n}, {"name", "m" + n}, {"kind", "fixture"}, {"process_s", 3}, {"to", "b" + n},
            {"length_mm", 200}, {"width_mm", 200}, {"height_mm", 800},
            {"placement", {{"x_mm", 1200}, {"y_mm", 400 * i}}}});
        belt("b", 2500, "o");
        devices.push_back(
            {{"id", "o" + n}, {"name", "o" + n}, {"kind", "outfeed"}, {"shape", "hood"}, {"host", "b" + n}});
    }
    return {{"escarp", 1}, {"horizon_s", 600}, {"part_types", cell::catalogue_part_types()}, {"devices", devices}};
}

/// A cell with a square block "p" that is gripped from above by the tool "t", and a pedestal "ped"; for 120 s.
inline json block_and_tool(double block_mm, double close_s, double force_N) {
    return {{"escarp", 1}, {"horizon_s", 120},
        {"part_types", {{{"id", "p"}, {"name", "P"}, {"mass_kg", 0.5},
                           {"bodies", {{{"shape", "box"}, {"size_mm", {block_mm, block_mm, 50}}}}},
                           {"grips", {{{"id", "top"}, {"at_mm", {0, 0, 45}}, {"turn_deg", {180, 0, 0}}}}}}}},
        {"tool_models", {{{"id", "t"}, {"name", "T"}, {"mass_kg", 0.5}, {"close_s", close_s}, {"open_s", 0.2},
                            {"force_N", force_N}, {"tool_frame", {{"at_mm", {0, 0, 100}}}},
                            {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 40}, {"height_mm", 98}}}}}}},
        {"arm_models", cell::catalogue_arms()},
        {"devices", {{{"id", "ped"}, {"name", "Ped"}, {"kind", "structure"}, {"shape", "pedestal"}, {"length_mm", 300},
                        {"height_mm", 500}}}}};
}

/// The demo with tables, pedestals, bends, trays and fences round it: `count` devices in all.
inline cell::Document crowded(int count) {
    json tree = demo().tree();
    const auto& kinds = simulation::standard_kinds();
    std::vector<cell::Offering> what;
    for (const cell::Offering& o : cell::offerings(kinds))
        if (o.kind == "structure" || (o.kind == "conveyor") || o.kind == "fence" ||
            (o.kind == "tray" && o.label == "Empty tray"))
            what.push_back(o);
    for (int i = static_cast<int>(tree["devices"].size()); i < count; ++i) {
        const cell::Offering& o = what[static_cast<std::size_t>(i) % what.size()];
        json d = {{"id", "more" + std::to_string(i)}, {"name", o.label + " no " + std::to_string(i)}, {"kind", o.kind},
            {"host", "floor"},
            {"placement", {{"x_mm", 2500.0 * (i % 20) - 25000}, {"y_mm", 4000.0 + 2500.0 * (i / 20)}, {"z_mm", 0.0},
                              {"turn_deg", 15.0 * (i % 24)}}}};
        const json fresh = kinds.find(o.kind)->fresh();
        for (const auto& [key, value] : fresh.items()) d[key] = value;
        for (const auto& [key, value] : o.parameters.items()) d[key] = value;
        tree["devices"].push_back(std::move(d));
    }
    return cell::Document::parse(tree.dump());
}

inline cell::Layout layout_of(const json& tree, const char* variant = "A") {
    return simulation::layout(cell::Document::parse(tree.dump()), variant);
}
/// With its zones, and where asked for with what is wrong with them.
inline std::shared_ptr<const study::Evaluation> looked_at(
    const cell::Layout& layout, inspection::Cache& cache, bool findings = false) {
    return study::with_zones(*study::evaluate(layout, cache), cache, nullptr, findings);
}

inline std::shared_ptr<const study::Evaluation> evaluated(const cell::Document& d, const std::string& variant) {
    inspection::Cache cache;
    return study::evaluate(simulation::layout(d, variant), cache);
}

}  // namespace escarp::tests
