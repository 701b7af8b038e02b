#pragma once
// Figures and pictures can wait for a moment, the hand cannot; and what they do not need any more is others' to have.

namespace escarp::desktop {

/// The calling thread, and those that it starts, step back behind the one that serves the hand.
void step_back();

/// What was freed goes back to the system: the allocator keeps it otherwise, for each thread by itself.
void give_memory_back();

}  // namespace escarp::desktop
