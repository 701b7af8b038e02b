#include <simulation/kinds.h>
#include <simulation/kinds/standing/still.h>

namespace escarp::simulation {
namespace {

/// Beams between two posts that stop the cell when a person reaches or walks through. Nobody does in the simulation: it
/// is there to be placed far enough from what moves (inspection/people.h).
class LightCurtainKind final : public Kind {
public:
    std::string id() const override { return "light_curtain"; }
    std::string label() const override { return "Light curtain"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{number("length_mm", "length", 200, 20000).at_first(1200.0),
            number("bottom_mm", "lowest beam at", 0, 3000).usually(150),
            number("height_mm", "highest beam at", 100, 5000).at_first(1500.0),
            number("detection_mm", "detects from", 5, 400)
                .usually(30)
                .explained("Detection capability: the least diameter of what is seen anywhere between the beams."),
            number("response_s", "stops the cell after", 0, 10)
                .usually(0.05)
                .explained("Response of the curtain and of the control, until the arms begin to slow down.")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const cell::Values v(r, fields());
        const double length = v.number("length_mm"), bottom = v.number("bottom_mm"), top = v.number("height_mm");
        if (top <= bottom) r.problem("height_mm", "The highest beam has to be above the lowest one.");
        constexpr double post = 0.05;
        d.look = cell::Look::sensor;
        for (const double side : {-1.0, 1.0})
            d.bodies.push_back(cell::standing_box("post", {post, post, top}, {side * 0.5 * (length - post), 0, 0}));
        const Vector3 from(-0.5 * length, 0, 0), to(0.5 * length, 0, 0);
        d.mount = geometry::make_frame({0, 0, top});
        constexpr int drawn = 9;
        for (int i = 0; i < drawn; ++i) {
            const Vector3 up(0, 0, bottom + (top - bottom) * i / (drawn - 1));
            d.marks.push_back({cell::Mark::Style::accent, {from + up, to + up}});
        }
        cell::Guard guard;
        guard.from = from, guard.to = to;
        guard.bottom = bottom, guard.height = top;
        guard.detection = v.number("detection_mm"), guard.response_s = v.number("response_s");
        d.guards.push_back(guard);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Still>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> light_curtain_kind() { return std::make_unique<LightCurtainKind>(); }

}  // namespace escarp::simulation
