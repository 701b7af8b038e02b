#pragma once
// Where on their way movers ask a device for space and give it back, as the device's table says it.

#include <cell/model/device_kind.h>
#include <simulation/kernel.h>

namespace escarp::simulation {

struct PassingPoint {
    std::string whose;  ///< by the table's own first key
    bool asks;
    std::string step;
    BlockKind kind;
    double share, early;
    int visit = 1;
    int place = 0;  ///< of what is no arm
};

/// The keys of a row: `whose` first, then those that all tables have, then `more`.
cell::Fields passing_fields(cell::Field whose, cell::Fields more = {});
PassingPoint read_passing(const cell::Values& row, const std::string& whose);
/// Of a mover (a device), in the order of the table.
template <typename IsOf>
std::vector<Checkpoint> checkpoints_at(
    const std::vector<PassingPoint>& points, const cell::Cell& cell, int device, int mover, const IsOf& is_of) {
    std::vector<Checkpoint> out;
    for (const PassingPoint& p : points) {
        if (!is_of(p)) continue;
        if (p.place > 0) out.push_back({device, -1, p.kind, p.share, p.asks, p.early, p.visit, p.place});
        for (const cell::Step* s : cell::all_steps(cell.devices[mover]))
            if (s->id == p.step) out.push_back({device, s->number, p.kind, p.share, p.asks, p.early, p.visit});
    }
    return out;
}

/// What points name that is not there: "step s9 of Arm 1". `mover_of`: the device of a point, -1 for none.
template <typename MoverOf>
std::vector<std::string> points_of_nothing(
    const std::vector<PassingPoint>& points, const cell::Cell& cell, const MoverOf& mover_of) {
    std::vector<std::string> out;
    const auto tell = [&](std::string what) {
        if (std::find(out.begin(), out.end(), what) == out.end()) out.push_back(std::move(what));
    };
    for (const PassingPoint& p : points) {
        const int mover = mover_of(p);
        if (mover < 0) {
            tell("a device \"" + p.whose + "\"");
            continue;
        }
        if (p.place > 0) continue;
        const std::vector<const cell::Step*> steps = cell::all_steps(cell.devices[mover]);
        if (std::none_of(steps.begin(), steps.end(), [&](const cell::Step* s) { return s->id == p.step; }))
            tell("step \"" + p.step + "\" of " + cell.devices[mover].name);
    }
    return out;
}

}  // namespace escarp::simulation
