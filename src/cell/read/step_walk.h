#pragma once
// Walks through the steps of a cell's JSON: tasks, what comes once before them, side tasks, blocks.

#include <functional>

#include <cell/model/device_kind.h>

namespace escarp::cell {

/// A list of steps in a tree.
struct StepList {
    json* owner;  ///< the device or the block
    json* steps;
    std::string path;  ///< of the list
};
std::vector<StepList> step_lists(json& tree);

/// Every step of a list, inner ones too.
void each_step(const Kinds& kinds, json& steps, const std::function<void(json&)>& act);
/// Every step of a tree.
void each_step(const Kinds& kinds, json& tree, const std::function<void(json& owner, json& step)>& act);

/// Every text of a tree that is a condition or a sum: of steps, and of what inputs take their values from.
void each_expression(
    const Kinds& kinds, json& tree, const std::function<void(json& owner, json& holder, const std::string& key)>& act);

/// Whether a step by itself (not those in it) names a device, alone or by one of its signals.
bool names_device(const Kinds& kinds, const json& step, const std::string& device);
/// Whether an expression does.
bool expression_names(const std::string& text, const std::function<bool(const std::string& name)>& is);

}  // namespace escarp::cell
