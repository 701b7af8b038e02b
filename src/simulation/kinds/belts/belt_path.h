#pragma once
// The centre line of a conveyor: straight runs, slopes and arcs one after the other, in the device's own axes.

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

#include <cell/model/device_kind.h>

namespace escarp::simulation {

using geometry::Frame;
using geometry::Vector3;

/// `curvature`: 1/m, positive to the left, or upwards; 0 on a straight run.
struct PathSection {
    double length = 0, curvature = 0;
    bool upright = false;             ///< it bends up or down instead of sideways
    Frame begin = Frame::Identity();  ///< x along the travel
    Frame at(double s) const {
        if (curvature == 0) return begin * geometry::make_frame({s, 0, 0});
        const double angle = curvature * s;
        const double along = std::sin(angle) / curvature, aside = (1 - std::cos(angle)) / curvature;
        if (upright) return begin * geometry::make_frame({along, 0, aside}, {0, -angle, 0});
        return begin * geometry::make_frame({along, aside, 0}, {0, 0, angle});
    }
    /// Point about which an arc turns, and the axis.
    Vector3 centre() const { return begin * (upright ? Vector3(0, 0, 1 / curvature) : Vector3(0, 1 / curvature, 0)); }
    Vector3 axis() const { return upright ? Vector3(-begin.linear().col(1)) : Vector3(Vector3::UnitZ()); }
    bool level() const { return !upright && begin.linear()(2, 0) == 0; }
    /// The way to where it passes under or over a point, seen from above; it may lie before or behind the section.
    double below(const Vector3& point) const {
        const Vector3 local = begin.inverse() * point;
        if (level()) {
            if (curvature == 0) return local.x();
            double way = std::atan2(curvature * local.x(), 1 - curvature * local.y()) / curvature;
            if (way < 0 && -way > geometry::pi / std::abs(curvature) - 0.5 * length)
                way += 2 * geometry::pi / std::abs(curvature);
            return way;
        }
        // Its plan is a line: as far along that as the point is.
        Vector3 ahead = begin.linear().col(0);
        const double sine = ahead.z();
        ahead.z() = 0;
        const double flat = ahead.norm(), along = (point - begin.translation()).dot(ahead / flat);
        if (curvature == 0) return along / flat;
        return (std::asin(std::clamp(sine + curvature * along, -1.0, 1.0)) - std::asin(sine)) / curvature;
    }
};

/// A run that rises by `height` (m, falls below 0) over a `run` of level way: an arc of `radius` up, a straight slope,
/// an arc down. The slope's angle, rad; nothing: there is no room for such arcs, or it is steeper than 60 degrees.
inline std::optional<double> slope_of(double run, double height, double radius) {
    const double h = std::abs(height), up = 2 * radius - h, reach = std::hypot(run, up);
    if (reach < 2 * radius) return std::nullopt;
    // run sin a + (2 r - h) cos a = 2 r
    const double angle = std::atan2(run, up) - std::acos(2 * radius / reach);
    if (angle <= 0 || angle > geometry::pi / 3 || run < 2 * radius * std::sin(angle) - 1e-12) return std::nullopt;
    return height < 0 ? -angle : angle;
}

class BeltPath {
public:
    void add(double length, double curvature, bool upright = false) {
        if (length <= 0) return;
        sections_.push_back({length, curvature, upright, next_});
        next_ = sections_.back().at(length);
        length_ += length;
    }
    /// See slope_of; level again at its end.
    void add_rise(double run, double height, double radius, double angle) {
        const double a = std::abs(angle), sign = angle < 0 ? -1 : 1;
        const Frame begin = next_;
        add(radius * a, sign / radius, true);
        add((run - 2 * radius * std::sin(a)) / std::cos(a), 0);
        add(radius * a, -sign / radius, true);
        next_ =
            begin * geometry::make_frame({run, 0, height});  // what rounding leaves of the slope would stay for ever
    }
    void shift(const Vector3& by) {
        for (PathSection& s : sections_) s.begin.pretranslate(by);
        next_.pretranslate(by);
    }
    double length() const { return length_; }
    const std::vector<PathSection>& sections() const { return sections_; }
    /// The frame at a way along the path; straight on before its beginning and after its end.
    Frame at(double s) const {
        if (s < 0) return sections_.front().begin * geometry::make_frame({s, 0, 0});
        for (const PathSection& one : sections_) {
            if (s <= one.length) return one.at(s);
            s -= one.length;
        }
        return sections_.back().at(sections_.back().length) * geometry::make_frame({s, 0, 0});
    }
    /// The way to the place that is nearest to a point, seen from above.
    double nearest(const Vector3& point) const {
        double best = 0, least = 1e300, before = 0;
        for (const PathSection& s : sections_) {
            const double way = std::clamp(s.below(point), 0.0, s.length);
            const double distance = (s.at(way).translation() - point).head<2>().norm();
            if (distance < least) least = distance, best = before + way;
            before += s.length;
        }
        return best;
    }

private:
    std::vector<PathSection> sections_;
    Frame next_ = Frame::Identity();  ///< where the next one begins
    double length_ = 0;
};

}  // namespace escarp::simulation
