#pragma once
// The plain way to a clearance: look at many instants and take the least. Slow, and blind between two looks.

#include <motion/clearance.h>

namespace escarp::tests {

inline motion::Clearance sampled_clearance(
    const motion::Mover& a, const motion::Mover& b, double from, double to, int samples) {
    motion::Clearance best;
    std::vector<geometry::Frame> fa, fb;
    for (int k = 0; k <= samples; ++k) {
        const double t = from + (to - from) * k / samples;
        a.frames(t, fa);
        b.frames(t, fb);
        for (std::size_t i = 0; i < a.parts().size(); ++i)
            for (std::size_t j = 0; j < b.parts().size(); ++j) {
                const motion::Part &p = a.parts()[i], &q = b.parts()[j];
                const double d =
                    geometry::separation(p.shape, fa[p.frame] * p.at, q.shape, fb[q.frame] * q.at).distance;
                if (d < best.distance)
                    best.distance = d, best.when = t, best.part_a = static_cast<int>(i),
                    best.part_b = static_cast<int>(j);
            }
    }
    return best;
}

}  // namespace escarp::tests
