#include "contact_rules.h"

#include <geometry/distance.h>

namespace escarp::inspection {
namespace {

constexpr double mesh_slack = 3e-3;  ///< convex pieces of a surface reach this far into its hollows, m

bool in_hand(const motion::Part& p) { return p.tag >= simulation::tool_tag; }

/// Of a held part and a link: the link.
int link_beside(const motion::Part& a, const motion::Part& b) { return a.tag == simulation::held_tag ? b.tag : a.tag; }

/// The tool, or the flange where nothing is mounted on it.
bool grips(const cell::Arm& arm, const motion::Part& p) {
    return p.tag == simulation::tool_tag || (arm.tool_bodies.empty() && p.tag == arm.model->flange_link);
}

}  // namespace

bool judged(Meets rule, const RuleContext& c, const motion::Part& a, const motion::Part& b) {
    const auto ground = [&] { return c.ground && a.tag == 1 && (*c.ground)[b.tag]; };
    switch (rule) {
        case Meets::device: return a.tag > 0 && !ground();
        case Meets::ground: return ground();
        case Meets::hand_at_work: return in_hand(a);
        case Meets::links_at_work: return a.tag > 0 && !in_hand(a) && !ground();
        case Meets::part:
        case Meets::drive: return true;
        case Meets::part_in_work: return !grips(*c.arm, a) && a.tag != simulation::held_tag;
        case Meets::hand_beside: return in_hand(a);
        case Meets::links_beside: return !in_hand(a);
        case Meets::arm: return a.tag > 0 || b.tag > 0;
        case Meets::itself: return simulation::keep_apart(*c.arm, a, b);
    }
    return true;
}

double may_sink(Meets rule, const RuleContext& c, const motion::Part& a, const motion::Part& b) {
    const bool held = a.tag == simulation::held_tag || (rule == Meets::itself && b.tag == simulation::held_tag);
    switch (rule) {
        case Meets::ground:
        case Meets::part_in_work:
        case Meets::drive: return touching;
        case Meets::hand_at_work:
        case Meets::hand_beside:
            // What rides on a table that sets off again is none of the bodies that the seat is in.
            return held && c.seat && !in_hand(b) ? (*c.seat)[b.tag - c.first_tag] : 0.0;
        case Meets::itself: return held && link_beside(a, b) == c.arm->model->flange_link ? touching : 0.0;
        default: return 0.0;
    }
}

std::vector<double> seat_depths(const geometry::Bodies& bodies, const Frame& at, const Frame& seat) {
    constexpr double highest = 10.0, exact = 1e-5;
    const geometry::Convex point = geometry::Convex::sphere(2 * exact);
    const auto inside = [&](const geometry::Body& b, double above) {
        Frame there = seat;
        there.translation() = seat * Vector3(0, 0, above);
        return geometry::separation(b.shape, at * b.at, point, there).distance <= 0;
    };
    std::vector<double> depths;
    for (const geometry::Body& b : bodies) {
        double low = 0, high = highest;
        if (!inside(b, 0)) high = 0;
        while (high - low > exact) (inside(b, 0.5 * (low + high)) ? low : high) = 0.5 * (low + high);
        depths.push_back(high + (b.stand_in ? mesh_slack : touching));
    }
    return depths;
}

}  // namespace escarp::inspection
