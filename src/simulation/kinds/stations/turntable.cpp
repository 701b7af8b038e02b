#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "table.h"

namespace escarp::simulation {
namespace {

/// A round table that turns on by a place at a time.
class TurntableKind final : public TableKind {
public:
    std::string id() const override { return "turntable"; }
    std::string label() const override { return "Turntable"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all = with_common({number("diameter_mm", "diameter", 100, 10000).at_first(900.0),
            number("height_mm", "height", 100, 5000).at_first(800.0),
            whole("places", "places", 2, 48).usually(4).at_first(4),
            number("turn_s", "turns in", 0.05, 600).at_first(1.2),
            choice("turns", "turns", {"left", "right"}).usually("left"),
            number("nests_at_mm", "nest radius", 10, 5000).usually(320).at_first(320.0),
            whole("nests", "nests each", 1, 20).usually(1), number("pitch_mm", "nest pitch", 1, 5000).usually(100),
            whole("loads_at", "loaded at", 1, 48)
                .usually(1)
                .explained("The first place is on the side of x; they follow as it turns."),
            whole("gives_at", "emptied at", 1, 48).usually(1)});
        return all;
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Table& t = table_of(d);
        return std::to_string(t.places()) + " places \u00b7 " + std::to_string(t.nests * t.places()) + " nests";
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto t = std::make_shared<Table>();
        const cell::Values v(r, fields());
        const double diameter = v.number("diameter_mm"), height = v.number("height_mm"), out = v.number("nests_at_mm");
        const int places = v.whole("places");
        const double pitch = 2 * geometry::pi / places, way = v.choice("turns") == "left" ? 1 : -1;
        t->whole_turn = 2 * geometry::pi;
        for (int i = 0; i < places; ++i) t->values.push_back(i * pitch);
        t->nests = v.whole("nests");
        for (const auto& [key, place] : {std::pair("loads_at", &t->loads_at), std::pair("gives_at", &t->gives_at)}) {
            *place = v.whole(key) - 1;
            if (*place < places) continue;
            r.problem(key, "The table has " + std::to_string(places) + " places; one of them is expected.");
            *place = 0;
        }
        read_common(v, *t, d);
        const double disc = std::min(0.04, 0.2 * height), pad = std::min(0.006, 0.1 * height);
        d.bodies.push_back(cell::standing_cylinder("base", 0.7 * diameter, 0.99 * (height - disc - pad), {0, 0, 0}));
        AxisMake make;
        make.type = kinematics::JointType::hinge;
        make.axis = Vector3(0, 0, way);
        make.travel = pitch, make.high = t->whole_turn;
        make.takes = make.takes_back = v.number("turn_s");
        make.bodies.push_back(cell::standing_cylinder("disc", diameter, disc, {0, 0, height - disc - pad}));
        const double beside = v.number("pitch_mm");
        std::vector<Frame> nests;
        nests.reserve(static_cast<std::size_t>(t->nests));
        for (int n = 0; n < t->nests; ++n)
            nests.push_back(geometry::make_frame({out, (n - 0.5 * (t->nests - 1)) * beside, height}));
        for (int place = 0; place < places; ++place) {
            geometry::Body under = cell::standing_box(
                "pad", {0.12 * diameter, (t->nests - 1) * beside + 0.12 * diameter, pad}, {out, 0, height - pad});
            under.at = geometry::make_frame(Vector3::Zero(), {0, 0, way * place * pitch}) * under.at;
            make.bodies.push_back(std::move(under));
        }
        d.axis = make_axis(d, std::move(make));
        add_seats(*t, nests, d);
        d.mount = geometry::make_frame({0, 0, height});
        d.parameters = std::move(t);
    }
    void mirror(cell::json& device) const override {
        const bool right = device.contains("turns") && device["turns"] == "right";
        device["turns"] = right ? "left" : "right";
    }
};

}  // namespace

std::unique_ptr<Kind> turntable_kind() { return std::make_unique<TurntableKind>(); }

}  // namespace escarp::simulation
