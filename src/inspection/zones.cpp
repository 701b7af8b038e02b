#include "zones.h"

#include <geometry/work_done.h>

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#include <algorithm>
#include <map>
#include <set>

#include <cell/text/content_key.h>
#include <simulation/arm_parts.h>
#include <simulation/kernel.h>

#include "cache.h"
#include "swept.h"
#include "timeline.h"

namespace escarp::inspection {
namespace {

using geometry::Box3;
using geometry::Volume;
using simulation::seconds;
using VolumePtr = std::shared_ptr<const Volume>;

constexpr double coarse = 0.04;      // m: how finely it is looked for where two movers meet at all
constexpr double nearest_cap = 0.5;  // m: no nearer than this is no matter
constexpr std::size_t most_cubes = 200'000'000;

bool apart(const Box3& a, const Box3& b) {
    return a.empty() || b.empty() || (a.low.array() > b.high.array()).any() || (b.low.array() > a.high.array()).any();
}
Box3 common(const Box3& a, const Box3& b) {
    Box3 box;
    box.low = a.low.cwiseMax(b.low), box.high = a.high.cwiseMin(b.high);
    return box;
}
Box3 united(const Box3& a, const Box3& b) {
    Box3 box;
    box.low = a.low.cwiseMin(b.low), box.high = a.high.cwiseMax(b.high);
    return box;
}
Box3 grown(Box3 box, double by) {
    box.low -= Vector3::Constant(by), box.high += Vector3::Constant(by);
    return box;
}
double roominess(const Box3& box) { return box.empty() ? 0 : (box.high - box.low).prod(); }

/// One motion with what is held, however often it is made.
struct Sweep {
    const TimedMover* mover;
    const Segment* segment;
    const Pieces* pieces;
    Box3 box;
    double duration() const { return segment->motion->duration(); }
};

struct Swept {
    const TimedMover* mover;
    std::vector<Sweep> sweeps;            ///< each different one once
    std::vector<std::size_t> by_segment;  ///< which of them a segment is
    Box3 box;
};

/// Standing where an arm takes parts from it, or puts them on it, a table is not in that arm's way.
bool stands_to_be_served(const Segment& s, const std::vector<double>& served_at) {
    constexpr double same = 1e-9;  // m or rad
    if (s.motion->duration() > 0) return false;
    const double value = s.motion->position(0)[0];
    return std::any_of(served_at.begin(), served_at.end(), [&](double at) { return std::abs(at - value) < same; });
}

class ZoneSearch {
public:
    ZoneSearch(const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop,
        double resolution, double margin = 0)
        : cell_(cell), run_(run), timeline_(cell, run, stop), cache_(cache), stop_(stop), fine_{resolution, margin} {}

    std::shared_ptr<const Zones> find() {
        cell::Kept<std::shared_ptr<const Zones>>& kept = cache_.kept().zones;
        const std::uint64_t key = content();
        if (const auto found = kept.find(key)) return *found;
        std::shared_ptr<const Zones> zones = search();
        std::size_t bytes = 0;
        for (const Zone& z : zones->all) bytes += z.space.bytes() + sizeof z;
        return kept.keep(key, std::move(zones), bytes);
    }

    std::shared_ptr<const Zones> search() {
        auto result = std::make_shared<Zones>();
        result->resolution = fine_.resolution;
        result->from = run_.steady ? run_.steady->from : 0;
        result->until = timeline_.end();
        for (const TimedMover& mover : timeline_.movers()) swept_.push_back(sweeps_of(mover));
        for (std::size_t i = 0; i < swept_.size(); ++i)
            for (std::size_t j = i + 1; j < swept_.size(); ++j) {
                if (!swept_[i].mover->arm && !swept_[j].mover->arm) continue;
                if (cell_.stands_on(swept_[i].mover->device, swept_[j].mover->device) ||
                    cell_.stands_on(swept_[j].mover->device, swept_[i].mover->device))
                    continue;
                between(swept_[i], swept_[j], *result);
            }
        for (std::size_t i = 0; i < result->all.size(); ++i) result->all[i].name = "Zone " + std::to_string(i + 1);
        return result;
    }

    VolumePtr swept_by(int device, int step) {
        for (const TimedMover& mover : timeline_.movers()) {
            if (mover.device != device) continue;
            const Swept all = sweeps_of(mover);
            Box3 box;
            std::vector<const Sweep*> asked;
            for (const Sweep& s : all.sweeps)
                if (step < 0 || step_of(*s.segment) == step) asked.push_back(&s), box = united(box, s.box);
            if (asked.empty()) return nullptr;
            check_room(box, fine_);
            return together(asked, box);
        }
        return nullptr;
    }

private:
    /// In as many shares at once as there are cores, and room for.
    VolumePtr together(const std::vector<const Sweep*>& asked, const Box3& box) const {
        constexpr std::size_t most_bytes = 200'000'000;
        auto volume = std::make_shared<Volume>(fine_.edge(), box);
        const std::size_t shares = std::min({asked.size(), most_bytes / std::max<std::size_t>(1, volume->bytes()) + 1,
            static_cast<std::size_t>(tbb::this_task_arena::max_concurrency())});
        std::vector<Volume> others(shares - 1, *volume);
        tbb::parallel_for(std::size_t{0}, shares, [&](std::size_t share) {
            for (std::size_t i = share; i < asked.size(); i += shares)
                add(*asked[i], fine_, share == 0 ? *volume : others[share - 1]);
        });
        for (const Volume& other : others) volume->add(other);
        return volume;
    }
    /// All that the zones depend on: who moves how and when, who works at what, who lets whom in.
    std::uint64_t content() const {
        cell::ContentKey key;
        key.add(fine_.resolution).add(fine_.margin).add(timeline_.end()).add(run_.steady ? run_.steady->from : 0);
        for (const cell::Device& d : cell_.devices) key.add(d.id).add(d.host);
        for (const TimedMover& mover : timeline_.movers()) {
            key.add(mover.device).add(mover.key).add(mover.segments.size());
            for (const Segment& s : mover.segments) key.add(s.key).add(s.from).add(s.to).add(step_of(s));
            for (const cell::Step* s : cell::all_steps(cell_.devices[mover.device])) key.add(s->number).add(s->device);
            for (const simulation::Checkpoint& c : simulation::checkpoints_of(cell_, mover.device)) key.add(c.arbiter);
        }
        for (const simulation::Block& b : run_.trace.blocks)
            if (b.kind == simulation::BlockKind::held) key.add(b.device).add(b.other).add(b.from).add(b.to);
        return key.value();
    }
    int step_of(const Segment& s) const { return s.block >= 0 ? run_.trace.blocks[s.block].step : -1; }
    const Pieces& pieces_of(const motion::PartSetPtr& parts) {
        auto& pieces = pieces_[parts.get()];
        if (!pieces) pieces = std::make_unique<Pieces>(*parts, fine_.chord());
        return *pieces;
    }
    motion::ArmMover moving(const Sweep& s) const { return timeline_.moving(*s.mover, *s.segment); }
    void add(const Sweep& s, const Fineness& how, Volume& volume) const {
        add_swept(moving(s), *s.pieces, 0, s.duration(), how, volume, stop_);
    }
    static void check_room(const Box3& box, const Fineness& how) {
        if (roominess(box) / std::pow(how.edge(), 3) < static_cast<double>(most_cubes)) return;
        throw cell::InputError("", "What is swept is too large for this resolution: it would take more than " +
                                       std::to_string(most_cubes / 1'000'000) +
                                       " million cubes. A coarser resolution needs fewer.");
    }

    Swept sweeps_of(const TimedMover& mover) {
        Swept all{&mover, {}, {}, {}};
        std::map<std::pair<std::uint64_t, int>, std::size_t> known;  // by motion and step
        for (const Segment& s : mover.segments) {
            motion::throw_if_stopped(stop_);
            const auto [found, fresh] = known.try_emplace({s.key, step_of(s)}, all.sweeps.size());
            all.by_segment.push_back(found->second);
            if (!fresh) continue;
            const Sweep sweep{&mover, &s, &pieces_of(s.parts), {}};
            all.sweeps.push_back(sweep);
            all.sweeps.back().box = grown(swept_box(moving(sweep), *sweep.pieces, 0, sweep.duration()), fine_.margin);
            all.box = united(all.box, all.sweeps.back().box);
        }
        return all;
    }

    /// What one motion sweeps within a box, kept by content.
    VolumePtr volume_of(const Sweep& s, const Fineness& how, const Box3& within) const {
        cell::ContentKey key;
        key.add(s.mover->key).add(s.segment->key).add(how.resolution).add(how.margin).add(within.low).add(within.high);
        cell::Kept<VolumePtr>& kept = cache_.kept().swept;
        if (const auto found = kept.find(key.value())) return *found;
        auto volume = std::make_shared<Volume>(how.edge(), common(s.box, within));
        if (!apart(s.box, within)) add(s, how, *volume);
        return kept.keep(key.value(), volume, volume->bytes());
    }
    /// Calls `use(sweep, volume)` for those of a mover that come near a box, in their order. Made in parallel, some at
    /// a time: a busy arm has thousands, and all of them together take hundreds of megabytes.
    template <typename Use>
    void each_volume(const Swept& of, const Fineness& how, const Box3& within, const Use& use) const {
        constexpr std::size_t at_once = 64;
        std::vector<const Sweep*> near;
        for (const Sweep& s : of.sweeps)
            if (!apart(s.box, within)) near.push_back(&s);
        std::vector<VolumePtr> some(at_once);
        for (std::size_t begin = 0; begin < near.size(); begin += at_once) {
            const std::size_t count = std::min(at_once, near.size() - begin);
            tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) {
                if (stop_ && stop_->load(std::memory_order_relaxed)) return;
                some[i] = volume_of(*near[begin + i], how, within);
            });
            motion::throw_if_stopped(stop_);
            for (std::size_t i = 0; i < count; ++i) use(*near[begin + i], *some[i]);
        }
    }
    Volume together_of(const Swept& of, const Fineness& how, const Box3& within) const {
        Volume all(how.edge(), within);
        each_volume(of, how, within, [&](const Sweep&, const Volume& one) { all.add(one); });
        return all;
    }
    /// Each step's of a mover.
    std::map<int, Volume> by_step(const Swept& of, const Box3& within) const {
        std::map<int, Volume> steps;
        each_volume(of, fine_, within, [&](const Sweep& s, const Volume& one) {
            steps.try_emplace(step_of(*s.segment), fine_.edge(), within).first->second.add(one);
        });
        return steps;
    }

    void between(const Swept& one, const Swept& two, Zones& result) {
        motion::throw_if_stopped(stop_);
        if (apart(one.box, two.box)) return;
        const Box3 both = common(one.box, two.box);
        const Fineness rough{std::max(coarse, fine_.resolution), fine_.margin};
        check_room(both, rough);
        Volume meets = together_of(one, rough, both);
        meets.keep_common(together_of(two, rough, both));
        std::vector<Zone> zones;
        for (const Box3& box : separate(meets.pieces())) {
            check_room(box, fine_);
            if (auto zone = in_box(one, two, box)) zones.push_back(std::move(*zone));
        }
        zones = merged(one, two, std::move(zones));
        int nth = 0;
        for (Zone& z : zones) {
            z.id = cell_.devices[one.mover->device].id + ":" + cell_.devices[two.mover->device].id + ":" +
                   std::to_string(++nth);
            both_inside(one, two, z);
            look_for_arbiter(z);
            result.all.push_back(std::move(z));
        }
    }
    /// Boxes that meet are one.
    static std::vector<Box3> separate(std::vector<Box3> boxes) {
        for (std::size_t i = 0; i < boxes.size(); ++i)
            for (std::size_t j = i + 1; j < boxes.size(); ++j) {
                if (apart(boxes[i], boxes[j])) continue;
                boxes[i] = united(boxes[i], boxes[j]);
                boxes.erase(boxes.begin() + static_cast<std::ptrdiff_t>(j));
                j = i;  // it may meet those before now
            }
        return boxes;
    }

    std::optional<Zone> in_box(const Swept& one, const Swept& two, const Box3& box) {
        const std::map<int, Volume> steps_a = by_step(one, box), steps_b = by_step(two, box);
        Volume space(fine_.edge(), box);
        Volume other(fine_.edge(), box);
        for (const auto& [step, swept] : steps_a) space.add(swept);
        for (const auto& [step, swept] : steps_b) other.add(swept);
        space.keep_common(other);
        Zone z;
        z.litres = space.litres();
        if (z.litres == 0) return std::nullopt;
        z.box = space.box();
        for (const auto& [step_a, swept_a] : steps_a)
            for (const auto& [step_b, swept_b] : steps_b) {
                Volume shared = swept_a;
                shared.keep_common(swept_b);
                if (const double litres = shared.litres(); litres > 0) z.pairs.push_back({step_a, step_b, litres});
            }
        z.space = geometry::PackedVolume(space);
        z.sides[0] = side(one, two, z, space), z.sides[1] = side(two, one, z, space);
        if (z.sides[0].visits.empty() || z.sides[1].visits.empty()) return std::nullopt;
        for (const int d : works_at(one, z.sides[0]))
            if (const auto others = works_at(two, z.sides[1]); others.count(d)) z.centre = d;
        return z;
    }

    /// Values of the axis of what is no arm at which another one takes parts from it, or puts them on it.
    std::vector<double> served_at(const Swept& of, const Swept& by) const {
        std::vector<double> all;
        if (of.mover->arm) return all;
        const cell::Device& d = cell_.devices[of.mover->device];
        std::set<int> seats;
        for (const simulation::Block& b : run_.trace.blocks)
            if (b.device == by.mover->device && b.other == of.mover->device && b.seat >= 0) seats.insert(b.seat);
        for (const int seat : seats)
            for (const double value : d.kind->served_at(d, seat)) all.push_back(value);
        return all;
    }

    /// When a mover is within a zone that it shares with another, and what of it.
    ZoneSide side(const Swept& of, const Swept& with, const Zone& z, const Volume& space) const {
        ZoneSide out;
        out.device = of.mover->device;
        struct Within {
            std::vector<std::pair<double, double>> times;
            std::vector<char> who;
        };
        std::vector<Within> within(of.sweeps.size());
        tbb::parallel_for(std::size_t{0}, of.sweeps.size(), [&](std::size_t i) {
            if ((stop_ && stop_->load(std::memory_order_relaxed)) || apart(of.sweeps[i].box, z.box)) return;
            const Sweep& s = of.sweeps[i];
            within[i].times = times_within(moving(s), *s.pieces, 0, s.duration(), space, within[i].who, fine_.margin);
        });
        motion::throw_if_stopped(stop_);
        const std::vector<double> served = served_at(of, with);
        std::set<int> steps;
        std::set<std::string> bodies;
        std::vector<int> way;  // of the visit that is looked at
        std::map<std::vector<int>, int> ways;
        const auto ends = [&] {
            if (out.visits.empty()) return;
            const auto [known, unknown] = ways.try_emplace(way, static_cast<int>(out.ways.size()));
            if (unknown) out.ways.push_back(way);
            out.visits.back().way = known->second;
            way.clear();
        };
        for (std::size_t i = 0; i < of.by_segment.size(); ++i) {
            const Segment& s = of.mover->segments[i];
            if (stands_to_be_served(s, served)) continue;
            const Within& w = within[of.by_segment[i]];
            const double duration = s.motion->duration();
            for (const auto& [on, off] : w.times) {
                const Ticks enters = s.from + static_cast<Ticks>(on * 1e9);
                // After its end it stays where it is.
                const Ticks leaves = off >= duration ? s.to : std::min(s.to, s.from + simulation::ticks(off));
                if (enters > s.to) continue;
                const int step = step_of(s);
                if (out.visits.empty() || out.visits.back().leaves < enters) ends();
                if (!join(out.visits, enters, leaves)) out.visits.back().step_in = step;
                if (step < 0) continue;
                out.visits.back().step_out = step;
                steps.insert(step);
                if (way.empty() || way.back() != step) way.push_back(step);
            }
            for (std::size_t p = 0; p < w.who.size(); ++p)
                if (w.who[p]) bodies.insert(body_name(*of.mover, s.parts->parts()[p], p));
        }
        ends();
        out.visits.shrink_to_fit();
        out.steps.assign(steps.begin(), steps.end());
        out.bodies.assign(bodies.begin(), bodies.end());
        const Ticks from = run_.steady ? run_.steady->from : 0;
        for (const ZoneVisit& v : out.visits)
            out.inside_s += seconds(std::max<Ticks>(0, std::min(v.leaves, timeline_.end()) - std::max(v.enters, from)));
        return out;
    }
    std::string body_name(const TimedMover& mover, const motion::Part& part, std::size_t index) const {
        const cell::Device& d = cell_.devices[mover.device];
        if (part.tag == simulation::held_tag) return d.arm ? "part held" : "part on it";
        if (part.tag == simulation::tool_tag) return "tool";
        const auto& links = timeline_.arm(mover).model->mechanism.links;
        return d.axis ? links.back().bodies[index].name : links[part.tag].name;
    }
    /// Devices at which the steps that sweep a zone take parts or put them down.
    std::set<int> works_at(const Swept& of, const ZoneSide& side) const {
        std::set<int> out;
        for (const cell::Step* s : cell::all_steps(cell_.devices[of.mover->device]))
            if (s->device >= 0 && std::binary_search(side.steps.begin(), side.steps.end(), s->number))
                out.insert(s->device);
        return out;
    }

    /// Zones that are only ever entered together are one: taking them for one keeps nobody waiting more often.
    std::vector<Zone> merged(const Swept& one, const Swept& two, std::vector<Zone> zones) {
        for (std::size_t i = 0; i < zones.size(); ++i)
            for (std::size_t j = i + 1; j < zones.size(); ++j) {
                const auto joint = [&](int side) {
                    const auto &a = zones[i].sides[side].visits, &b = zones[j].sides[side].visits;
                    std::vector<std::pair<Ticks, Ticks>> all;
                    for (const auto* list : {&a, &b})
                        for (const ZoneVisit& v : *list) all.emplace_back(v.enters, v.leaves);
                    std::sort(all.begin(), all.end());
                    std::size_t count = 0;
                    Ticks last = -1;
                    for (const auto& [from, to] : all) {
                        if (from > last) ++count;
                        last = std::max(last, to);
                    }
                    return count <= std::max(a.size(), b.size());
                };
                if (!joint(0) || !joint(1)) continue;
                if (auto both = in_box(one, two, united(zones[i].box, zones[j].box))) zones[i] = std::move(*both);
                zones.erase(zones.begin() + static_cast<std::ptrdiff_t>(j));
                j = i;
            }
        return zones;
    }

    void both_inside(const Swept& one, const Swept& two, Zone& z) const {
        auto other = z.sides[1].visits.begin();
        std::set<std::tuple<std::uint64_t, std::uint64_t, Ticks, Ticks, Ticks>> asked;
        for (const ZoneVisit& v : z.sides[0].visits) {
            while (other != z.sides[1].visits.end() && other->leaves <= v.enters) ++other;
            for (auto w = other; w != z.sides[1].visits.end() && w->enters < v.leaves; ++w) {
                const Ticks from = std::max(v.enters, w->enters), to = std::min(v.leaves, w->leaves);
                if (!z.together) z.together_at = from;
                z.together = true;
                nearest(one, two, from, to, asked, z.nearest);
            }
        }
    }
    /// Whether both ask somebody, and are never inside without leave.
    void look_for_arbiter(Zone& z) const {
        const auto arbiters = [&](int mover) {
            std::set<int> all;
            // What is kept empty at times lets in any number at others.
            for (const simulation::Checkpoint& c : simulation::checkpoints_of(cell_, mover)) {
                const cell::Device& arbiter = cell_.devices[c.arbiter];
                if (!simulation::kind_of(arbiter).kept_empty(arbiter)) all.insert(c.arbiter);
            }
            return all;
        };
        const std::set<int> one = arbiters(z.sides[0].device), two = arbiters(z.sides[1].device);
        for (const int arbiter : one) {
            if (!two.count(arbiter) || z.kept_by >= 0) continue;
            Zone::Uncovered first;
            for (const ZoneSide& side : z.sides)
                for (const ZoneVisit& v : side.visits)
                    if (first.arbiter < 0 && !granted(arbiter, side.device, v))
                        first = {arbiter, side.device, v.enters, v.leaves};
            if (first.arbiter < 0) meeting(arbiter, z, first);
            if (first.arbiter < 0) z.kept_by = arbiter, z.uncovered = {};
            else if (z.uncovered.arbiter < 0) z.uncovered = first;
        }
    }
    /// Where both are inside with leave, their steps must not meet.
    static void meeting(int arbiter, const Zone& z, Zone::Uncovered& first) {
        const auto takes = [&](int side, const ZoneVisit& v, int step) {
            const std::vector<int>& way = z.sides[side].ways[v.way];
            return step < 0 || std::find(way.begin(), way.end(), step) != way.end();
        };
        for (const ZoneVisit& v : z.sides[0].visits)
            for (const ZoneVisit& w : z.sides[1].visits) {
                if (w.enters >= v.leaves || v.enters >= w.leaves || first.arbiter >= 0) continue;
                if (std::any_of(z.pairs.begin(), z.pairs.end(),
                        [&](const Zone::Steps& p) { return takes(0, v, p.one) && takes(1, w, p.two); }))
                    first = {arbiter, z.sides[v.enters > w.enters ? 0 : 1].device, std::max(v.enters, w.enters),
                        std::min(v.leaves, w.leaves), true};
            }
    }
    bool granted(int arbiter, int mover, const ZoneVisit& v) const {
        return std::any_of(run_.trace.blocks.begin(), run_.trace.blocks.end(), [&](const simulation::Block& b) {
            return b.device == arbiter && b.other == mover && b.kind == simulation::BlockKind::held &&
                   b.from <= v.enters && b.to >= std::min(v.leaves, timeline_.end());
        });
    }

    template <typename Asked>
    void nearest(const Swept& one, const Swept& two, Ticks from, Ticks to, Asked& asked, LeastClearance& least) const {
        const auto first = [&](const Swept& of) {
            return std::upper_bound(of.mover->segments.begin(), of.mover->segments.end(), from,
                [](Ticks t, const Segment& s) { return t < s.to; });
        };
        for (auto s = first(one); s != one.mover->segments.end() && s->from < to; ++s)
            for (auto u = first(two); u != two.mover->segments.end() && u->from < to; ++u) {
                const Ticks begin = std::max({from, s->from, u->from}), end = std::min({to, s->to, u->to});
                if (end <= begin ||
                    !asked.insert({s->key, u->key, u->from - s->from, begin - s->from, end - begin}).second)
                    continue;
                motion::throw_if_stopped(stop_);
                motion::ClearanceQuery query{seconds(begin - s->from), seconds(end - s->from), nearest_cap};
                query.cap = std::min(query.cap, least.distance);
                const auto found = motion::least_clearance(timeline_.moving(*one.mover, *s),
                    timeline_.moving(*two.mover, *u, seconds(u->from - s->from)), query);
                if (found.part_a < 0 || found.distance >= least.distance) continue;
                least.distance = found.distance;
                least.when_s = seconds(s->from) + found.when;
                least.device_a = one.mover->device, least.device_b = two.mover->device;
                least.body_a = body_name(*one.mover, s->parts->parts()[found.part_a], found.part_a);
                least.body_b = body_name(*two.mover, u->parts->parts()[found.part_b], found.part_b);
                least.on_a = found.on_a, least.on_b = found.on_b;
            }
    }

    const cell::Cell& cell_;
    const simulation::Run& run_;
    const Timeline timeline_;
    Cache& cache_;
    const StopFlag* stop_;
    const Fineness fine_;
    std::map<const motion::PartSet*, std::unique_ptr<Pieces>> pieces_;
    std::vector<Swept> swept_;
};

}  // namespace

double usual_resolution(const cell::Cell& cell, const simulation::Run& run) {
    constexpr double finest = 0.01, coarsest = 0.04;
    constexpr double easy = 80;  // motions for which the finest is no trouble; the work goes with the third power
    const Ticks end = Timeline::end_of(run);
    std::set<std::uint64_t> motions;
    for (std::size_t d = 0; d < cell.devices.size(); ++d)
        for (const simulation::MotionRecord& m : run.trace.motions[d])
            if (m.from < end && m.motion->duration() > 0) motions.insert(m.motion->serial());
    return std::clamp(finest * std::cbrt(static_cast<double>(motions.size()) / easy), finest, coarsest);
}

std::shared_ptr<const Zones> find_zones(const cell::Cell& cell, const simulation::Run& run, Cache& cache,
    const StopFlag* stop, double resolution, double margin) {
    ++geometry::work_done;
    return ZoneSearch(cell, run, cache, stop, resolution, margin).find();
}

VolumePtr swept_by(const cell::Cell& cell, const simulation::Run& run, int device, int step, double resolution,
    const StopFlag* stop, Cache* cache) {
    Cache own;
    return ZoneSearch(cell, run, cache ? *cache : own, stop, resolution).swept_by(device, step);
}

}  // namespace escarp::inspection
