#pragma once
// Edits of what is on an arm and under it: tools on its flange, a travel axis.

#include "compose.h"

namespace escarp::cell {

/// Tools that could be put on a flange: id and name, those of the document first, then those that come along.
std::vector<std::pair<std::string, std::string>> tools_to_mount(const json& tree);
/// The tool at a place on the flange (0: the one active at the beginning) becomes another; an empty id takes it off,
/// the place after the last one adds one. A tool that comes along is brought into the document.
Edit mount_tool(const Layout& layout, const std::string& arm, std::size_t place, const std::string& tool);
/// Puts the arm on a travel axis, or takes it off. Taught joint values follow.
Edit put_on_travel(const Layout& layout, const std::string& arm, bool on);

}  // namespace escarp::cell
