#pragma once
// Waiting for the window by condition, never by time.

#include <functional>

namespace escarp::desktop {

class MainWindow;

/// Lets the event loop run until a condition holds, and still holds when all that was posted meanwhile is done. False
/// if it does not come about within ten minutes: then something is wrong, however slow the machine.
bool wait_until(const std::function<bool()>& holds);

/// Until nothing that was asked for is still to come: figures (of every variant, or of the one that is shown), renewals
/// put off, pictures.
bool settle(const MainWindow& window, bool every_variant = true);

}  // namespace escarp::desktop
