// An interlock: two arms that share space ask for it, and one at a time is let in.

#include <cell/device_kind.h>
#include <cell/numbers.h>

#include "kinds.h"

namespace escarp::simulation {
namespace {

enum class Rule { first_come, first, second, turns };

struct Point {
    bool second;
    bool asks;
    std::string step;
    BlockKind kind;
    double share, early;
};
struct Locking final : cell::Parameters {
    std::string movers[2];
    Rule rule = Rule::first_come;
    int inside = -1;  ///< which of the two is there at the start
    std::vector<Point> points;
};
const Locking& locking(const cell::Device& d) { return static_cast<const Locking&>(*d.parameters); }

constexpr const char* arm_keys[] = {"one_arm", "other_arm"};
constexpr int asks_signal = 0, may_signal = 1;  // of the first; those of the second follow

class Deciding final : public Behaves<Deciding>, public Keeper {
public:
    Deciding(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index), rule_(locking(d).rule), holder_(locking(d).inside) {
        for (int side : {0, 1}) movers_[side] = cell.device(locking(d).movers[side]);
        if (holder_ >= 0) asks_[holder_] = ++asked_;
    }
    Keeper* keeper() override { return this; }
    const Keeper* keeper() const override { return this; }
    void start(Kernel& k) override {
        if (holder_ >= 0) let_in(k, holder_);
    }

    bool ask(Kernel& k, int mover) override {
        const int side = side_of(mover);
        if (!asks_[side]) {
            asks_[side] = ++asked_;
            k.set_signal(signal(2 * side + asks_signal), true);
            decide(k);
        }
        return holder_ == side;
    }
    bool asked(int mover) const override { return asks_[side_of(mover)] > 0; }
    bool may(int mover) const override { return holder_ == side_of(mover); }
    void give_back(Kernel& k, int mover) override {
        const int side = side_of(mover);
        asks_[side] = 0;
        k.set_signal(signal(2 * side + asks_signal), false);
        if (holder_ != side) return;
        holder_ = -1;
        k.set_signal(signal(2 * side + may_signal), false);
        k.end(block_);
        decide(k);
        k.touch(index_);
    }
    std::optional<Waiting> waiting(const Kernel&) const override {
        if (holder_ < 0 || !asks_[1 - holder_]) return std::nullopt;
        return Waiting{movers_[holder_], WaitFor::zone};
    }
    void write_state(StateWriter& w) const override {
        w.add(holder_), w.add(turn_);
        w.add(asks_[0] > 0), w.add(asks_[1] > 0), w.add(asks_[0] < asks_[1]);
    }

private:
    int side_of(int mover) const { return mover == movers_[1] ? 1 : 0; }
    void decide(Kernel& k) {
        if (holder_ >= 0) return;
        const bool one = asks_[0] > 0, two = asks_[1] > 0;
        int next = -1;
        switch (rule_) {
            case Rule::first_come: next = one && (!two || asks_[0] < asks_[1]) ? 0 : two ? 1 : -1; break;
            case Rule::first: next = one ? 0 : two ? 1 : -1; break;
            case Rule::second: next = two ? 1 : one ? 0 : -1; break;
            case Rule::turns: next = asks_[turn_] > 0 ? turn_ : -1; break;
        }
        if (next >= 0) let_in(k, next);
    }
    void let_in(Kernel& k, int side) {
        holder_ = side;
        turn_ = 1 - side;
        k.set_signal(signal(2 * side + asks_signal), true);
        k.set_signal(signal(2 * side + may_signal), true);
        Block b;
        b.device = index_;
        b.kind = BlockKind::held;
        b.other = movers_[side];
        block_ = k.begin(b);
        k.touch(index_);
    }

    const Rule rule_;
    int movers_[2];
    int holder_, turn_ = 0, block_ = -1;
    std::int64_t asks_[2] = {0, 0}, asked_ = 0;  ///< in which order they asked; 0: not
};

const std::vector<std::string>& motion_words() {
    static const std::vector<std::string> all{
        word(BlockKind::move), word(BlockKind::straight_in), word(BlockKind::straight_out), word(BlockKind::straight)};
    return all;
}
BlockKind kind_named(const std::string& w) {
    for (const BlockKind kind : {BlockKind::straight_in, BlockKind::straight_out, BlockKind::straight})
        if (w == word(kind)) return kind;
    return BlockKind::move;
}

const cell::Fields& point_fields() {
    using namespace cell::field;
    static const cell::Fields all{choice("of", "of", {"first", "second"}).usually("first"),
        choice("does", "does", {"asks", "gives back"}).usually("asks"),
        text("step", "in step").usually("").at_first("").explained("The id of a step of that arm."),
        choice("during", "during its", motion_words()).usually(motion_words().front()),
        number("at_pct", "after", 0, 100).usually(0).explained("Of the motion's time."),
        number("early_s", "asks early by", 0, 1000).usually(0)};
    return all;
}

class InterlockKind final : public Kind {
public:
    std::string id() const override { return "interlock"; }
    std::string label() const override { return "Interlock"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{of(Type::arm, "one_arm", "first").usually(""),
            of(Type::arm, "other_arm", "second").usually(""),
            choice("rule", "lets in", {"first come", "first before second", "second before first", "in turn"})
                .usually("first come")
                .explained("Who goes in when both ask."),
            choice("starts_inside", "inside at the start", {"nobody", "first", "second"}).usually("nobody"),
            list("points", "where they ask and give back", point_fields, 400).under("Asks and gives back")};
        return all;
    }
    Settles settles() const override { return Settles::on_floor; }
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
            r.problem(arm_keys[1], "It is the first one, too; another arm is expected.");
        const std::string rule = v.choice("rule"), inside = v.choice("starts_inside");
        l->rule = rule == "in turn"               ? Rule::turns
                  : rule == "first before second" ? Rule::first
                  : rule == "second before first" ? Rule::second
                                                  : Rule::first_come;
        l->inside = inside == "first" ? 0 : inside == "second" ? 1 : -1;
        for (const cell::Reader& one : v.list("points")) {
            const cell::Values p(one, point_fields());
            l->points.push_back({p.choice("of") == "second", p.choice("does") == "asks", p.text("step"),
                kind_named(p.choice("during")), p.number("at_pct"), p.number("early_s")});
        }
        d.look = cell::Look::marking;
        // On the floor: two halves that do not touch.
        for (const double side : {-1.0, 1.0})
            d.marks.push_back({cell::Mark::Style::ink,
                {{0.09 * side, 0.07, 0}, {0.02 * side, 0.07, 0}, {0.02 * side, -0.07, 0}, {0.09 * side, -0.07, 0}}});
        d.signals = {{"first_asks"}, {"first_may"}, {"second_asks"}, {"second_may"}};
        d.parameters = std::move(l);
    }
    void settled(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        for (const int side : {0, 1}) {
            const std::string& id = locking(d).movers[side];
            const int arm = cell.device(id);
            if (id.empty() || (arm >= 0 && cell.devices[arm].arm)) continue;
            r.problem(arm_keys[side],
                "\"" + id + "\" is " + (arm < 0 ? "not the id of a device" : "no arm") + "; an arm is expected.");
        }
    }
    std::vector<Checkpoint> checkpoints(const cell::Cell& cell, int device, int mover) const override {
        const Locking& l = locking(cell.devices[device]);
        std::vector<Checkpoint> out;
        for (const Point& p : l.points) {
            if (cell.device(l.movers[p.second]) != mover) continue;
            for (const cell::Step* s : cell::all_steps(cell.devices[mover]))
                if (s->id == p.step) out.push_back({device, s->number, p.kind, p.share, p.asks, p.early});
        }
        return out;
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Deciding>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> interlock_kind() { return std::make_unique<InterlockKind>(); }

}  // namespace escarp::simulation
