#include "timeline.h"

#include <algorithm>

#include <cell/text/content_key.h>
#include <geometry/indices.h>
#include <kinematics/mechanism.h>
#include <simulation/arm_parts.h>

namespace escarp::inspection {
namespace {

using simulation::Block;
using simulation::BlockKind;
using simulation::Place;

constexpr Ticks longest_look = 3600 * simulation::second;  // a run that never recurs is looked at for an hour

}  // namespace

bool exchanges(const Block& b) {
    return b.kind == BlockKind::straight_in || b.kind == BlockKind::grip || b.kind == BlockKind::release ||
           b.kind == BlockKind::straight_out;
}

Ticks Timeline::end_of(const simulation::Run& run) {
    return std::min(longest_look, run.steady ? run.steady->from + run.steady->period : run.trace.end);
}

Timeline::Timeline(const cell::Cell& cell, const simulation::Run& run, const motion::StopFlag* stop)
    : cell_(cell), trace_(run.trace), stop_(stop), end_(end_of(run)) {
    for (const int i : indices(cell.devices))
        if (cell.devices[i].mover()) movers_.push_back(make_mover(i));
}

motion::ArmMover Timeline::moving(const TimedMover& mover, const Segment& segment, double start) const {
    return motion::ArmMover(
        arm(mover).model->mechanism, cell_.devices[mover.device].world, segment.motion, start, segment.parts);
}

TimedMover Timeline::make_mover(int device) {
    const cell::Device& d = cell_.devices[device];
    const cell::Arm& arm = *d.mover();
    TimedMover mover{device, d.arm.has_value(), 0, 0, {}};
    mover.key = simulation::mover_key(d);
    mover.radius = kinematics::reach_bound(*arm.model) + arm.tool_frame.translation().norm() + 0.5;
    if (d.axis) {  // its bodies reach farther than any arm's link
        double widest = 0;
        for (const geometry::Body& b : arm.model->mechanism.links.back().bodies)
            widest = std::max(widest, (b.at * b.shape.centre()).norm() + b.shape.bound());
        mover.radius += widest;
    }
    const auto& motions = trace_.motions[device];
    for (std::size_t i = 0; i < motions.size() && motions[i].from < end_; ++i)
        mover.segments.push_back({motions[i].motion, motions[i].from,
            std::min(end_, i + 1 < motions.size() ? motions[i + 1].from : end_), &motions[i], motions[i].block});
    if (mover.arm) {
        name_work(mover.segments);
        part_standing(mover.segments);
    }
    std::map<std::uint64_t, motion::PartSetPtr> with_held;
    for (Segment& s : mover.segments) {
        motion::throw_if_stopped(stop_);
        const std::uint64_t held = held_key(s);
        s.key = s.stands_on ? cell::ContentKey().add(s.motion->position(0)).add(held).value()
                            : cell::ContentKey().add(s.motion->serial()).add(held).value();
        motion::PartSetPtr& parts = with_held[held];
        if (!parts) parts = parts_of(d, s);
        s.parts = parts;
    }
    return mover;
}

/// Which pick or place each segment belongs to. Without an approach the move before brings tool and part together,
/// without a retreat the next one parts them, whatever is waited for in between. Where the arm is held up at a border
/// on its straight line it is still at work.
void Timeline::name_work(std::vector<Segment>& segments) const {
    const auto work = [&](const Segment& s) {
        return s.block >= 0 && exchanges(trace_.blocks[s.block]) ? s.block : -1;
    };
    const auto moves = [](const Segment& s) { return s.motion->duration() > 0; };
    for (std::size_t i = 0; i < segments.size(); ++i) {
        const int b = work(segments[i]);
        if (b < 0) continue;
        segments[i].arrives = segments[i].leaves = b;
        const Block& block = trace_.blocks[b];
        if (i + 2 < segments.size() && segments[i + 1].block >= 0 &&
            trace_.blocks[segments[i + 1].block].waits_for == simulation::WaitFor::zone) {
            const int on = work(segments[i + 2]);
            if (on >= 0 && trace_.blocks[on].step == block.step &&
                (block.kind != BlockKind::straight_out || trace_.blocks[on].kind == BlockKind::straight_out))
                segments[i + 1].arrives = segments[i + 1].leaves = on;
        }
        if (moves(segments[i])) continue;
        if (block.kind == BlockKind::straight_in)
            for (std::size_t k = i; k-- > 0 && work(segments[k]) < 0;) {
                segments[k].arrives = b;
                if (moves(segments[k])) break;
            }
        if (block.kind == BlockKind::straight_out)
            for (std::size_t k = i + 1; k < segments.size() && work(segments[k]) < 0; ++k) {
                segments[k].leaves = b;
                if (moves(segments[k])) break;
            }
    }
}

/// Where a motion that leads away is over and the arm stands on, it is at work no longer.
void Timeline::part_standing(std::vector<Segment>& segments) const {
    std::vector<Segment> all;
    for (const Segment& s : segments) {
        all.push_back(s);
        const Ticks over = s.from + simulation::ticks(s.motion->duration());
        if (s.leaves < 0 || s.motion->duration() <= 0 || over >= s.to) continue;
        const Block& own = trace_.blocks[s.block];
        if (exchanges(own) && (own.kind != BlockKind::straight_out || own.to > over)) continue;
        all.back().to = over;
        Segment stands{motion::standstill(s.motion->position(s.motion->duration())), over, s.to, s.record, s.block};
        if (!exchanges(own)) stands.arrives = s.arrives;
        stands.stands_on = true;
        all.push_back(std::move(stands));
    }
    segments = std::move(all);
}

const Place* Timeline::held_place(int part, Ticks t) const {
    const Place* p = trace_.parts[part].place(t);
    return p && p->kind == Place::Kind::held ? p : nullptr;
}

/// Content key of what a mover holds; 0: nothing.
std::uint64_t Timeline::held_key(const Segment& s) const {
    std::uint64_t key = 0;
    s.each_held([&](int part) {
        const Place* p = held_place(part, s.from);
        if (!p) return;
        const std::uint64_t one =
            cell::ContentKey().add(cell_.part_types[trace_.parts[part].type].shape_key).add(p->at()).value();
        key = key ? cell::ContentKey().add(key).add(one).value() : one;
    });
    return key;
}

motion::PartSetPtr Timeline::parts_of(const cell::Device& d, const Segment& s) const {
    const cell::Arm& arm = *d.mover();
    std::vector<motion::Part> parts = simulation::arm_parts(arm);
    if (d.axis)  // one link moves: its bodies are told apart
        for (const int i : indices(parts)) parts[i].tag = axis_tag + i;
    s.each_held([&](int held) {
        const Place* p = held_place(held, s.from);
        if (!p) return;
        for (motion::Part& part : simulation::held_parts(arm, cell_.part_types[trace_.parts[held].type], p->at()))
            parts.push_back(std::move(part));
    });
    return motion::part_set(std::move(parts));
}

}  // namespace escarp::inspection
