#include "steady.h"

namespace escarp::simulation {
namespace {
// Looking whether a state recurs takes as long as the state is large: where hundreds of belts let a part go every few
// milliseconds, not every time is looked at (a period that is found may then be several of them). Bytes of state looked
// at, to begin with and for each event.
constexpr std::size_t looks_free = 64u << 20, looks_per_event = 4000;
}  // namespace

void SteadyWatch::happened(const Kernel& k) {
    const std::size_t left = k.trace().departures.size();
    const bool part_left = left != departures_ || k.part_left_now();
    departures_ = left;
    const bool round_done = k.trace().parts.empty() && k.round_done_now();
    // A state is only looked at when the instant is over: what else happens now belongs to it.
    if (found_ || k.random() || !k.instant_over() || !(part_left || round_done) ||
        looked_ > looks_free + looks_per_event * k.steps())
        return;
    const std::string bytes = k.state();
    looked_ += bytes.size();
    const auto [at, fresh] = seen_.try_emplace(key_of_state(bytes), k.now(), left);
    const auto [then, left_then] = at->second;
    if (fresh || then == k.now()) return;
    found_ = Steady{then, k.now() - then, static_cast<int>(left - left_then), left - (part_left ? 1 : 0)};
}

}  // namespace escarp::simulation
