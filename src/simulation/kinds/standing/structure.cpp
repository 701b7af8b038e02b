#include <cell/model/device_kind.h>
#include <simulation/kinds.h>

#include "still.h"

namespace escarp::simulation {
namespace {

using cell::standing_box;
using cell::standing_cylinder;

/// Table, cabinet, wall, pedestal, column: stands there and must not be hit.
class StructureKind final : public Kind {
public:
    std::string id() const override { return "structure"; }
    std::string label() const override { return "Structure"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            choice(
                "shape", "shape", {"box", "table", "pedestal", "square pedestal", "cabinet", "wall", "column", "fence"})
                .usually("box")
                .at_first("box"),
            number("length_mm", "length", 10, 50000).at_first(600.0),
            number("width_mm", "width", 10, 50000)
                .lacking()
                .at_first(600.0)
                .explained("As long as it is wide unless it is said; a fence 40 mm."),
            number("height_mm", "height", 1, 10000).at_first(800.0)};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        const auto one = [&](const char* name, const char* shape, double length, double width, double height) {
            return cell::Offering{
                id(), "", name, {{"shape", shape}, {"length_mm", length}, {"width_mm", width}, {"height_mm", height}}};
        };
        return {one("Table", "table", 1000, 600, 800), one("Pedestal", "pedestal", 320, 320, 500),
            one("Square pedestal", "square pedestal", 350, 350, 500), one("Block", "box", 200, 200, 200),
            one("Cabinet", "cabinet", 800, 500, 1900), one("Wall", "wall", 3000, 150, 2500),
            one("Column", "column", 400, 400, 3000)};
    }
    bool carries_devices() const override { return true; }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const cell::Values v(r, fields());
        const std::string shape = v.choice("shape");
        const double length = v.number("length_mm"), height = v.number("height_mm");
        const double width = v.number("width_mm", shape == "fence" ? 40.0 : length * 1e3);
        const double plate = std::min(0.03, 0.2 * height);
        auto& b = d.bodies;
        if (shape == "pedestal") {  // round foot and head plates on a column
            b.push_back(standing_cylinder("foot", length, plate, {0, 0, 0}));
            b.push_back(standing_cylinder("column", 0.7 * length, height - 2 * plate, {0, 0, plate}));
            b.push_back(standing_cylinder("head", length, plate, {0, 0, height - plate}));
        } else if (shape == "square pedestal") {
            b.push_back(standing_box("foot", {length, width, plate}, {0, 0, 0}));
            b.push_back(standing_box("column", {0.7 * length, 0.7 * width, height - 2 * plate}, {0, 0, plate}));
            b.push_back(standing_box("head", {length, width, plate}, {0, 0, height - plate}));
        } else if (shape == "table") {
            const double leg = std::min({0.06, 0.25 * length, 0.25 * width}), top = std::min(0.04, 0.3 * height);
            b.push_back(standing_box("top", {length, width, top}, {0, 0, height - top}));
            for (const double x : {-0.5, 0.5})
                for (const double y : {-0.5, 0.5})
                    b.push_back(
                        standing_box("leg", {leg, leg, height - top}, {x * (length - leg), y * (width - leg), 0}));
        } else if (shape == "cabinet") {
            const double plinth = std::min(0.1, 0.1 * height);
            b.push_back(standing_box("plinth", {0.94 * length, 0.9 * width, plinth}, {0, 0, 0}));
            b.push_back(standing_box("cabinet", {length, width, height - plinth}, {0, 0, plinth}));
            d.marks.push_back({cell::Mark::Style::ink,
                {{-0.5 * length, -0.35 * width, height}, {0.5 * length, -0.35 * width, height}}});  // the door's side
        } else if (shape == "column") {
            b.push_back(standing_cylinder("column", length, height, {0, 0, 0}));
        } else if (shape == "fence") {
            b.push_back(standing_box("panel", {length, 0.4 * width, height - 0.1}, {0, 0, 0.1}));
            b.back().finish = geometry::Finish::wire;
            for (const double end : {-0.5, 0.5})
                b.push_back(standing_box("post", {width, width, height}, {end * (length - width), 0, 0}));
        } else {  // box and wall
            b.push_back(standing_box("body", {length, width, height}, {0, 0, 0}));
        }
        if (shape == "fence" || shape == "wall") {
            cell::Guard guard;
            guard.from = {-0.5 * length, 0, 0}, guard.to = {0.5 * length, 0, 0}, guard.height = height;
            d.guards.push_back(guard);
        }
        d.mount = geometry::make_frame({0, 0, height});
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Still>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> structure_kind() { return std::make_unique<StructureKind>(); }

}  // namespace escarp::simulation
