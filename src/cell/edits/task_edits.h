#pragma once
// Edits of tasks: steps moved, copied, and made into blocks that several tasks use.

#include <cell/read/layout.h>

namespace escarp::cell {

/// Where a step goes: before or behind another, in its list, or into it as its first.
struct StepPlace {
    std::string beside;  ///< path of a step: "/devices/arm1/task/s2"
    bool before = false;
    std::string inside = {};  ///< a list of that step ("then", "else", "steps"); empty: beside it
};

/// Takes a step (with what is inside it) to another place of the same task, of another arm's, or of a block. A copy
/// gets ids of its own, as does a step that comes into another task. `id` receives the step's. Throws InputError where
/// it would go into itself.
Edit move_step(
    const Layout& layout, const std::string& step_path, const StepPlace& to, bool copy, std::string* id = nullptr);
/// Makes a step the first of a new block, and uses the block in its place. `id`: of the step that uses it.
Edit make_block(const Layout& layout, const std::string& step_path, const std::string& name, std::string* id = nullptr);
/// The steps of a block stand in the place of a step that uses it; the block stays for the others.
Edit unpack_block(const Layout& layout, const std::string& step_path);

}  // namespace escarp::cell
