#pragma once
// What commands about live runs and about links share.

#include <link/connection.h>

#include "command.h"

namespace escarp::cli {

/// Throws InputError with those that there are.
const cell::Link& link_of(const cell::Cell& cell, const std::string& id);
json status_json(const cell::Link& link, const link::LinkStatus& status);
/// Throws InputError where it is not loopback, and nobody said that this is meant.
void check_reach(const cell::Link& link, const Arguments& a);

}  // namespace escarp::cli
