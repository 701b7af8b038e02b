#pragma once
// The behaviour of what only stands there.

#include <simulation/kernel.h>

namespace escarp::simulation {

class Still final : public Behaves<Still> {
public:
    using Acts::Acts;
};

}  // namespace escarp::simulation
