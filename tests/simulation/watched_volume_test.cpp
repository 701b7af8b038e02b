#include <catch2/catch.hpp>

#include <geometry/distance.h>
#include <simulation/arm_parts.h>
#include <study/figures.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using simulation::seconds;

namespace {
json with_volume(const json& more = json::object()) {
    json tree = json::parse(tests::demo().text());
    json volume = {{"id", "space"}, {"name", "Space"}, {"kind", "watched_volume"}, {"shape", "box"}, {"length_mm", 500},
        {"width_mm", 400}, {"height_mm", 600}, {"above_mm", 700},
        {"movers", {{{"mover", "arm1"}}, {{"mover", "arm2"}}}}, {"placement", {{"x_mm", 1650}, {"y_mm", 250}}}};
    volume.update(more);
    // Where the tester stands, that both arms work at.
    for (const json& d : tree["devices"])
        if (d["id"] == "tester") volume["placement"] = d["placement"];
    volume["placement"].erase("z_mm");
    tree["devices"].push_back(volume);
    return tree;
}
std::shared_ptr<const study::Evaluation> evaluated_cell(const json& tree, inspection::Cache& cache) {
    return study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
}
}  // namespace

TEST_CASE("a watched volume tells who is inside, one signal each, against bodies placed at many instants") {
    inspection::Cache cache;
    const auto e = evaluated_cell(with_volume(), cache);
    const auto& cell = *e->cell;
    const cell::Device& d = cell.devices[static_cast<std::size_t>(cell.device("space"))];
    const geometry::Convex box = geometry::Convex::box({0.5, 0.4, 0.6});
    const geometry::Frame at = d.world * geometry::make_frame({0, 0, 1.0});
    std::vector<double> changes;  // close to which sampling may differ
    for (const char* arm : {"arm1", "arm2"})
        for (const auto& [when, value] :
            e->run->trace.signals[static_cast<std::size_t>(cell.signal(std::string("space.") + arm + "_inside"))]
                .changes)
            changes.push_back(seconds(when));
    CHECK(changes.size() > 10);
    int inside_samples = 0;
    for (double t = 0.5; t < 60; t += 0.037) {
        const auto now = simulation::ticks(t);
        bool any = false;
        for (const char* id : {"arm1", "arm2"}) {
            const int index = cell.device(id);
            const cell::Device& arm = cell.devices[static_cast<std::size_t>(index)];
            std::vector<geometry::Frame> frames;
            arm.arm->model->mechanism.link_frames(e->run->trace.joints(cell, index, now), arm.world, frames);
            double nearest = 1e9;
            const auto look = [&](const motion::Part& p) {
                nearest = std::min(nearest,
                    geometry::separation(p.shape, frames[static_cast<std::size_t>(p.frame)] * p.at, box, at).distance);
            };
            for (const motion::Part& p : simulation::arm_parts(*arm.arm)) look(p);
            const int held = e->run->trace.held_part(index, now);
            geometry::Frame part;
            if (held >= 0 && e->run->trace.part_frame(cell, held, now, part))
                for (const auto& b : cell.part_types[0].bodies)
                    nearest = std::min(nearest, geometry::separation(b.shape, part * b.at, box, at).distance);
            const int signal = cell.signal(std::string("space.") + id + "_inside");
            const bool told = e->run->trace.signals[static_cast<std::size_t>(signal)].at(now) != 0;
            any = any || told;
            inside_samples += told;
            const bool close =
                std::any_of(changes.begin(), changes.end(), [&](double c) { return std::abs(c - t) < 2e-3; });
            if (!close) CHECK(told == (nearest <= 0));
        }
        CHECK((e->run->trace.signals[static_cast<std::size_t>(cell.signal("space.inside"))].at(now) != 0) == any);
    }
    CHECK(inside_samples > 100);
}

TEST_CASE("a step waits for a volume to be empty; while it has to be empty, whoever is inside is a stop finding") {
    inspection::Cache cache;
    json tree = with_volume();
    const auto free = evaluated_cell(tree, cache);
    const auto found = [](const study::Evaluation& e) {
        const auto& all = e.inspection->findings;
        return std::find_if(all.begin(), all.end(),
                   [](const inspection::Finding& f) { return f.id == "keep-out:space"; }) != all.end();
    };
    CHECK_FALSE(found(*free));
    // Arm 1 waits before it picks until Arm 2 is out: at no instant of its picks is that inside.
    for (json& d : tree["devices"])
        if (d["id"] == "arm1")
            d["task"].insert(
                d["task"].begin(), json{{"id", "w"}, {"do", "wait"}, {"signal", "space.arm2_inside"}, {"is", false}});
    const auto waits = evaluated_cell(tree, cache);
    const int arm2 = waits->cell->signal("space.arm2_inside");
    const int arm1 = waits->cell->device("arm1");
    for (const simulation::Block& b : waits->run->trace.blocks)
        if (b.device == arm1 && b.step == 0 && b.to != simulation::never)
            CHECK(waits->run->trace.signals[static_cast<std::size_t>(arm2)].at(b.to) == 0);
    // Kept empty while the tester works, which it is not.
    json kept = with_volume({{"inputs", {{{"id", "keep_out"}, {"from", "tester.busy"}}}}});
    const auto e = evaluated_cell(kept, cache);
    REQUIRE(found(*e));
    for (const inspection::Finding& f : e->inspection->findings)
        if (f.id == "keep-out:space") {
            CHECK(f.severity == inspection::Severity::stop);
            const auto at = simulation::ticks(*f.when_s + 1e-6);
            CHECK(e->run->trace.signals[static_cast<std::size_t>(e->cell->signal("space.inside"))].at(at) != 0);
            CHECK(e->run->trace.signals[static_cast<std::size_t>(e->cell->signal("tester.busy"))].at(at) != 0);
        }
    // What cannot be is refused with what would do.
    for (const auto& [key, value] : {std::pair<const char*, json>{"length_mm", 0}, {"movers", {{{"mover", "tester"}}}},
             {"movers", {{{"mover", "gone"}}}}, {"movers", {{{"mover", "arm1"}}, {{"mover", "arm1"}}}}})
        CHECK_THROWS_AS(evaluated_cell(with_volume({{key, value}}), cache), cell::InputError);
}
