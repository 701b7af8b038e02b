#include "swept.h"

#include <algorithm>
#include <optional>

namespace escarp::inspection {
namespace {

using motion::Mover;
constexpr double no_time = 1e-9;     // s: nothing is looked at between two instants so close
constexpr double coarse_step = 0.1;  // m: for a box around everything

/// Goes through [from, to] in stretches over which a part moves less than `most`, each part by itself:
/// `use(part, frame, travel)` at their middles.
template <typename Use>
void each_placement(const Mover& mover, double from, double to, double most, const std::vector<int>& parts,
    const motion::StopFlag* stop, const Use& use) {
    motion::give_way(stop);
    Mover::Look look;
    mover.look(from, to, look);
    mover.look_closer(from, to, look);
    std::vector<int> rest;
    for (const int p : parts) {
        const motion::Part& part = mover.parts()[p];
        const geometry::Frame& frame = look.frames[part.frame];
        const double travel = mover.near_travel(look, p, frame * mover.set().centre(p));
        if (travel <= most || to - from < no_time) use(p, frame, travel);
        else rest.push_back(p);
    }
    if (rest.empty()) return;
    const double middle = 0.5 * (from + to);
    each_placement(mover, from, middle, most, rest, stop, use);
    each_placement(mover, middle, to, most, rest, stop, use);
}

std::vector<int> all_parts(const Mover& mover) {
    std::vector<int> all(mover.parts().size());
    for (std::size_t i = 0; i < all.size(); ++i) all[i] = static_cast<int>(i);
    return all;
}

}  // namespace

Cuts::Cuts(const motion::PartSet& parts) {
    cuts_.reserve(parts.parts().size());
    for (const motion::Part& p : parts.parts()) cuts_.emplace_back(p.shape);
}

geometry::Box3 swept_box(const Mover& mover, double from, double to) {
    geometry::Box3 box;
    each_placement(mover, from, to, coarse_step, all_parts(mover), nullptr,
        [&](int p, const geometry::Frame& frame, double travel) {
            const motion::Part& part = mover.parts()[p];
            const geometry::Box3 one = geometry::bounds(part.shape, frame * part.at);
            box.low = box.low.cwiseMin(one.low - geometry::Vector3::Constant(travel));
            box.high = box.high.cwiseMax(one.high + geometry::Vector3::Constant(travel));
        });
    return box;
}

void add_swept(const Mover& mover, const Cuts& cuts, double from, double to, const Fineness& fineness,
    geometry::Volume& volume, const motion::StopFlag* stop) {
    each_placement(mover, from, to, fineness.grow(), all_parts(mover), stop,
        [&](int p, const geometry::Frame& frame, double travel) {
            volume.add(cuts[p], frame * mover.parts()[p].at, travel + fineness.margin);
        });
}

std::vector<std::pair<double, double>> times_within(const Mover& mover, const Cuts& cuts, double from, double to,
    const geometry::Volume& volume, std::vector<char>& who, double margin, const motion::StopFlag* stop, double exact,
    double gap) {
    Mover::Look look;
    who.resize(mover.parts().size(), 0);
    // Those of `parts` that may be within the volume at some instant of a stretch.
    const auto within = [&](double begin, double end, const std::vector<int>& parts) {
        mover.look(begin, end, look);
        mover.look_closer(begin, end, look);
        std::vector<int> some;
        for (const int p : parts) {
            const motion::Part& part = mover.parts()[p];
            const geometry::Frame& frame = look.frames[part.frame];
            const double travel = mover.near_travel(look, p, frame * mover.set().centre(p));
            if (volume.meets(cuts[p], frame * part.at, margin + travel)) some.push_back(p);
        }
        return some;
    };
    // Coarse stretches that may be within it, in order; then the first and the last instants of those that hang
    // together.
    struct Stretch {
        double from, to;
        std::vector<int> parts;
    };
    std::vector<Stretch> coarse;
    const auto search = [&](const auto& self, const Stretch& s) -> void {
        motion::give_way(stop);
        std::vector<int> some = within(s.from, s.to, s.parts);
        if (some.empty()) return;
        const double middle = 0.5 * (s.from + s.to);
        if (s.to - s.from <= gap) {
            for (const int p : within(middle, middle, some)) who[p] = 1;
            coarse.push_back({s.from, s.to, std::move(some)});
            return;
        }
        self(self, {s.from, middle, some});
        self(self, {middle, s.to, some});
    };
    search(search, {from, to, all_parts(mover)});
    /// The shortest stretch at the beginning, or the end, that may be within it.
    const auto outermost = [&](const auto& self, const Stretch& s, bool first) -> std::optional<Stretch> {
        std::vector<int> some = within(s.from, s.to, s.parts);
        if (some.empty()) return std::nullopt;
        if (s.to - s.from <= exact) {
            for (const int p : some) who[p] = 1;
            return s;
        }
        const double middle = 0.5 * (s.from + s.to);
        const Stretch early{s.from, middle, some}, late{middle, s.to, some};
        if (const auto found = self(self, first ? early : late, first)) return found;
        return self(self, first ? late : early, first);
    };
    std::vector<std::pair<double, double>> times;
    for (std::size_t i = 0; i < coarse.size(); ++i) {
        std::size_t begin = i;
        while (i + 1 < coarse.size() && coarse[i + 1].from <= coarse[i].to + no_time) ++i;
        std::optional<Stretch> on, off;
        while (begin <= i && !(on = outermost(outermost, coarse[begin], true))) ++begin;
        if (!on) continue;
        for (std::size_t last = i; !(off = outermost(outermost, coarse[last], false));) --last;
        times.emplace_back(on->from, off->to);
    }
    return times;
}

}  // namespace escarp::inspection
