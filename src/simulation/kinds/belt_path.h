#pragma once
// The centre line of a conveyor: straight runs and arcs one after the other, in the device's own axes.

#include <algorithm>
#include <cmath>
#include <vector>

#include <cell/device_kind.h>

namespace escarp::simulation {

using geometry::Frame;
using geometry::Vector3;

/// `curvature`: 1/m, positive to the left, 0 on a straight run.
struct PathSection {
    double length = 0, curvature = 0;
    Frame begin = Frame::Identity();  ///< x along the travel
    Frame at(double s) const {
        if (curvature == 0) return begin * geometry::make_frame({s, 0, 0});
        const double angle = curvature * s;
        return begin *
               geometry::make_frame({std::sin(angle) / curvature, (1 - std::cos(angle)) / curvature, 0}, {0, 0, angle});
    }
    /// Point about which an arc turns.
    Vector3 centre() const { return begin * Vector3(0, 1 / curvature, 0); }
};

class BeltPath {
public:
    void add(double length, double curvature) {
        if (length <= 0) return;
        sections_.push_back(
            {length, curvature, sections_.empty() ? Frame::Identity() : sections_.back().at(sections_.back().length)});
        length_ += length;
    }
    void shift(const Vector3& by) {
        for (PathSection& s : sections_) s.begin.pretranslate(by);
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
            const Vector3 local = s.begin.inverse() * point;
            double way = local.x();
            if (s.curvature != 0) way = std::atan2(s.curvature * local.x(), 1 - s.curvature * local.y()) / s.curvature;
            if (s.curvature != 0 && way < 0 && -way > geometry::pi / std::abs(s.curvature) - 0.5 * s.length)
                way += 2 * geometry::pi / std::abs(s.curvature);
            way = std::clamp(way, 0.0, s.length);
            const double distance = (s.at(way).translation() - s.begin * local).head<2>().norm();
            if (distance < least) least = distance, best = before + way;
            before += s.length;
        }
        return best;
    }

private:
    std::vector<PathSection> sections_;
    double length_ = 0;
};

}  // namespace escarp::simulation
