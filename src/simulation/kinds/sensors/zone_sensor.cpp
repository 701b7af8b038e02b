#include <cell/model/device_kind.h>
#include <simulation/kinds.h>
#include <simulation/watching.h>

#include "prism.h"

namespace escarp::simulation {
namespace {

struct Volume final : cell::Parameters {
    std::vector<Vector3> corners;  ///< in the device's frame: the bottom's, then the top's
    std::string detects;
    double on_delay, off_delay, update;
};

class ZoneSensorKind final : public Kind {
public:
    std::string id() const override { return "zone_sensor"; }
    std::string label() const override { return "Zone sensor"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{choice("shape", "shape", {"box", "cylinder"}).usually("box").at_first("box"),
            number("length_mm", "length, or diameter", 1, 20000).at_first(200.0),
            number("width_mm", "width of a box", 1, 20000).usually(200).at_first(200.0),
            number("height_mm", "height", 1, 10000).at_first(150.0),
            number("above_mm", "begins above", 0, 10000).usually(0), number("on_delay_s", "on-delay", 0, 60).usually(0),
            number("off_delay_s", "off-delay", 0, 60).usually(0),
            number("update_s", "looks every", 0, 60).usually(0).explained("0: all the time."),
            of(cell::Field::Type::part_type, "detects", "only this part type").usually("")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    Lane lane() const override { return Lane::level; }
    /// Over the middle of the belt.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) return;
        device["width_mm"] = n.value(*belt, "width_mm");
        n.stand_on(device, *belt);
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        return d.host >= 0 ? "on " + cell.devices[d.host].name : std::string();
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto volume = std::make_shared<Volume>();
        const cell::Values v(r, fields());
        const bool round = v.choice("shape") == "cylinder";
        const double length = v.number("length_mm"), width = round ? length : v.number("width_mm"),
                     height = v.number("height_mm"), above = v.number("above_mm");
        if (round) v.number("width_mm");  // has no meaning there
        volume->detects = v.text("detects");
        volume->on_delay = v.number("on_delay_s"), volume->off_delay = v.number("off_delay_s");
        volume->update = v.number("update_s");
        if (!volume->detects.empty() && cell.part_type(volume->detects) < 0)
            r.problem("detects", "\"" + volume->detects + "\" is not the id of a part type of this file.");
        volume->corners = prism_corners(round, length, width, above, height);
        d.look = cell::Look::sensor;
        // Its head stands beside what it watches and looks at it.
        d.bodies.push_back(cell::standing_box(
            "head", {0.04, 0.03, above + height + 0.03}, {0, 0.5 * width + (round ? 0.04 : 0.03), 0}));
        mark_prism(d, volume->corners, round, "made");
        d.signals = {{"made"}, cell::Signal::input_on("enable"), cell::Signal::count("count")};
        d.parameters = std::move(volume);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        const Volume& volume = static_cast<const Volume&>(*d.parameters);
        std::vector<Vector3> corners = in_world(d, volume.corners);
        Vector3 middle = Vector3::Zero();
        for (const Vector3& p : corners) middle += p / static_cast<double>(corners.size());
        double reach = 0;
        for (const Vector3& p : corners) reach = std::max(reach, (p - middle).norm());
        Watched watched{geometry::Convex::hull(std::move(corners)), middle, reach, c.part_type(volume.detects),
            volume.on_delay, volume.off_delay, true};
        watched.update = volume.update;
        return watching(d, index, std::move(watched));
    }
};

}  // namespace

std::unique_ptr<Kind> zone_sensor_kind() { return std::make_unique<ZoneSensorKind>(); }

}  // namespace escarp::simulation
