#pragma once
// How far what moves has to stay from where people can reach or walk in: ISO 13855:2010 for light curtains and doors
// that stop the cell, ISO 13857:2008 for reaching over and through fences. It helps to lay out; it replaces no risk
// assessment.

#include "inspect.h"

namespace escarp::inspection {

/// ISO 13855, 6.2: light curtains that are approached at right angles. `stops_s`: T, from the beam that is broken until
/// nothing moves any more. `detection`: d, m. Nothing for d above 70 mm (single beams are judged in another way). m.
std::optional<double> curtain_distance(double stops_s, double detection);
/// ISO 13855, 6.5: the same for who reaches over the highest beam, at height `beam`, to a hazard at height `hazard`; 0
/// where nobody can. m
double over_curtain_distance(double stops_s, double hazard, double beam);
/// ISO 13855, 9: from a door that stops the cell when it is opened. m
double door_distance(double stops_s);
/// ISO 13857, table 2 (high risk): how far a hazard at height `hazard` has to be behind a fence of height `fence`, m.
/// Between two values of the table the one that keeps people farther away counts.
double reach_over_distance(double hazard, double fence);
/// The least height in that table, m: lower ones do not count as a fence.
inline constexpr double least_fence = 1.0;
/// ISO 13857, table 4: how far a hazard has to be behind square openings of a width, for people of 14 years and older,
/// m. Nothing where a person gets through.
std::optional<double> reach_through_distance(double opening);

/// How long an arm takes to stand from the fastest that its joints are in a run: each at its greatest acceleration,
/// which rises with its greatest jerk. s
double stopping_time(const cell::Arm& arm, const simulation::Run& run, int device);

/// Something that keeps people away, held against the arm that comes nearest to what it demands.
struct GuardJudged {
    int device = -1, arm = -1;
    std::size_t guard = 0;  ///< among the device's
    enum class By { approach, over, through, door } by = By::approach;
    double needed = 0, has = 0;         ///< m
    double stops_s = 0;                 ///< of the arm alone; not of fences
    double hazard_height = 0;           ///< over: of what is too near, m
    Vector3 outward = Vector3::Zero();  ///< unit, over the floor, across the guard: away from the hazard
    double raise = 0;     ///< over beams: the highest one at that height above the floor is enough, m; 0: none is
    double shift = 0;     ///< so far it has to be moved that way, in steps of 10 mm, m; 0: that does not help
    std::string why_not;  ///< it cannot be judged
    double missing() const { return needed - has; }
};

/// Every guard and every way past it; the arm with the least to spare for each. Arms are looked at as what they sweep,
/// `resolution` m larger at the most. Throws Cancelled.
std::vector<GuardJudged> judge_guards(const cell::Cell& cell, const simulation::Run& run, Cache& cache,
    const StopFlag* stop = nullptr, double resolution = 0.02);
/// "S = K T + C = 1600 mm/s x 0.31 s + 128 mm = 624 mm (ISO 13855)".
std::string in_words(const cell::Cell& cell, const GuardJudged& judged);
/// "approach", "reaching over" ...
const char* way_past(GuardJudged::By by);
/// Stands for every use of these figures.
extern const char* const no_assessment;

/// Beams of a device that somebody gets in below, or steps over, with the height that would do.
std::vector<Finding> beam_findings(const cell::Device& device);
/// That, and what is too near, each with its way out.
std::vector<Finding> people_findings(
    const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop = nullptr);

}  // namespace escarp::inspection
