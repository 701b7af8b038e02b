// A volume that tells which movers are in it: links, tools and what they hold. While it has to be empty, arms wait at
// its border.

#include <map>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>
#include <geometry/indices.h>
#include <simulation/arm_parts.h>
#include <simulation/kinds.h>
#include <simulation/kinds/arms/passing_points.h>
#include <simulation/touching.h>

#include "prism.h"

namespace escarp::simulation {
namespace {

struct Space final : cell::Parameters {
    std::vector<Vector3> corners;     ///< in the device's frame
    std::vector<std::string> movers;  ///< ids of those with a signal of their own
    std::vector<PassingPoint> points;
};
const Space& space_of(const cell::Device& d) { return static_cast<const Space&>(*d.parameters); }

class Telling final : public Behaves<Telling>, public ZoneArbiter {
public:
    Telling(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          keep_out_(d.first_signal + static_cast<int>(d.signals.size()) - 1),
          still_(Frame::Identity(), motion::part_set({{0, geometry::Convex::hull(in_world(d, space_of(d).corners)),
                                        Frame::Identity(), {}, 0}})) {
        cell::ContentKey space;
        cell::add_shape(space, still_.parts().front().shape);
        const auto& named = space_of(d).movers;
        for (const int i : indices(cell.devices)) {
            if (!cell.devices[i].mover()) continue;
            const auto own = std::find(named.begin(), named.end(), cell.devices[i].id);
            if (!named.empty() && own == named.end()) continue;
            Seen& seen = movers_[i];
            if (own != named.end()) seen.signal = d.first_signal + 1 + static_cast<int>(own - named.begin());
            seen.key = cell::ContentKey(space).add(mover_key(cell.devices[i])).value();
        }
    }
    bool watches() const override { return true; }
    Pace pace() const override { return Pace::by_clock; }

    void mover_begins(Kernel& k, int mover) override {
        const auto at = movers_.find(mover);
        if (at == movers_.end()) return;
        Seen& seen = at->second;
        for (const EventKey& e : seen.pending) k.cancel(e);
        seen.pending.clear();
        const Intervals inside = while_it_moves(k, mover, seen.key);
        change(k, seen, !inside.empty() && inside.front().first <= 0);
        for (const auto& [on, off] : inside) {
            if (on > 0) seen.pending.push_back(k.at(k.now() + ticks(on), *this, 2 * mover));
            if (off < 1e9) seen.pending.push_back(k.at(k.now() + ticks(off), *this, 2 * mover + 1));
        }
    }
    void event(Kernel& k, int what, int) override { change(k, movers_.at(what / 2), what % 2 == 0); }
    void write_state(StateWriter& w) const override {
        for (const auto& [device, seen] : movers_) w.add(seen.inside);
        for (const auto& [arm, leave] : asked_) w.add(arm), w.add(leave);
    }

    // Arms that ask have leave from when nobody has to be out until they give it back, whatever is asked for then.
    ZoneArbiter* arbiter() override { return this; }
    const ZoneArbiter* arbiter() const override { return this; }
    bool ask(Kernel& k, int mover, int) override { return asked_.try_emplace(mover, !k.on(keep_out_)).first->second; }
    bool asked(int mover) const override { return asked_.count(mover) > 0; }
    bool may(int mover) const override {
        const auto at = asked_.find(mover);
        return at != asked_.end() && at->second;
    }
    void give_back(Kernel& k, int mover) override {
        if (asked_.erase(mover)) k.touch(index_);
    }
    bool poll(Kernel& k) override {
        bool changed = false;
        if (!k.on(keep_out_))
            for (auto& [arm, leave] : asked_) changed = changed || !leave, leave = true;
        if (changed) k.touch(index_);
        return changed;
    }
    std::optional<Waiting> waiting(const Kernel& k) const override {
        const auto& source = k.cell().signals[keep_out_].source;
        const bool some = std::any_of(asked_.begin(), asked_.end(), [](const auto& a) { return !a.second; });
        if (!some || !source || source->signals().empty()) return std::nullopt;
        return Waiting{k.cell().signals[source->signals().front()].device, WaitFor::signal};
    }

private:
    struct Seen {
        int signal = -1;
        std::uint64_t key = 0;  ///< of the mover and the space
        bool inside = false;
        std::vector<EventKey> pending = {};
    };
    void change(Kernel& k, Seen& seen, bool inside) {
        seen.inside = inside;
        if (seen.signal >= 0) k.set_signal(seen.signal, inside);
        k.set_signal(
            signal(0), std::any_of(movers_.begin(), movers_.end(), [](const auto& m) { return m.second.inside; }));
    }
    /// What its present motion, and standing where that ends, brings.
    Intervals while_it_moves(Kernel& k, int mover, std::uint64_t mover_and_space) const {
        const MotionRecord& m = k.trace().motions[mover].back();
        const cell::Device& d = k.cell().devices[mover];
        cell::ContentKey key;
        key.add(mover_and_space).add(m.motion->serial());
        std::vector<int> held;
        const auto hold = [&](int part) {
            const Place& p = k.trace().parts[part].places.back();
            if (p.kind != Place::Kind::held) return;
            key.add(k.type_of(part).shape_key).add(p.at());
            held.push_back(part);
        };
        if (m.held >= 0) hold(m.held);
        for (const MotionRecord::Also& more : m.also) hold(more.part);
        return k.plans().touching(key.value(), [&] {
            std::vector<motion::Part> parts = arm_parts(*d.mover());
            for (const int part : held)
                for (motion::Part& one :
                    held_parts(*d.mover(), k.type_of(part), k.trace().parts[part].places.back().at()))
                    parts.push_back(std::move(one));
            const motion::ArmMover moving(
                d.mover()->model->mechanism, d.world, m.motion, 0, motion::part_set(std::move(parts)));
            return touching(moving, still_, m.motion->duration());
        });
    }

    const int keep_out_;
    std::map<int, bool> asked_;  ///< arms (devices) that want to go in or are there, and whether they may
    motion::GlideMover still_;
    std::map<int, Seen> movers_;  ///< by device
};

const cell::Fields& mover_fields() {
    using namespace cell::field;
    static const cell::Fields all{
        of(cell::Field::Type::device, "mover", "mover").explained("It gets a signal of its own: ID_inside.")};
    return all;
}

const cell::Fields& point_fields() {
    static const cell::Fields all =
        passing_fields(cell::field::of(cell::Field::Type::arm, "arm", "arm").usually("").at_first(""));
    return all;
}

class WatchedVolumeKind final : public Kind {
public:
    std::string id() const override { return "watched_volume"; }
    std::string label() const override { return "Watched volume"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{choice("shape", "shape", {"box", "cylinder"}).usually("box").at_first("box"),
            number("length_mm", "length, or diameter", 1, 20000).at_first(600.0),
            number("width_mm", "width of a box", 1, 20000).usually(600).at_first(600.0),
            number("height_mm", "height", 1, 10000).at_first(800.0),
            number("above_mm", "begins above", 0, 10000).usually(0).at_first(800.0),
            list("movers", "movers with a signal each", mover_fields, 50).under("Movers with a signal each"),
            list("points", "points", point_fields, 400).under("Waits at its border")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    Lane lane() const override { return Lane::level; }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto space = std::make_shared<Space>();
        const cell::Values v(r, fields());
        const bool round = v.choice("shape") == "cylinder";
        const double length = v.number("length_mm"), width = round ? length : v.number("width_mm");
        if (round) v.number("width_mm");  // has no meaning there
        space->corners = prism_corners(round, length, width, v.number("above_mm"), v.number("height_mm"));
        d.look = cell::Look::marking;
        mark_prism(d, space->corners, round, "inside");
        d.signals = {{"inside"}};
        for (const cell::Reader& one : v.list("movers")) {
            const cell::Values m(one, mover_fields());
            const std::string id = m.text("mover");
            if (std::find(space->movers.begin(), space->movers.end(), id) != space->movers.end()) {
                one.problem("mover", "\"" + id + "\" stands in this list already.");
                continue;
            }
            space->movers.push_back(id);
            d.signals.push_back({id + "_inside"});
        }
        d.signals.push_back(cell::Signal::input_off("keep_out"));
        for (const cell::Reader& one : v.list("points")) {
            const cell::Values p(one, point_fields());
            space->points.push_back(read_passing(p, p.text("arm")));
        }
        d.parameters = std::move(space);
    }
    void settled(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        for (const std::string& id : space_of(d).movers) {
            const int mover = cell.device(id);
            if (mover < 0 || !cell.devices[mover].mover())
                r.problem("movers", "\"" + id + "\" is " +
                                        (mover < 0 ? "not the id of a device" : "nothing that moves") +
                                        "; an arm, or what else moves, is expected.");
        }
    }
    std::optional<KeptEmpty> kept_empty(const cell::Device& d) const override {
        return KeptEmpty{d.first_signal, d.first_signal + static_cast<int>(d.signals.size()) - 1,
            geometry::Convex::hull(space_of(d).corners)};
    }
    std::vector<Checkpoint> checkpoints(const cell::Cell& cell, int device, int mover) const override {
        return checkpoints_at(space_of(cell.devices[device]).points, cell, device, mover,
            [&](const PassingPoint& p) { return cell.device(p.whose) == mover; });
    }
    std::vector<std::string> missing_names(const cell::Cell& cell, const cell::Device& d) const override {
        return points_of_nothing(
            space_of(d).points, cell, [&](const PassingPoint& p) { return cell.device(p.whose); });
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Telling>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> watched_volume_kind() { return std::make_unique<WatchedVolumeKind>(); }

}  // namespace escarp::simulation
