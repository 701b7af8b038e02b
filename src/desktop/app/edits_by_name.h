#pragma once
// Every edit that the command line knows, under its name, as an action of the window: nothing can be done in one place
// only.

#include <desktop/session/workspace.h>

#include "layout_actions.h"

namespace escarp::desktop {

/// One action each, called "edit_" and its name. It asks for the edit's arguments by its table.
void add_edits_by_name(Workspace& workspace, QWidget* window, const LayoutActions::Make& make);

}  // namespace escarp::desktop
