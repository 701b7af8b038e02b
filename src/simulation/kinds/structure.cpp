#include <cell/device_kind.h>

#include "kinds.h"

namespace escarp::simulation {
namespace {

class Still final : public Behaviour {
public:
    using Behaviour::Behaviour;
};

/// Table, cabinet, wall, pedestal, fence: stands there and must not be hit.
class StructureKind final : public Kind {
public:
    std::string id() const override { return "structure"; }
    std::string label() const override { return "Structure"; }
    cell::json fresh() const override { return {{"shape", "box"}, {"length_mm", 600.0}, {"width_mm", 600.0}, {"height_mm", 800.0}}; }
    std::vector<cell::Field> fields() const override {
        return {{"shape", "shape", 0, 0, cell::Field::Type::choice, {"box", "pedestal", "fence"}},
                {"length_mm", "length", 10, 50000},
                {"width_mm", "width", 10, 50000},
                {"height_mm", "height", 1, 10000}};
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const std::string shape = r.choice("shape", {"box", "pedestal", "fence"}, "box");
        const double length = r.number("length_mm", {10, 50000}), height = r.number("height_mm", {1, 10000});
        const double width = r.number("width_mm", {10, 50000}, shape == "fence" ? 40.0 : length * 1e3);
        if (shape == "pedestal") {
            const double flange = std::min(0.03, 0.2 * height);  // round foot and head plates on a column
            d.bodies.push_back(cell::standing_cylinder("foot", length, flange, {0, 0, 0}));
            d.bodies.push_back(cell::standing_cylinder("column", 0.7 * length, height - 2 * flange, {0, 0, flange}));
            d.bodies.push_back(cell::standing_cylinder("head", length, flange, {0, 0, height - flange}));
        } else if (shape == "fence") {
            d.bodies.push_back(cell::standing_box("panel", {length, 0.4 * width, height - 0.1}, {0, 0, 0.1}));
            d.bodies.back().see_through = true;
            for (const double end : {-0.5, 0.5}) d.bodies.push_back(cell::standing_box("post", {width, width, height}, {end * (length - width), 0, 0}));
        } else {
            d.bodies.push_back(cell::standing_box("body", {length, width, height}, {0, 0, 0}));
        }
        d.mount = geometry::make_frame({0, 0, height});
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override { return std::make_unique<Still>(d, index); }
};

}  // namespace

std::unique_ptr<Kind> structure_kind() { return std::make_unique<StructureKind>(); }

}  // namespace escarp::simulation
