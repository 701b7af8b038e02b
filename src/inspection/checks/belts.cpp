#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <simulation/kinds/belts/belt.h>

#include "../check.h"

namespace escarp::inspection {
namespace {

/// A slope on which friction does not hold parts: steeper than atan mu.
std::optional<Finding> slide(const cell::Device& d) {
    const simulation::Belt& b = simulation::belt_of(d);
    const double holds = std::atan(b.friction), degrees = 180 / geometry::pi;
    if (std::abs(b.slope) <= holds) return std::nullopt;
    Finding f;
    f.id = "slide:" + d.id;
    f.severity = Severity::watch;
    f.title = "Parts slide on " + d.name;
    f.devices = {d.id};
    f.text = "Its slope has " + short_number(std::abs(b.slope) * degrees) + " degrees; with a friction of " +
             short_number(b.friction) + " parts stay where they are up to " + short_number(holds * degrees) + ".";
    double low = 0, high = std::abs(b.rise);  // what it may rise over the same length
    while (high - low > 1e-4) {
        const double middle = 0.5 * (low + high);
        const auto slope = simulation::slope_of(b.run, middle, b.rise_radius);
        (slope && *slope <= holds ? low : high) = middle;
    }
    if (const double most = std::copysign(std::floor(1e3 * low), b.rise); most != 0)
        f.ways_out.push_back(
            {std::string(b.rise < 0 ? "Let it fall by " : "Let it rise by ") + short_number(std::abs(most)) + " mm",
                "the most over this length at which nothing slides",
                {"Less slope of " + d.name, {cell::Operation::set(cell::at_device(d.id) / "rise_mm", most)}}});
    return f;
}

/// A belt that starts and stops quicker than friction lets its parts follow: mu g on the level, less on a slope.
std::optional<Finding> slip(const cell::Device& d) {
    constexpr double g = 9.80665;
    const simulation::Belt& b = simulation::belt_of(d);
    const double most = g * (b.friction * std::cos(b.slope) - std::sin(std::abs(b.slope)));
    if (most <= 0) return std::nullopt;  // they slide at any
    if (b.acceleration <= most) return std::nullopt;
    Finding f;
    f.id = "slip:" + d.id;
    f.severity = Severity::watch;
    f.title = "Parts slip on " + d.name;
    f.devices = {d.id};
    f.text = "It starts and stops with " + short_number(b.acceleration) + " m/s\u00b2; with a friction of " +
             short_number(b.friction) + " parts stay where they are up to " + short_number(most) + " m/s\u00b2.";
    const double lower = std::floor(most * 1e3);
    if (lower >= 1)
        f.ways_out.push_back({"Start and stop it with " + short_number(lower / 1e3) + " m/s\u00b2",
            "the highest acceleration at which nothing slips",
            {"Slower start of " + d.name,
                {cell::Operation::set(cell::at_device(d.id) / "acceleration_mm_s2", lower)}}});
    return f;
}

/// Parts that come in from the side come from beside the belt, not from somewhere.
std::optional<Finding> far_joint(const Context& c, const cell::Device& d) {
    const auto joint = simulation::kind_of(d).side_joint(c.cell, d);
    const int next = joint && !d.needs.empty() ? c.cell.device(d.needs.front().second) : -1;
    if (next < 0 || !simulation::as_belt(c.cell.devices[next])) return std::nullopt;
    const cell::Device& there = c.cell.devices[next];
    const simulation::Belt& belt = simulation::belt_of(there);
    const Vector3 place = (there.world * belt.on_top(simulation::nearest_way(there, *joint))).translation();
    const double apart = (*joint - place).head<2>().norm(), drop = std::abs(joint->z() - place.z());
    constexpr double beside = 0.3, level = 0.03;
    if (apart <= 0.5 * belt.width + beside && drop <= level) return std::nullopt;
    Finding f;
    f.id = "joint:" + d.id;
    f.severity = Severity::watch;
    f.title = d.name + " does not meet " + there.name;
    f.devices = {d.id, there.id};
    f.text = drop > level
                 ? "Its parts would come in from the side " + millimetres(drop) + " mm above or below the belt."
                 : "Its parts would cross " + millimetres(apart) +
                       " mm through the air to come in from the side; bring the two together.";
    return f;
}

/// What belongs on a belt and stands on none, or has nowhere to bring its parts, does nothing.
std::optional<Finding> idle(const cell::Device& d) {
    const auto* kind = dynamic_cast<const simulation::AlongBelts*>(d.kind);
    if (!kind) return std::nullopt;
    const cell::Field* to = cell::find_field(kind->fields(), "to");
    const bool nowhere = to && d.needs.empty();
    if (kind->belt(d) >= 0 && !nowhere) return std::nullopt;
    Finding f;
    f.id = "idle:" + d.id;
    f.severity = Severity::watch;
    f.title = d.name + " does nothing";
    f.devices = {d.id};
    f.text = kind->belt(d) < 0 ? "It belongs on a conveyor; set it down on one."
                               : "It has nowhere to bring its parts: say under \"to\" which conveyor or outfeed.";
    return f;
}

/// An infeed puts its parts onto the beginning of its belt, wherever it stands: it should stand there.
std::optional<Finding> feeds_from_afar(const Context& c, const cell::Device& d) {
    if (!d.kind->feeds_belts() || d.needs.empty()) return std::nullopt;
    const int next = c.cell.device(d.needs.front().second);
    if (next < 0 || !simulation::as_belt(c.cell.devices[next]) || d.bodies.empty()) return std::nullopt;
    const cell::Device& there = c.cell.devices[next];
    const simulation::Belt& belt = simulation::belt_of(there);
    const Frame start = there.world * belt.on_top(0);
    // Seen from the belt's beginning: x along the belt, z up.
    const Vector3 at = start.inverse() * d.world.translation();
    const geometry::Box3 box = geometry::bounds(d.bodies, start.inverse() * d.world);
    constexpr double level = 0.05, near = 0.15;
    const double gap_along = std::max({0.0, box.low.x(), -box.high.x()});
    const double gap_across = std::max({0.0, box.low.y() - 0.5 * belt.width, -0.5 * belt.width - box.high.y()});
    const bool high = std::abs(at.z()) > level, beside = gap_along > near || gap_across > 0.02;
    if (!high && !beside) return std::nullopt;
    Finding f;
    f.id = "feeds:" + d.id;
    f.severity = Severity::watch;
    f.title = d.name + " does not stand where it feeds " + there.name;
    f.devices = {d.id, there.id};
    f.device = d.id;
    f.text = high ? "It stands " + millimetres(std::abs(at.z())) + " mm " + (at.z() > 0 ? "above" : "below") +
                        " the belt's top; its parts appear on the belt."
                  : "It stands beside the belt's beginning, " + millimetres(std::hypot(gap_along, gap_across)) +
                        " mm from it; its parts appear there.";
    const double x = -0.5 * belt.length() + 0.5 * (box.high.x() - box.low.x());
    f.ways_out.push_back({"Stand it on the belt's beginning", "where its parts come from",
        {"Stand " + d.name + " on " + there.name, {cell::Operation::set(cell::at_device(d.id) / "host", there.id),
                                                      cell::Operation::set(cell::at_device(d.id) / "placement",
                                                          {{"x_mm", std::round(1e3 * x)}, {"y_mm", 0.0}})}}});
    return f;
}

}  // namespace

void belt_check(const Context& c, Inspection& result) {
    for (const cell::Device& d : c.cell.devices) {
        if (simulation::as_belt(d))
            for (const auto& check : {slide, slip})
                if (std::optional<Finding> f = check(d)) result.findings.push_back(std::move(*f));
        if (std::optional<Finding> f = idle(d)) result.findings.push_back(std::move(*f));
        if (std::optional<Finding> f = feeds_from_afar(c, d)) result.findings.push_back(std::move(*f));
        if (std::optional<Finding> f = far_joint(c, d)) result.findings.push_back(std::move(*f));
    }
}

}  // namespace escarp::inspection
