#include "kinds.h"

namespace escarp::simulation {

const cell::Kinds& standard_kinds() {
    static const cell::Kinds kinds = [] {
        cell::Kinds all;
        all.add(arm_kind());
        all.add(conveyor_kind());
        all.add(infeed_kind());
        all.add(outfeed_kind());
        all.add(fixture_kind());
        all.add(beam_kind());
        all.add(tray_kind());
        all.add(structure_kind());
        all.add(fence_kind());
        all.add(solid_kind());
        all.add(marking_kind());
        return all;
    }();
    return kinds;
}

}  // namespace escarp::simulation
