#pragma once
// Figures and pictures can wait for a moment, the hand cannot; and what they do not need any more is others' to have.

namespace escarp::desktop {

/// The calling thread, and those that it starts, step back behind the one that serves the hand.
void step_back();

/// Few places to keep what was freed in, instead of some for each thread; before any thread is started.
void share_freed_memory();
/// What was freed goes back to the system: the allocator keeps it otherwise.
void give_memory_back();
/// The same where that is much, and not all the time.
void give_much_memory_back();

}  // namespace escarp::desktop
