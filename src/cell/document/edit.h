#pragma once
// Edits are values: a named list of operations on the document's tree. Undo, previews, variants and searches use the
// same.

#include <optional>

#include <cell/text/json.h>
#include <cell/text/path.h>
#include <cell/text/problem.h>

namespace escarp::cell {

/// One operation. `at` is a path of keys ("/devices/arm1/placement/x_mm"); elements of lists are addressed by their
/// `id`.
struct Operation {
    enum class Kind { set, remove, add, order } kind;
    std::string at;     ///< set, remove: the value; add, order: the list
    json value;         ///< set: the new value; add: the element; order: the ids in their new order
    std::string after;  ///< add: the id it follows; empty: it comes first; "*": last

    static Operation set(std::string at, json value) { return {Kind::set, std::move(at), std::move(value), {}}; }
    static Operation remove(std::string at) { return {Kind::remove, std::move(at), nullptr, {}}; }
    static Operation add(std::string list, json element, std::string after = "*") {
        return {Kind::add, std::move(list), std::move(element), std::move(after)};
    }
    static Operation order(std::string list, json ids) { return {Kind::order, std::move(list), std::move(ids), {}}; }

    json to_json() const;
    /// Throws InputError naming `where`.
    static Operation from_json(const json& value, const std::string& where);
};
using Operations = std::vector<Operation>;

struct Edit {
    std::string name;  ///< as the undo list shows it: "Move Arm 1"
    Operations operations;
};

/// Applies an operation in place. Throws InputError when the path does not exist or does not fit.
void apply(json& tree, const Operation& operation);
/// The same, but false instead of an error.
bool try_apply(json& tree, const Operation& operation);
/// The operations that turn `from` into `to`: `apply` of all of them to `from` gives `to` (order of keys aside).
Operations difference(const json& from, const json& to);
/// The value at a path, or null if there is none.
const json* find(const json& tree, const std::string& path);

}  // namespace escarp::cell
