#pragma once
// Looks whether the state of a run recurs.

#include <map>

#include "kernel.h"
#include "run.h"

namespace escarp::simulation {

class SteadyWatch {
public:
    /// To be told after every step of the kernel.
    void look(const Kernel& kernel);
    const std::optional<Steady>& found() const { return found_; }

private:
    std::map<StateKey, std::pair<Ticks, std::size_t>> seen_;
    std::optional<Steady> found_;
    std::size_t looked_ = 0;      ///< bytes of states
    std::size_t departures_ = 0;  ///< before the last step
};

}  // namespace escarp::simulation
