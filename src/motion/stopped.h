#pragma once
// Long work that nobody wants any more ends by this.

#include <atomic>

namespace escarp::motion {

/// Thrown out of work whose flag was set by another thread. Nothing half done is kept.
struct Stopped {};
using StopFlag = std::atomic<bool>;

inline void give_way(const StopFlag* stop) {
    if (stop && stop->load(std::memory_order_relaxed)) throw Stopped{};
}

}  // namespace escarp::motion
