#include <algorithm>
#include <cmath>
#include <deque>

#include <cell/device_kind.h>
#include <cell/numbers.h>

#include "belt_path.h"
#include "kinds.h"

namespace escarp::simulation {
namespace {

struct Belt final : cell::Parameters {
    BeltPath path;
    double width, height, speed, gap;
    std::string to;
    double length() const { return path.length(); }
};

const Belt& belt_of(const cell::Device& d) { return static_cast<const Belt&>(*d.parameters); }
constexpr int end_seat = 0, drop_seat = 1;

/// Carries parts along its path at belt speed; they queue with a gap behind the one that has stopped at the end.
/// Positions are kept as time of travel, whole nanoseconds, so that nothing drifts.
class Carrying final : public Behaviour {
public:
    Carrying(const cell::Device& d, int index, const cell::Cell& cell)
        : Behaviour(d, index), belt_(belt_of(d)), next_(cell.device(belt_.to)) {}

    bool tells_condition() const override { return true; }
    void start(Kernel& k) override {
        k.set_condition(index_, Condition::starved);
        double way = 0;
        for (const PathSection& s : belt_.path.sections()) ends_.push_back(travel(way += s.length));
        ends_.back() = never;  // what overhangs the end goes straight on
    }

    bool accepts(const Kernel& k, int type, double x) const override {
        return reserved_ < 0 && !stands_ && fits(k, type, travel(x));
    }
    void enter(Kernel& k, int part, double x) override { insert(k, part, travel(x), k.now()); }

    std::optional<int> room(const Kernel& k, int type) const override {
        const Ticks at = travel(0.5 * k.cell().part_types[type].length);
        return reserved_ < 0 && fits(k, type, at) ? std::optional<int>(drop_seat) : std::nullopt;
    }
    void reserve(Kernel&, int, int part) override { reserved_ = part; }
    void received(Kernel& k, int, int part) override {
        reserved_ = -1;
        insert(k, part, travel(0.5 * k.type_of(part).length), k.now());
    }

    std::optional<Offer> offer(const Kernel&) const override {
        if (next_ >= 0 || !at_end() || riders_.front().claimed) return std::nullopt;
        return Offer{end_seat, riders_.front().part};
    }
    void claim(Kernel&, const Offer&) override { riders_.front().claimed = true; }
    void taken(Kernel& k, const Offer&) override {
        riders_.pop_front();
        reflow(k);
    }

    /// The part has come to its stop, or to where its path turns.
    void event(Kernel& k, int what, int part) override {
        for (Rider& r : riders_) {
            if (r.part != part) continue;
            if (what == turn_event) {
                record(k, r);
                return;
            }
            r.at = r.limit;
            r.since = k.now();
            r.moving = false;
            k.end(r.block);
        }
        update(k);
    }
    /// Hands the first part over when what comes next takes it.
    bool poll(Kernel& k) override {
        const bool stands = !k.on(signal(run_signal));
        if (stands != stands_) {
            stands_ = stands;
            reflow(k);
            return true;
        }
        if (next_ < 0 || !at_end() || stands_) return false;
        const int part = riders_.front().part;
        const double x = -0.5 * k.type_of(part).length;
        if (!k.behaviour(next_).accepts(k, type(k, part), x)) return false;
        riders_.pop_front();
        k.changing(next_).enter(k, part, x);
        reflow(k);
        return true;
    }
    Listening listens_to() const override { return next_ < 0 ? Listening{} : Listening{{next_}, {}}; }
    std::optional<Waiting> waiting(const Kernel&) const override {
        if (next_ >= 0 && at_end() && !stands_) return Waiting{next_, WaitFor::room};
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
        w.add(stands_);
    }

private:
    static constexpr int at_end_signal = 0, count_signal = 1, run_signal = 2;  ///< in the order of the kind's signals
    static constexpr int stop_event = 0, room_event = 1, turn_event = 2;

    struct Rider {
        int part;
        Ticks at, since, limit;  ///< position at an instant, and where it stops (all as time of travel)
        bool moving = true, claimed = false;
        int block = -1;
        EventKey stop{}, turn{};
        bool will_turn = false;
        int came_from = -1;                                         ///< the belt whose end still lies under it
        geometry::Matrix3 on_path = geometry::Matrix3::Identity();  ///< how it lies on the path
        Ticks position(Ticks now) const { return moving ? std::min(limit, at + now - since) : at; }
    };

    /// The first part has come as far as it goes.
    bool at_end() const { return !riders_.empty() && !riders_.front().moving && riders_.front().at >= end_of_way_; }
    Ticks travel(double metres) const { return static_cast<Ticks>(std::llround(metres / belt_.speed * 1e9)); }
    Ticks pitch(const Kernel& k, int type_a, int type_b) const {
        const auto& types = k.cell().part_types;
        return travel(0.5 * (types[type_a].length + types[type_b].length) + belt_.gap);
    }
    int type(const Kernel& k, int part) const { return k.trace().parts[part].type; }
    bool fits(const Kernel& k, int new_type, Ticks at) const {
        return std::all_of(riders_.begin(), riders_.end(),
            [&](const Rider& r) { return std::abs(r.position(k.now()) - at) >= pitch(k, type(k, r.part), new_type); });
    }
    void insert(Kernel& k, int part, Ticks at, Ticks now) {
        Rider r{part, at, now, at};
        const auto& places = k.trace().parts[part].places;
        if (!places.empty() && places.back().device >= 0 && k.cell().devices[places.back().device].kind->moves_parts())
            r.came_from = places.back().device;
        Frame before;
        if (k.trace().part_frame(k.cell(), part, now, before))
            r.on_path = (lead(k, r, metres(at)).linear().transpose() * before.linear()).eval();
        const auto behind =
            std::find_if(riders_.begin(), riders_.end(), [&](const Rider& o) { return o.position(now) < at; });
        riders_.insert(behind, r);
        reflow(k);
    }
    /// Sets every part's stop anew and starts those that can go on; a part that rides on keeps its record.
    void reflow(Kernel& k) {
        Ticks limit = 0;
        for (std::size_t i = 0; i < riders_.size(); ++i) {
            Rider& r = riders_[i];
            const Ticks stop = i == 0 ? travel(belt_.length() - 0.5 * k.type_of(r.part).length)
                                      : limit - pitch(k, type(k, riders_[i - 1].part), type(k, r.part));
            if (i == 0) end_of_way_ = stop;
            const Ticks here = r.position(k.now());
            const Ticks goal = stands_ ? here : std::max(here, stop);
            limit = goal;
            const bool fresh = r.block < 0;
            if (!fresh && goal == r.limit) continue;
            if (r.moving && !fresh) {
                k.cancel(r.stop);
                if (r.will_turn) k.cancel(r.turn);
            }
            r.at = here, r.since = k.now(), r.limit = goal;
            if (!r.moving || fresh) r.block = k.begin({index_, BlockKind::ride, -1, 0, never, -1, r.part});
            r.moving = true;
            r.stop = k.at(k.now() + goal - here, *this, stop_event, r.part);
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
                if (ahead > 0 && last.position(k.now()) + ahead <= last.limit)
                    wakes_.push_back(k.at(k.now() + ahead, *this, room_event));
            }
        }
    }
    double metres(Ticks way) const { return static_cast<double>(way) * 1e-9 * belt_.speed; }
    /// The path's frame in the world, on the belt that the part comes from as long as it is not yet here.
    Frame lead(const Kernel& k, const Rider& r, double s) const {
        if (s >= 0 || r.came_from < 0) return on_top(device_, belt_, s);
        const cell::Device& from = k.cell().devices[r.came_from];
        return on_top(from, belt_of(from), belt_of(from).length() + s);
    }
    static Frame on_top(const cell::Device& d, const Belt& b, double s) {
        return d.world * geometry::make_frame({0, 0, b.height}) * b.path.at(s);
    }
    /// Writes down how a part goes on from here: to its stop, or to where its path changes.
    void record(Kernel& k, Rider& r) {
        const Ticks here = r.position(k.now());
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
            glide.velocity = lead(k, r, metres(here)).linear() * Vector3(belt_.speed, 0, 0);
        } else {
            glide.turn_rate = section->curvature * belt_.speed;
            glide.axis = on->world.linear().col(2);
            glide.centre = on->world * (section->centre() + Vector3(0, 0, belt_of(*on).height));
        }
        Frame at = lead(k, r, metres(here));
        at.linear() = (at.linear() * r.on_path).eval();
        k.put(r.part, index_, end_seat, at, glide, k.now() + until - here);
        r.will_turn = until < r.limit;
        if (r.will_turn) r.turn = k.at(k.now() + until - here, *this, turn_event, r.part);
    }
    void update(Kernel& k) {
        const bool moving = std::any_of(riders_.begin(), riders_.end(), [](const Rider& r) { return r.moving; });
        k.set_signal(signal(at_end_signal), at_end());
        k.set_signal(signal(count_signal), static_cast<double>(riders_.size()));
        k.set_condition(index_, riders_.empty() ? Condition::starved : moving ? Condition::busy : Condition::blocked);
    }

    const Belt& belt_;
    const int next_;
    std::vector<Ticks> ends_;   ///< of the path's sections, as time of travel
    std::deque<Rider> riders_;  ///< the one nearest to the end first
    int reserved_ = -1;
    Ticks end_of_way_ = 0;  ///< where the first part stops at the latest
    bool stands_ = false;   ///< its input says so
    std::vector<EventKey> wakes_;
};

/// A bar along the path: from `inner` to `outer` across it (left is +), between two heights. Arcs in convex pieces that
/// hold the true shape and stand out from it by 0.2 mm at the most.
void add_bar(const BeltPath& path, const char* name, double inner, double outer, double low, double high,
    geometry::Bodies& out) {
    for (const PathSection& s : path.sections()) {
        if (s.curvature == 0) {
            geometry::Body bar = cell::standing_box(
                name, {s.length, outer - inner, high - low}, {0.5 * s.length, 0.5 * (inner + outer), low});
            bar.at = s.begin * bar.at;
            out.push_back(std::move(bar));
            continue;
        }
        const double angle = std::abs(s.curvature) * s.length;
        constexpr double stands_out = 2e-4, most = geometry::pi / 18;
        const double widest = std::max(std::abs(1 / s.curvature - inner), std::abs(1 / s.curvature - outer));
        const int pieces = std::max(
            1, static_cast<int>(std::ceil(angle / std::min(most, 2 * std::acos(1 / (1 + stands_out / widest))))));
        for (int i = 0; i < pieces; ++i) {
            std::vector<Vector3> points;
            for (const int end : {i, i + 1}) {
                const Frame at = s.at(s.length * end / pieces);
                for (double side : {inner, outer}) {
                    const double radius = 1 / s.curvature - side;  // signed
                    if (std::abs(radius) > std::abs(1 / s.curvature - (side == inner ? outer : inner)))
                        side = 1 / s.curvature - radius / std::cos(0.5 * angle / pieces);
                    for (const double z : {low, high}) points.push_back(at * Vector3(0, side, z));
                }
            }
            out.push_back({name, geometry::Convex::hull(std::move(points)), Frame::Identity()});
        }
    }
}

/// What a band along the path covers, `half` to either side: exact where it bends, too.
geometry::Box3 footprint(const BeltPath& path, double half) {
    geometry::Box3 box;
    for (const PathSection& s : path.sections())
        for (const double side : {-half, half}) {
            for (const double way : {0.0, s.length}) box.add(s.at(way) * Vector3(0, side, 0));
            if (s.curvature == 0) continue;
            // An arc is widest where it runs along an axis of the device.
            const double begins = geometry::to_triple(s.begin.linear()).z();
            for (int quarter = -4; quarter <= 4; ++quarter) {
                const double way = (quarter * geometry::pi / 2 - begins) / s.curvature;
                if (way > 0 && way < s.length) box.add(s.at(way) * Vector3(0, side, 0));
            }
        }
    return box;
}

class ConveyorKind final : public Kind {
public:
    std::string id() const override { return "conveyor"; }
    std::string label() const override { return "Conveyor"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("length_mm", "length", 0, 100000).at_first(1500.0),
            number("bend_deg", "bend, left +", -180, 180).usually(0),
            number("radius_mm", "bend radius", 20, 20000).usually(500),
            number("after_mm", "run after bend", 0, 100000).usually(0),
            number("width_mm", "width", 20, 5000).at_first(200.0),
            number("height_mm", "belt height", 50, 5000).at_first(750.0),
            number("guide_mm", "side guides", 0, 1000).usually(0),
            number("speed_mm_s", "belt speed", 1, 5000).at_first(250.0),
            number("gap_mm", "least gap", 0, 5000).usually(20).at_first(20.0),
            of(Type::device, "to", "hands on to").usually("")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", label()},
            {id(), "", "Conveyor bend", {{"length_mm", 0.0}, {"bend_deg", 90.0}, {"radius_mm", 500.0}}}};
    }
    Settles settles() const override { return Settles::on_floor; }
    bool moves_parts() const override { return true; }
    bool takes_from_belts() const override { return true; }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Belt& b = belt_of(d);
        return cell::shortest(std::round(100 * b.length()) / 100) + " m \u00b7 " + cell::shortest(1e3 * b.speed) +
               " mm/s";
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto b = std::make_shared<Belt>();
        const cell::Values v(r, fields());
        const double length = v.number("length_mm"), bend = v.number("bend_deg"), radius = v.number("radius_mm"),
                     after = v.number("after_mm"), guide = v.number("guide_mm");
        b->width = v.number("width_mm");
        b->height = v.number("height_mm");
        b->speed = v.number("speed_mm_s");
        b->gap = v.number("gap_mm");
        b->to = v.text("to");
        if (!b->to.empty()) d.needs.emplace_back("to", b->to);
        if (bend != 0 && radius < 0.5 * b->width + 0.01)
            r.problem("radius_mm",
                "The radius of the bend's centre line is expected to be at least half the belt's width and 10 mm "
                "more.");
        b->path.add(length, 0);
        if (bend != 0) b->path.add(std::abs(bend) * radius, bend > 0 ? 1 / radius : -1 / radius);
        b->path.add(after, 0);
        if (b->path.length() < 0.1) {
            r.problem("length_mm", "The whole path is expected to be at least 100 mm long.");
            b->path.add(0.1, 0);
        }
        d.look = cell::Look::belt;
        const double thick = std::min(0.1, 0.5 * b->height), half = 0.5 * b->width,
                     sheet = std::min(0.015, 0.1 * b->width);
        add_bar(b->path, "bed", -half, half, b->height - thick, b->height, d.bodies);
        // The origin is the middle of the footprint.
        const geometry::Box3 box = footprint(b->path, half);
        const Vector3 middle(0.5 * (box.low.x() + box.high.x()), 0.5 * (box.low.y() + box.high.y()), 0);
        b->path.shift(-middle);
        for (geometry::Body& body : d.bodies) body.at.pretranslate(-middle);
        if (guide > 0)
            for (const double side : {-1.0, 1.0})
                add_bar(b->path, "guide", std::min(side * half, side * (half - sheet)),
                    std::max(side * half, side * (half - sheet)), b->height, b->height + guide, d.bodies);
        const double leg = std::min(0.06, 0.25 * b->width), inset = std::min(0.15, 0.2 * b->length()),
                     between = b->length() - 2 * inset;
        const int spans = std::max(1, static_cast<int>(std::ceil(between / 2.5)));
        for (int i = 0; i <= spans; ++i)
            for (const double y : {-1.0, 1.0}) {
                geometry::Body one =
                    cell::standing_box("leg", {leg, leg, b->height - thick}, {0, y * 0.5 * (b->width - leg), 0});
                one.at = b->path.at(inset + between * i / spans) * one.at;
                d.bodies.push_back(std::move(one));
            }
        const int arrows = std::clamp(static_cast<int>(b->length() / 0.3), 1, 60);
        const Frame up = geometry::make_frame({0, 0, b->height});
        for (int i = 0; i < arrows; ++i) {
            const Frame at = up * b->path.at(b->length() * (i + 0.5) / arrows);
            const double s = 0.12 * b->width;
            d.marks.push_back(
                {cell::Mark::Style::pale, {at * Vector3(-s, s, 0), at * Vector3(0, 0, 0), at * Vector3(-s, -s, 0)}});
        }
        d.ends = {up * b->path.at(0), up * b->path.at(b->length())};
        d.seats = {{"end", d.ends[1]}, {"beginning", d.ends[0]}};
        d.signals = {{"at_end"}, cell::Signal::count("count"), cell::Signal::input_on("run")};
        d.mount = up;
        d.parameters = std::move(b);
    }
    void mirror(cell::json& device) const override {
        if (device.contains("bend_deg") && device["bend_deg"].is_number())
            device["bend_deg"] = 0.0 - device["bend_deg"].get<double>();
    }
    Frame seat_frame(const cell::Device& d, int seat, const cell::PartType& type) const override {
        const Belt& b = belt_of(d);
        return geometry::make_frame({0, 0, b.height}) *
               b.path.at(seat == end_seat ? b.length() - 0.5 * type.length : 0.5 * type.length);
    }
    std::vector<int> pick_seats(const cell::Device&) const override { return {end_seat}; }
    std::vector<int> place_seats(const cell::Device&) const override { return {drop_seat}; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Carrying>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> conveyor_kind() { return std::make_unique<ConveyorKind>(); }

}  // namespace escarp::simulation
