#pragma once
// Parts that go over from a device to another by themselves.

#include "belt.h"

namespace escarp::simulation {

/// Sets a part off towards a seat of a device, in a line; when it is there.
inline Ticks slide_in(Kernel& k, int part, const cell::Device& device, int index, int seat, double speed) {
    const Frame there = device.world * device.seats[seat].at;
    Frame from;
    if (!k.trace().part_frame(k.cell(), part, k.now(), from)) from = there;
    const Vector3 way = there.translation() - from.translation();
    const Ticks takes = std::max<Ticks>(1, ticks(way.norm() / speed));
    k.put(part, index, seat, from, {.velocity = way / seconds(takes)}, k.now() + takes);
    return k.now() + takes;
}

/// Where a part comes to that goes over to a device: at its first seat, or on a belt at the place nearest to `joint`.
inline Vector3 comes_to(const cell::Device& there, const Vector3& joint) {
    if (there.seats.empty()) return there.world.translation();
    if (!as_belt(there)) return (there.world * there.seats.front().at).translation();
    return (there.world * belt_of(there).on_top(nearest_way(there, joint))).translation();
}

/// A part that a device hands on, to a belt at its beginning.
class Leaving {
public:
    Leaving(const Kernel& k, int part, int next, double speed)
        : there_(k.cell().devices[next]), type_(k.trace().parts[part].type), speed_(speed) {
        k.trace().part_frame(k.cell(), part, k.now(), at_);
    }
    /// Valid as long as this.
    Arrival arrival() const {
        Arrival a{type_, 0, &at_, {}, speed_};
        if (as_belt(there_)) a.joint = (there_.world * there_.ends.front()).translation();
        return a;
    }
    /// Until it has gone over.
    Ticks takes() const {
        const Vector3 way = comes_to(there_, arrival().joint) - at_.translation();
        return std::max<Ticks>(1, ticks(way.norm() / speed_));
    }

private:
    const cell::Device& there_;
    const int type_;
    const double speed_;
    Frame at_ = Frame::Identity();
};

}  // namespace escarp::simulation
