#pragma once
// Shared zones: the space that two movers both sweep, who is inside when, and whether both are at once.

#include <algorithm>
#include <memory>

#include <geometry/volume.h>

#include "inspect.h"

namespace escarp::inspection {

struct ZoneVisit {
    simulation::Ticks enters, leaves;  ///< never later, never earlier than the truth
    int step_in = -1, step_out = -1;   ///< numbers of the steps during which it does
    int way = -1;                      ///< which of the side's ways through it is
};

/// One more stretch of time, no earlier than those before; it goes on with the last where they meet. True then.
inline bool join(std::vector<ZoneVisit>& visits, simulation::Ticks enters, simulation::Ticks leaves) {
    if (visits.empty() || visits.back().leaves < enters) {
        visits.push_back({enters, leaves});
        return false;
    }
    visits.back().leaves = std::max(visits.back().leaves, leaves);
    return true;
}

/// What one of the two does there.
struct ZoneSide {
    int device = -1;
    std::vector<ZoneVisit> visits;  ///< from the start to `Zones::until`, in order
    /// The different ways through: the numbers of the steps that a visit takes, in order. A task goes round, so there
    /// are few of them beside the visits.
    std::vector<std::vector<int>> ways;
    std::vector<int> steps;  ///< numbers of the steps that sweep it, in order
    std::vector<std::string> bodies;
    double inside_s = 0;  ///< in a cycle (in all, where nothing recurs)
};

struct Zone {
    std::string id;    ///< "arm1:arm2:1"; stable as long as the same devices share as many zones
    std::string name;  ///< "Zone 1"
    ZoneSide sides[2];
    int centre = -1;  ///< a device that both work at there
    geometry::PackedVolume space;
    double litres = 0;
    geometry::Box3 box;
    /// Pairs of steps, by number, whose sweeps meet there, with how much they share.
    struct Steps {
        int one, two;
        double litres;
    };
    std::vector<Steps> pairs;
    int kept_by = -1;  ///< the interlock that both ask, where neither is inside without its leave
    /// The first time somebody was, where there is one that both ask.
    struct Uncovered {
        int arbiter = -1, mover = -1;
        simulation::Ticks enters = 0, leaves = 0;
        bool together = false;  ///< both were let in, and what they do there meets
    } uncovered;
    bool together = false;              ///< both are inside at once in this run
    simulation::Ticks together_at = 0;  ///< the first time
    LeastClearance nearest;             ///< of the two then; where they are together
};

struct Zones {
    std::vector<Zone> all;
    simulation::Ticks from = 0, until = 0;  ///< the cycle that is shown: the steady period, or the whole run
    double resolution = 0;                  ///< m
    std::string why_not;                    ///< they could not be found
};

/// How finely zones are looked for where nothing else is asked for, m: 10 mm, and more the more different motions there
/// are, so that it takes a second or two at most.
double usual_resolution(const cell::Cell& cell, const simulation::Run& run);

/// Throws Cancelled when stopped. `resolution`: what a zone may exceed the truth by, m. `margin`: every mover is grown
/// by so much, m: where no two are inside at once they keep twice that from each other.
std::shared_ptr<const Zones> find_zones(const cell::Cell& cell, const simulation::Run& run, Cache& cache,
    const StopFlag* stop = nullptr, double resolution = 0.01, double margin = 0);

/// What a mover sweeps over its whole task, or during one step (by number), as far as it is looked at; nothing if it
/// never moves so.
std::shared_ptr<const geometry::Volume> swept_by(const cell::Cell& cell, const simulation::Run& run, int device,
    int step, double resolution, const StopFlag* stop = nullptr, Cache* cache = nullptr);

}  // namespace escarp::inspection
