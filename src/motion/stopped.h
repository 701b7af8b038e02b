#pragma once
// Long work that nobody wants any more ends by this.

#include <atomic>

namespace escarp::motion {

/// Thrown out of work whose flag was set by another thread. Nothing half done is kept.
struct Cancelled {};
using StopFlag = std::atomic<bool>;

inline void throw_if_stopped(const StopFlag* stop) {
    if (stop && stop->load(std::memory_order_relaxed)) throw Cancelled{};
}

}  // namespace escarp::motion
