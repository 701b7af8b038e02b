#pragma once
// Figures and pictures can wait for a moment, the hand cannot.

namespace escarp::desktop {

/// The calling thread, and those that it starts, step back behind the one that serves the hand.
void step_back();

}  // namespace escarp::desktop
