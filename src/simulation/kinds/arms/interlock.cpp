// An interlock: two movers that share space ask for it, and one at a time is let in, or both where what they are about
// to do there does not meet. One of them may be a door, a clamp, a lift or a table: it waits before it sets off.

#include <set>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "passing_points.h"

namespace escarp::simulation {
namespace {

struct Locking final : cell::Parameters {
    std::string movers[2];
    std::string rule;
    int inside = -1;  ///< which of the two is there at the start
    std::vector<PassingPoint> points;
    std::set<std::pair<int, int>> together;  ///< visits of the first and of the second that do not meet
    bool both() const { return rule == let_in::both_apart; }
};
const Locking& locking(const cell::Device& d) { return static_cast<const Locking&>(*d.parameters); }

constexpr const char* arm_keys[] = {"one_arm", "other_arm"};
constexpr int asks_signal = 0, may_signal = 1;  // of the first; those of the second follow
constexpr int visit_signal = 4;                 // of the first, and of the second; where visits make a difference

class Deciding final : public Behaves<Deciding>, public ZoneArbiter {
public:
    Deciding(const cell::Device& d, int index, const cell::Cell& cell) : Acts(d, index), own_(locking(d)) {
        for (int side : {0, 1}) sides_[side].mover = cell.device(own_.movers[side]);
        if (own_.inside >= 0) sides_[own_.inside].asks = ++asked_;
    }
    ZoneArbiter* arbiter() override { return this; }
    const ZoneArbiter* arbiter() const override { return this; }
    void start(Kernel& k) override {
        if (own_.inside >= 0) let(k, own_.inside);
    }
    Listening listens_to() const override { return {{}, {signal(may_signal), signal(2 + may_signal)}}; }
    /// Decided outside: goes in when its signal comes; asks when that of the visit before has gone.
    bool poll(Kernel& k) override {
        if (!outside(k)) return false;
        bool changed = false;
        for (const int side : {0, 1}) {
            Side& s = sides_[side];
            if (s.asks == 0 || s.inside) continue;
            const bool may = k.on(signal(2 * side + may_signal));
            if (!s.told && !may) tell(k, side), changed = true;
            else if (s.told && may) let(k, side), changed = true;
        }
        return changed;
    }

    bool ask(Kernel& k, int mover, int visit) override {
        const int side = side_of(mover);
        Side& s = sides_[side];
        if (!s.asks) {
            s.asks = ++asked_, s.visit = visit;
            // Who decides outside has to see that the last leave was given back.
            if (!outside(k) || !k.on(signal(2 * side + may_signal))) tell(k, side);
            decide(k);
        }
        return s.inside;
    }
    bool asked(int mover) const override { return sides_[side_of(mover)].asks > 0; }
    bool may(int mover) const override { return sides_[side_of(mover)].inside; }
    void give_back(Kernel& k, int mover) override {
        const int side = side_of(mover);
        Side& s = sides_[side];
        s.asks = 0, s.told = false;
        k.set_signal(signal(2 * side + asks_signal), false);
        if (!s.inside) return;
        s.inside = false;
        k.set_signal(signal(2 * side + may_signal), false);
        k.end(s.block);
        decide(k);
        k.touch(index_);
    }
    std::optional<Waiting> waiting(const Kernel&) const override {
        for (const int side : {0, 1})
            if (sides_[side].asks && !sides_[side].inside && sides_[1 - side].inside)
                return Waiting{sides_[1 - side].mover, WaitFor::zone};
        return std::nullopt;
    }
    void write_state(StateWriter& w) const override {
        w.add(sides_[0].inside ? 0 : sides_[1].inside ? 1 : -1), w.add(turn_);
        w.add(sides_[0].asks > 0), w.add(sides_[1].asks > 0), w.add(sides_[0].asks < sides_[1].asks);
        if (own_.both())
            for (const Side& s : sides_) w.add(s.asks > 0 ? s.visit : 0), w.add(s.inside);
    }

private:
    /// Whether a controller decides: in a live run, if it is told to.
    bool outside(const Kernel& k) const {
        return k.from_outside(signal(may_signal)) || k.from_outside(signal(2 + may_signal));
    }
    void tell(Kernel& k, int side) {
        sides_[side].told = true;
        if (own_.both()) k.set_signal(signal(visit_signal + side), sides_[side].visit);
        k.set_signal(signal(2 * side + asks_signal), true);
    }
    int side_of(int mover) const { return mover == sides_[1].mover ? 1 : 0; }
    void decide(Kernel& k) {
        if (outside(k)) return;
        const bool one = sides_[0].asks > 0, two = sides_[1].asks > 0;
        if (own_.both()) {
            const int before = one && (!two || sides_[0].asks < sides_[1].asks) ? 0 : 1;  // who came first
            for (const int side : {before, 1 - before})
                if (sides_[side].asks > 0 && !sides_[side].inside && (!sides_[1 - side].inside || apart()))
                    let(k, side);
            return;
        }
        if (sides_[0].inside || sides_[1].inside) return;
        int next = -1;
        if (own_.rule == let_in::turns) next = sides_[turn_].asks > 0 ? turn_ : -1;
        else if (own_.rule == let_in::first) next = one ? 0 : two ? 1 : -1;
        else if (own_.rule == let_in::second) next = two ? 1 : one ? 0 : -1;
        else next = one && (!two || sides_[0].asks < sides_[1].asks) ? 0 : two ? 1 : -1;
        if (next >= 0) let(k, next);
    }
    /// What the two want to do there does not meet.
    bool apart() const { return own_.together.count({sides_[0].visit, sides_[1].visit}) > 0; }
    void let(Kernel& k, int side) {
        Side& s = sides_[side];
        s.inside = s.told = true;
        turn_ = 1 - side;
        k.set_signal(signal(2 * side + asks_signal), true);
        k.set_signal(signal(2 * side + may_signal), true);
        Block b;
        b.device = index_;
        b.kind = BlockKind::held;
        b.other = s.mover;
        s.block = k.begin(b);
        k.touch(index_);
    }

    struct Side {
        int mover = -1, block = -1, visit = 0;
        bool inside = false, told = false;  ///< told: its signal says that it asks
        std::int64_t asks = 0;              ///< in which order they asked; 0: not
    };
    const Locking& own_;
    Side sides_[2];
    int turn_ = 0;
    std::int64_t asked_ = 0;
};

const cell::Fields& point_fields() {
    using namespace cell::field;
    static const cell::Fields all = passing_fields(choice("of", "of", {"first", "second"}).usually("first"),
        {whole("place", "on the way to its place", 0, 48)
                .usually(0)
                .explained("Of what is no arm, in place of a step: 1 where it is closed, low or at its start."),
            whole("visit", "for its visit", 1, 400)
                .usually(1)
                .explained(
                    "Which of the mover's visits begins here; visits that do not meet may be let in together.")});
    return all;
}
const cell::Fields& together_fields() {
    using namespace cell::field;
    static const cell::Fields all{whole("first", "visit of the first", 1, 400).usually(1),
        whole("second", "visit of the second", 1, 400).usually(1)};
    return all;
}

class InterlockKind final : public Kind {
public:
    std::string id() const override { return "interlock"; }
    std::string label() const override { return "Interlock"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{of(Type::mover, "one_arm", "first").usually(""),
            of(Type::mover, "other_arm", "second").usually(""),
            choice("rule", "lets in", let_in::all())
                .usually(let_in::first_come)
                .explained("Who goes in when both ask."),
            choice("starts_inside", "inside at the start", {"nobody", "first", "second"}).usually("nobody"),
            list("points", "points", point_fields, 400).under("Asks and gives back"),
            list("together", "visits that do not meet", together_fields, 4000).under("Asks and gives back")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    Lane lane() const override { return Lane::work; }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        std::string words;
        for (const std::string& id : locking(d).movers)
            if (const int i = cell.device(id); i >= 0)
                words += (words.empty() ? "" : " \u2194 ") + cell.devices[i].name;
        return words.empty() ? "keeps nobody apart" : words;
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto l = std::make_shared<Locking>();
        const cell::Values v(r, fields());
        for (const int side : {0, 1}) l->movers[side] = v.text(arm_keys[side]);
        if (!l->movers[0].empty() && l->movers[0] == l->movers[1])
            r.problem(arm_keys[1], "It is the first one, too; another device is expected.");
        l->rule = v.choice("rule");
        const std::string inside = v.choice("starts_inside");
        l->inside = inside == "first" ? 0 : inside == "second" ? 1 : -1;
        for (const cell::Reader& one : v.list("points")) {
            const cell::Values p(one, point_fields());
            l->points.push_back(read_passing(p, p.choice("of")));
            l->points.back().visit = p.whole("visit");
            l->points.back().place = p.whole("place");
        }
        for (const cell::Reader& one : v.list("together")) {
            const cell::Values t(one, together_fields());
            l->together.emplace(t.whole("first"), t.whole("second"));
        }
        d.look = cell::Look::marking;
        // On the floor: two halves that do not touch.
        for (const double side : {-1.0, 1.0})
            d.marks.push_back({cell::Mark::Style::ink,
                {{0.09 * side, 0.07, 0}, {0.02 * side, 0.07, 0}, {0.02 * side, -0.07, 0}, {0.09 * side, -0.07, 0}}});
        d.signals = {{"first_asks"}, {"first_may"}, {"second_asks"}, {"second_may"}};
        if (l->both())
            for (const char* name : {"first_visit", "second_visit"}) d.signals.push_back(cell::Signal::count(name));
        d.parameters = std::move(l);
    }
    void settled(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        for (const int side : {0, 1}) {
            const std::string& id = locking(d).movers[side];
            const int mover = cell.device(id);
            if (id.empty() || (mover >= 0 && cell::can_wait(cell.devices[mover]))) continue;
            r.problem(arm_keys[side], "\"" + id + "\" is " +
                                          (mover < 0 ? "not the id of a device" : "nothing that can wait on its way") +
                                          "; an arm, or a door, clamp, lift or table is expected.");
        }
    }
    std::vector<Checkpoint> checkpoints(const cell::Cell& cell, int device, int mover) const override {
        const Locking& l = locking(cell.devices[device]);
        return checkpoints_at(l.points, cell, device, mover,
            [&](const PassingPoint& p) { return cell.device(l.movers[p.whose == "second"]) == mover; });
    }
    std::vector<std::string> missing_names(const cell::Cell& cell, const cell::Device& d) const override {
        const Locking& l = locking(d);
        return points_of_nothing(
            l.points, cell, [&](const PassingPoint& p) { return cell.device(l.movers[p.whose == "second"]); });
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Deciding>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> interlock_kind() { return std::make_unique<InterlockKind>(); }

}  // namespace escarp::simulation
