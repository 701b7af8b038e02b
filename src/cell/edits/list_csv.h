#pragma once
// A list of groups read from comma-separated values: one line each, columns in the order of the group's keys.

#include <cell/document/edit.h>
#include <cell/model/field.h>
#include <cell/read/layout.h>

namespace escarp::cell {

/// Whether a list can be read so: none of its keys holds a list itself.
bool reads_csv(const Field& list);
/// Puts what a text says (RFC 4180; a first line of the keys' names is passed over; trailing columns may lack) in the
/// place of the list at `path`. Throws InputError with line and column of the first mistake.
Edit list_from_csv(const Layout& layout, const std::string& path, const Field& list, const std::string& csv);

}  // namespace escarp::cell
