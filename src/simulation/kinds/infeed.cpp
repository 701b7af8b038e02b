#include <cell/device_kind.h>
#include <cell/numbers.h>

#include "hood.h"
#include "kinds.h"

namespace escarp::simulation {
namespace {

struct Source final : cell::Parameters {
    double interval;
    bool when_asked;  ///< a part each time its input rises, no sooner after each other than the interval
    std::string to, part_type;
};

/// Releases a part when its interval since the last one is over and there is room.
class Releasing final : public Behaviour {
public:
    Releasing(const cell::Device& d, int index, const cell::Cell& cell)
        : Behaviour(d, index),
          source_(static_cast<const Source&>(*d.parameters)),
          next_(cell.device(source_.to)),
          type_(cell.part_type(source_.part_type)) {}

    bool tells_condition() const override { return true; }
    void start(Kernel& k) override { k.set_condition(index_, Condition::busy); }
    void event(Kernel& k, int, int) override {
        k.end(block_);
        due_ = true;
    }
    bool poll(Kernel& k) override {
        const bool asked = k.on(signal(release_signal));
        if (source_.when_asked && asked && !asked_) ++to_come_;
        asked_ = asked;
        if (!due_ || (source_.when_asked ? to_come_ == 0 : !asked)) return false;
        const Arrival arrival{type_, 0.5 * k.cell().part_types[type_].length};
        if (!k.behaviour(next_).accepts(k, arrival)) {
            k.set_condition(index_, Condition::blocked);
            return false;
        }
        due_ = false;
        if (source_.when_asked) --to_come_;
        block_ = k.begin({index_, BlockKind::interval});
        k.set_condition(index_, Condition::busy);
        k.at(k.now() + ticks(source_.interval), *this, 0);
        const int part = k.new_part(type_);
        k.changing(next_).enter(k, part, arrival);
        return true;
    }
    Listening listens_to() const override { return {{next_}, {}}; }
    std::optional<Waiting> waiting(const Kernel&) const override {
        const bool would = due_ && (source_.when_asked ? to_come_ > 0 : asked_);
        return would ? std::optional(Waiting{next_, WaitFor::room}) : std::nullopt;
    }
    void write_state(StateWriter& w) const override { w.add(due_), w.add(to_come_), w.add(asked_); }

private:
    static constexpr int release_signal = 0;  ///< in the order of the kind's signals
    const Source& source_;
    const int next_, type_;
    bool due_ = true, asked_ = false;
    std::int64_t to_come_ = 0;  ///< asked for and not yet released
    int block_ = -1;
};

class InfeedKind final : public Kind {
public:
    std::string id() const override { return "infeed"; }
    std::string label() const override { return "Infeed"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("interval_s", "one part every", 0.05, 1e5).at_first(6.0),
            choice("releases", "releases", {"by the interval", "when asked"})
                .usually("by the interval")
                .explained(
                    "When asked: one part each time its input \"release\" goes on. By the interval: while it is on."),
            of(Type::part_type, "part_type", "part type").at_first(""), of(Type::device, "to", "onto").at_first(""),
            number("length_mm", "length", 50, 5000).usually(300).at_first(300.0),
            number("width_mm", "width", 50, 5000).usually(240).at_first(240.0),
            number("height_mm", "height", 50, 5000).usually(250).at_first(250.0)};
        return all;
    }
    Settles settles() const override { return Settles::on_belts; }
    bool feeds_belts() const override { return true; }
    Lane lane() const override { return Lane::arrivals; }
    /// At the beginning of the belt, with a part to release.
    void settle_in(cell::Newcomer& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) throw cell::InputError("infeed", "An infeed puts parts onto a conveyor: place a conveyor first.");
        device["part_type"] = n.some_part_type();
        device["to"] = belt->id;
        device["width_mm"] = n.value(*belt, "width_mm") + 30;
        n.stand_on(device, *belt, -0.5 * n.value(*belt, "length_mm") + 0.4 * device["length_mm"].get<double>());
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        if (static_cast<const Source&>(*d.parameters).when_asked) return "when asked";
        return "every " + cell::shortest(static_cast<const Source&>(*d.parameters).interval) + " s";
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto s = std::make_shared<Source>();
        const cell::Values v(r, fields());
        s->interval = v.number("interval_s");
        s->when_asked = v.choice("releases") == "when asked";
        d.signals = {s->when_asked ? cell::Signal::input_off("release") : cell::Signal::input_on("release")};
        s->to = v.text("to");
        s->part_type = v.text("part_type");
        if (s->part_type.empty()) r.problem("part_type", "An infeed needs the id of the part type that it releases.");
        d.needs.emplace_back("to", s->to);
        d.needs_part_type = s->part_type;
        d.look = cell::Look::source;
        add_hood(v.number("length_mm"), v.number("width_mm"), v.number("height_mm"), d);
        d.parameters = std::move(s);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Releasing>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> infeed_kind() { return std::make_unique<InfeedKind>(); }

}  // namespace escarp::simulation
