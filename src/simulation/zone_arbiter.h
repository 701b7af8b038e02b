#pragma once
// Space that movers share: who is asked for it, where on a mover's way that is done, and by which rules it is decided.

#include <string>
#include <vector>

#include "trace.h"

namespace escarp::simulation {

class Kernel;

class ZoneArbiter {
public:
    virtual ~ZoneArbiter() = default;
    virtual bool asked(int mover) const = 0;  ///< it wants to go in, or is there
    virtual bool may(int mover) const = 0;
    /// From now on a mover (a device) wants to go in, for one of its visits (a number of its own); whether it may at
    /// once. Those that listen to the arbiter's device are asked again when it may later.
    virtual bool ask(Kernel& kernel, int mover, int visit) = 0;
    virtual void give_back(Kernel& kernel, int mover) = 0;
};

/// A place on the way of a mover, in the motions of one kind of one of its steps.
struct Checkpoint {
    int arbiter;      ///< device
    int step;        ///< number; -1: of what is no arm
    BlockKind kind;  ///< of the block that the motion belongs to
    double share;    ///< of the motion's duration
    bool asks;       ///< it may not pass here without leave; else it gives that back here
    double early;    ///< asks: so long before it would have to slow down, s
    int visit = 1;   ///< asks: which of the mover's visits begins here
    int place = 0;   ///< of what is no arm: the one that it goes to, from 1; it asks for that before it sets off
};

/// By which rule an interlock lets in, as the file says it.
namespace let_in {
inline const std::string first_come = "first come", first = "first before second", second = "second before first",
                         turns = "in turn", both_apart = "both where they do not meet";
inline const std::vector<std::string>& all() {
    static const std::vector<std::string> rules{first_come, first, second, turns, both_apart};
    return rules;
}
}  // namespace let_in

/// All of one mover, of every arbiter in the cell.
std::vector<Checkpoint> checkpoints_of(const cell::Cell& cell, int mover);

}  // namespace escarp::simulation
