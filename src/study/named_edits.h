#pragma once
// Every edit under its name, those that need more than the cell included.

#include <cell/edits/named/named_edit.h>

#include "ask.h"

namespace escarp::study {

const std::vector<cell::NamedEdit>& named_edits();

/// A new variant, like the one looked at, with the values of a point of a study. Throws InputError where there is no
/// cell with them.
cell::Change point_to_variant(
    const cell::Layout& layout, const cell::Study& study, const Point& point, const std::string& name);

}  // namespace escarp::study
