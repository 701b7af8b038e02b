#pragma once
// Edits of what is handled and what it is handled with: part types, tools, and the pairs of devices that are left
// out of the clearance.

#include <cell/read/layout.h>

namespace escarp::cell {

/// A new part type of one body, with a grip above it. `shape`: a word of `body_shapes` that needs no points or
/// geometry. `id` receives its id. Throws InputError for another word.
Edit add_part_type(const Layout& layout, const std::string& shape, std::string* id);
/// The same, and a device's `key` names it.
Edit add_part_type_for(
    const Layout& layout, const std::string& shape, const std::string& device, const std::string& key, std::string* id);

/// A new tool: "jaws", "cup", "double" (two jaw grippers on one bracket, two tools), "cups" (three in a row). `arm`:
/// who gets it on its flange; empty: nobody. `id` receives its id (the first one's).
Edit add_tool(const Layout& layout, const std::string& what, const std::string& arm, std::string* id);
struct ToolOffer {
    std::string what, label;
};
const std::vector<ToolOffer>& tool_offers();

/// Whoever names a part type or a tool: a device's id, or that of a block or step, with the words for people.
struct Use {
    std::string device, words;
};
std::vector<Use> uses_of_part_type(const Layout& layout, const std::string& id);
std::vector<Use> uses_of_tool(const Layout& layout, const std::string& id);

/// A copy of an element of "part_types" or "tool_models" behind it, with a free id and name.
Edit copy_of(const Layout& layout, const std::string& list, const std::string& id, std::string* made);
/// Takes a part type or a tool away. Whoever names it gets `instead`; without one, devices that need it go with it (as
/// `remove_device`), others do without: beams detect every part, arms lose the tool. Throws InputError where an arm
/// would have no tool left for its task.
Edit remove_part_type(const Layout& layout, const std::string& id, const std::string& instead);
Edit remove_tool(const Layout& layout, const std::string& id, const std::string& instead);

/// Gives a grip of a part another id; steps that name it follow where no other part type has a grip of that name.
Edit rename_grip(const Layout& layout, const std::string& part_type, const std::string& grip, const std::string& to);

/// Two devices, or single bodies of them; which of the two comes first is no matter.
struct Pair {
    std::string a, b;                      ///< ids; b empty: everything else
    std::string body_a = {}, body_b = {};  ///< names; empty: all of the device
};
/// A pair whose clearance is not judged, with the reason. Throws InputError for a device or body that is not there, for
/// a device with itself, or where the pair is left out already.
Edit leave_out(const Layout& layout, const Pair& pair, const std::string& reason, const std::string& only_while = {});
/// The pair is judged with a safety distance of its own, m.
Edit judge_with(const Layout& layout, const Pair& pair, double distance);
/// Judges the pair again.
Edit take_back(const Layout& layout, const Pair& pair);

}  // namespace escarp::cell
