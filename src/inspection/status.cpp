#include "status.h"

#include <algorithm>

#include <cell/text/numbers.h>
#include <geometry/distance.h>
#include <geometry/indices.h>

namespace escarp::inspection {
namespace {

const cell::Mark* lit_mark(const cell::Device& d) {
    const auto found =
        std::find_if(d.marks.begin(), d.marks.end(), [](const cell::Mark& m) { return !m.lit_by.empty(); });
    return found == d.marks.end() ? nullptr : &*found;
}

/// The part that touches what is watched, or stands at it; -1: none.
int part_at(const cell::Cell& cell, const simulation::Run& run, const geometry::Convex& shape, simulation::Ticks t) {
    constexpr double near = 2e-3;
    int found = -1;
    double least = near;
    for (const int p : indices(run.trace.parts)) {
        geometry::Frame at;
        if (!run.trace.part_frame(cell, p, t, at)) continue;
        for (const geometry::Body& b : cell.part_types[run.trace.parts[p].type].bodies) {
            const double d = geometry::separation(b.shape, at * b.at, shape, geometry::Frame::Identity()).distance;
            if (d < least) least = d, found = p;
        }
    }
    return found;
}

}  // namespace

std::unique_ptr<geometry::Convex> watched_shape(const cell::Device& d) {
    std::vector<geometry::Vector3> points;
    for (const cell::Mark& m : d.marks)
        if (!m.lit_by.empty())
            for (const geometry::Vector3& p : m.line) points.push_back(d.world * p);
    if (points.size() < 2) return nullptr;
    return std::make_unique<geometry::Convex>(points.size() == 2 ? geometry::Convex::segment(points[0], points[1])
                                                                 : geometry::Convex::hull(std::move(points)));
}

std::string status(const cell::Cell& cell, const simulation::Run& run, int device, simulation::Ticks t) {
    const cell::Device& d = cell.devices[device];
    const cell::Mark* lit = lit_mark(d);
    const simulation::SignalRecord* s = lit ? run.trace.signal(d.id + "." + lit->lit_by) : nullptr;
    if (!s) return {};
    const bool on = s->at(t) != 0;
    const double since = simulation::seconds(t - s->since(t));
    std::string out = (on ? "on " : "off ") + cell::fixed(since, since < 100 ? 1 : 0) + " s";
    const bool flat = std::count_if(d.marks.begin(), d.marks.end(),
                          [](const cell::Mark& m) { return !m.lit_by.empty(); }) == 2;  // a cross: nothing to touch
    const auto shape = on && !flat ? watched_shape(d) : nullptr;
    const int part = shape ? part_at(cell, run, *shape, t) : -1;
    return part < 0 ? out : out + ": " + cell.part_types[run.trace.parts[part].type].name;
}

}  // namespace escarp::inspection
