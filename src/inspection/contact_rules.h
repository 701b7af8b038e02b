#pragma once
// Which bodies are judged against which, and how: the one place that says so (docs/model.md, "Clearance"). Only what
// must touch is left out: the base link on what it stands on, the tool on the part that it grips, a part in its seat to
// the depth of the seat.

#include <simulation/arm_parts.h>
#include <simulation/kernel.h>

#include "inspect.h"

namespace escarp::inspection {

/// What an arm meets during a stretch of its run. Each rule is answered by a query of its own.
enum class Meets {
    device,         ///< something that stands there: every distance counts
    ground,         ///< what the base link stands on: the first link may slide over it, no more
    hand_at_work,   ///< tool and held part, and the device that they pick from or place into, or what that stands on:
                    ///< contact alone
    links_at_work,  ///< all but tool and held part, and that device: every distance counts
    part,           ///< a part at rest or riding: every distance counts, the base link's too
    part_in_work,   ///< the part that is gripped or let go: contact alone, and the tool must touch it
    hand_beside,    ///< tool and held part, and the parts beside the one picked or placed: contact alone
    links_beside,   ///< all but tool and held part, and those
    arm,            ///< another arm, or another mover: every distance counts
    drive,          ///< of a mover that is no arm, with what it is not made to touch: contact alone
    itself          ///< contact alone
};
inline bool distance_counts(Meets m) {
    return m == Meets::device || m == Meets::links_at_work || m == Meets::part || m == Meets::links_beside ||
           m == Meets::arm;
}

/// How near two bodies are that must touch but not overlap: as exact as clearances are, m.
inline constexpr double touching = 5e-4;

/// What a rule needs to know besides the two bodies.
struct RuleContext {
    const cell::Arm* arm = nullptr;
    const std::vector<char>* ground = nullptr;  ///< of the device, see standing_ground; null: it carries no arm
    const std::vector<double>* seat = nullptr;  ///< for each body: how deep a part may stand in it, see seat_depths
    int first_tag = 0;                          ///< the tag of the first of those bodies
};

/// Whether two bodies are looked at under a rule, the first being the arm's. The second one's tag is its number in its
/// list, but for another arm and the arm itself.
bool judged(Meets rule, const RuleContext& c, const motion::Part& a, const motion::Part& b);
/// How deep the two may overlap, m.
double may_sink(Meets rule, const RuleContext& c, const motion::Part& a, const motion::Part& b);

/// For each body: how deep a part that stands in the seat at `seat` may overlap it. The body that holds the seat's
/// origin receives the part to the depth of the origin below its surface; others only touch.
std::vector<double> seat_depths(const geometry::Bodies& bodies, const Frame& at, const Frame& seat);

}  // namespace escarp::inspection
