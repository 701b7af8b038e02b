#pragma once
// Can the cell lock up? Every order in which what goes on may end is gone through: a motion, a process, an exchange may
// take as long as it likes. What rides on belts keeps its times; part results and chance go either way.

#include "inspect.h"

namespace escarp::inspection {

/// What happens next on the way into a lock-up.
struct OrderStep {
    int device = -1;
    std::string words;           ///< "Pick from Tester: move"; what it begins, or ends
    simulation::Ticks when = 0;  ///< in `Orders::run`
};

struct Orders {
    enum class Verdict { goes_on, locks_up, undecided } verdict = Verdict::undecided;
    std::size_t states = 0;     ///< that were seen
    std::string why_undecided;  ///< "more than 20000 states"
    // The shortest way in, where it locks up:
    std::vector<OrderStep> way;
    bool always = false;                         ///< every order leads there, from the start on
    std::size_t no_way_out = 0;                  ///< else: index of the step after which it cannot be avoided any more
    std::vector<int> devices;                    ///< that never go on
    std::vector<simulation::Run::Wait> waits;    ///< who of them waits for whom
    std::shared_ptr<const simulation::Run> run;  ///< that way, slowed where it has to be; null: times cannot follow it
};

inline constexpr std::size_t usual_most_states = 30'000;

/// Which orders are gone through: those that come to the same once, or `all` of them.
enum class Which { those_that_differ, all };
/// Throws Cancelled when stopped.
std::shared_ptr<const Orders> explore_orders(const cell::Cell& cell, Cache& cache, const StopFlag* stop = nullptr,
    std::size_t most_states = usual_most_states, Which which = Which::those_that_differ);

/// The same, kept by what the cell was read from; null where no mover asks for leave anywhere.
std::shared_ptr<const Orders> orders_of(
    const cell::Cell& cell, const std::string& text, Cache& cache, const StopFlag* stop = nullptr);

}  // namespace escarp::inspection
