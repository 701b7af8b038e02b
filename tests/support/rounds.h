#pragma once
// How often a test repeats what it draws at random.

namespace escarp::tests {

#ifdef ESCARP_SANITIZED  // where everything takes several times as long
constexpr int one_in = 10;
#else
constexpr int one_in = 1;
#endif

/// So many of `all` as this build has time for.
constexpr int rounds(int all) { return (all + one_in - 1) / one_in; }

/// Not fewer than `least`: where so many are needed for the test to say anything.
constexpr int rounds(int all, int least) { return rounds(all) > least ? rounds(all) : least; }

}  // namespace escarp::tests
