#pragma once
// What checks keep between evaluations.

#include <cell/text/kept.h>
#include <geometry/volume.h>
#include <motion/clearance.h>

#include "orders.h"
#include "zones.h"

namespace escarp::inspection {

struct Cache::Kept {
    cell::Kept<double> pull{1u << 20};  ///< greatest acceleration of the tool in a motion, m/s^2
    cell::Kept<kinematics::Reach> reach{4u << 20};
    cell::Kept<motion::Clearance> clearance{14u << 20};
    cell::Kept<std::shared_ptr<const Zones>> zones{8u << 20};
    cell::Kept<std::shared_ptr<const Orders>> orders{4u << 20};
    cell::Kept<std::shared_ptr<const geometry::Volume>> swept{16u << 20};  ///< by single motions
};

}  // namespace escarp::inspection
