#pragma once
// Edits of what devices tell each other: their own signals and numbers, their inputs and what these take.

#include <cell/read/layout.h>

namespace escarp::cell {

/// A signal that a device sets itself. `step`: path of a step that shall name it, or empty.
Edit add_signal(const Layout& layout, const std::string& device, const std::string& name, const std::string& step = {});
/// The same for a whole number that it counts.
Edit add_number(const Layout& layout, const std::string& device, const std::string& name, const std::string& step = {});
/// A further input, beside those that its kind has.
Edit add_input(const Layout& layout, const std::string& device, const std::string& name);
/// Of any of these; all steps, conditions and connections of the cell that name it follow.
Edit rename_signal(const Layout& layout, const std::string& device, const std::string& name, const std::string& to);
/// Throws InputError where a step or a connection still names it, with who.
Edit remove_signal(const Layout& layout, const std::string& device, const std::string& name);
/// An input takes its value from a signal or a condition from now on; from nothing where the text is empty. Throws
/// InputError with the place of a mistake.
Edit connect_input(const Layout& layout, const std::string& device, const std::string& input, const std::string& from);

}  // namespace escarp::cell
