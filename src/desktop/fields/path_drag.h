#pragma once
// A number on a card can be carried into a study: by its label, which is dragged, or from its menu.

#include <QLabel>
#include <functional>

#include <desktop/session/open_cell.h>

namespace escarp::desktop {

/// Of what is dragged: a path of keys.
inline constexpr const char* path_format = "application/x-escarp-path";

/// `path`: asked when it is taken. The label keeps presses to itself.
void can_be_varied(OpenCell& open, QLabel* label, std::function<std::string()> path);

}  // namespace escarp::desktop
