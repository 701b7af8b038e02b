#pragma once
// What was wrong about arms that follow, as findings beside those of the run.

#include <inspection/finding.h>

#include "live_run.h"

namespace escarp::link {

/// One for each thing that was noted of an arm, with the first instant and how often.
std::vector<inspection::Finding> findings_of(const cell::Cell& cell, const std::vector<FollowerNote>& notes);

}  // namespace escarp::link
