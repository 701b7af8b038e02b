#pragma once
// Counts what a thread has worked out, for tests that ask whether something, such as painting, works out nothing.

#include <cstdint>

namespace escarp::geometry {

/// Of this thread. Grows with each mechanism that is placed, joint value that is looked for, motion that is planned,
/// clearance that is searched for, cell that is judged and study that is asked.
inline constinit thread_local std::uint64_t work_done = 0;

}  // namespace escarp::geometry
