#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "two_places.h"

namespace escarp::simulation {
namespace {

/// A leaf between two posts. It opens while its input "open" is on.
class DoorKind final : public Kind {
public:
    std::string id() const override { return "door"; }
    std::string label() const override { return "Door"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            choice("leaf", "leaf", {"slides", "swings", "rises"}).usually("slides").at_first("slides"),
            choice("towards", "towards", {"left", "right"})
                .usually("left")
                .explained("To which side it slides, or on which side its hinges are, seen along y."),
            choice("face", "leaf is", {"in front", "behind"})
                .usually("in front")
                .explained("On the side of -y, or of +y; it swings out to that side."),
            number("length_mm", "length", 300, 10000).at_first(1000.0),
            number("width_mm", "width", 20, 1000).at_first(120.0),
            number("height_mm", "height", 100, 5000).at_first(2000.0),
            number("swing_deg", "swings by", 10, 180).usually(90),
            number("open_s", "opens in", 0.05, 600).at_first(1.5),
            number("close_s", "closes in", 0.05, 600).at_first(1.5),
            choice("starts", "starts", {"closed", "open"}).usually("closed")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", "Sliding door"}, {id(), "", "Swing door", {{"leaf", "swings"}}}};
    }
    PlacedOn placed_on() const override { return PlacedOn::on_structures; }
    Lane lane() const override { return Lane::work; }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const kinematics::Joint &out = d.axis->model->mechanism.joints.front(),
                                &back = d.axis->others.front().model->mechanism.joints.front();
        const auto takes = [&](const kinematics::Joint& j) {
            return cell::shortest(std::round(1.5e3 * (out.high - out.low) / j.speed) * 1e-3) + " s";
        };
        return "opens in " + takes(out) + ", closes in " + takes(back);
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const cell::Values v(r, fields());
        const double length = v.number("length_mm"), width = v.number("width_mm"), height = v.number("height_mm"),
                     swing = v.number("swing_deg");
        const double post = std::min({0.08, 0.1 * length}), between = length - 2 * post;
        const double side = v.choice("face") == "in front" ? -1 : 1, towards = v.choice("towards") == "left" ? -1 : 1;
        const std::string leaf = v.choice("leaf");
        for (const double end : {-0.5, 0.5})
            d.bodies.push_back(cell::standing_box(
                "post", {post, 0.6 * width, height}, {end * (length - post), -side * 0.2 * width, 0}));
        AxisMake make;
        make.takes = v.number("open_s"), make.takes_back = v.number("close_s");
        const double leaf_high = height - 0.06 * std::min(1.0, height), thick = 0.25 * width;
        geometry::Body panel =
            cell::standing_box("leaf", {between, thick, leaf_high}, {0, side * 0.375 * width, height - leaf_high});
        panel.finish = geometry::Finish::pane;
        if (leaf == "swings") {
            const Vector3 hinge(towards * 0.5 * between, side * 0.375 * width, 0);
            make.type = kinematics::JointType::hinge;
            make.at = geometry::make_frame(hinge);
            // Its free end goes out to the side that the leaf is on.
            make.axis = Vector3(0, 0, -towards * side);
            make.travel = swing;
            panel.at.pretranslate(-hinge);
        } else {
            make.axis = leaf == "rises" ? Vector3(Vector3::UnitZ()) : Vector3(towards, 0, 0);
            make.travel = leaf == "rises" ? leaf_high : between;
        }
        make.high = make.travel;
        const bool open = v.choice("starts") == "open";
        make.start = open ? make.travel : 0;
        make.bodies = {panel};
        d.axis = make_axis(d, std::move(make));
        d.signals = TwoPlaces::signals("closed", "opened", open, "open", open);
        d.mount = geometry::make_frame({0, 0, height});
        d.marks.push_back({cell::Mark::Style::accent,
            {{-0.5 * between, side * 0.375 * width, 0.01}, {0.5 * between, side * 0.375 * width, 0.01}}});
        d.marks.back().lit_by = "closed";
    }
    void mirror(cell::json& device) const override {
        const bool behind = device.contains("face") && device["face"] == "behind";
        device["face"] = behind ? "in front" : "behind";
    }
    std::vector<double> stands_at(const cell::Device& d) const override { return TwoPlaces::values(d); }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<TwoPlaces>(d, index, c, 0.0, d.axis->model->mechanism.joints.front().high);
    }
};

}  // namespace

std::unique_ptr<Kind> door_kind() { return std::make_unique<DoorKind>(); }

}  // namespace escarp::simulation
