#include <algorithm>
#include <cmath>
#include <deque>

#include <cell/device_kind.h>

#include "kinds.h"

namespace escarp::simulation {
namespace {

struct Belt final : cell::Parameters {
    double length, width, height, speed, gap;
    std::string to;
};

const Belt& belt_of(const cell::Device& d) { return static_cast<const Belt&>(*d.parameters); }
constexpr int end_seat = 0, drop_seat = 1;

/// Carries parts along its x at belt speed; they queue with a gap behind the one that has stopped at the end.
/// Positions are kept as time of travel, whole nanoseconds, so that nothing drifts.
class Carrying final : public Behaviour {
public:
    Carrying(const cell::Device& d, int index, const cell::Cell& cell) : Behaviour(d, index), belt_(belt_of(d)), next_(cell.device(belt_.to)) {}

    void start(Kernel& k) override { k.set_condition(index_, Condition::starved); }

    bool accepts(const Kernel& k, int type, double x) const override { return reserved_ < 0 && fits(k, type, travel(x)); }
    void enter(Kernel& k, int part, double x) override { insert(k, part, travel(x), k.now()); }

    std::optional<int> room(const Kernel& k, int type) const override {
        const Ticks at = travel(0.5 * k.cell().part_types[static_cast<std::size_t>(type)].length);
        return reserved_ < 0 && fits(k, type, at) ? std::optional<int>(drop_seat) : std::nullopt;
    }
    void reserve(Kernel&, int, int part) override { reserved_ = part; }
    void received(Kernel& k, int, int part) override {
        reserved_ = -1;
        insert(k, part, travel(0.5 * k.type_of(part).length), k.now());
    }

    std::optional<Offer> offer(const Kernel&) const override {
        if (next_ >= 0 || riders_.empty() || riders_.front().moving || riders_.front().claimed) return std::nullopt;
        return Offer{end_seat, riders_.front().part};
    }
    void claim(Kernel&, const Offer&) override { riders_.front().claimed = true; }
    void taken(Kernel& k, const Offer&) override {
        riders_.pop_front();
        reflow(k);
    }

    /// The part has come to its stop.
    void event(Kernel& k, int, int part) override {
        for (Rider& r : riders_) {
            if (r.part != part) continue;
            r.at = r.limit;
            r.since = k.now();
            r.moving = false;
            k.end(r.block);
        }
        update(k);
    }
    /// Hands the first part over when what comes next takes it.
    bool poll(Kernel& k) override {
        if (next_ < 0 || riders_.empty() || riders_.front().moving) return false;
        const int part = riders_.front().part;
        const double x = -0.5 * k.type_of(part).length;
        if (!k.behaviour(next_).accepts(k, type(k, part), x)) return false;
        riders_.pop_front();
        k.behaviour(next_).enter(k, part, x);
        reflow(k);
        return true;
    }
    std::optional<Waiting> waiting() const override {
        if (next_ >= 0 && !riders_.empty() && !riders_.front().moving) return Waiting{next_, WaitFor::room};
        return std::nullopt;
    }
    void write_state(StateWriter& w) const override {
        for (const Rider& r : riders_) {
            w.add_part(r.part);
            w.add(r.moving), w.add(r.claimed), w.add(r.limit);
            if (r.moving) w.add_time(r.since + r.limit - r.at);
            else w.add(r.at);
        }
        w.add_part(reserved_);
    }

private:
    struct Rider {
        int part;
        Ticks at, since, limit;  ///< position at an instant, and where it stops (all as time of travel)
        bool moving = true, claimed = false;
        int block = -1;
        EventKey stop{};
        Ticks position(Ticks now) const { return moving ? std::min(limit, at + now - since) : at; }
    };

    Ticks travel(double metres) const { return static_cast<Ticks>(std::llround(metres / belt_.speed * 1e9)); }
    Ticks pitch(const Kernel& k, int type_a, int type_b) const {
        const auto& types = k.cell().part_types;
        return travel(0.5 * (types[static_cast<std::size_t>(type_a)].length + types[static_cast<std::size_t>(type_b)].length) + belt_.gap);
    }
    int type(const Kernel& k, int part) const { return k.trace().parts[static_cast<std::size_t>(part)].type; }
    bool fits(const Kernel& k, int new_type, Ticks at) const {
        return std::all_of(riders_.begin(), riders_.end(), [&](const Rider& r) { return std::abs(r.position(k.now()) - at) >= pitch(k, type(k, r.part), new_type); });
    }
    void insert(Kernel& k, int part, Ticks at, Ticks now) {
        Rider r{part, at, now, at};
        const auto behind = std::find_if(riders_.begin(), riders_.end(), [&](const Rider& o) { return o.position(now) < at; });
        riders_.insert(behind, r);
        reflow(k);
    }
    /// Sets every part's stop anew and starts those that can go on; a part that rides on keeps its record.
    void reflow(Kernel& k) {
        Ticks limit = 0;
        for (std::size_t i = 0; i < riders_.size(); ++i) {
            Rider& r = riders_[i];
            const Ticks stop = i == 0 ? travel(belt_.length - 0.5 * k.type_of(r.part).length) : limit - pitch(k, type(k, riders_[i - 1].part), type(k, r.part));
            const Ticks here = r.position(k.now());
            const Ticks goal = std::max(here, stop);
            limit = goal;
            const bool fresh = r.block < 0;
            if (!fresh && goal == r.limit) continue;
            if (r.moving && !fresh) k.cancel(r.stop);
            r.at = here, r.since = k.now(), r.limit = goal;
            if (!r.moving || fresh) r.block = k.begin({index_, BlockKind::ride, -1, 0, never, -1, r.part});
            r.moving = true;
            r.stop = k.at(k.now() + goal - here, index_, 0, r.part);
            record(k, r);
        }
        wake_when_room(k);
        update(k);
    }
    /// Those who wait for room at the beginning are asked again when the last part has ridden far enough.
    void wake_when_room(Kernel& k) {
        for (const EventKey& e : wakes_) k.cancel(e);
        wakes_.clear();
        if (riders_.empty() || !riders_.back().moving) return;
        const Rider& last = riders_.back();
        for (const cell::PartType& t : k.cell().part_types) {
            const int coming = static_cast<int>(&t - k.cell().part_types.data());
            for (const double x : {-0.5 * t.length, 0.5 * t.length}) {
                const Ticks ahead = travel(x) + pitch(k, type(k, last.part), coming) - last.position(k.now());
                if (ahead > 0 && last.position(k.now()) + ahead <= last.limit) wakes_.push_back(k.at(k.now() + ahead, index_, 1));
            }
        }
    }
    void record(Kernel& k, const Rider& r) {
        Frame at = device_.world * geometry::make_frame({static_cast<double>(r.at) * 1e-9 * belt_.speed - 0.5 * belt_.length, 0, belt_.height});
        Frame before;
        if (k.trace().part_frame(k.cell(), r.part, k.now(), before)) at.linear() = before.linear();
        k.put(r.part, index_, end_seat, at, device_.world.linear() * Vector3(belt_.speed, 0, 0), k.now() + r.limit - r.at);
    }
    void update(Kernel& k) {
        const bool moving = std::any_of(riders_.begin(), riders_.end(), [](const Rider& r) { return r.moving; });
        k.set_signal(index_, "at_end", !riders_.empty() && !riders_.front().moving);
        k.set_condition(index_, riders_.empty() ? Condition::starved : moving ? Condition::busy : Condition::blocked);
    }

    const Belt& belt_;
    const int next_;
    std::deque<Rider> riders_;  ///< the one nearest to the end first
    int reserved_ = -1;
    std::vector<EventKey> wakes_;
};

class ConveyorKind final : public Kind {
public:
    std::string id() const override { return "conveyor"; }
    std::string label() const override { return "Conveyor"; }
    cell::json fresh() const override { return {{"length_mm", 1500.0}, {"width_mm", 200.0}, {"height_mm", 750.0}, {"speed_mm_s", 250.0}, {"gap_mm", 20.0}}; }
    std::vector<cell::Field> fields() const override {
        return {{"length_mm", "length", 100, 100000}, {"width_mm", "width", 20, 5000},  {"height_mm", "belt height", 50, 5000},
                {"speed_mm_s", "belt speed", 1, 5000}, {"gap_mm", "least gap", 0, 5000}, {"to", "hands on to", 0, 0, cell::Field::Type::device}};
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto b = std::make_shared<Belt>();
        b->length = r.number("length_mm", {100, 100000});
        b->width = r.number("width_mm", {20, 5000});
        b->height = r.number("height_mm", {50, 5000});
        b->speed = r.number("speed_mm_s", {1, 5000});
        b->gap = r.number("gap_mm", {0, 5000}, 20);
        b->to = r.text("to", "");
        if (!b->to.empty()) d.needs.emplace_back("to", b->to);
        d.look = cell::Look::belt;
        const double thick = std::min(0.1, 0.5 * b->height);
        d.bodies.push_back(cell::standing_box("bed", {b->length, b->width, thick}, {0, 0, b->height - thick}));
        const double leg = std::min(0.06, 0.25 * b->width), inset = std::min(0.15, 0.2 * b->length);
        for (const double x : {-1.0, 1.0})
            for (const double y : {-1.0, 1.0})
                d.bodies.push_back(cell::standing_box("leg", {leg, leg, b->height - thick}, {x * (0.5 * b->length - inset), y * 0.5 * (b->width - leg), 0}));
        const int arrows = std::clamp(static_cast<int>(b->length / 0.3), 1, 60);
        for (int i = 0; i < arrows; ++i) {
            const double x = b->length * ((i + 0.5) / arrows - 0.5), s = 0.12 * b->width;
            d.marks.push_back({cell::Mark::Style::accent, {{x - s, s, b->height}, {x, 0, b->height}, {x - s, -s, b->height}}});
        }
        d.seats = {{"end", geometry::make_frame({0.5 * b->length, 0, b->height})}, {"beginning", geometry::make_frame({-0.5 * b->length, 0, b->height})}};
        d.signals = {"at_end"};
        d.mount = geometry::make_frame({0, 0, b->height});
        d.parameters = std::move(b);
    }
    Frame seat_frame(const cell::Device& d, int seat, const cell::PartType& type) const override {
        const double inset = 0.5 * type.length;
        return d.seats[static_cast<std::size_t>(seat)].at * geometry::make_frame({seat == end_seat ? -inset : inset, 0, 0});
    }
    std::vector<int> pick_seats(const cell::Device&) const override { return {end_seat}; }
    std::vector<int> place_seats(const cell::Device&) const override { return {drop_seat}; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override { return std::make_unique<Carrying>(d, index, c); }
};

}  // namespace

std::unique_ptr<Kind> conveyor_kind() { return std::make_unique<ConveyorKind>(); }

}  // namespace escarp::simulation
