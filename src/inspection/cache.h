#pragma once
// What checks keep between evaluations.

#include <mutex>
#include <unordered_map>

#include <motion/clearance.h>

#include "inspect.h"

namespace escarp::inspection {

struct KeptClearance {
    motion::Clearance clearance;
    motion::MotionPtr a, b;  ///< kept alive: the keys hold their addresses
};

struct KeptPull {
    double acceleration;      ///< greatest of the tool, m/s^2
    motion::MotionPtr motion; ///< as above
};

struct Cache::Kept {
    std::mutex lock;
    std::unordered_map<std::uint64_t, KeptPull> pull;
    std::unordered_map<std::uint64_t, kinematics::Reach> reach;
    std::unordered_map<std::uint64_t, KeptClearance> clearance;
};

}  // namespace escarp::inspection
