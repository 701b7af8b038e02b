#pragma once
// An arm model that is still being built, as the document keeps it.

#include <string>

#include <cell/text/json.h>

namespace escarp::cell {

/// Whether it has the form that edits of it need (lists of groups, whole numbers for links ...), whatever it means.
/// Throws InputError with the place under `where`.
void check_unfinished_model(const json& model, const std::string& where);

}  // namespace escarp::cell
