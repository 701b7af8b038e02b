#pragma once
// Models that come with Escarp, as the file holds them. Made-up machines of ordinary sizes.

#include <cell/text/json.h>

namespace escarp::cell {

/// Six-axis arms with a spherical wrist, about 600, 900 and 1400 mm to the wrist.
const json& catalogue_arms();
/// Jaw grippers.
const json& catalogue_tools();
const json& catalogue_part_types();

}  // namespace escarp::cell
