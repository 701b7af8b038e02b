#include "touching.h"

#include <algorithm>

#include <motion/clearance.h>

namespace escarp::simulation {

Intervals touching(const motion::Mover& mover, const motion::Mover& still, double duration) {
    Intervals all;
    for (const auto& [on, off] : motion::contact_times(mover, still, 0, std::max(1e-6, duration)))
        all.emplace_back(on, off >= duration - 1e-6 ? 1e300 : off);
    return all;
}

}  // namespace escarp::simulation
