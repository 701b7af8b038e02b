#include "carrying.h"

#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <geometry/indices.h>

#include "belt_drive.h"

namespace escarp::simulation {
namespace {

/// Carries parts along its path; they queue with a gap behind the one that is held at the end or by a gate. Positions
/// are kept as time of travel at the belt's nominal speed, whole nanoseconds, so that nothing drifts.
class Carrying final : public Behaves<Carrying, CarryingBelt> {
public:
    Carrying(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index), belt_(belt_of(d)), next_(cell.device(belt_.to)), drive_(belt_.acceleration / belt_.speed) {
        for (const int i : indices(cell.devices)) {
            const cell::Device& other = cell.devices[i];
            const bool to_here = std::any_of(
                other.needs.begin(), other.needs.end(), [&](const auto& need) { return need.second == d.id; });
            const auto joint = to_here ? kind_of(other).side_joint(cell, other) : std::nullopt;
            if (joint) joins_.push_back({i, travel(nearest_way(d, *joint))});
        }
    }

    bool tells_condition() const override { return true; }
    Pace pace() const override { return Pace::by_clock; }
    void copied(Kernel& k) override { find_gates(k); }
    void start(Kernel& k) override {
        k.set_condition(index_, Condition::starved);
        double way = 0;
        for (const PathSection& s : belt_.path.sections()) ends_.push_back(travel(way += s.length));
        ends_.back() = never;  // what overhangs the end goes straight on
        find_gates(k);
        control(k);
        if (belt_.runs == Belt::Runs::by_itself) stood(k);
    }

    bool accepts(const Kernel& k, const Arrival& a) const override {
        const bool steps = belt_.runs != Belt::Runs::always;
        if ((reserved_ >= 0 && !a.at) || drive_.moves(k.now()) == steps) return false;
        return fits(k, a.part_type, a.at ? travel(nearest_way(device_, a.joint)) : travel(a.along));
    }
    void enter(Kernel& k, int part, const Arrival& a) override {
        if (!a.at) return insert(k, part, travel(a.along), a.aside, a.turn);
        const Ticks way = travel(nearest_way(device_, a.joint));
        const Vector3 over = on_top(device_, belt_, metres(way)).translation() - a.at->translation();
        const Ticks takes = std::max<Ticks>(1, ticks(over.norm() / a.speed));
        for (Join& j : joins_)
            if (j.way == way) j.side_was_last = true;
        crossings_.push_back({part, way, k.now() + takes, k.begin({index_, BlockKind::ride, -1, 0, never, -1, part})});
        k.put(part, index_, end_seat, *a.at, {.velocity = over / seconds(takes)}, k.now() + takes);
        k.at(k.now() + takes, *this, cross_event, part);
        reflow(k);
    }
    std::optional<MergeRequest> request_to_cross(const Kernel& k) const override {
        if (!belt_.from_side || !at_end() || !k.on(signal(belt_signal::run))) return std::nullopt;
        return MergeRequest{riders_.front().since, riders_.front().part};
    }

    std::vector<Spot> places(const Kernel& k, int type) const override {
        const Ticks at = travel(0.5 * k.cell().part_types[type].length);
        const bool between = belt_.runs != Belt::Runs::always && drive_.moves(k.now());
        return reserved_ < 0 && !between && fits(k, type, at) ? std::vector<Spot>{{drop_seat}} : std::vector<Spot>{};
    }
    void keep(Kernel& k, const Spot& place, int part) override {
        if (place.seat >= 0) {
            reserved_ = part;
            return;
        }
        insert(k, part, travel(place.way), 0, 0, true);
        rider(part)->stays = !drive_.moves(k.now());
    }
    void received(Kernel& k, const Spot&, int part) override {
        if (const auto r = rider(part); r != riders_.end()) {  // on the place that was kept
            r->coming = r->stays = false;
            r->fresh = true;
            r->since = k.now();
            Frame stands;
            k.trace().part_frame(k.cell(), part, k.now(), stands);
            r->on_path = (lead(k, *r, metres(position(*r, k.now()))).linear().transpose() * stands.linear()).eval();
            r->at = position(*r, k.now()), r->run = drive_.progress(k.now());
            if (r->moving) r->block = k.begin({index_, BlockKind::ride, -1, 0, never, -1, part});
            return reflow(k);
        }
        reserved_ = -1;
        insert(k, part, travel(0.5 * k.type_of(part).length));
    }

    std::vector<Spot> standing(const Kernel&) const override {
        if (next_ >= 0 || !at_end() || riders_.front().claimed) return {};
        return {{end_seat, riders_.front().part}};
    }
    void claim(Kernel&, const Spot& spot) override {
        const auto r = rider(spot.part);
        r->claimed = true;
        r->stays = !r->moving;
    }
    void taken(Kernel& k, const Spot& spot) override { take_off(k, spot.part); }

    std::vector<Spot> riding(const Kernel& k) const override {
        std::vector<Spot> all;
        for (const Rider& r : riders_)
            if (!r.claimed && !r.coming && foreseen(k, r)) all.push_back(ride(k, r));
        return all;
    }
    std::optional<Spot> as_it_rides(const Kernel& k, int part) const override {
        for (const Rider& r : riders_)
            if (r.part == part && foreseen(k, r)) return ride(k, r);
        return std::nullopt;
    }
    std::optional<double> rides_at_speed(const Kernel& k) const override {
        if (drive_.ramp(k.now()) != 0) return std::nullopt;
        if (belt_.runs != Belt::Runs::always && drive_.moves(k.now())) return std::nullopt;
        return drive_.share(k.now()) * belt_.speed;
    }
    std::optional<Spot> place_along(const Kernel& k, int part_type, double way) const override {
        const Ticks at = travel(way);
        const std::optional<double> speed = rides_at_speed(k);
        if (reserved_ >= 0 || !speed || !fits(k, part_type, at)) return std::nullopt;
        Spot place{-1, -1, way, *speed, belt_.length() - 0.5 * k.cell().part_types[part_type].length};
        for (const Rider& r : riders_)
            if (position(r, k.now()) > at)
                place.until = std::min(place.until, metres(r.limit - pitch(k, type(k, r.part), part_type)));
        for (const Crossing& c : crossings_)
            if (c.way > at) return std::nullopt;
        return place;
    }
    void let_go(Kernel& k, int part) override {
        const auto r = rider(part);
        if (r == riders_.end()) return;
        if (r->coming) return take_off(k, part);
        r->claimed = r->stays = false;
        reflow(k);
    }

    void take_off(Kernel& k, int part) override {
        const auto r = rider(part);
        if (r == riders_.end()) return;
        forget_events(k, *r);
        if (r->moving && !r->coming) k.end(r->block);
        riders_.erase(r);
        reflow(k);
    }
    void look_again(Kernel& k) override { reflow(k); }
    Ticks reaches(const Kernel& k, int part, double way) const override {
        const auto r = std::find_if(riders_.begin(), riders_.end(), [&](const Rider& o) { return o.part == part; });
        if (r == riders_.end()) return 0;
        const Ticks here = position(*r, k.now()), goal = travel(way);
        if (here >= goal) return 0;
        return !r->moving || goal > r->limit ? never : drive_.when(drive_.progress(k.now()) + goal - here);
    }

    void event(Kernel& k, int what, int part) override {
        if (what == drive_event) {
            control(k);
            return;
        }
        if (what == stood_event) {
            stood_ = true;
            return;
        }
        if (what == again_event) return reflow(k);
        if (what == cross_event) {
            const auto c = std::find_if(
                crossings_.begin(), crossings_.end(), [&](const Crossing& one) { return one.part == part; });
            const Ticks way = c->way;
            k.end(c->block);
            crossings_.erase(c);
            return insert(k, part, way);
        }
        if (const auto r = rider(part); r != riders_.end()) {
            if (what == turn_event) return record(k, *r);  // where its path turns
            // It has come to where it is held.
            r->at = r->limit;
            r->since = k.now();
            r->moving = r->will_stop = false;
            if (!r->coming) {
                k.end(r->block);
                if (r->gate >= 0) gates_[r->gate]->reached(k, part);  // which may take it off
            }
        }
        if (joins_.empty()) return update(k);
        reflow(k);  // it may be its turn
    }
    /// Hands the first part over when what comes next takes it; runs and stands as it is asked to.
    bool poll(Kernel& k) override {
        bool changed = hand_over(k);
        if (leaving_ >= 0) reflow(k);  // what it rides on may run differently now
        if (!joins_.empty() && requests(k) != requests_) {
            requests_ = requests(k);
            reflow(k);
            changed = true;
        }
        if (belt_.runs == Belt::Runs::when_asked) {
            const bool asked = k.on(signal(belt_signal::index));
            if (!std::exchange(asked_, asked) && asked) to_go_ = true;
        }
        return control(k) || changed;
    }
    Listening listens_to() const override {
        Listening to;
        if (next_ >= 0) to.devices.push_back(next_);
        for (const Join& j : joins_) to.devices.push_back(j.device);
        return to;
    }
    std::optional<Waiting> waiting(const Kernel& k) const override {
        if (next_ >= 0 && at_end() && k.on(signal(belt_signal::run))) return Waiting{next_, WaitFor::room};
        return std::nullopt;
    }
    void write_state(StateWriter& w) const override {
        const Ticks now = w.now();
        for (const Rider& r : riders_) {
            w.add_part(r.part);
            w.add(r.moving), w.add(r.claimed), w.add_way(r.limit), w.add_way(position(r, now));
            w.add(r.stays), w.add(r.coming);
            for (const MergeRequest& request : requests_) w.add(!r.moving && r.since <= request.since);  // who was first
            if (!joins_.empty()) w.add(r.granted);
        }
        for (const Crossing& c : crossings_) w.add_part(c.part), w.add_time(c.until);
        for (const Join& j : joins_) w.add(j.side_was_last);
        w.add_part(reserved_), w.add_part(leaving_);
        w.add_double(drive_.share(now)), w.add_double(drive_.ramp(now));
        w.add_way(goal_ == never ? -1 : goal_ - drive_.progress(now));
        w.add(asked_), w.add(to_go_), w.add(stood_);
    }

private:
    static constexpr int stop_event = 0, room_event = 1, turn_event = 2, drive_event = 3, stood_event = 4,
                         cross_event = 5, again_event = 6;

    struct Rider {
        int part;
        Ticks at;              ///< position when the belt had run `run`, as time of travel
        Ticks run, since = 0;  ///< `since`: when it was held
        Ticks limit;           ///< where it is held
        bool moving = false, claimed = false, fresh = true, will_turn = false, will_stop = false;
        bool stays = false;   ///< it stood when an arm began to reach for it
        bool coming = false;  ///< a place kept for a part that an arm still holds
        int block = -1;
        int gate = -1;     ///< that holds it at its limit
        int granted = -1;  ///< the join that it was let past
        EventKey stop{}, turn{};
        double aside = 0;                                           ///< of the line of travel, to the left, m
        int came_from = -1;                                         ///< the belt whose end still lies under it
        geometry::Matrix3 on_path = geometry::Matrix3::Identity();  ///< how it lies on the path
    };
    /// On its way across from the side.
    struct Crossing {
        int part;
        Ticks way, until;
        int block;
    };
    /// A belt or a divert that brings parts in from the side.
    struct Join {
        int device;
        Ticks way;
        bool side_was_last = false;
    };

    Ticks position(const Rider& r, Ticks now) const {
        return r.moving ? std::min(r.limit, r.at + drive_.progress(now) - r.run) : r.at;
    }
    std::vector<Rider>::iterator rider(int part) {
        return std::find_if(riders_.begin(), riders_.end(), [&](const Rider& o) { return o.part == part; });
    }
    /// Whether it stands, or rides at a steady speed on a belt that does not stop by itself.
    bool foreseen(const Kernel& k, const Rider& r) const { return !r.moving || rides_at_speed(k); }
    Spot ride(const Kernel& k, const Rider& r) const {
        Frame on_path = geometry::make_frame({0, r.aside, 0});
        on_path.linear() = r.on_path;
        return {-1, r.part, metres(position(r, k.now())), r.moving ? drive_.share(k.now()) * belt_.speed : 0,
            metres(r.limit), on_path};
    }
    /// The first part has come as far as it goes.
    bool at_end() const {
        return !riders_.empty() && !riders_.front().moving && !riders_.front().coming &&
               riders_.front().at >= end_of_way_;
    }
    Ticks travel(double metres) const { return static_cast<Ticks>(std::llround(metres / belt_.speed * 1e9)); }
    double metres(Ticks way) const { return static_cast<double>(way) * 1e-9 * belt_.speed; }
    Ticks pitch(const Kernel& k, int type_a, int type_b) const {
        const auto& types = k.cell().part_types;
        return travel(0.5 * (types[type_a].length + types[type_b].length) + belt_.gap);
    }
    int type(const Kernel& k, int part) const { return k.trace().parts[part].type; }
    bool fits(const Kernel& k, int new_type, Ticks at) const {
        const auto clear = [&](int part, Ticks position) {
            return std::abs(position - at) >= pitch(k, type(k, part), new_type);
        };
        return std::all_of(riders_.begin(), riders_.end(), [&](const Rider& r) {
            return clear(r.part, position(r, k.now()));
        }) && std::all_of(crossings_.begin(), crossings_.end(), [&](const Crossing& c) {
            return clear(c.part, c.way);
        }) && (reserved_ < 0 || clear(reserved_, travel(0.5 * k.type_of(reserved_).length)));
    }
    bool hand_over(Kernel& k) {
        if (next_ < 0 || !at_end() || !k.on(signal(belt_signal::run))) return false;
        const int part = riders_.front().part;
        Frame at;
        Arrival arrival{type(k, part), -0.5 * k.type_of(part).length};
        arrival.aside = riders_.front().aside;
        if (belt_.from_side) {
            k.trace().part_frame(k.cell(), part, k.now(), at);
            arrival.at = &at, arrival.joint = (device_.world * device_.ends[1]).translation();
            arrival.speed = belt_.speed;
        }
        if (!k.behaviour(next_).accepts(k, arrival)) return false;
        riders_.erase(riders_.begin());
        k.changing(next_).enter(k, part, arrival);
        if (!belt_.from_side && as_belt(k.cell().devices[next_])) leaving_ = part;
        reflow(k);
        return true;
    }
    void insert(Kernel& k, int part, Ticks at, double aside = 0, double turn = 0, bool coming = false) {
        const Ticks now = k.now();
        Rider r{part, at, drive_.progress(now), now, at};
        r.aside = aside;
        r.coming = coming;
        if (turn != 0) r.on_path = geometry::rotation(Vector3::UnitZ(), turn);
        const auto& places = k.trace().parts[part].places;
        if (!coming && !places.empty() && places.back().device >= 0 && as_belt(k.cell().devices[places.back().device]))
            r.came_from = places.back().device;
        Frame before;
        if (!coming && k.trace().part_frame(k.cell(), part, now, before))
            r.on_path = (lead(k, r, metres(at)).linear().transpose() * before.linear()).eval();
        const auto behind =
            std::find_if(riders_.begin(), riders_.end(), [&](const Rider& o) { return position(o, now) < at; });
        riders_.insert(behind, r);
        reflow(k);
    }
    static void forget_events(Kernel& k, const Rider& r) {
        if (r.will_stop) k.cancel(r.stop);
        if (r.will_turn) k.cancel(r.turn);
    }

    /// How far a part may go, and who holds it there. `ahead`: where the one before it may go; `never`: it is the
    /// first.
    Ticks stop_of(Kernel& k, Rider& r, Ticks here, Ticks ahead, int type_ahead) {
        const int type_here = type(k, r.part);
        const Ticks end = travel(belt_.length() - 0.5 * k.type_of(r.part).length);
        Ticks stop = ahead == never ? end : ahead - pitch(k, type_ahead, type_here);
        if (ahead == never) end_of_way_ = end;
        r.gate = -1;
        if (r.stays) return here;
        if (ahead == never && leaving_ >= 0) stop = std::min(stop, behind_leaving(k, r, here, end));
        for (const int g : indices(gates_)) {
            const Ticks hold = travel(gates_[g]->holds_at(k.type_of(r.part)));
            if (here > hold || r.coming || !gates_[g]->holds(k, r.part) || hold > stop) continue;
            stop = hold;
            r.gate = g;
        }
        const auto before = [&](Ticks way, int other) {
            const Ticks hold = way - pitch(k, type(k, other), type_here);
            if (hold < stop) stop = hold, r.gate = -1;
        };
        for (const Crossing& c : crossings_)
            if (here < c.way) before(c.way, c.part);
        for (std::size_t j = 0; j < joins_.size(); ++j)
            if (j < requests_.size() && requests_[j].part >= 0 && lets_side_first(k, r, here, j))
                before(joins_[j].way, requests_[j].part);
        return stop;
    }
    /// The first part must not run into the one that was handed on last and still lies over the end: it waits so long
    /// that it comes to the end when that one has left it, and by the gap more.
    Ticks behind_leaving(Kernel& k, const Rider& r, Ticks here, Ticks end) {
        k.cancel(again_);
        const cell::PartType& type = k.type_of(leaving_);
        const Ticks clear =
            static_cast<const CarryingBelt&>(k.behaviour(next_)).reaches(k, leaving_, 0.5 * type.length + belt_.gap);
        if (clear <= k.now()) {
            leaving_ = -1;
            return end;
        }
        constexpr Ticks rounding = 10;
        const auto takes = [&](Ticks way) {  // standing: as if it ran
            const Ticks there = drive_.when(drive_.progress(k.now()) + way);
            return there == never ? way : there - k.now();
        };
        if (clear != never && k.now() + takes(end - here) + rounding >= clear) return end;
        const Ticks hold =
            travel(belt_.length() - 0.5 * type.length) - pitch(k, this->type(k, leaving_), this->type(k, r.part));
        // Running on from there it comes to the end just in time.
        if (clear != never)
            again_ = k.at(std::max(k.now() + 1, clear - takes(end - std::max(here, hold))), *this, again_event);
        return std::max(here, hold);
    }
    /// Whether a part on this belt is held so that one can come in from the side.
    bool lets_side_first(const Kernel& k, Rider& r, Ticks here, std::size_t nth) {
        Join& j = joins_[nth];
        const Ticks hold = j.way - pitch(k, type(k, requests_[nth].part), type(k, r.part));
        if (here > hold || r.granted == static_cast<int>(nth)) return false;
        const bool there = !r.moving && !r.fresh && r.at == hold;
        bool through = belt_.first == Belt::First::through;
        if (belt_.first == Belt::First::come) through = there && r.since <= requests_[nth].since;
        if (belt_.first == Belt::First::turns) through = there && j.side_was_last;
        if (!through) return true;
        if (belt_.first != Belt::First::through) r.granted = static_cast<int>(nth), j.side_was_last = false;
        return false;
    }
    /// Sets every part's limit anew and starts those that can go on; a part that rides on keeps its record. `anew`: the
    /// belt runs differently from now on.
    void reflow(Kernel& k, bool anew = false) {
        Ticks ahead = never;
        for (std::size_t i = 0; i < riders_.size(); ++i) {
            Rider& r = riders_[i];
            const Ticks here = position(r, k.now());
            const int held_by = r.gate;
            const Ticks goal = std::max(here, stop_of(k, r, here, ahead, i == 0 ? -1 : type(k, riders_[i - 1].part)));
            ahead = goal;
            if (!r.fresh && goal == r.limit && (!anew || here == goal)) {
                if (!r.moving && !r.coming && r.gate >= 0 && r.gate != held_by) gates_[r.gate]->reached(k, r.part);
                continue;
            }
            forget_events(k, r);
            r.will_stop = r.will_turn = false;
            r.at = here, r.run = drive_.progress(k.now()), r.limit = goal;
            const bool rode = r.moving, moves = drive_.moves(k.now());
            constexpr Ticks rounding = 20;  // of pitches that add up
            if (!moves && rode && goal - here <= rounding) {
                r.at = goal, r.will_stop = true;
                r.stop = k.at(k.now(), *this, stop_event, r.part);
                continue;
            }
            if (moves && !rode && !r.coming) r.block = k.begin({index_, BlockKind::ride, -1, 0, never, -1, r.part});
            if (!moves && rode && !r.coming) k.end(r.block);
            r.moving = moves;
            const Ticks stops = moves ? drive_.when(r.run + goal - here) : never;
            r.will_stop = stops != never;
            if (r.will_stop) r.stop = k.at(std::max(stops, k.now()), *this, stop_event, r.part);
            if (!r.coming && (moves || rode || r.fresh)) record(k, r);
            r.fresh = false;
        }
        wake_when_room(k);
        update(k);
    }
    /// Those who wait for room at the beginning or from the side are asked again when a part has ridden far enough.
    void wake_when_room(Kernel& k) {
        for (const EventKey& e : wakes_) k.cancel(e);
        wakes_.clear();
        const auto when_past = [&](const Rider& r, Ticks place) {
            const Ticks here = position(r, k.now()), run = drive_.progress(k.now());
            const Ticks when = place > here && place <= r.limit ? drive_.when(run + place - here) : never;
            if (when != never) wakes_.push_back(k.at(std::max(when, k.now()), *this, room_event));
        };
        if (!riders_.empty() && riders_.back().moving)
            for (const cell::PartType& t : k.cell().part_types) {
                const int coming = static_cast<int>(&t - k.cell().part_types.data());
                for (const double x : {-0.5 * t.length, 0.5 * t.length})
                    when_past(riders_.back(), travel(x) + pitch(k, type(k, riders_.back().part), coming));
            }
        for (std::size_t j = 0; j < requests_.size(); ++j) {
            if (requests_[j].part < 0) continue;
            for (const Rider& r : riders_) {
                const Ticks apart = pitch(k, type(k, r.part), type(k, requests_[j].part));
                if (r.moving && position(r, k.now()) > joins_[j].way - apart) when_past(r, joins_[j].way + apart);
            }
        }
    }
    std::vector<MergeRequest> requests(const Kernel& k) const {
        std::vector<MergeRequest> out;
        for (const Join& j : joins_) out.push_back(k.behaviour(j.device).request_to_cross(k).value_or(MergeRequest{}));
        return out;
    }

    // The drive.
    /// As fast as its inputs say; true if it runs differently from now on.
    bool control(Kernel& k) {
        bool changed = false;
        if (belt_.runs == Belt::Runs::always) {
            changed = drive_.set(k.now(), asked_share(k));
        } else {
            changed = control_pitch(k);
        }
        if (!changed) return false;
        k.cancel(drive_key_);
        const Ticks next = std::min(drive_.ramp_end(), braking());
        if (next != never) drive_key_ = k.at(std::max(next, k.now()), *this, drive_event);
        reflow(k, true);
        k.set_signal(signal(belt_signal::moving), drive_.moves(k.now()));
        return true;
    }
    double asked_share(const Kernel& k) const {
        if (!k.on(signal(belt_signal::run))) return 0;
        if (belt_.all_stand &&
            std::any_of(riders_.begin(), riders_.end(), [](const Rider& r) { return !r.moving && r.at >= r.limit; }))
            return 0;
        const cell::Signal& speed = k.cell().signals[signal(belt_signal::speed)];
        const double value = k.value(signal(belt_signal::speed));
        // What a sum leaves over by rounding is no speed.
        constexpr double slowest = 1e-3, fastest = 1e5;  // mm/s
        return value == speed.start ? 1 : value < slowest ? 0.0 : std::min(value, fastest) / speed.start;
    }
    /// When it must begin to stand so as to have moved by just a pitch.
    Ticks braking() const {
        if (goal_ == never || drive_.wanted() == 0) return never;
        return drive_.when(goal_ - static_cast<Ticks>(std::llround(1e9 * drive_.way_to_stand(drive_.wanted()))));
    }
    bool control_pitch(Kernel& k) {
        bool begun = false;
        if (goal_ == never && may_step(k)) {
            to_go_ = stood_ = false, begun = true;
            goal_ = drive_.progress(k.now()) + travel(belt_.pitch);
        }
        if (goal_ == never) return false;
        const Ticks left = goal_ - drive_.progress(k.now());
        const double now = drive_.share(k.now());
        constexpr Ticks rounding = 4;
        if (left <= rounding && (now < 1e-9 || drive_.gain() == 0)) {  // it has moved by its pitch
            drive_.set(k.now(), 0);
            drive_.correct(left);
            goal_ = never;
            stood(k);
            return true;
        }
        double share = asked_share(k);
        if (drive_.gain() > 0) {
            if (1e-9 * static_cast<double>(left - rounding) <= drive_.way_to_stand(now)) share = 0;
            share = std::min(share, std::sqrt(drive_.gain() * 1e-9 * static_cast<double>(left) + 0.5 * now * now));
        }
        // What it runs up to is worked out once, when it begins; after that only whether it slows down.
        if (!begun && share > 0 && drive_.wanted() > 0 && share <= drive_.wanted()) share = drive_.wanted();
        return drive_.set(k.now(), share);
    }
    bool may_step(const Kernel& k) const {
        if (!k.on(signal(belt_signal::run)) || reserved_ >= 0 || !crossings_.empty() ||
            std::any_of(riders_.begin(), riders_.end(), [](const Rider& r) { return r.claimed || r.coming; }))
            return false;
        return belt_.runs == Belt::Runs::when_asked ? to_go_ : stood_ && !at_end();
    }
    void stood(Kernel& k) {
        if (belt_.runs == Belt::Runs::by_itself) k.at(k.now() + ticks(belt_.dwell), *this, stood_event);
    }

    /// The path's frame in the world, on the belt that the part comes from as long as it is not yet here.
    Frame lead(const Kernel& k, const Rider& r, double s) const {
        if (s >= 0 || r.came_from < 0) return on_top(device_, belt_, s);
        const cell::Device& from = k.cell().devices[r.came_from];
        return on_top(from, belt_of(from), belt_of(from).length() + s);
    }
    static Frame on_top(const cell::Device& d, const Belt& b, double s) {
        Frame top = d.world;
        top.translation() += b.height * top.linear().col(2);
        return top * b.path.at(s);
    }
    /// Writes down how a part goes on from here: to its stop, or to where its path changes.
    void record(Kernel& k, Rider& r) {
        const Ticks here = position(r, k.now());
        const Frame led = lead(k, r, metres(here));
        Frame at = led;
        if (r.aside != 0) at.translation() += r.aside * at.linear().col(1);
        at.linear() = (at.linear() * r.on_path).eval();
        if (!r.moving) return k.put(r.part, index_, end_seat, at, {}, k.now());
        const cell::Device* on = &device_;
        const PathSection* section = nullptr;
        Ticks until = r.limit;
        if (here < 0 && r.came_from >= 0) {
            on = &k.cell().devices[r.came_from];
            const Belt& before = belt_of(*on);
            double way = before.length() + metres(here);
            for (const PathSection& s : before.path.sections()) {
                section = &s;
                if (way < s.length - 1e-9) break;
                way -= s.length;
            }
            until = std::min(until, here < 0 && section != &before.path.sections().back()
                                        ? here + travel(section->length - way)
                                        : Ticks{0});
        } else {
            std::size_t i = 0;
            while (i + 1 < ends_.size() && here >= ends_[i]) ++i;
            section = &belt_.path.sections()[i];
            until = std::min(until, ends_[i]);
        }
        motion::Glide glide;
        if (section->curvature == 0) {
            glide.velocity = led.linear() * Vector3(belt_.speed, 0, 0);
        } else {
            glide.turn_rate = section->curvature * belt_.speed;
            glide.axis = section->upright ? Vector3(on->world.linear() * section->axis()) : on->world.linear().col(2);
            glide.centre = on->world * (section->centre() + Vector3(0, 0, belt_of(*on).height));
        }
        glide.share = drive_.share(k.now()), glide.ramp = drive_.ramp(k.now());
        const Ticks then = std::max(k.now(), drive_.when(drive_.progress(k.now()) + until - here));
        k.put(r.part, index_, end_seat, at, glide, std::min(then, glide.ramp == 0 ? never : drive_.ramp_end()));
        r.will_turn = until < r.limit && then != never;
        if (r.will_turn) r.turn = k.at(then, *this, turn_event, r.part);
    }
    void find_gates(Kernel& k) {
        gates_.clear();
        for (const int i : indices(k.cell().devices))
            if (k.cell().devices[i].host == index_)
                for (Gate* gate : k.changing(i).gates()) gates_.push_back(gate);
    }
    void update(Kernel& k) {
        const bool moving =
            std::any_of(riders_.begin(), riders_.end(), [](const Rider& r) { return r.moving && !r.coming; });
        k.set_signal(signal(belt_signal::at_end), at_end());
        const auto count = std::count_if(riders_.begin(), riders_.end(), [](const Rider& r) { return !r.coming; });
        k.set_signal(signal(belt_signal::count), static_cast<double>(count));
        k.set_condition(index_, count == 0 ? Condition::starved : moving ? Condition::busy : Condition::blocked);
    }

    const Belt& belt_;
    const int next_;
    BeltDrive drive_;
    std::vector<Ticks> ends_;    ///< of the path's sections, as time of travel
    std::vector<Rider> riders_;  ///< the one nearest to the end first
    std::vector<Gate*> gates_;   ///< of what stands on it
    std::vector<Join> joins_;
    std::vector<MergeRequest> requests_;  ///< by join; part -1: none
    std::vector<Crossing> crossings_;
    int reserved_ = -1;
    int leaving_ = -1;  ///< handed on last: it may still lie over the end
    EventKey again_{};
    Ticks end_of_way_ = 0;  ///< where the first part stops at the latest
    std::vector<EventKey> wakes_;
    EventKey drive_key_{};
    Ticks goal_ = never;                                  ///< how far the drive is to run: the end of a pitch
    bool asked_ = false, to_go_ = false, stood_ = false;  ///< a pitch was asked for; it has stood for its dwell
};

}  // namespace

std::unique_ptr<Behaviour> carrying(const cell::Device& device, int index, const cell::Cell& cell) {
    return std::make_unique<Carrying>(device, index, cell);
}

}  // namespace escarp::simulation
