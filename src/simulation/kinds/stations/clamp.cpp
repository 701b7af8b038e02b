#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "two_places.h"

namespace escarp::simulation {
namespace {

/// A jaw that holds a part down. It closes while its input "close" is on.
class ClampKind final : public Kind {
public:
    std::string id() const override { return "clamp"; }
    std::string label() const override { return "Clamp"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{choice("jaw", "jaw", {"swings", "slides"}).usually("swings").at_first("swings"),
            number("length_mm", "length", 20, 2000).at_first(160.0),
            number("width_mm", "width", 5, 1000).at_first(40.0), number("height_mm", "height", 10, 1000).at_first(90.0),
            number("swing_deg", "swings by", 5, 180).usually(80), number("slide_mm", "slides by", 1, 1000).usually(50),
            number("close_s", "closes in", 0.01, 60).at_first(0.3),
            number("open_s", "opens in", 0.01, 60).at_first(0.3),
            choice("starts", "starts", {"closed", "open"}).usually("open")};
        return all;
    }
    Lane lane() const override { return Lane::work; }
    bool presses() const override { return true; }
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        if (n.near() && n.near()->kind->carries_devices()) n.stand_on(device, *n.near());
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const cell::Values v(r, fields());
        const double length = v.number("length_mm"), width = v.number("width_mm"), height = v.number("height_mm"),
                     swing = v.number("swing_deg"), slide = v.number("slide_mm");
        const bool swings = v.choice("jaw") == "swings", open = v.choice("starts") == "open";
        d.look = cell::Look::fixture;
        // A foot at the back; the jaw reaches forward over it to what it presses on.
        const double foot = 0.4 * length, bar = 0.25 * height;
        d.bodies.push_back(cell::standing_box("foot", {foot, width, height - bar}, {-0.5 * (length - foot), 0, 0}));
        geometry::Body jaw = cell::standing_box("jaw", {length, 0.6 * width, bar}, {0, 0, height - bar});
        AxisMake make;
        make.takes = v.number("open_s"), make.takes_back = v.number("close_s");
        if (swings) {
            const Vector3 pivot(-0.5 * length + 0.5 * foot, 0, height - 0.5 * bar);
            make.type = kinematics::JointType::hinge;
            make.at = geometry::make_frame(pivot);
            make.axis = -Vector3::UnitY();  // its front rises
            make.travel = swing;
            jaw.at.pretranslate(-pivot);
        } else {
            make.axis = -Vector3::UnitX();
            make.travel = slide;
        }
        make.high = make.travel;
        make.start = open ? make.travel : 0;
        make.bodies = {jaw};
        d.axis = make_axis(d, std::move(make));
        d.signals = TwoPlaces::signals("closed", "opened", open, "close", !open);
        d.mount = geometry::make_frame({0, 0, height});
        d.marks.push_back({cell::Mark::Style::accent, {{0, 0, height}, {0.5 * length, 0, height}}});
        d.marks.back().lit_by = "closed";
    }
    std::vector<double> stands_at(const cell::Device& d) const override { return TwoPlaces::values(d); }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<TwoPlaces>(d, index, c, d.axis->model->mechanism.joints.front().high, 0.0);
    }
};

}  // namespace

std::unique_ptr<Kind> clamp_kind() { return std::make_unique<ClampKind>(); }

}  // namespace escarp::simulation
