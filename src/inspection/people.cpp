#include "people.h"

#include <algorithm>
#include <cmath>

#include <geometry/indices.h>
#include "check.h"
#include "timeline.h"
#include "zones.h"

namespace escarp::inspection {
namespace {

using geometry::Box3;
using simulation::seconds;

constexpr double millimetre = 1e-3;
// ISO 13855: beams one above the other leave no way in between the floor and the lowest, nor over the highest. m
constexpr double highest_lowest_beam = 0.3, lowest_highest_beam = 0.9;

// ISO 13857:2008, table 2: rows by the hazard's height, columns by the fence's, values the horizontal distance. mm
constexpr double fence_heights[] = {1000, 1200, 1400, 1600, 1800, 2000, 2200, 2400, 2500, 2700};
constexpr double hazard_heights[] = {0, 200, 400, 600, 800, 1000, 1200, 1400, 1600, 1800, 2000, 2200, 2400, 2600, 2700};
constexpr double over_mm[15][10] = {{1100, 500, 0, 0, 0, 0, 0, 0, 0, 0}, {1200, 900, 0, 0, 0, 0, 0, 0, 0, 0},
    {1400, 1200, 400, 0, 0, 0, 0, 0, 0, 0}, {1400, 1300, 800, 0, 0, 0, 0, 0, 0, 0},
    {1500, 1300, 900, 600, 0, 0, 0, 0, 0, 0}, {1500, 1400, 1000, 800, 0, 0, 0, 0, 0, 0},
    {1500, 1400, 1100, 900, 700, 0, 0, 0, 0, 0}, {1500, 1400, 1100, 900, 800, 0, 0, 0, 0, 0},
    {1500, 1400, 1100, 900, 800, 500, 0, 0, 0, 0}, {1500, 1400, 1100, 900, 800, 600, 0, 0, 0, 0},
    {1400, 1300, 1100, 900, 800, 600, 400, 0, 0, 0}, {1300, 1200, 1000, 900, 800, 600, 400, 300, 0, 0},
    {1100, 1000, 900, 800, 700, 600, 400, 300, 100, 0}, {900, 800, 700, 600, 600, 500, 400, 300, 100, 0},
    {0, 0, 0, 0, 0, 0, 0, 0, 0, 0}};
// ISO 13855:2010, table 1: rows by the hazard's height, columns by the highest beam's, values C for reaching over. mm
constexpr double beam_heights[] = {900, 1000, 1100, 1200, 1300, 1400, 1600, 1800, 2000, 2200, 2400, 2600};
constexpr double behind_beams[] = {0, 200, 400, 600, 800, 1000, 1200, 1400, 1600, 1800, 2000, 2200, 2400, 2500, 2600};
constexpr double over_beams_mm[15][12] = {{0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, {600, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0},
    {900, 700, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, {1050, 950, 750, 550, 0, 0, 0, 0, 0, 0, 0, 0},
    {1150, 1050, 950, 800, 500, 450, 0, 0, 0, 0, 0, 0}, {1200, 1150, 1050, 950, 750, 700, 0, 0, 0, 0, 0, 0},
    {1200, 1200, 1100, 1000, 850, 800, 0, 0, 0, 0, 0, 0}, {1200, 1200, 1100, 1000, 900, 850, 650, 0, 0, 0, 0, 0},
    {1150, 1150, 1100, 1000, 900, 850, 750, 450, 0, 0, 0, 0}, {1100, 1100, 950, 950, 850, 800, 750, 550, 0, 0, 0, 0},
    {950, 950, 850, 850, 800, 750, 700, 550, 400, 0, 0, 0}, {800, 750, 750, 700, 650, 650, 600, 550, 400, 250, 0, 0},
    {550, 550, 550, 500, 450, 450, 400, 400, 300, 250, 100, 0},
    {400, 400, 350, 300, 300, 300, 300, 300, 250, 150, 100, 0}, {0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}};
// ISO 13857:2008, table 4: square openings up to the first, at least the second. mm
constexpr double through_mm[][2] = {
    {4, 2}, {6, 5}, {8, 15}, {10, 25}, {12, 80}, {20, 120}, {30, 120}, {40, 200}, {120, 850}};

/// What a table says: rows by the hazard's height, columns by that of what it is reached over, all mm. Between two
/// values of the table the one that keeps people farther away counts.
template <std::size_t rows, std::size_t columns>
double in_table(const double (&values)[rows][columns], const double (&of_hazard)[rows],
    const double (&of_guard)[columns], double hazard, double guard) {
    if (hazard >= of_hazard[rows - 1] - 1e-6) return 0;
    std::size_t column = 0, row = 0;
    while (column + 1 < columns && of_guard[column + 1] <= guard + 1e-6) ++column;
    while (row + 1 < rows && of_hazard[row + 1] <= hazard + 1e-6) ++row;
    const bool between = hazard > of_hazard[row] + 1e-6;
    return std::max(values[row][column], between ? values[row + 1][column] : 0.0);
}

/// S = K T + C, mm; K is 2000 mm/s, or 1600 where that would be more than 500 mm, which it then is at the least.
double from_beams(double stops_s, double c) {
    const double s = 2000 * stops_s + c;
    return s > 500 ? std::max(500.0, 1600 * stops_s + c) : s;
}

/// From a stretch of a line over the floor to an upright box, seen from above; and the direction from there to the
/// line.
double apart(const Vector3& from, const Vector3& to, const Box3& box, Vector3& outward) {
    double best = 1e300;
    const auto nearest = [&](const Vector3& p) {  // of the line
        const Vector3 along = to - from;
        const double share = std::clamp((p - from).dot(along) / std::max(1e-12, along.squaredNorm()), 0.0, 1.0);
        return Vector3(from + share * along);
    };
    const auto take = [&](const Vector3& of_line, const Vector3& of_box) {
        Vector3 gap = of_line - of_box;
        gap.z() = 0;
        if (gap.norm() < best) best = gap.norm(), outward = gap;
    };
    for (const double x : {box.low.x(), box.high.x()})
        for (const double y : {box.low.y(), box.high.y()}) take(nearest({x, y, from.z()}), {x, y, 0});
    for (const Vector3& end : {from, to})
        take(end, {std::clamp(end.x(), box.low.x(), box.high.x()), std::clamp(end.y(), box.low.y(), box.high.y()), 0});
    // The line may run through the box.
    double low = 0, high = 1;
    for (int axis = 0; axis < 2; ++axis) {
        const double d = to[axis] - from[axis];
        if (std::abs(d) < 1e-12) {
            if (from[axis] < box.low[axis] || from[axis] > box.high[axis]) low = 1, high = 0;
            continue;
        }
        double a = (box.low[axis] - from[axis]) / d, b = (box.high[axis] - from[axis]) / d;
        if (a > b) std::swap(a, b);
        low = std::max(low, a), high = std::min(high, b);
    }
    if (low <= high) best = 0;
    return best;
}

class Judging {
public:
    Judging(const cell::Device& device, int index, std::size_t guard, int arm, const geometry::Volume& swept)
        : guard_(device.guards[guard]),
          swept_(swept),
          from_(device.world * guard_.from),
          to_(device.world * guard_.to) {
        across_ = Vector3(from_.y() - to_.y(), to_.x() - from_.x(), 0).normalized();
        made_.device = index, made_.guard = guard, made_.arm = arm;
    }

    GuardJudged approach(double arm_stops) const {
        GuardJudged j = made_;
        j.stops_s = arm_stops;
        const auto needed = curtain_distance(arm_stops + guard_.response_s, guard_.detection);
        if (!needed) {
            j.why_not = "its detection capability of " + millimetres(guard_.detection) +
                        " mm is not judged here: up to 70 mm are (ISO 13855, 6.2)";
            return j;
        }
        j.needed = *needed;
        j.has = nearest(-1e9, 1e9, j.outward);
        move_out(j, -1e9, 1e9);
        return j;
    }
    GuardJudged over() const {
        GuardJudged j = made_;
        j.by = GuardJudged::By::over;
        if (top() < least_fence) {
            j.why_not = "it is lower than " + millimetres(least_fence) + " mm and so no fence (ISO 13857, table 2)";
            return j;
        }
        by_heights(j, hazard_heights, [&](double hazard) { return reach_over_distance(hazard, top()); });
        return j;
    }
    GuardJudged over_beams(double arm_stops) const {
        GuardJudged j = made_;
        j.by = GuardJudged::By::over;
        j.stops_s = arm_stops;
        const auto missing_below = [&](GuardJudged& to, double beam) {
            by_heights(to, behind_beams,
                [&](double hazard) { return over_curtain_distance(arm_stops + guard_.response_s, hazard, beam); });
            return to.missing();
        };
        if (missing_below(j, top()) <= 0) return j;
        for (const double beam : beam_heights) {
            GuardJudged higher = made_;
            if (millimetre * beam <= top() || missing_below(higher, millimetre * beam) > 0) continue;
            j.raise = millimetre * beam;
            break;
        }
        return j;
    }
    GuardJudged door(double arm_stops) const {
        GuardJudged j = made_;
        j.by = GuardJudged::By::door;
        j.stops_s = arm_stops;
        j.needed = door_distance(arm_stops + guard_.response_s);
        j.has = nearest(-1e9, 1e9, j.outward);
        move_out(j, -1e9, 1e9);
        return j;
    }
    GuardJudged through() const {
        GuardJudged j = made_;
        j.by = GuardJudged::By::through;
        const auto needed = reach_through_distance(guard_.opening);
        if (!needed) {
            j.why_not = "a person gets through openings of " + millimetres(guard_.opening) + " mm";
            return j;
        }
        j.needed = *needed;
        j.has = nearest(-1e9, guard_.height, j.outward);
        move_out(j, -1e9, guard_.height);
        return j;
    }

private:
    double top() const { return from_.z() + guard_.height; }
    /// The stretch of heights where the most is missing.
    template <std::size_t rows, typename Needed>
    void by_heights(GuardJudged& j, const double (&heights_mm)[rows], const Needed& needed_at) const {
        bool first = true;
        for (std::size_t row = 0; row + 1 < rows; ++row) {
            const double low = millimetre * heights_mm[row], high = millimetre * heights_mm[row + 1];
            const double needed = std::max(needed_at(low), needed_at(high));
            Vector3 outward = Vector3::Zero();
            const double has = nearest(row == 0 ? -1e9 : low, high, outward);
            if (!first && needed - has <= j.missing()) continue;
            first = false;
            j.needed = needed, j.has = has, j.outward = outward, j.hazard_height = 0.5 * (low + high);
            move_out(j, row == 0 ? -1e9 : low, high);
        }
    }
    /// Of what is swept between two heights, m; 1e9 where nothing is.
    double nearest(double low, double high, Vector3& outward, const Vector3& shift = Vector3::Zero()) const {
        double best = 1e9;
        for (const Box3& box : swept_.covers(low, high)) {
            Vector3 away = Vector3::Zero();
            const double gap = apart(from_ + shift, to_ + shift, box, away);
            if (gap >= best) continue;
            best = gap;
            outward = across_;
            if (away.dot(across_) < 0) outward = -across_;
        }
        return best;
    }
    /// How far across itself it has to be moved until nothing is missing.
    void move_out(GuardJudged& j, double low, double high) const {
        constexpr double step = 10 * millimetre;
        constexpr int most = 40;
        double by = 0, missing = j.missing();
        for (int i = 0; i < most && missing > 0; ++i) {
            by += step * std::ceil(missing / step - 1e-9);
            Vector3 other_way = Vector3::Zero();
            missing = j.needed - nearest(low, high, other_way, by * j.outward);
        }
        j.shift = missing <= 0 ? by : 0;
    }

    const cell::Guard& guard_;
    const geometry::Volume& swept_;
    const Vector3 from_, to_;
    Vector3 across_;
    GuardJudged made_;
};

}  // namespace

const char* const no_assessment =
    "This helps to lay out; it replaces no risk assessment, and no measuring of the stopping time.";

std::optional<double> curtain_distance(double stops_s, double detection) {
    const double d = detection / millimetre;
    if (d > 70) return std::nullopt;
    if (d > 40) return millimetre * (1600 * stops_s + 850);
    return millimetre * std::max(100.0, from_beams(stops_s, std::max(0.0, 8 * (d - 14))));
}

double over_curtain_distance(double stops_s, double hazard, double beam) {
    const double c = in_table(over_beams_mm, behind_beams, beam_heights, hazard / millimetre, beam / millimetre);
    return c > 0 ? millimetre * std::max(100.0, from_beams(stops_s, c)) : 0;
}

double door_distance(double stops_s) { return millimetre * 1600 * stops_s; }

double reach_over_distance(double hazard, double fence) {
    return millimetre * in_table(over_mm, hazard_heights, fence_heights, hazard / millimetre, fence / millimetre);
}

std::optional<double> reach_through_distance(double opening) {
    if (opening <= 0) return 0.0;
    for (const auto& [up_to, distance] : through_mm)
        if (opening / millimetre <= up_to + 1e-6) return millimetre * distance;
    return std::nullopt;
}

double stopping_time(const cell::Arm& arm, const simulation::Run& run, int device) {
    const auto& joints = arm.model->mechanism.joints;
    double longest = 0;
    for (const simulation::MotionRecord& m : run.trace.motions[device]) {
        if (m.motion->duration() <= 0) continue;
        const kinematics::JointVector rate = m.motion->rate_bound(0, m.motion->duration());
        for (int j = 0; j < rate.size(); ++j) {
            const auto& joint = joints[j];
            const double v = std::min(rate[j], joint.speed), a = joint.acceleration, jerk = joint.jerk;
            const double takes = jerk <= 0 || !std::isfinite(jerk) ? v / a
                                 : v >= a * a / jerk               ? v / a + a / jerk
                                                                   : 2 * std::sqrt(v / jerk);
            longest = std::max(longest, takes);
        }
    }
    return longest;
}

std::vector<GuardJudged> judge_guards(
    const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop, double resolution) {
    std::vector<GuardJudged> all;
    if (std::none_of(cell.devices.begin(), cell.devices.end(), [](const cell::Device& d) { return !d.guards.empty(); }))
        return all;
    struct Arm {
        int device;
        std::shared_ptr<const geometry::Volume> swept;
        double stops_s;
    };
    std::vector<Arm> arms;
    for (const int index : indices(cell.devices)) {
        const cell::Device& d = cell.devices[index];
        if (!d.arm) continue;
        auto swept = swept_by(cell, run, index, -1, resolution, stop, &cache);
        if (swept && !swept->empty()) arms.push_back({index, std::move(swept), stopping_time(*d.arm, run, index)});
    }
    for (const int i : indices(cell.devices)) {
        const cell::Device& d = cell.devices[i];
        for (std::size_t g = 0; g < d.guards.size(); ++g) {
            std::optional<GuardJudged> worst[4];
            for (const Arm& arm : arms) {
                motion::throw_if_stopped(stop);
                const Judging judging(d, i, g, arm.device, *arm.swept);
                const auto take = [&](const GuardJudged& j) {
                    auto& known = worst[static_cast<int>(j.by)];
                    if (!known || (known->why_not.empty() && j.missing() > known->missing())) known = j;
                };
                if (d.guards[g].detection > 0) {
                    take(judging.approach(arm.stops_s));
                    take(judging.over_beams(arm.stops_s));
                } else if (d.guards[g].opens) {
                    take(judging.door(arm.stops_s));
                } else {
                    take(judging.over());
                    if (d.guards[g].opening > 0) take(judging.through());
                }
            }
            for (auto& j : worst)
                if (j) all.push_back(std::move(*j));
        }
    }
    return all;
}

const char* way_past(GuardJudged::By by) {
    static const char* words[] = {"approach", "reaching over", "reaching through", "opening a door"};
    return words[static_cast<int>(by)];
}

namespace {
std::string time_in_words(const cell::Guard& g, const GuardJudged& j) {
    return "T = " + short_number(j.stops_s) + " s until the arm stands + " + short_number(g.response_s) + " s response";
}
}  // namespace

std::string in_words(const cell::Cell& cell, const GuardJudged& j) {
    const cell::Guard& g = cell.devices[j.device].guards[j.guard];
    if (!j.why_not.empty()) return j.why_not;
    switch (j.by) {
        case GuardJudged::By::approach: {
            const double t = j.stops_s + g.response_s, d = g.detection / millimetre;
            const double c = d > 40 ? 850 : std::max(0.0, 8 * (d - 14));
            const double k = d > 40 || 2000 * t + c > 500 ? 1600 : 2000;
            std::string words = "S = K T + C = " + short_number(k, 0) + " mm/s \u00d7 " + short_number(t) + " s + " +
                                short_number(c, 0) + " mm = " + short_number(k * t + c, 0) + " mm";
            if (std::abs(k * t + c - j.needed / millimetre) > 0.5)
                words += ", at least " + short_number(j.needed / millimetre, 0) + " mm";
            return words + " (ISO 13855); " + time_in_words(g, j);
        }
        case GuardJudged::By::door:
            return "S = K T = 1600 mm/s \u00d7 " + short_number(j.stops_s + g.response_s) +
                   " s = " + millimetres(j.needed) + " mm (ISO 13855, 9); " + time_in_words(g, j);
        case GuardJudged::By::over:
            if (g.detection > 0)
                return "over its highest beam of " + millimetres(g.height) + " mm a hazard " +
                       millimetres(j.hazard_height) + " mm high is reached from " + millimetres(j.needed) +
                       " mm before it stands (ISO 13855, table 1); " + time_in_words(g, j);
            return "over a fence of " + millimetres(g.height) + " mm a hazard " + millimetres(j.hazard_height) +
                   " mm high is reached from " + millimetres(j.needed) + " mm (ISO 13857, table 2)";
        case GuardJudged::By::through:
            return "through openings of " + millimetres(g.opening) + " mm a hazard is reached from " +
                   millimetres(j.needed) + " mm (ISO 13857, table 4)";
    }
    return {};
}

std::vector<Finding> beam_findings(const cell::Device& d) {
    std::vector<Finding> all;
    const auto tell = [&](const char* what, const std::string& title, const std::string& text, const char* key,
                          const char* words, double height) {
        Finding f;
        f.id = "people:" + d.id + ":" + what;
        f.severity = Severity::watch;
        f.devices = {d.id};
        f.title = d.name + title;
        f.text = text + " (ISO 13855). " + no_assessment;
        const double own = std::round((height - d.world.translation().z()) / millimetre);
        if (own >= 0 && cell::find_field(d.kind->fields(), key)) {
            WayOut way;
            way.label = words + short_number(own, 0) + " mm";
            way.edit = {way.label, {cell::Operation::set(cell::at_device(d.id) / key, own)}};
            way.effect = "then nobody does";
            f.ways_out.push_back(std::move(way));
        }
        all.push_back(std::move(f));
    };
    for (const cell::Guard& g : d.guards) {
        if (g.detection <= 0) continue;
        const double lowest = d.world.translation().z() + g.bottom, highest = d.world.translation().z() + g.height;
        if (lowest > highest_lowest_beam + 1e-6)
            tell("below", " can be passed below",
                "Its lowest beam is " + millimetres(lowest) + " mm above the floor; above " +
                    millimetres(highest_lowest_beam) + " mm somebody gets in below it",
                "bottom_mm", "Lowest beam at ", highest_lowest_beam);
        if (highest < lowest_highest_beam - 1e-6)
            tell("above", " can be stepped over",
                "Its highest beam is " + millimetres(highest) + " mm above the floor; below " +
                    millimetres(lowest_highest_beam) + " mm somebody steps over it",
                "height_mm", "Highest beam at ", lowest_highest_beam);
    }
    return all;
}

std::vector<Finding> people_findings(
    const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop) {
    std::map<std::pair<int, int>, GuardJudged> worst;  // of the runs of one fence, by way past it
    for (const GuardJudged& j : judge_guards(cell, run, cache, stop)) {
        if (j.why_not.empty() && j.missing() <= 0) continue;
        const auto [at, fresh] = worst.try_emplace({j.device, static_cast<int>(j.by)}, j);
        if (!fresh && j.why_not.empty() && j.missing() > at->second.missing()) at->second = j;
    }
    std::vector<Finding> all;
    for (const auto& [key, j] : worst) {
        const cell::Device& d = cell.devices[j.device];
        const std::string& arm = cell.devices[j.arm].name;
        Finding f;
        static const char* ways[] = {"approach", "over", "through", "door"};
        f.id = "people:" + d.id + ":" + ways[static_cast<int>(j.by)];
        f.severity = Severity::watch;
        f.devices = {d.id, cell.devices[j.arm].id};
        if (!j.why_not.empty()) {
            f.title = d.name + " does not keep people away";
            f.text = "As it is, " + j.why_not + ". " + no_assessment;
            all.push_back(std::move(f));
            continue;
        }
        static const char* what[] = {
            " is too near to ", " can be reached past: ", " can be reached past: ", " has a door too near to "};
        f.title = d.name + what[static_cast<int>(j.by)] + arm;
        f.text = arm + " comes within " + millimetres(j.has) + " mm of it, " + millimetres(j.needed) +
                 " mm are needed: " + in_words(cell, j) + ". " + no_assessment;
        if (j.raise > 0 && cell::find_field(d.kind->fields(), "height_mm")) {
            const double own = std::round((j.raise - d.world.translation().z()) / millimetre);
            WayOut way;
            way.label = "Highest beam at " + short_number(own, 0) + " mm";
            way.edit = {way.label, {cell::Operation::set(cell::at_device(d.id) / "height_mm", own)}};
            way.effect = "then nobody reaches over it to " + arm;
            f.ways_out.push_back(std::move(way));
        }
        if (j.shift <= 0 || d.guards.size() > 1) {  // moved outward here, a fence comes nearer on another side
            all.push_back(std::move(f));
            continue;
        }
        const cell::Device& root = cell.devices[cell.root(j.device)];
        WayOut way;
        way.label = "Move " + root.name + " " + millimetres(j.shift) + " mm outward";
        const Vector3 to = root.placement.translation() + j.shift * j.outward;
        const auto tenth = [](double metres) { return std::round(metres * 1e4) / 10; };
        way.edit = {
            way.label, {cell::Operation::set(cell::at_device(root.id) / "placement" / "x_mm", tenth(to.x())),
                           cell::Operation::set(cell::at_device(root.id) / "placement" / "y_mm", tenth(to.y()))}};
        way.effect = "then it keeps that from " + arm;
        f.ways_out.push_back(std::move(way));
        all.push_back(std::move(f));
    }
    for (const cell::Device& d : cell.devices)
        for (Finding& f : beam_findings(d)) all.push_back(std::move(f));
    return all;
}

}  // namespace escarp::inspection
