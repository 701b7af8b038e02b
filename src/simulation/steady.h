#pragma once
// Looks whether the state of a run recurs.

#include <map>

#include "run_session.h"

namespace escarp::simulation {

class SteadyWatch final : public RunObserver {
public:
    void happened(const Kernel& kernel) override;
    const std::optional<Steady>& found() const { return found_; }

private:
    std::map<StateKey, std::pair<Ticks, std::size_t>> seen_;
    std::optional<Steady> found_;
    std::size_t looked_ = 0;      ///< bytes of states
    std::size_t departures_ = 0;  ///< before the last step
};

}  // namespace escarp::simulation
