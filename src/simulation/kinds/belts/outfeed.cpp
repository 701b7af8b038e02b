#include <cell/model/device_kind.h>
#include <simulation/kinds.h>

#include "hood.h"

namespace escarp::simulation {
namespace {

/// Parts leave the cell here, from a belt or from an arm, as soon as they arrive.
class Leaving final : public Behaves<Leaving> {
public:
    Leaving(const cell::Device& d, int index, bool counted) : Acts(d, index), counted_(counted) {}
    bool accepts(const Kernel&, const Arrival&) const override { return true; }
    /// From the side it comes across first.
    void enter(Kernel& k, int part, const Arrival& a) override {
        if (!a.at) return k.remove(part, counted_);
        const Vector3 over = (device_.world * device_.seats.front().at).translation() - a.at->translation();
        const Ticks takes = std::max<Ticks>(1, ticks(over.norm() / a.speed));
        k.put(part, index_, 0, *a.at, {.velocity = over / seconds(takes)}, k.now() + takes);
        k.at(k.now() + takes, *this, 0, part);
    }
    void event(Kernel& k, int, int part) override { k.remove(part, counted_); }
    std::vector<Spot> places(const Kernel&, int) const override {
        return reserved_ ? std::vector<Spot>{} : std::vector<Spot>{{0}};
    }
    void keep(Kernel&, const Spot&, int) override { reserved_ = true; }
    void received(Kernel& k, const Spot&, int part) override {
        reserved_ = false;
        k.remove(part, counted_);
    }
    void write_state(StateWriter& w) const override { w.add(reserved_); }

private:
    const bool counted_;
    bool reserved_ = false;
};

struct Opening final : cell::Parameters {
    bool counted = true;
};

class OutfeedKind final : public Kind {
public:
    std::string id() const override { return "outfeed"; }
    std::string label() const override { return "Outfeed"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{
            choice("shape", "shape", {"chute", "hood", "bin"}).usually("chute").at_first("chute"),
            number("length_mm", "length", 50, 5000).lacking().at_first(300.0),
            number("width_mm", "width", 50, 5000).lacking().at_first(240.0),
            number("height_mm", "height", 50, 5000).lacking().at_first(700.0),
            flag("counted", "in the rate", true)
                .as_said({"counted", "not counted"})
                .explained("Whether parts that leave here are parts that the cell has made.")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", label()}, {id(), "", "Chute", {{"shape", "chute"}}},
            {id(), "", "Bin", {{"shape", "bin"}, {"length_mm", 400.0}, {"width_mm", 300.0}, {"height_mm", 220.0}}}};
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    bool takes_from_belts() const override { return true; }
    /// A hood over the end of the belt that was chosen, if that hands on to nothing yet.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.near();
        if (!belt || !belt->kind->moves_parts()) return;
        const cell::json* own = cell::find(n.tree(), cell::at_device(belt->id));
        if (!own || !own->value("to", "").empty()) return;
        device["shape"] = "hood";
        device["width_mm"] = n.value(*belt, "width_mm") + 30;
        device["height_mm"] = 250.0;
        n.stand_on(device, *belt, 0.5 * n.value(*belt, "length_mm") - 0.4 * device["length_mm"].get<double>());
        n.operations.push_back(cell::Operation::set(cell::at_device(belt->id) / "to", device["id"]));
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        d.look = cell::Look::sink;
        const cell::Values v(r, fields());
        auto opening = std::make_shared<Opening>();
        opening->counted = v.flag("counted");
        d.parameters = std::move(opening);
        const std::string shape = v.choice("shape");
        if (shape == "hood") {
            add_hood(v.number("length_mm", 300), v.number("width_mm", 240), v.number("height_mm", 250), d);
            d.seats = {{"opening", Frame::Identity()}};
            return;
        }
        // A box with a rim; a part let go in its opening drops out of sight. A chute is closed to just below the rim.
        const double length = v.number("length_mm"), width = v.number("width_mm"), height = v.number("height_mm");
        const double sheet = 0.012,
                     depth = shape == "bin" ? height - std::min(0.012, 0.2 * height) : std::min(0.12, 0.5 * height);
        d.bodies.push_back(cell::standing_box("floor", {length, width, height - depth}, {0, 0, 0}));
        for (const double side : {-1.0, 1.0}) {
            d.bodies.push_back(
                cell::standing_box("rim", {length, sheet, depth}, {0, side * 0.5 * (width - sheet), height - depth}));
            d.bodies.push_back(cell::standing_box(
                "rim", {sheet, width - 2 * sheet, depth}, {side * 0.5 * (length - sheet), 0, height - depth}));
        }
        const double x = 0.5 * length - sheet, y = 0.5 * width - sheet;
        d.marks.push_back({cell::Mark::Style::muted, {{-x, -y, height}, {x, y, height}}});
        d.marks.push_back({cell::Mark::Style::muted, {{-x, y, height}, {x, -y, height}}});
        d.seats = {{"opening",
            geometry::make_frame({0, 0, shape == "bin" ? std::max(height - depth, 0.7 * height) : height - depth})}};
        d.mount = geometry::make_frame({0, 0, height});
    }
    std::vector<int> pick_seats(const cell::Device&) const override { return {}; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Leaving>(d, index, static_cast<const Opening&>(*d.parameters).counted);
    }
    std::vector<int> place_seats(const cell::Device&) const override { return {0}; }
};

}  // namespace

std::unique_ptr<Kind> outfeed_kind() { return std::make_unique<OutfeedKind>(); }

}  // namespace escarp::simulation
