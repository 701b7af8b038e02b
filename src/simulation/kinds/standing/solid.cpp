#include <cell/model/device_kind.h>
#include <simulation/kinds.h>

#include "still.h"

namespace escarp::simulation {
namespace {

/// A structure of any shape: bodies given one by one, or a surface from a CAD file.
class SolidKind final : public Kind {
public:
    std::string id() const override { return "solid"; }
    std::string label() const override { return "Own shape"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            bodies("bodies", "bodies", 1).at_first({{{"shape", "box"}, {"size_mm", {400.0, 300.0, 200.0}}}})};
        return all;
    }
    std::vector<cell::Offering> offerings() const override { return {}; }  // it comes from a file
    bool carries_devices() const override { return true; }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        d.bodies = cell::read_bodies(r, "bodies", cell.meshes);
        if (d.bodies.empty())
            r.problem("bodies",
                "At least one body is expected, for example {\"shape\": \"box\", \"size_mm\": [400, 300, 200]}.");
        const geometry::Box3 box = d.extent();
        if (!box.empty())
            d.mount = geometry::make_frame(
                {0.5 * (box.low.x() + box.high.x()), 0.5 * (box.low.y() + box.high.y()), box.high.z()});
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Still>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> solid_kind() { return std::make_unique<SolidKind>(); }

}  // namespace escarp::simulation
