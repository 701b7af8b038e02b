#include "clearance_jobs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <map>
#include <unordered_map>

#include <geometry/indices.h>
#include "pair_rows.h"

namespace escarp::inspection {

using simulation::Block;
using simulation::BlockKind;
using simulation::Place;
using simulation::seconds;

namespace {

/// Parts that stand still in their list's frame; their tags are their numbers.
PartSetPtr standing_parts(const geometry::Bodies& bodies) {
    std::vector<motion::Part> parts;
    for (const geometry::Body& b : bodies) parts.push_back({0, b.shape, b.at, {}, static_cast<int>(parts.size())});
    return motion::part_set(std::move(parts));
}

void take_first(motion::Clearance& contact, const motion::Clearance& first) {
    if (first.part_a >= 0) contact = first;
}

}  // namespace

cell::SafetyDistance safety_of(const cell::Cell& cell, const LeastClearance& least) {
    if (least.row < 0) return cell.safety_between(least.device_a, least.device_b);
    const cell::Exclusion& e = cell.exclusions[least.row];
    return {*e.distance, e.b < 0 ? cell.devices[e.a].name + " " + e.body_a + "'s own" : "these bodies' own"};
}

std::string clearance_id(const cell::Cell& cell, const LeastClearance& least) {
    const auto id = [&](int device) { return cell.devices[device].id; };
    return "clearance:" + id(least.device_a) + ":" + id(least.device_b) + (least.part_b >= 0 ? ":part" : "") +
           (least.row >= 0 ? ":row" + std::to_string(least.row) : "");
}

struct ClearanceJobs::Asking {
    explicit Asking(const Context& c)
        : c_(c),
          trace_(c.run.trace),
          timeline_(c.cell, c.run, c.stop),
          end_(timeline_.end()),
          rooms_(timeline_.movers()),
          rows_(c) {
        for (std::size_t i = 0; i < c.cell.devices.size(); ++i) {
            c.throw_if_stopped();
            const cell::Device& d = c.cell.devices[i];
            still_.push_back(standing_parts(d.bodies));
            cell::ContentKey key;
            key.add(d.world);
            cell::add_bodies(key, d.bodies);
            still_key_.push_back(key.value());
        }
    }

    void each(const std::function<void(const ClearanceJob&)>& use, const ClearanceOf& of) {
        use_ = &use;
        of_ = of;
        for (const TimedMover& room : rooms_) {
            for (const Segment& s : room.segments) {
                if (!is_asked(s)) continue;
                c_.throw_if_stopped();
                if (room.arm) {
                    against_devices(room, s);
                    against_itself(room, s);
                } else {
                    drive_against_devices(room, s);
                }
            }
            against_parts(room);
        }
        for (std::size_t i = 0; i < rooms_.size(); ++i)
            for (std::size_t j = i + 1; j < rooms_.size(); ++j) {
                c_.throw_if_stopped();
                if (rooms_[i].arm || !rooms_[j].arm) against_mover(rooms_[i], rooms_[j]);
                else against_mover(rooms_[j], rooms_[i]);
            }
    }

    bool is_asked(int a, int b) const {
        const auto is = [&](int device) { return device < 0 || a == device || b == device; };
        return is(of_.one) && is(of_.other);
    }
    bool is_asked(const Segment& s) const { return s.to >= of_.from && s.from <= of_.to; }
    /// Whether two devices are not judged at all; parts that lie there are.
    bool left_out(int a, int b) const { return !is_asked(a, b) || rows_.leave_out(a, b); }
    /// Whether two bodies are looked at at all.
    bool taken(const ClearanceJob& job, const motion::Part& a, const motion::Part& b) const {
        return judged(job.rule, job.context, a, b) && rows_.take(job, a, b);
    }
    /// The pick or place during a segment of which something holds; null if there is none.
    template <typename Holds>
    const Block* work(const Segment& s, const Holds& holds) const {
        for (const int block : {s.arrives, s.leaves})
            if (block >= 0 && holds(trace_.blocks[block])) return &trace_.blocks[block];
        return nullptr;
    }

    const cell::PartType& type_of(int part) const { return c_.cell.part_types[trace_.parts[part].type]; }

    ClearanceJob job_of(Meets rule, const TimedMover& room, const Segment& s, std::uint64_t key, int device_b,
        const PartSetPtr& parts_b) const {
        ClearanceJob job{cell::ContentKey().add(key).add(static_cast<int>(rule)).value(), rule, &room, &s, device_b, -1,
            &parts_b, {}};
        job.context.arm = &timeline_.arm(room);
        job.to = s.motion->duration();
        job.until = s.to;
        return job;
    }

    void add(ClearanceJob job) {
        job.until = std::max(job.until, job.origin() + simulation::ticks(job.to));
        rows_.each_part(job, *use_);
    }

    void against_devices(const TimedMover& room, const Segment& s) {
        const cell::Device& arm = c_.device(room.device);
        for (const int device : indices(c_.cell.devices)) {
            const cell::Device& d = c_.cell.devices[device];
            if (d.bodies.empty() || device == room.device || left_out(room.device, device)) continue;
            if ((d.world.translation() - arm.world.translation()).norm() > room.radius + far_cap + 5.0) continue;
            const std::vector<char>& ground = ground_of(room.device, device);
            const Block* b = work(s, [&](const Block& one) { return one.other == device || bears(device, one); });
            // What the seat stands on is as near as the seat is thin: nearness to it says nothing there, contact does.
            const bool beneath = !b && work(s, [&](const Block& one) {
                return one.other >= 0 && one.other != device && c_.cell.stands_on(one.other, device);
            });
            const bool at_work = b != nullptr || beneath;
            const std::uint64_t key =
                cell::ContentKey().add(room.key).add(s.key).add(still_key_[device]).add(!ground.empty()).value();
            const auto ask = [&](Meets rule, const std::vector<double>* seat, std::uint64_t more) {
                ClearanceJob job =
                    job_of(rule, room, s, cell::ContentKey().add(key).add(more).value(), device, still_[device]);
                job.at = &d.world;
                job.context.ground = ground.empty() ? nullptr : &ground;
                job.context.seat = seat;
                add(job);
            };
            ask(at_work ? Meets::links_at_work : Meets::device, nullptr, 0);
            if (beneath) ask(Meets::hand_at_work, nullptr, 0);
            if (b) {
                const auto [seat, seat_key] = seat_at(*b);
                ask(Meets::hand_at_work, depths(d.bodies, d.world, seat), seat_key);
            }
            if (std::any_of(ground.begin(), ground.end(), [](char g) { return g != 0; }))
                ask(Meets::ground, nullptr, 0);
        }
    }

    const std::vector<char>& ground_of(int arm, int device) {
        const auto [found, fresh] = ground_.try_emplace({arm, device});
        if (fresh) found->second = simulation::standing_ground(c_.cell, arm, device);
        return found->second;
    }

    /// What is no arm is fitted to what it stands on, and may pass close to the rest.
    void drive_against_devices(const TimedMover& room, const Segment& s) {
        const cell::Device& own = c_.device(room.device);
        for (const int device : indices(c_.cell.devices)) {
            const cell::Device& d = c_.cell.devices[device];
            if (d.bodies.empty() || device == room.device || left_out(room.device, device)) continue;
            if (c_.cell.stands_on(room.device, device)) continue;
            if ((d.world.translation() - own.world.translation()).norm() > room.radius + 5.0) continue;
            ClearanceJob job = job_of(Meets::drive, room, s,
                cell::ContentKey().add(room.key).add(s.key).add(still_key_[device]).value(), device, still_[device]);
            job.at = &d.world;
            add(job);
        }
    }

    /// Where a part goes or stood, in the world, and its content key.
    std::pair<Frame, std::uint64_t> seat_at(const Block& b) const {
        const cell::Device& d = c_.device(b.other);
        const Frame seat = b.seat >= 0 && b.part >= 0
                               ? Frame(d.world * simulation::kind_of(d).seat_frame(d, b.seat, type_of(b.part)))
                               : d.mount_world();
        return {seat, cell::ContentKey().add(seat).value()};
    }

    /// When the parts of a pick or place change hands; `never`: not within the run.
    Ticks changes_hands(const Block& b) {
        if (b.kind == BlockKind::straight_out) return b.from;
        const auto first = static_cast<std::size_t>(&b - trace_.blocks.data());
        const auto [known, fresh] = hands_.try_emplace(first, simulation::never);
        if (!fresh) return known->second;
        for (std::size_t i = first; i < trace_.blocks.size(); ++i) {
            const Block& next = trace_.blocks[i];
            if (next.device == b.device && next.step == b.step &&
                (next.kind == BlockKind::grip || next.kind == BlockKind::release))
                return known->second = next.to;
        }
        return simulation::never;
    }
    /// Whether another tool of the arm takes a part, or puts it down, at the same time.
    bool taken_beside(const Block& b, int part) {
        if (c_.device(b.device).arm->tools.size() < 2) return false;
        const Ticks when = changes_hands(b);
        const auto& places = trace_.parts[part].places;
        for (std::size_t i = 1; i < places.size(); ++i)
            if (places[i].from == when)
                for (const Place* p : {&places[i - 1], &places[i]})
                    if (p->kind == Place::Kind::held && p->device == b.device) return true;
        return false;
    }

    /// Whether the carrier that is worked on stands or rides on a device.
    bool bears(int device, const Block& b) {
        if (b.part < 0) return false;
        if (changes_hands(b) >= end_)  // that comes after the end
            for (const cell::Step* step : cell::all_steps(c_.device(b.device)))
                if (step->number == b.step && step->on_carrier)
                    return b.other >= 0 && (c_.device(b.other).host == device || b.other == device);
        const auto& places = trace_.parts[b.part].places;
        return std::any_of(
            places.begin(), places.end(), [&](const Place& p) { return p.carrier >= 0 && p.device == device; });
    }
    /// Where the part of a pick or place lies on `carrier`, if it does: after it is put down, or before it is taken.
    const Place* lies_on(const Block& b, int carrier) const {
        if (b.part < 0 || !type_of(carrier).carrier()) return nullptr;
        for (const Place& p : trace_.parts[b.part].places)
            if (p.carrier == carrier) return &p;
        return nullptr;
    }

    /// See seat_depths; the same few are asked for again and again.
    const std::vector<double>* depths(const geometry::Bodies& bodies, const Frame& at, const Frame& seat) {
        const auto [found, fresh] = kept_depths_.try_emplace(
            cell::ContentKey().add(reinterpret_cast<std::uintptr_t>(&bodies)).add(at).add(seat).value());
        if (fresh) found->second = seat_depths(bodies, at, seat);
        return &found->second;
    }

    void against_itself(const TimedMover& room, const Segment& s) {
        add(job_of(Meets::itself, room, s, cell::ContentKey().add(room.key).add(s.key).value(), room.device, s.parts));
    }

    void against_parts(const TimedMover& room) {
        const Vector3 base = c_.device(room.device).world.translation();
        for (const int part : indices(trace_.parts)) {
            const auto& places = trace_.parts[part].places;
            for (std::size_t i = 0; i < places.size(); ++i) {
                const Place& p = places[i];
                if (p.kind != Place::Kind::still || !is_asked(room.device, p.device)) continue;
                const Ticks until = i + 1 < places.size() ? places[i + 1].from : end_;
                const double ride = seconds(std::max<Ticks>(0, std::min(p.stop, until) - p.from));
                const double gap =
                    (p.origin - base).norm() - p.glide().way(ride) * p.glide().speed(p.origin);
                if (gap > room.radius + 0.5) continue;
                const Stretch stretch{part, &p, i == 0};
                if (!p.glide().rests() && p.stop > p.from) {
                    part_stretch(room, stretch, p.at(), p.glide(), p.from, std::min(p.stop, until));
                    part_stretch(room, stretch, p.after(seconds(p.stop - p.from)), {}, p.stop, until);
                } else {
                    part_stretch(room, stretch, p.at(), {}, p.from, until);
                }
            }
        }
    }

    /// Whether what moves of a device that is no arm is made to touch the parts on another.
    bool may_touch(const cell::Device& d, int device, int other) const {
        return other == device || (d.kind->presses() && c_.cell.stands_on(device, other));
    }

    struct Stretch {
        int part;
        const Place* place;
        bool appears;  ///< with it the part comes into the cell
    };

    /// Of a mover in a segment, and a part that lies or rides there. `times`: all that matters of when.
    std::uint64_t part_key(const TimedMover& room, const Segment& s, const Frame& at, const motion::Glide& glide,
        int type, const std::array<Ticks, 3>& times) const {
        cell::ContentKey key;
        key.add(room.key).add(s.key).add(at).add(glide.velocity).add(glide.turn_rate).add(glide.centre);
        key.add(glide.axis).add(glide.share).add(glide.ramp).add(c_.cell.part_types[type].shape_key);
        for (const Ticks t : times) key.add(t);
        return key.value();
    }

    void part_stretch(const TimedMover& room, const Stretch& stretch, const Frame& at, const motion::Glide& glide,
        Ticks from, Ticks to) {
        to = std::min(to, end_);
        const int part = stretch.part, type = trace_.parts[part].type;
        const bool rests = glide.rests();
        const Frame* kept = nullptr;
        auto s = std::upper_bound(
            room.segments.begin(), room.segments.end(), from, [](Ticks t, const Segment& seg) { return t < seg.to; });
        for (; s != room.segments.end() && s->from < to; ++s) {
            if (!is_asked(*s)) continue;
            const Ticks begin = std::max(from, s->from), finish = std::min(to, s->to);
            if (finish <= begin || s->holds(part)) continue;
            if (!room.arm && may_touch(c_.device(room.device), room.device, stretch.place->device)) continue;
            // A part at rest looks the same at any time: only how far the motion has come matters.
            const Ticks length = rests ? simulation::ticks(s->motion->duration()) : never_later;
            const Ticks begin_in = std::min(begin - s->from, length), finish_in = std::min(finish - s->from, length);
            const std::uint64_t key =
                part_key(room, *s, at, glide, type, {begin_in, finish_in, rests ? 0 : from - s->from});
            const auto ask = [&](Meets rule, const std::vector<double>* seat, std::uint64_t more) {
                ClearanceJob job = job_of(rule, room, *s, cell::ContentKey().add(key).add(more).value(),
                    stretch.place->device, shape_of(type));
                if (!kept) kept = &kept_frames_.emplace_back(at);
                job.part_b = part, job.at = kept, job.glide = glide;
                job.start = rests ? 0.0 : seconds(from - s->from), job.from = seconds(begin_in),
                job.to = seconds(finish_in);
                job.since = begin, job.until = finish;
                job.context.seat = seat;
                add(job);
            };
            if (!room.arm) ask(Meets::drive, nullptr, 0);
            else if (work(*s, [&](const Block& one) { return one.part == part || taken_beside(one, part); })) {
                ask(Meets::part_in_work, nullptr, 0);
            } else if (const Block* b = work(*s, [&](const Block& one) {
                           return one.other == stretch.place->device || lies_on(one, part);
                       })) {
                ask(Meets::links_beside, nullptr, 0);
                // What a supply brings while the arm is still on its way out is not there yet as far as that arm is
                // concerned.
                if (stretch.appears && stretch.place->from >= s->from) continue;
                if (const Place* lies = lies_on(*b, part)) {
                    // The carrier that the part is put on or taken from: seen from the carrier, wherever it rides.
                    const Frame& in_carrier = type_of(part).seats[lies->seat];
                    ask(Meets::hand_beside, depths(c_.cell.part_types[type].bodies, Frame::Identity(), in_carrier),
                        cell::ContentKey().add(in_carrier).value());
                    continue;
                }
                const auto [seat, seat_key] = seat_at(*b);
                ask(Meets::hand_beside, depths(c_.cell.part_types[type].bodies, at, seat), seat_key);
            } else {
                ask(Meets::part, nullptr, 0);
            }
        }
    }

    /// `one`: an arm, unless neither is.
    void against_mover(const TimedMover& one, const TimedMover& two) {
        if (left_out(one.device, two.device)) return;
        if ((c_.device(one.device).world.translation() - c_.device(two.device).world.translation()).norm() >
            one.radius + two.radius + usual_cap)
            return;
        auto t = two.segments.begin();
        for (const Segment& s : one.segments) {
            if (!is_asked(s)) continue;
            while (t != two.segments.end() && t->to <= s.from) ++t;
            for (auto u = t; u != two.segments.end() && u->from < s.to; ++u) against_segment(one, s, two, *u);
        }
    }

    void against_segment(const TimedMover& one, const Segment& s, const TimedMover& two, const Segment& u) {
        const Ticks begin = std::max(s.from, u.from), finish = std::min(s.to, u.to);
        const Ticks shift = u.from - s.from;
        const Ticks both_still = std::max(
            s.from + simulation::ticks(s.motion->duration()), u.from + simulation::ticks(u.motion->duration()));
        const Ticks t0 = begin - s.from, t1 = std::max(begin, std::min(finish, both_still)) - s.from;
        cell::ContentKey key;
        key.add(one.key).add(two.key).add(s.key).add(u.key).add(shift).add(t0).add(t1);
        const auto ask = [&](Meets rule, const std::vector<double>* seat, std::uint64_t more) {
            ClearanceJob job = job_of(rule, one, s, more ? key.add(more).value() : key.value(), two.device, u.parts);
            job.other_room = &two, job.other = &u, job.start = seconds(shift), job.from = seconds(t0),
            job.to = seconds(t1);
            job.until = finish;
            job.context.seat = seat, job.context.first_tag = axis_tag;
            add(job);
        };
        if (!one.arm) return ask(Meets::drive, nullptr, 0);
        const Block* b = two.arm ? nullptr : work(s, [&](const Block& w) { return w.other == two.device; });
        if (!b) return ask(Meets::arm, nullptr, 0);
        // A table that stands while parts are put on it or taken.
        ask(Meets::links_at_work, nullptr, 0);
        const cell::Device& table = c_.device(two.device);
        const Frame stands =
            table.world * timeline_.arm(two).model->flange_frame(u.motion->position(seconds(begin - u.from)));
        const auto [seat, seat_key] = seat_at(*b);
        ask(Meets::hand_at_work, depths(timeline_.arm(two).model->mechanism.links.back().bodies, stands, seat),
            seat_key);
    }

    const PartSetPtr& shape_of(int type) {
        PartSetPtr& list = types_[type];
        return list ? list : list = standing_parts(c_.cell.part_types[type].bodies);
    }

    /// `moves`: it is one of those that the device moves.
    std::string body_name(int device, const motion::Part& part, int flow_part, int index, bool moves) const {
        const cell::Device& d = c_.device(device);
        if (flow_part >= 0) return c_.cell.part_types[trace_.parts[flow_part].type].name + " on " + d.name;
        if (part.tag == simulation::held_tag && (d.arm || moves))
            return (d.arm ? "part held by " : "part on ") + d.name;
        if (d.axis && moves) return d.name + " " + d.axis->model->mechanism.links.back().bodies[index].name;
        if (!d.arm) return d.name + (d.bodies.size() > 1 ? " " + d.bodies[index].name : "");
        if (part.tag == simulation::tool_tag) return d.name + " tool";
        return d.name + " " + d.arm->model->mechanism.links[part.tag].name;
    }

    const std::function<void(const ClearanceJob&)>* use_ = nullptr;
    ClearanceOf of_;
    static constexpr Ticks never_later = simulation::never;
    const Context& c_;
    const simulation::Trace& trace_;
    const Timeline timeline_;
    const Ticks end_;
    const std::vector<TimedMover>& rooms_;
    PairRows rows_;
    std::map<std::pair<int, int>, std::vector<char>> ground_;  ///< by arm and device
    std::vector<PartSetPtr> still_;
    std::vector<std::uint64_t> still_key_;
    std::map<int, PartSetPtr> types_;
    std::deque<Frame> kept_frames_;  ///< that jobs point to
    std::map<std::uint64_t, std::vector<double>> kept_depths_;
    std::unordered_map<std::size_t, Ticks> hands_;  ///< when the parts of a block change hands
};

ClearanceJobs::ClearanceJobs(const Context& context) : asking_(std::make_unique<Asking>(context)) {}
ClearanceJobs::~ClearanceJobs() = default;
void ClearanceJobs::each(const std::function<void(const ClearanceJob&)>& use, const ClearanceOf& of) {
    asking_->each(use, of);
}
Ticks ClearanceJobs::end() const { return asking_->end_; }

motion::Clearance ClearanceJobs::answer(const ClearanceJob& job, double from, double to, double cap) const {
    return ask(job, {from, std::max(from, to), cap});
}

motion::Clearance ClearanceJobs::answer_beside(const ClearanceJob& job, double cap, double mark) const {
    motion::ClearanceQuery query{job.from, std::max(job.from, job.to), cap};
    motion::Clearance found = ask(job, query);
    if (found.part_a < 0 || found.distance < mark || found.distance >= mark + query.tolerance) return found;
    query.cap = found.distance, query.tolerance = 1e-6;
    const motion::Clearance exact = ask(job, query);
    return exact.part_a >= 0 ? exact : found;
}

motion::Clearance ClearanceJobs::ask(const ClearanceJob& job, const motion::ClearanceQuery& within) const {
    const Segment& s = *job.segment;
    const motion::ArmMover mover = asking_->timeline_.moving(*job.room, s);
    motion::ClearanceQuery query = within;
    query.take = [&](const motion::Part& p, const motion::Part& q) { return asking_->taken(job, p, q); };
    if (!distance_counts(job.rule))
        query.sink = [&job](const motion::Part& p, const motion::Part& q) {
            return may_sink(job.rule, job.context, p, q);
        };
    motion::Clearance found;
    const auto against = [&](const motion::Mover& other) {
        found = motion::least_clearance(mover, other, query);
        if (found.part_a >= 0 && found.distance <= 0) take_first(found, motion::first_contact(mover, other, query));
    };
    if (job.other) {
        against(asking_->timeline_.moving(*job.other_room, *job.other, job.start));
    } else if (job.at) {
        against(motion::GlideMover(*job.at, *job.parts_b, job.glide, job.start));
    } else {
        found = motion::least_self_clearance(mover, query);
        if (found.part_a >= 0 && found.distance <= 0) take_first(found, motion::first_self_contact(mover, query));
    }
    return found;
}

LeastClearance ClearanceJobs::named(const ClearanceJob& job, const motion::Clearance& found) const {
    LeastClearance least;
    least.distance = found.distance;
    least.when_s = std::max(seconds(job.origin()) + found.when, seconds(job.since));
    least.device_a = job.device_a();
    least.device_b = job.device_b;
    least.part_b = job.part_b;
    least.on_a = found.on_a;
    least.on_b = found.on_b;
    least.row = job.only;
    least.keeps = safety_of(asking_->c_.cell, least).metres;
    const motion::Part &a = job.segment->parts->parts()[found.part_a], &b = (*job.parts_b)->parts()[found.part_b];
    // What an arm does to itself is asked of two of its own.
    const bool moves = job.other != nullptr || !job.at, lies_there = job.part_b >= 0;
    least.body_a = asking_->body_name(job.device_a(), a, -1, found.part_a, true);
    least.body_b = asking_->body_name(job.device_b, b, job.part_b, found.part_b, job.other != nullptr);
    least.own_a = asking_->rows_.own_name(job.device_a(), a, true, false);
    least.own_b = asking_->rows_.own_name(job.device_b, b, moves, lies_there);
    return least;
}

}  // namespace escarp::inspection
