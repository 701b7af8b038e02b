#pragma once
// All that a window is about, in parts. A view takes the parts that it reads and asks them for changes; it holds
// nothing of its own. What is made of several views takes them all.

#include "arm_by_hand.h"
#include "shown_scene.h"
#include "view_options.h"

namespace escarp::desktop {

struct Workspace {
    explicit Workspace(std::shared_ptr<inspection::Cache> cache = std::make_shared<inspection::Cache>());
    /// Nothing that was asked for is still to come: the figures of what is shown (or of every variant, unless something
    /// is tried), and word of them.
    bool settled(bool every_variant) const;
    /// The tool frame of the arm that is moved by hand, in the world.
    geometry::Frame tool_by_hand() const;

    Results results;
    OpenCell open;
    Selection selection;
    ViewOptions view_options;
    Playhead playhead;
    ArmByHand hand;
    ShownScene shown;
};

}  // namespace escarp::desktop
