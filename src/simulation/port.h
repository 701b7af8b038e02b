#pragma once
// Where parts pass from one device to another: who gives and who takes agree on a part, a place and how it goes on from
// there. One way of asking for arms, belts, infeeds, tables and carriers.

#include <optional>
#include <vector>

#include "trace.h"

namespace escarp::simulation {

class Gate;
class Kernel;

/// A part that can be had, or a place that is free for one: on a seat, or along the device, as things go now.
struct Spot {
    int seat = -1;                      ///< -1: along the device
    int part = -1;                      ///< -1: a free place
    double way = 0;                     ///< along it: how far its origin has come, m
    double speed = 0;                   ///< m/s; 0: it stands
    double until = 0;                   ///< where it is held at the latest, m
    Frame on_path = Frame::Identity();  ///< how it stands on the way there
};

/// How a part comes from a belt, an infeed or a divert to who takes it over.
struct Arrival {
    int part_type;
    double along = 0;                 ///< its origin before (-) or behind (+) the place where that one begins, m
    const Frame* at = nullptr;        ///< comes across from the side: where it stands now, world; null: it rides on
    Vector3 joint = Vector3::Zero();  ///< across: the place where it comes in is the nearest to this point, world
    double speed = 0;                 ///< across: m/s
    double aside = 0, turn = 0;       ///< how it lies beside the line of travel, and about its upright; m, rad
};

/// A part that waits to go over from the side, and since when.
struct MergeRequest {
    Ticks since = never;
    int part = -1;
    bool operator==(const MergeRequest&) const = default;
};

/// Looked for, then claimed or kept, then taken or received; or let go of. What a device does not say, it does not do.
class Port {
public:
    virtual ~Port() = default;

    // For who takes.
    /// Parts that stand and can be had, first the one that is to be taken first, then those that tools beside it may
    /// take.
    virtual std::vector<Spot> standing(const Kernel&) const { return {}; }
    /// Parts that nobody reaches for and of which it is known how they go on; the one nearest to the end first.
    virtual std::vector<Spot> riding(const Kernel&) const { return {}; }
    virtual std::optional<Spot> as_it_rides(const Kernel&, int /*part*/) const { return std::nullopt; }
    virtual void claim(Kernel&, const Spot&) {}
    virtual void taken(Kernel&, const Spot&) {}

    // For who gives.
    /// Seats that a part of a type can be put on, first the one that is to be filled first, then those for tools beside
    /// it.
    virtual std::vector<Spot> places(const Kernel&, int /*part_type*/) const { return {}; }
    /// Whether a part of a type could ride with its origin at a place.
    virtual std::optional<Spot> place_along(const Kernel&, int /*part_type*/, double /*way*/) const {
        return std::nullopt;
    }
    /// How fast parts ride; 0: they stand; nothing while that changes by itself. m/s
    virtual std::optional<double> rides_at_speed(const Kernel&) const { return std::nullopt; }
    /// The place is for that part from now on; one along the device rides.
    virtual void keep(Kernel&, const Spot& /*place*/, int /*part*/) {}
    virtual void received(Kernel&, const Spot& /*place*/, int /*part*/) {}

    virtual void let_go(Kernel&, int /*part*/) {}     ///< what was claimed or kept is free again
    virtual void loaded(Kernel&, int /*carrier*/) {}  ///< something else lies on a carrier that stands or rides here

    // For belts, infeeds and diverts, which hand on by themselves.
    virtual bool accepts(const Kernel&, const Arrival&) const { return false; }
    virtual void enter(Kernel&, int /*part*/, const Arrival&) {}
    virtual std::optional<MergeRequest> request_to_cross(const Kernel&) const { return std::nullopt; }  ///< see Kind::side_joint
    virtual std::vector<Gate*> gates() { return {}; }  ///< along the belt that it stands on
};

}  // namespace escarp::simulation
