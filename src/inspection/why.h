#pragma once
// Why does a device wait: the chain of who waits for whom, back to what really holds things up.

#include <simulation/run.h>

namespace escarp::inspection {

/// One device of the chain, and what it does at the instant that is asked about.
struct WhyLink {
    int device = -1;
    int block = -1;     ///< index into the trace; -1: it does nothing
    std::string words;  ///< "waits for Tester free", "processes a part until 12.30 s"
    bool waits = false;
};

struct Why {
    std::vector<WhyLink> chain;  ///< from the device that was asked about
    bool ring = false;           ///< the last link waits for one that stands in the chain already
    int back_to = -1;            ///< ring: index of that link
};

/// `t`: within the run. A wait that ends is followed to the block that ended it; one that never ends to whom it waits
/// for. Empty where the device has no block at all.
Why why(const cell::Cell& cell, const simulation::Run& run, int device, simulation::Ticks t);
/// Waits (numbers of blocks) that never end though the cell goes on: of whoever waits all through a period that recurs,
/// and of one that does not recur all through its second half. Tasks that only listen (side tasks that have done
/// nothing yet) are none of them; where nothing at all goes on, see Run::stuck.
std::vector<int> waits_for_ever(const simulation::Run& run);
/// "Arm 1 waits for Tester free, because Arm 2 ..., because ...".
std::string in_words(const cell::Cell& cell, const Why& why);

}  // namespace escarp::inspection
