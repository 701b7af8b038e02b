#pragma once
// Every edit under its name, those that need more than the cell included.

#include <cell/named_edit.h>

namespace escarp::study {

const std::vector<cell::NamedEdit>& named_edits();

}  // namespace escarp::study
