#pragma once
// Waiting for what another thread brings about.

#include <catch2/catch.hpp>
#include <chrono>
#include <thread>

namespace escarp::tests {

/// A condition, not a time: a minute is what no machine needs.
template <typename Holds>
void wait(const Holds& holds, int line = __builtin_LINE()) {
    INFO("waited for at line " << line);
    for (int i = 0; i < 6000 && !holds(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
    REQUIRE(holds());
}

}  // namespace escarp::tests
