#include "snap.h"

#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>

#include "arrange.h"

namespace escarp::cell {
namespace {

using geometry::Box3;
using Point2 = geometry::Point2;

/// A line of a device's footprint on the floor: normal (unit), distance along it, and its ends.
struct Line {
    Point2 normal, from, to;
    double offset;
    bool middle;
    int device;
};

void lines_of(const Box3& box, const Frame& world, int device, std::vector<Line>& out) {
    if (box.empty()) return;
    const auto flat = [&](double x, double y) {
        const Vector3 p = world * Vector3(x, y, 0);
        return Point2(p.x(), p.y());
    };
    const double xs[3] = {box.low.x(), box.high.x(), 0.5 * (box.low.x() + box.high.x())},
                 ys[3] = {box.low.y(), box.high.y(), 0.5 * (box.low.y() + box.high.y())};
    for (int i = 0; i < 3; ++i) {
        for (const bool across : {true, false}) {
            Line l;
            l.from = across ? flat(xs[i], box.low.y()) : flat(box.low.x(), ys[i]);
            l.to = across ? flat(xs[i], box.high.y()) : flat(box.high.x(), ys[i]);
            const Vector3 n = world.linear() * (across ? Vector3::UnitX() : Vector3::UnitY());
            l.normal = Point2(n.x(), n.y()).normalized();
            if (l.normal.x() < -1e-9 || (std::abs(l.normal.x()) <= 1e-9 && l.normal.y() < 0)) l.normal = -l.normal;
            l.offset = l.normal.dot(l.from);
            l.middle = i == 2;
            l.device = device;
            out.push_back(l);
        }
    }
}

bool upright(const Frame& f) { return f.linear()(2, 2) > 0.999; }

/// One of its own lines on one of another device.
struct Fit {
    double shift = 1e9;
    const Line *mine = nullptr, *its = nullptr;
};

/// At most two with different normals; edges win over middles at the same distance, near lines over far ones.
std::vector<Fit> fits_of(const std::vector<Line>& own, const std::vector<Line>& theirs, double tolerance) {
    std::vector<Fit> fits;
    for (int round = 0; round < 2; ++round) {
        Fit best;
        double best_score = tolerance;
        for (const Line& a : own)
            for (const Line& b : theirs) {
                if (a.middle != b.middle || std::abs(std::abs(a.normal.dot(b.normal)) - 1) > 1e-6) continue;
                if (!fits.empty() && std::abs(a.normal.dot(fits.front().mine->normal)) > 1e-3) continue;
                const double shift = b.offset * (a.normal.dot(b.normal) > 0 ? 1 : -1) - a.offset;
                const double apart = (0.5 * (a.from + a.to) - 0.5 * (b.from + b.to)).norm();
                const double score = std::abs(shift) + (a.middle ? 0.1 * tolerance : 0) +
                                     std::min(0.3 * tolerance, 0.02 * tolerance * apart);
                if (std::abs(shift) > tolerance || score >= best_score) continue;
                best_score = score;
                best = {shift, &a, &b};
            }
        if (!best.mine) break;
        fits.push_back(best);
    }
    return fits;
}

/// A device that is moved among the others.
class Snapping {
public:
    Snapping(const Cell& c, int device, const std::vector<int>& moving, const Frame& wanted, double tolerance)
        : c_(c), d_(c.devices[device]), device_(device), wanted_(wanted), tolerance_(tolerance) {
        for (int i = 0; i < static_cast<int>(c.devices.size()); ++i)
            if (std::none_of(moving.begin(), moving.end(), [&](int m) { return m == i || c.stands_on(i, m); }) &&
                upright(c.devices[i].world))
                others_.push_back(i);
        out_.world = wanted;
    }
    Snap result(double grid) {
        if (join_ends()) return out_;
        std::vector<Line> own, theirs;
        lines_of(d_.extent(), wanted_, device_, own);
        for (const int o : others_)
            if (o != d_.host || d_.kind->lane() != DeviceKind::Lane::level)
                lines_of(c_.devices[o].extent(), c_.devices[o].world, o, theirs);
        const std::vector<Fit> fits = fits_of(own, theirs, tolerance_);
        take(fits);
        if (grid > 0) on_grid(fits, grid);
        return std::move(out_);
    }

private:
    /// Ends of conveyors settle place and direction at once.
    bool join_ends() {
        double nearest = 2 * tolerance_;
        for (const int other : others_)
            for (std::size_t mine = 0; mine < d_.ends.size(); ++mine)
                for (std::size_t theirs = 0; theirs < c_.devices[other].ends.size(); ++theirs) {
                    if (mine == theirs) continue;  // a beginning joins an end
                    const Device& o = c_.devices[other];
                    const Frame there = o.world * o.ends[theirs];
                    const Vector3 gap = there.translation() - (wanted_ * d_.ends[mine]).translation();
                    const double distance = std::hypot(gap.x(), gap.y());
                    if (distance >= nearest) continue;
                    nearest = distance;
                    Frame joined = there * d_.ends[mine].inverse();
                    joined.translation().z() = wanted_.translation().z();
                    out_.world = joined;
                    out_.across = out_.along = out_.joined = true;
                    out_.upstream = mine == 0 ? other : device_;
                    out_.downstream = mine == 0 ? device_ : other;
                    out_.guides = {{there * Vector3(0, -0.3, 0), there * Vector3(0, 0.3, 0), "joins " + o.name}};
                }
        return out_.joined;
    }
    void take(const std::vector<Fit>& fits) {
        Point2 shift(0, 0);
        for (const Fit& f : fits) {
            shift += f.shift * f.mine->normal;
            // At right angles only: the second fit must not undo the first.
            (f.mine == fits.front().mine ? out_.across : out_.along) = true;
        }
        out_.world.translation() += Vector3(shift.x(), shift.y(), 0);
        for (const Fit& f : fits) {
            const Point2 a = f.its->from, b = f.its->to, along(-f.mine->normal.y(), f.mine->normal.x());
            double low = 1e9, high = -1e9;
            for (const Point2& p : {a, b, Point2(f.mine->from + shift), Point2(f.mine->to + shift)})
                low = std::min(low, along.dot(p)), high = std::max(high, along.dot(p));
            const double offset = f.mine->normal.dot(f.mine->from + shift);
            const Point2 from = offset * f.mine->normal + (low - 0.1) * along,
                         to = offset * f.mine->normal + (high + 0.1) * along;
            out_.guides.push_back({{from.x(), from.y(), 0}, {to.x(), to.y(), 0},
                (f.mine->middle ? "middle of " : "edge of ") + c_.devices[f.its->device].name});
        }
    }
    /// Where nothing else holds it.
    void on_grid(const std::vector<Fit>& fits, double grid) {
        const auto rounded = [&](double v) { return std::round(v / grid) * grid; };
        if (fits.empty()) {
            out_.world.translation().x() = rounded(wanted_.translation().x());
            out_.world.translation().y() = rounded(wanted_.translation().y());
        } else if (fits.size() == 1) {  // free along the line: there the grid
            const Point2 n = fits.front().mine->normal;
            if (std::abs(n.x()) > 0.999) out_.world.translation().y() = rounded(wanted_.translation().y());
            else if (std::abs(n.y()) > 0.999) out_.world.translation().x() = rounded(wanted_.translation().x());
        }
    }

    const Cell& c_;
    const Device& d_;
    const int device_;
    const Frame wanted_;
    const double tolerance_;
    std::vector<int> others_;
    Snap out_;
};

}  // namespace

Snap snap(
    const Cell& c, int device, const std::vector<int>& moving, const Frame& wanted, double tolerance, double grid) {
    return Snapping(c, device, moving, wanted, tolerance).result(grid);
}

Vector3 snap_point(const Cell& c, const Vector3& point, double tolerance, std::string* words) {
    Vector3 best = point;
    double nearest = tolerance;
    const auto offer = [&](const Vector3& p, const std::string& what) {
        const double gap = std::hypot(p.x() - point.x(), p.y() - point.y());
        if (gap >= nearest) return;
        nearest = gap;
        best = Vector3(p.x(), p.y(), point.z());
        if (words) *words = what;
    };
    for (const Device& d : c.devices) {
        const Box3 b = d.extent();
        if (b.empty()) continue;
        const Vector3 m = 0.5 * (b.low + b.high);
        for (const double x : {b.low.x(), m.x(), b.high.x()})
            for (const double y : {b.low.y(), m.y(), b.high.y()}) {
                const bool in_x = x == m.x(), in_y = y == m.y();
                offer(d.world * Vector3(x, y, 0), (in_x && in_y      ? "middle of "
                                                      : in_x || in_y ? "side of "
                                                                     : "corner of ") +
                                                      d.name);
            }
        offer(d.world.translation(), "origin of " + d.name);
        for (const Frame& e : d.ends) offer((d.world * e).translation(), "end of " + d.name);
        for (const Seat& s : d.seats) offer((d.world * s.at).translation(), d.name + " " + s.name);
    }
    return best;
}

}  // namespace escarp::cell
