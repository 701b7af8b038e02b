#include "table.h"

#include <algorithm>

#include <geometry/indices.h>
#include <simulation/kinds/belts/crossing.h>

namespace escarp::simulation {
namespace {

class Turning final : public Behaves<Turning> {
public:
    Turning(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          table_(table_of(d)),
          next_(cell.device(table_.to)),
          drive_(d, index, cell),
          nests_(static_cast<std::size_t>((table_.round() ? table_.places() : 1) * table_.nests)),
          draws_(cell.seed, d.id, "dwell") {}

    bool tells_condition() const override { return true; }
    bool random() const override { return table_.dwell.varies(); }
    void start(Kernel& k) override {
        drive_.start(k);
        update(k);
    }

    // Parts come and go while it stands.
    std::vector<Spot> places(const Kernel&, int) const override {
        std::vector<Spot> all;
        for (int n = 0; n < table_.nests; ++n)
            if (const Nest* at = nest(table_.loads_at, n); at && at->part < 0)
                all.push_back({table_.seat(table_.loads_at, n)});
        return all;
    }
    void keep(Kernel& k, const Spot& place, int part) override {
        at_seat(place.seat) = {part, State::coming};
        update(k);
    }
    void received(Kernel& k, const Spot& place, int part) override {
        at_seat(place.seat) = {part, State::fresh};
        update(k);
    }
    std::vector<Spot> standing(const Kernel& k) const override { return next_ >= 0 ? std::vector<Spot>{} : given(k); }
    void claim(Kernel& k, const Spot& s) override {
        at_seat(s.seat).state = State::claimed;
        update(k);
    }
    void let_go(Kernel& k, int part) override {
        for (Nest& n : nests_)
            if (n.part == part && n.state == State::claimed) n.state = State::carried;
            else if (n.part == part && n.state == State::coming) n = {};
        update(k);
    }
    void taken(Kernel& k, const Spot& s) override {
        at_seat(s.seat) = {};
        update(k);
    }
    bool accepts(const Kernel& k, const Arrival& a) const override { return !places(k, a.part_type).empty(); }
    void enter(Kernel& k, int part, const Arrival& a) override {
        const Spot place = places(k, a.part_type).front();
        keep(k, place, part);
        k.at(slide_in(k, part, device_, index_, place.seat, table_.speed), *this, arrives, part);
    }
    std::optional<MergeRequest> request_to_cross(const Kernel& k) const override {
        const std::vector<Spot> all = next_ < 0 ? std::vector<Spot>{} : given(k);
        return all.empty() ? std::nullopt : std::optional(MergeRequest{stands_since_, all.front().part});
    }
    std::optional<Waiting> waiting(const Kernel& k) const override {
        if (drive_.waits()) return drive_.waiting();
        return request_to_cross(k) ? std::optional(Waiting{next_, WaitFor::room}) : std::nullopt;
    }
    Listening listens_to() const override {
        Listening to;
        if (next_ >= 0) to.devices.push_back(next_);
        drive_.listen(to);
        return to;
    }
    std::string words(const Kernel& k, int what) const override { return drive_.words(k, what); }

    bool poll(Kernel& k) override {
        const bool asked = k.on(signal(go_signal));
        if (!std::exchange(asked_, asked) && asked) to_go_ = true;
        bool changed = std::exchange(held_, k.on(signal(hold_signal))) != held_;
        changed = hand_on(k) || changed;
        if (const std::optional<int> step = wanted(); step && free_to_move()) {
            const bool waited = drive_.waits();
            if (drive_.may_go(k, *step + 1)) set_off(k, *step);
            changed = changed || !waited || !drive_.waits();
        } else {
            changed = drive_.stays(k) || changed;
        }
        if (changed) update(k);
        return changed;
    }
    void event(Kernel& k, int what, int part) override {
        if (drive_.left(k, what)) return;
        if (what == stopped) return stop(k);
        if (what == dwelt) {
            k.end(dwell_);
            dwell_ = -1;
        } else {
            for (const int i : indices(nests_)) {
                Nest& n = nests_[i];
                if (n.part != part) continue;
                if (what == gone_over) {
                    n = {};
                    break;
                }
                const int seat = seat_of(i);
                k.put(part, index_, seat, device_.world * device_.seats[seat].at);
                n.state = State::fresh;
            }
        }
        update(k);
    }
    void write_state(StateWriter& w) const override {
        drive_.write_state(w);
        w.add(step_), w.add(to_go_), w.add(asked_), w.add(held_), w.add(dwell_ >= 0);
        for (const Nest& n : nests_) {
            w.add(static_cast<int>(n.state));
            if (n.part >= 0) w.add_part(n.part);
            if (n.part >= 0 && n.state == State::carried) w.add_time(stands_since_);
        }
    }

private:
    static constexpr int stopped = -1, dwelt = -2, arrives = -3, gone_over = -4;  // events
    enum class State { empty, coming, fresh, carried, claimed, leaving };  ///< carried: it has moved with the table
    struct Nest {
        int part = -1;
        State state = State::empty;
    };

    /// Which group of nests is at a place; -1: none, or it is on its way.
    int group_at(int place) const {
        if (drive_.moves()) return -1;
        if (!table_.round()) return place == step_ ? 0 : -1;
        return (place - step_ + table_.places()) % table_.places();
    }
    std::size_t index_of(int group, int n) const {
        return static_cast<std::size_t>(group) * static_cast<std::size_t>(table_.nests) + static_cast<std::size_t>(n);
    }
    const Nest* nest(int place, int n) const {
        const int group = group_at(place);
        return group < 0 ? nullptr : &nests_[index_of(group, n)];
    }
    Nest& at_seat(int seat) { return nests_[index_of(group_at(seat / table_.nests), seat % table_.nests)]; }
    int seat_of(int nest) const {
        const int group = nest / table_.nests;
        return table_.seat(table_.round() ? (group + step_) % table_.places() : step_, nest % table_.nests);
    }
    /// What can be taken now.
    std::vector<Spot> given(const Kernel& k) const {
        std::vector<Spot> all;
        for (int n = 0; n < table_.nests; ++n)
            if (const Nest* at = nest(table_.gives_at, n);
                at && at->state == State::carried && dwell_ < 0 && !k.on(signal(hold_signal)))
                all.push_back({table_.seat(table_.gives_at, n), at->part});
        return all;
    }
    template <typename Holds>
    bool all_at(int place, const Holds& holds) const {
        for (int n = 0; n < table_.nests; ++n)
            if (const Nest* at = nest(place, n); !at || !holds(*at)) return false;
        return true;
    }
    bool full() const {
        return all_at(table_.loads_at, [](const Nest& n) { return n.state == State::fresh; });
    }
    bool emptied() const {
        return all_at(table_.gives_at, [](const Nest& n) { return n.part < 0; });
    }
    bool free_to_move() const {
        return !drive_.moves() && dwell_ < 0 && !held_ && std::none_of(nests_.begin(), nests_.end(), [](const Nest& n) {
            return n.state == State::coming || n.state == State::claimed || n.state == State::leaving;
        });
    }
    /// The step that it is to go to; nothing: it stays.
    std::optional<int> wanted() const {
        if (drive_.moves()) return std::nullopt;
        if (table_.round()) {
            const bool next = table_.when_asked ? to_go_ : full() && (table_.loads_at == table_.gives_at || emptied());
            return next ? std::optional((step_ + 1) % table_.places()) : std::nullopt;
        }
        const int other = 1 - step_;
        if (table_.when_asked) return (asked_ ? 1 : 0) == other ? std::optional(other) : std::nullopt;
        const bool leaves_loading = step_ == table_.loads_at && full(),
                   leaves_giving = step_ == table_.gives_at && step_ != table_.loads_at && emptied(),
                   has_been_there = step_ != table_.loads_at && step_ != table_.gives_at;
        return leaves_loading || leaves_giving || has_been_there ? std::optional(other) : std::nullopt;
    }
    void set_off(Kernel& k, int step) {
        to_go_ = false;
        std::vector<int> carried;
        for (const Nest& n : nests_)
            if (n.part >= 0) carried.push_back(n.part);
        const bool once_round = table_.round() && step == 0;
        const double to = once_round ? table_.whole_turn : table_.values[step];
        drive_.go(k, *this, stopped, to, step + 1, carried);
        step_ = step;
    }
    void stop(Kernel& k) {
        drive_.arrived(k, table_.values[step_]);
        stands_since_ = k.now();
        bool loaded = false;
        for (const int i : indices(nests_)) {
            Nest& n = nests_[i];
            if (n.part < 0) continue;
            loaded = true;
            n.state = State::carried;
            const int seat = seat_of(i);
            k.put(n.part, index_, seat, device_.world * device_.seats[seat].at);
        }
        if (const Ticks takes = ticks(table_.dwell.draw(draws_)); loaded && takes > 0) {
            dwell_ = k.begin({index_, BlockKind::process});
            k.at(k.now() + takes, *this, dwelt);
        }
        update(k);
    }
    /// What has come to where it gives goes on by itself.
    bool hand_on(Kernel& k) {
        const auto request = request_to_cross(k);
        if (!request) return false;
        const Leaving leaving(k, request->part, next_, table_.speed);
        const Arrival arrival = leaving.arrival();
        if (!k.behaviour(next_).accepts(k, arrival)) return false;
        k.at(k.now() + leaving.takes(), *this, gone_over, request->part);
        for (Nest& n : nests_)
            if (n.part == request->part) n.state = State::leaving;
        k.changing(next_).enter(k, request->part, arrival);
        return true;
    }

    static constexpr int loaded_signal = 0, ready_signal = 1, moving_signal = 2, count_signal = 3, place_signal = 4,
                         go_signal = 5, hold_signal = 6;  ///< in the order of the kind's signals
    void update(Kernel& k) {
        const auto count = std::count_if(nests_.begin(), nests_.end(),
            [](const Nest& n) { return n.part >= 0 && n.state != State::coming && n.state != State::leaving; });
        const bool ready = !given(k).empty();
        k.set_signal(signal(loaded_signal), full());
        k.set_signal(signal(ready_signal), ready);
        k.set_signal(signal(moving_signal), drive_.moves());
        k.set_signal(signal(count_signal), static_cast<double>(count));
        k.set_signal(signal(place_signal), drive_.moves() ? 0 : step_ + 1);
        k.set_condition(index_, drive_.moves() || dwell_ >= 0 ? Condition::busy
                                : drive_.waits()              ? Condition::waiting
                                : ready                       ? Condition::blocked
                                                              : Condition::starved);
    }

    const Table& table_;
    const int next_;
    AxisDrive drive_;
    std::vector<Nest> nests_;  ///< by group
    cell::Draws draws_;
    int step_ = 0;  ///< the place that the first group is at, or on its way to
    Ticks stands_since_ = 0;
    int dwell_ = -1;  ///< the block, while it lasts
    bool asked_ = false, to_go_ = false, held_ = false;
};

}  // namespace

cell::Fields TableKind::with_common(cell::Fields own) {
    using namespace cell::field;
    const char* flow = "Stands, in a line";
    for (cell::Field f : {choice("moves", "moves", {"by itself", "when asked"})
                              .usually("by itself")
                              .explained("By itself: when all nests where it is loaded are full and those where it is "
                                         "emptied are empty."),
             number("dwell_s", "stands at least", 0, 1e5)
                 .varying()
                 .usually(0)
                 .explained("After each move with parts: the time for the work that is done on them there.")
                 .under(flow),
             of(cell::Field::Type::device, "to", "hands on to")
                 .usually("")
                 .explained("Parts go on by themselves; none: arms take them.")
                 .under(flow),
             number("speed_mm_s", "speed in and out", 1, 5000).usually(250).under(flow)})
        own.push_back(std::move(f));
    return own;
}

void TableKind::read_common(const cell::Values& v, Table& t, cell::Device& d) {
    t.when_asked = v.choice("moves") == "when asked";
    t.dwell = v.spread("dwell_s");
    t.to = v.text("to");
    t.speed = v.number("speed_mm_s");
    if (!t.to.empty()) d.needs.emplace_back("to", t.to);
    d.look = cell::Look::fixture;
    d.signals = {{"loaded"}, {"ready"}, {"moving"}, cell::Signal::count("count"), cell::Signal::count("place"),
        cell::Signal::input_off(t.round() ? "index" : "go"), cell::Signal::input_off("hold")};
    d.signals[4].start = 1;
}

void TableKind::add_seats(const Table& t, const std::vector<Frame>& nests, cell::Device& d) {
    const kinematics::ArmModel& axis = *d.axis->model;
    const auto at = [&](double value) { return axis.flange_frame(kinematics::JointVector::Constant(1, value)); };
    const Frame to_table = at(0).inverse();
    for (int place = 0; place < t.places(); ++place)
        for (int n = 0; n < t.nests; ++n) {
            const Frame stands = at(t.values[place]) * to_table * nests[n];
            d.seats.push_back({"nest " + std::to_string(n + 1) + " at place " + std::to_string(place + 1), stands});
        }
}

std::vector<int> TableKind::seats_at(const cell::Device& d, int place) {
    std::vector<int> all;
    all.reserve(static_cast<std::size_t>(table_of(d).nests));
    for (int n = 0; n < table_of(d).nests; ++n) all.push_back(table_of(d).seat(place, n));
    return all;
}

/// Some nests of what goes round are there whenever it stands.
std::vector<double> TableKind::served_at(const cell::Device& d, int seat) const {
    const Table& t = table_of(d);
    const std::size_t place = static_cast<std::size_t>(seat / t.nests);
    return t.round() ? t.values : std::vector<double>{t.values[place]};
}

std::optional<Vector3> TableKind::side_joint(const cell::Cell& cell, const cell::Device& d) const {
    const int next = cell.device(table_of(d).to);
    if (next < 0 || !as_belt(cell.devices[next])) return std::nullopt;
    const cell::Device& belt = cell.devices[next];
    return (belt.world * belt.ends.front()).translation();
}

std::unique_ptr<Behaviour> TableKind::behaviour(const cell::Device& d, int index, const cell::Cell& c) const {
    return std::make_unique<Turning>(d, index, c);
}

}  // namespace escarp::simulation
