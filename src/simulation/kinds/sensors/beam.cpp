#include <cell/model/device_kind.h>
#include <simulation/kinds.h>
#include <simulation/watching.h>

namespace escarp::simulation {
namespace {

struct Line final : cell::Parameters {
    Vector3 from, to;
    std::string detects;
    double on_delay, off_delay, update;
};

class BeamKind final : public Kind {
public:
    std::string id() const override { return "beam"; }
    std::string label() const override { return "Beam"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("span_mm", "span", 10, 20000).at_first(240.0),
            number("beam_height_mm", "height of the line", 1, 5000).at_first(40.0),
            number("on_delay_s", "on-delay", 0, 60).usually(0), number("off_delay_s", "off-delay", 0, 60).usually(0),
            number("update_s", "looks every", 0, 60).usually(0).explained("0: all the time."),
            of(Type::part_type, "detects", "only this part type").usually("")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    Lane lane() const override { return Lane::level; }
    /// Across the belt, before its end.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) return;
        device["span_mm"] = n.value(*belt, "width_mm") + 30;
        n.stand_on(device, *belt, 0.5 * n.value(*belt, "length_mm") - 60);
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        return d.host >= 0 ? "on " + cell.devices[d.host].name : std::string();
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto l = std::make_shared<Line>();
        const cell::Values v(r, fields());
        const double span = v.number("span_mm"), height = v.number("beam_height_mm");
        l->from = {0, -0.5 * span, height};
        l->to = {0, 0.5 * span, height};
        l->on_delay = v.number("on_delay_s");
        l->off_delay = v.number("off_delay_s");
        l->update = v.number("update_s");
        l->detects = v.text("detects");
        if (!l->detects.empty() && cell.part_type(l->detects) < 0)
            r.problem("detects", "\"" + l->detects + "\" is not the id of a part type of this file.");
        d.look = cell::Look::sensor;
        const double size = 0.025, below = d.host >= 0 ? 0.05 : 0.0;  // on a host it hangs at its sides
        for (const double side : {-1.0, 1.0})
            d.bodies.push_back(cell::standing_box(
                "head", {size, size, height + below + 0.02}, {0, side * 0.5 * (span + size), -below}));
        d.marks.push_back({cell::Mark::Style::accent, {l->from, l->to}});
        d.marks.back().lit_by = "made";
        d.signals = {{"made"}, cell::Signal::input_on("enable")};
        d.parameters = std::move(l);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        const Line& line = static_cast<const Line&>(*d.parameters);
        const Vector3 from = d.world * line.from, to = d.world * line.to;
        Watched watched{geometry::Convex::segment(from, to), 0.5 * (from + to), 0.5 * (line.to - line.from).norm(),
            c.part_type(line.detects), line.on_delay, line.off_delay};
        watched.update = line.update;
        return watching(d, index, std::move(watched));
    }
};

}  // namespace

std::unique_ptr<Kind> beam_kind() { return std::make_unique<BeamKind>(); }

}  // namespace escarp::simulation
