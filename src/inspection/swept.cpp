#include "swept.h"

#include <geometry/indices.h>
#include <algorithm>
#include <cmath>
#include <optional>

namespace escarp::inspection {
namespace {

using motion::Mover;
constexpr double no_time = 1e-9;     // s: nothing is looked at between two instants so close
constexpr double coarse_step = 0.1;  // m: for a box around everything

using Piece = Pieces::Piece;

/// Where a piece is in the middle of a stretch of time, how it goes from there, and how far any of its points gets from
/// that, m.
struct Course {
    geometry::Frame at;
    geometry::Vector3 straight;
    double off;
};
Course course_of(const Mover& mover, const Mover::Look& look, const Piece& piece) {
    const geometry::Frame& frame = look.frames[mover.set().frame(piece.part)];
    const Mover::Straight s = mover.course(look, piece.part, frame * piece.centre, piece.radius);
    double turned = 0;
    if (!s.turning.isZero()) {
        geometry::Vector3 turning = frame.linear().transpose() * s.turning;
        turning -= turning.dot(piece.axis) * piece.axis;
        for (const geometry::Vector3& c : piece.corners) turned = std::max(turned, turning.cross(c).squaredNorm());
    }
    return {frame * piece.at, s.straight, std::sqrt(turned) + s.rest};
}

/// Goes through [from, to] in stretches over which no point of a piece gets farther than `most` from its straight way,
/// each piece by itself: `use(piece, course)`.
template <typename Use>
void each_course(const Mover& mover, double from, double to, double most, const std::vector<const Piece*>& pieces,
    const motion::StopFlag* stop, const Use& use) {
    motion::throw_if_stopped(stop);
    Mover::Look look;
    mover.look(from, to, look);
    mover.look_closer(from, to, look);
    std::vector<const Piece*> rest;
    for (const Piece* p : pieces) {
        const Course course = course_of(mover, look, *p);
        if (course.off <= most || to - from < no_time) use(*p, course);
        else rest.push_back(p);
    }
    if (rest.empty()) return;
    const double middle = 0.5 * (from + to);
    each_course(mover, from, middle, most, rest, stop, use);
    each_course(mover, middle, to, most, rest, stop, use);
}

std::vector<const Piece*> all_of(const Pieces& pieces) {
    std::vector<const Piece*> all;
    for (const Piece& p : pieces.all()) all.push_back(&p);
    return all;
}

/// A body in lengths of about twice its width, where it is one that is easily cut: together just what it is.
std::vector<std::pair<geometry::Convex, geometry::Frame>> lengths_of(const geometry::Convex& shape) {
    using geometry::Convex;
    constexpr double stout = 2.5;  // times its width; shorter ones cost more than they save
    constexpr int most = 6;
    const auto count = [&](double length, double width) {
        return std::clamp(static_cast<int>(std::lround(length / (stout * std::max(1e-3, width)))), 1, most);
    };
    std::vector<std::pair<Convex, geometry::Frame>> out;
    const geometry::Frame here = geometry::Frame::Identity();
    if (shape.core() == Convex::Core::points && shape.points().size() == 2) {
        const geometry::Vector3 &a = shape.points()[0], &b = shape.points()[1];
        const int n = count((b - a).norm(), 2 * shape.radius());
        for (int i = 0; i < n; ++i)
            out.emplace_back(Convex::capsule(a + i * (b - a) / n, a + (i + 1) * (b - a) / n, 2 * shape.radius()), here);
    } else if (shape.core() != Convex::Core::points) {
        const geometry::Vector3 size = 2 * shape.half();
        int axis = 2;
        if (shape.core() == Convex::Core::box) size.maxCoeff(&axis);
        const int n = count(size[axis], std::max(size[(axis + 1) % 3], size[(axis + 2) % 3]));
        geometry::Vector3 part = size;
        part[axis] /= n;
        for (int i = 0; i < n; ++i) {
            const Convex one =
                shape.core() == Convex::Core::box ? Convex::box(part) : Convex::cylinder(size.x(), part.z());
            out.emplace_back(one, geometry::Frame(Eigen::Translation3d(
                                      geometry::Vector3::Unit(axis) * ((i + 0.5) / n - 0.5) * size[axis])));
        }
    } else {
        out.emplace_back(shape, here);
    }
    return out;
}

/// Looks for the times at which a mover may be within a volume; see times_within.
class Visits {
public:
    using Some = std::vector<const Piece*>;
    struct Stretch {
        double from, to;
        Some pieces;
    };
    const Mover& mover;
    const geometry::Volume& volume;
    double margin;
    const motion::StopFlag* stop;
    double exact, gap;
    std::vector<char>& who;
    Mover::Look look = {};
    std::vector<Stretch> coarse = {};

    /// First coarse stretches in order, then the first and the last instants of those that hang together.
    std::vector<std::pair<double, double>> times(const Stretch& whole) {
        search(whole);
        std::vector<std::pair<double, double>> found;
        for (std::size_t i = 0; i < coarse.size(); ++i) {
            std::size_t begin = i;
            while (i + 1 < coarse.size() && coarse[i + 1].from <= coarse[i].to + no_time) ++i;
            std::optional<Stretch> on, off;
            while (begin <= i && !(on = outermost(coarse[begin], true))) ++begin;
            if (!on) continue;
            for (std::size_t last = i; !(off = outermost(coarse[last], false));) --last;
            found.emplace_back(on->from, off->to);
        }
        return found;
    }

private:
    /// Those that may be within the volume at some instant of a stretch.
    Some within(double begin, double end, const Some& of) {
        mover.look(begin, end, look);
        mover.look_closer(begin, end, look);
        Some some;
        for (const Piece* p : of) {
            const Course c = course_of(mover, look, *p);
            if (volume.meets(p->facets, c.at, margin + c.off, c.straight)) some.push_back(p);
        }
        return some;
    }
    void search(const Stretch& s) {
        motion::throw_if_stopped(stop);
        Some some = within(s.from, s.to, s.pieces);
        if (some.empty()) return;
        const double middle = 0.5 * (s.from + s.to);
        if (s.to - s.from <= gap) {
            for (const Piece* p : within(middle, middle, some)) who[p->part] = 1;
            coarse.push_back({s.from, s.to, std::move(some)});
            return;
        }
        search({s.from, middle, some});
        search({middle, s.to, some});
    }
    /// The shortest stretch at the beginning, or the end, that may be within it.
    std::optional<Stretch> outermost(const Stretch& s, bool first) {
        Some some = within(s.from, s.to, s.pieces);
        if (some.empty()) return std::nullopt;
        if (s.to - s.from <= exact) {
            for (const Piece* p : some) who[p->part] = 1;
            return s;
        }
        const double middle = 0.5 * (s.from + s.to);
        const Stretch early{s.from, middle, some}, late{middle, s.to, some};
        if (auto found = outermost(first ? early : late, first)) return found;
        return outermost(first ? late : early, first);
    }
};

}  // namespace

Pieces::Pieces(const motion::PartSet& parts, double chord) {
    for (const int p : indices(parts.parts()))
        for (auto& [shape, offset] : lengths_of(parts.parts()[p].shape)) {
            const geometry::Frame at = parts.parts()[p].at * offset;
            Piece piece{p, geometry::Facets(shape, chord), at, at * shape.centre(), shape.bound() - shape.radius(),
                geometry::Vector3::Zero(), {}};
            if (shape.core() == geometry::Convex::Core::cylinder) piece.axis = at.linear().col(2);
            for (const geometry::Facets::Corner& c : piece.facets.corners()) {
                const geometry::Vector3 corner = at * c.at - piece.centre;
                if (std::find(piece.corners.begin(), piece.corners.end(), corner) == piece.corners.end())
                    piece.corners.push_back(corner);
            }
            pieces_.push_back(std::move(piece));
        }
}

geometry::Box3 swept_box(const Mover& mover, const Pieces& pieces, double from, double to) {
    geometry::Box3 box;
    each_course(mover, from, to, coarse_step, all_of(pieces), nullptr, [&](const Piece& p, const Course& c) {
        const geometry::Box3 one = geometry::bounds(p.facets.shape(), c.at);
        const geometry::Vector3 more = c.straight.cwiseAbs() + geometry::Vector3::Constant(c.off);
        box.low = box.low.cwiseMin(one.low - more);
        box.high = box.high.cwiseMax(one.high + more);
    });
    return box;
}

void add_swept(const Mover& mover, const Pieces& pieces, double from, double to, const Fineness& fineness,
    geometry::Volume& volume, const motion::StopFlag* stop) {
    each_course(mover, from, to, fineness.grow(), all_of(pieces), stop,
        [&](const Piece& p, const Course& c) { volume.add(p.facets, c.at, c.off + fineness.margin, c.straight); });
}

std::vector<std::pair<double, double>> times_within(const Mover& mover, const Pieces& pieces, double from, double to,
    const geometry::Volume& volume, std::vector<char>& who, double margin, const motion::StopFlag* stop, double exact,
    double gap) {
    who.resize(mover.parts().size(), 0);
    Visits visits{mover, volume, margin, stop, exact, gap, who};
    return visits.times({from, to, all_of(pieces)});
}

}  // namespace escarp::inspection
