#pragma once
// Whether a mover is in a space at an instant, by points of its bodies alone.

#include <geometry/volume.h>
#include <inspection/timeline.h>

#include "support/random.h"

namespace escarp::tests {

/// Of `points` points somewhere within each of a mover's bodies, whether one lies in a space at t.
inline bool occupies(const inspection::Timeline& timeline, const inspection::TimedMover& mover, simulation::Ticks t,
    const geometry::Volume& space, Draw& draw, int points) {
    using simulation::seconds;
    const inspection::Segment* at = &mover.segments.front();
    for (const auto& s : mover.segments)
        if (s.from <= t) at = &s;
    std::vector<geometry::Frame> frames;
    timeline.moving(mover, *at).frames(std::min(seconds(t - at->from), at->motion->duration()), frames);
    for (const motion::Part& p : at->parts->parts())
        for (int i = 0; i < points; ++i) {
            // Between some of its outermost points.
            geometry::Vector3 point = geometry::Vector3::Zero();
            double weights = 0;
            for (int k = 0; k < 4; ++k) {
                const geometry::Vector3 d = draw.direction();
                const double weight = k == 0 ? 1 : draw.whole(0, 1) * draw.in(0, 1);
                point += weight * (p.shape.support(d) + p.shape.radius() * d), weights += weight;
            }
            if (space.contains(frames[p.frame] * p.at * (point / weights))) return true;
        }
    return false;
}

}  // namespace escarp::tests
