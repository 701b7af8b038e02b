#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "belt.h"

namespace escarp::simulation {
namespace {

struct Stopping final : cell::Parameters {
    bool one_each_time;  ///< each time its input goes on one part may pass; else all while it is on
    int belt = -1;
    double way = 0;  ///< along the belt: where the front of a part is held, m
};
const Stopping& stopping(const cell::Device& d) { return static_cast<const Stopping&>(*d.parameters); }

/// Holds the parts of its belt until it is opened. What it holds can be taken.
class Halting final : public Behaves<Halting>, public Gate {
public:
    Halting(const cell::Device& d, int index) : Acts(d, index), stop_(stopping(d)) {}

    Pace pace() const override { return Pace::by_clock; }
    std::vector<Gate*> gates() override { return {this}; }
    double holds_at(const cell::PartType& type) const override { return stop_.way - 0.5 * type.length; }
    bool holds(Kernel& k, int part) override {
        const bool stays = part == here_ && claimed_;
        // One that was let go is not caught again, though it has not moved yet.
        if (stays || (part != let_go_ && (stop_.one_each_time || !open_))) return true;
        if (part != here_) return false;
        let_go_ = part;
        leave(k);
        return false;
    }
    void reached(Kernel& k, int part) override {
        here_ = part;
        tell_load(k);
        k.touch(index_);
        k.set_signal(signal(here_signal), true);
        k.set_condition(index_, Condition::blocked);
    }
    bool tells_condition() const override { return true; }
    void start(Kernel& k) override { k.set_condition(index_, Condition::starved); }
    bool poll(Kernel& k) override {
        if (stop_.belt < 0) return false;
        const bool open = k.on(signal(open_signal));
        const bool changed = std::exchange(open_, open) != open;
        if (changed && open) to_go_ = true;
        if (!stop_.one_each_time) {
            if (changed) look_again(k);
            return changed;
        }
        // Asked for while nothing stands there: the next one that comes.
        if (!to_go_ || here_ < 0 || claimed_) return false;
        to_go_ = false;
        let_go_ = here_;
        look_again(k);
        return true;
    }

    std::vector<Spot> standing(const Kernel&) const override {
        return here_ < 0 || claimed_ ? std::vector<Spot>{} : std::vector<Spot>{{0, here_}};
    }
    void claim(Kernel&, const Spot&) override { claimed_ = true; }
    void let_go(Kernel& k, int part) override {
        if (part != here_) return;
        claimed_ = false;
        if (stop_.belt >= 0) look_again(k);
    }
    void loaded(Kernel& k, int) override { tell_load(k); }
    void taken(Kernel& k, const Spot& spot) override {
        leave(k);
        static_cast<CarryingBelt&>(k.changing(stop_.belt)).take_off(k, spot.part);
    }

    std::optional<Waiting> waiting(const Kernel& k) const override {
        const auto& source = k.cell().signals[signal(open_signal)].source;
        if (here_ < 0 || claimed_ || !source || source->signals().empty()) return std::nullopt;
        return Waiting{k.cell().signals[source->signals().front()].device, WaitFor::signal};
    }
    void write_state(StateWriter& w) const override {
        w.add_part(here_), w.add_part(let_go_);
        w.add(claimed_), w.add(open_), w.add(to_go_);
    }

private:
    static constexpr int here_signal = 0, open_signal = 1, full_signal = 2, empty_signal = 3,
                         count_signal = 4;  ///< in the order of the kind's signals
    /// Of the carrier that stands there.
    void tell_load(Kernel& k) {
        const bool carrier = here_ >= 0 && k.type_of(here_).carrier();
        const std::size_t seats = carrier ? k.type_of(here_).seats.size() : 0;
        const auto& load = k.load(here_);
        const auto count = std::count_if(load.begin(), load.end(), [](int part) { return part >= 0; });
        k.set_signal(signal(full_signal), carrier && static_cast<std::size_t>(count) == seats);
        k.set_signal(signal(empty_signal), carrier && count == 0);
        k.set_signal(signal(count_signal), carrier ? static_cast<double>(count) : 0.0);
    }
    void look_again(Kernel& k) { static_cast<CarryingBelt&>(k.changing(stop_.belt)).look_again(k); }
    void leave(Kernel& k) {
        here_ = -1, claimed_ = false;
        tell_load(k);
        k.touch(index_);
        k.set_signal(signal(here_signal), false);
        k.set_condition(index_, Condition::starved);
    }

    const Stopping& stop_;
    int here_ = -1, let_go_ = -1;  ///< the part that stands at it; the one that was let go last
    bool claimed_ = false, open_ = false, to_go_ = false;
};

class StopKind final : public AlongBelts {
public:
    std::string id() const override { return "stop"; }
    std::string label() const override { return "Stop"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{choice("lets_go", "lets go", {"all while open", "one each time"})
                                          .usually("all while open")
                                          .explained("One each time: one part each time its input \"open\" goes on."),
            number("width_mm", "width", 20, 5000).usually(200).at_first(200.0)};
        return all;
    }
    int belt(const cell::Device& d) const override { return stopping(d).belt; }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        const Stopping& s = stopping(d);
        return s.belt < 0 ? std::string()
                          : "at " + cell::shortest(std::round(1e3 * s.way)) + " mm of " + cell.devices[s.belt].name;
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto s = std::make_shared<Stopping>();
        const cell::Values v(r, fields());
        s->one_each_time = v.choice("lets_go") == "one each time";
        const double width = v.number("width_mm"), side = 0.5 * width;
        d.look = cell::Look::sensor;
        // A cylinder on either side; the pin between them is below the belt when it is open.
        add_housings(d, 0.05, width);
        d.marks.push_back({cell::Mark::Style::ink, {{0, -side, 0.005}, {0, side, 0.005}}});
        d.marks.back().lit_by = "here";
        d.seats = {{"stop", Frame::Identity()}};
        d.signals = {{"here"}, cell::Signal::input_off("open"), {"full"}, {"empty"}, cell::Signal::count("count")};
        d.parameters = std::move(s);
    }
    void settled(const cell::Reader&, const cell::Cell& cell, cell::Device& d) const override {
        const auto along = along_belt(cell, d);
        if (!along) return;
        auto s = std::make_shared<Stopping>(stopping(d));
        s->belt = along->belt, s->way = along->way;
        // Parts stand on the belt's path, however the stop itself is set down.
        const cell::Device& belt = cell.devices[s->belt];
        d.seats.front().at = d.world.inverse() * belt.world * belt_of(belt).on_top(s->way);
        d.parameters = std::move(s);
    }
    Frame seat_frame(const cell::Device& d, int, const cell::PartType& type) const override {
        return d.seats.front().at * geometry::make_frame({-0.5 * type.length, 0, 0});
    }
    std::vector<int> place_seats(const cell::Device&) const override { return {}; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Halting>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> stop_kind() { return std::make_unique<StopKind>(); }

}  // namespace escarp::simulation
