#pragma once
// Every question that the command line knows, under its name, as an action of the window: nothing can be asked in one
// place only.

#include <desktop/session/workspace.h>

#include "layout_actions.h"

namespace escarp::desktop {

/// One action each, called "ask_" and its name. It asks for the question's options by its table, answers behind the
/// window, and shows the answer.
void add_questions_by_name(Workspace& workspace, QWidget* window, const LayoutActions::Make& make);

}  // namespace escarp::desktop
