#pragma once
// A belt: what is read of it, and what stands along it and has a say in how far its parts may go.

#include <algorithm>

#include <simulation/kernel.h>

#include "belt_path.h"

namespace escarp::simulation {

struct Belt final : cell::Parameters {
    enum class Runs { always, when_asked, by_itself };  ///< steadily, or by a pitch
    BeltPath path;
    double width, height, speed, gap;
    double acceleration = 0;                               ///< m/s^2; 0: it runs and stands at once
    double friction = 0.4;                                 ///< between parts and belt
    double run = 0, rise = 0, rise_radius = 0, slope = 0;  ///< see slope_of; 0: it is level
    Runs runs = Runs::always;
    double pitch = 0, dwell = 0;  ///< of a belt that moves by a pitch
    bool all_stand = false;       ///< parts do not close up: where one is held, all stand
    enum class First { come, through, side, turns } first = First::come;
    bool from_side = false;  ///< comes in along the next belt, where its end lies
    std::string to;
    double length() const { return path.length(); }
    Frame on_top(double way) const { return geometry::make_frame({0, 0, height}) * path.at(way); }
};

inline const Belt& belt_of(const cell::Device& d) { return static_cast<const Belt&>(*d.parameters); }
/// Null: the device carries parts in another way, or none.
inline const Belt* as_belt(const cell::Device& d) { return dynamic_cast<const Belt*>(d.parameters.get()); }
/// The place along a belt that is nearest to a point of the world, m.
inline double nearest_way(const cell::Device& belt, const Vector3& world) {
    return belt_of(belt).path.nearest(belt.world.inverse() * world);
}

/// Something at a place along a belt that may hold parts there.
class Gate {
public:
    virtual ~Gate() = default;
    /// Where a part's origin stands that is held, m along the belt.
    virtual double holds_at(const cell::PartType& type) const = 0;
    /// Whether a part that comes must not go on from there. Asked from the front of the line to its end.
    virtual bool holds(Kernel& k, int part) = 0;
    virtual void reached(Kernel&, int /*part*/) {}  ///< it stands there
};

/// What a gate may ask of its belt.
class CarryingBelt : public Behaviour {
public:
    using Behaviour::Behaviour;
    virtual void take_off(Kernel& k, int part) = 0;
    virtual void look_again(Kernel& k) = 0;  ///< a gate has opened or closed
    /// When a part's origin will have come so far along the belt, as all runs now; now or before: it is there or gone.
    virtual Ticks reaches(const Kernel& k, int part, double way) const = 0;
};

/// What belongs on a belt, and where it stands on one.
class AlongBelts : public Kind {
public:
    using Kind::Kind;
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    /// The belt, or -1.
    virtual int belt(const cell::Device& device) const = 0;
    Lane lane() const override { return Lane::level; }
    /// As wide as the belt that is meant, over its middle.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* on = n.belt();
        if (!on) throw cell::InputError(id(), label() + " stands along a conveyor: place a conveyor first.");
        device["width_mm"] = n.value(*on, "width_mm");
        n.stand_on(device, *on);
    }

protected:
    /// One on either side of the belt, on its edge.
    static void add_housings(cell::Device& d, double length, double width) {
        const double wide = std::min(0.02, 0.15 * width);
        for (const double side : {-1.0, 1.0})
            d.bodies.push_back(
                cell::standing_box("housing", {length, wide, 0.03}, {0, side * 0.5 * (width - wide), 0}));
    }
};

/// What stands on a belt, at the place that is nearest to it.
struct AlongBelt {
    int belt;    ///< index of its device
    double way;  ///< m
};
/// Nothing: it stands on no belt.
inline std::optional<AlongBelt> along_belt(const cell::Cell& cell, const cell::Device& d) {
    if (d.host < 0 || !as_belt(cell.devices[d.host])) return std::nullopt;
    return AlongBelt{d.host, nearest_way(cell.devices[d.host], d.world.translation())};
}

}  // namespace escarp::simulation
