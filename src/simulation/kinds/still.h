#pragma once
// The behaviour of what only stands there.

#include "kernel.h"

namespace escarp::simulation {

class Still final : public Behaviour {
public:
    using Behaviour::Behaviour;
};

}  // namespace escarp::simulation
