#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/axis.h>
#include <simulation/kinds.h>

#include "crossing.h"

namespace escarp::simulation {
namespace {

struct Diversion final : cell::Parameters {
    std::string which;  ///< as the file says it
    std::string to, part_type;
    double speed = 0.25;  ///< across, m/s
    int type = -1;
    int belt = -1;
    double way = 0;  ///< along the belt: where the middle of a part is when it goes aside, m
    bool pushes = false;
    double width = 0, back_s = 0;         ///< of the belt, m; of a pusher: to come back
    Frame along_way = Frame::Identity();  ///< of a pusher: its head's face when it is back, in the device; x across
};
constexpr double head_length = 0.06;  ///< of a pusher, along the belt, m
const Diversion& diversion(const cell::Device& d) { return static_cast<const Diversion&>(*d.parameters); }

/// Where it stands on its belt, world.
Vector3 joint(const cell::Cell& cell, const cell::Device& d) {
    const cell::Device& belt = cell.devices[diversion(d).belt];
    return (belt.world * belt_of(belt).on_top(diversion(d).way)).translation();
}

/// Takes parts off its belt and brings them across to where they go on; a pusher's head goes to the part first, then
/// across with it, and back.
class Diverting final : public Behaves<Diverting>, public Gate {
public:
    Diverting(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          divert_(diversion(d)),
          next_(cell.device(divert_.to)),
          drive_(d, index, cell),
          in_front_(*this) {}

    void start(Kernel& k) override {
        if (pushes()) drive_.start(k);
    }
    Pace pace() const override { return Pace::by_clock; }
    void copied(Kernel&) override { in_front_ = InFront(*this); }
    std::vector<Gate*> gates() override {
        return pushes() ? std::vector<Gate*>{this, &in_front_} : std::vector<Gate*>{this};
    }
    double holds_at(const cell::PartType&) const override { return divert_.way; }
    bool holds(Kernel& k, int part) override { return part == here_ || goes_aside(k, part); }
    void reached(Kernel& k, int part) override {
        here_ = part;
        since_ = k.now();
        k.touch(index_);
    }
    bool poll(Kernel& k) override {
        if (divert_.belt < 0 || next_ < 0) return false;
        const bool aside = k.on(signal(aside_signal));
        if (std::exchange(aside_, aside) != aside) {
            if (here_ >= 0 && head_ == Head::back && !crossing_ && !goes_aside(k, here_)) here_ = -1;
            belt(k).look_again(k);
            return true;
        }
        if (here_ < 0 || crossing_ || head_ == Head::coming || head_ == Head::going_back) return false;
        Frame at;
        k.trace().part_frame(k.cell(), here_, k.now(), at);
        const Arrival arrival{k.trace().parts[here_].type, 0, &at, joint(k.cell(), device_), divert_.speed};
        if (!k.behaviour(next_).accepts(k, arrival)) return false;
        if (pushes() && head_ == Head::back) {
            head_ = Head::coming;
            drive_.go(k, *this, head_event, std::max(least_way, to_part(k)));
            return true;
        }
        crossing_ = true;
        const double way = (comes_to(k.cell().devices[next_], joint(k.cell(), device_)) - at.translation()).norm();
        k.changing(next_).enter(k, here_, arrival);
        k.set_signal(signal(crossing_signal), true);
        k.at(k.now() + ticks(way / divert_.speed), *this, across_event, here_);
        if (pushes()) drive_.go(k, *this, head_event, drive_.value() + way);
        return true;
    }
    void event(Kernel& k, int what, int part) override {
        if (what == head_event) return head_there(k);
        // It is across: the next one may come.
        here_ = -1;
        crossing_ = false;
        k.set_signal(signal(crossing_signal), false);
        belt(k).take_off(k, part);
    }
    Listening listens_to() const override {
        return divert_.belt < 0 || next_ < 0 ? Listening{} : Listening{{next_, divert_.belt}, {}};
    }
    std::optional<MergeRequest> request_to_cross(const Kernel&) const override {
        return here_ < 0 || crossing_ ? std::nullopt : std::optional(MergeRequest{since_, here_});
    }
    std::optional<Waiting> waiting(const Kernel&) const override {
        return here_ < 0 || crossing_ ? std::nullopt : std::optional(Waiting{next_, WaitFor::room});
    }
    void write_state(StateWriter& w) const override {
        w.add_part(here_);
        w.add(crossing_), w.add(aside_);
        if (pushes()) w.add(static_cast<int>(head_)), drive_.write_state(w);
    }

private:
    static constexpr int crossing_signal = 0, aside_signal = 1;  ///< in the order of the kind's signals
    static constexpr int across_event = 0, head_event = 1;
    static constexpr double least_way = 1e-4;  ///< of the head to the part, m
    enum class Head { back, coming, at_part, going_back };

    /// While the head is out, parts wait in front of it.
    class InFront final : public Gate {
    public:
        explicit InFront(const Diverting& of) : of_(&of) {}
        double holds_at(const cell::PartType& type) const override {
            return of_->divert_.way - 0.5 * type.length - 0.5 * head_length - 0.01;
        }
        bool holds(Kernel&, int part) override { return of_->head_ != Head::back && part != of_->here_; }

    private:
        const Diverting* of_;
    };

    bool pushes() const { return device_.axis.has_value(); }
    CarryingBelt& belt(Kernel& k) { return static_cast<CarryingBelt&>(k.changing(divert_.belt)); }
    /// How far the head goes until it touches the part that stands there.
    double to_part(const Kernel& k) const {
        Frame at;
        k.trace().part_frame(k.cell(), here_, k.now(), at);
        const geometry::Box3 box =
            geometry::bounds(k.type_of(here_).bodies, divert_.along_way.inverse() * device_.world.inverse() * at);
        return box.low.x();
    }
    void head_there(Kernel& k) {
        drive_.arrived(k, drive_.value());
        if (head_ == Head::coming) {
            head_ = Head::at_part;
        } else if (head_ == Head::going_back) {
            head_ = Head::back;
            belt(k).look_again(k);
        } else {
            head_ = Head::going_back;
            drive_.go(k, *this, head_event, 0);
        }
    }
    bool goes_aside(const Kernel& k, int part) const {
        if (next_ < 0) return false;
        if (divert_.which == "while its input is on") return k.on(signal(aside_signal));
        if (divert_.which == "one part type") return k.trace().parts[part].type == divert_.type;
        if (divert_.which == "every part") return true;
        const std::string result = k.trace().result(part, k.now());
        return divert_.which == "rejects" ? result == "reject" : result == "good";
    }
    const Diversion& divert_;
    const int next_;
    AxisDrive drive_;
    InFront in_front_;
    int here_ = -1;  ///< the part that stands there, or is on its way across
    Ticks since_ = 0;
    bool crossing_ = false, aside_ = false;
    Head head_ = Head::back;
};

class DivertKind final : public AlongBelts {
public:
    std::string id() const override { return "divert"; }
    std::string label() const override { return "Divert"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{
            choice("which", "takes aside",
                {"every part", "rejects", "good parts", "one part type", "while its input is on"})
                .usually("every part")
                .at_first("rejects"),
            of(Type::part_type, "part_type", "that type").usually(""),
            of(Type::device, "to", "to").usually("").at_first(""),
            number("speed_mm_s", "speed across", 1, 5000).usually(250).at_first(250.0),
            number("width_mm", "width", 20, 5000).usually(200).at_first(200.0),
            choice("across", "across", {"by a transfer", "pushed"}).usually("by a transfer"),
            number("back_s", "head back in", 0.05, 60).usually(0.5).explained("Of a pusher.")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", label()}, {id(), "", "Pusher", {{"across", "pushed"}}}};
    }
    bool presses() const override { return true; }
    int belt(const cell::Device& d) const override { return diversion(d).belt; }
    /// To the nearest outfeed that is not the belt's own.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        AlongBelts::init_new(n, device);
        if (n.given("to")) return;
        const cell::Device& on = *n.belt();
        double least = 1e300;
        for (const cell::Device& d : n.cell().devices) {
            const double far = (d.world.translation() - on.world.translation()).norm();
            if (!d.kind->takes_from_belts() || d.kind->moves_parts() || d.id == belt_of(on).to || far >= least)
                continue;
            least = far;
            device["to"] = d.id;
        }
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        const int to = cell.device(diversion(d).to);
        return diversion(d).which + (to < 0 ? std::string() : " to " + cell.devices[to].name);
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto s = std::make_shared<Diversion>();
        const cell::Values v(r, fields());
        s->which = v.choice("which");
        s->to = v.text("to");
        s->speed = v.number("speed_mm_s");
        s->pushes = v.choice("across") == "pushed";
        s->back_s = v.number("back_s");
        s->part_type = v.text("part_type");
        s->type = s->part_type.empty() ? -1 : cell.part_type(s->part_type);
        if (s->which == "one part type" && s->type < 0)
            r.problem("part_type", "The id of the part type that is taken aside is expected.");
        if (!s->to.empty()) d.needs.emplace_back("to", s->to);
        const double width = s->width = v.number("width_mm"), side = 0.5 * width;
        d.look = cell::Look::sensor;
        add_housings(d, 0.12, width);
        d.marks.push_back({cell::Mark::Style::accent, {{-0.05, -side, 0.005}, {0.05, side, 0.005}}});
        d.marks.back().lit_by = "crossing";
        d.marks.push_back({cell::Mark::Style::accent, {{0.05, -side, 0.005}, {-0.05, side, 0.005}}});
        d.marks.back().lit_by = "crossing";
        d.signals = {{"crossing"}, cell::Signal::input_off("aside")};
        d.parameters = std::move(s);
    }
    void settled(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        const auto along = along_belt(cell, d);
        if (!along) return;
        auto s = std::make_shared<Diversion>(diversion(d));
        s->belt = along->belt, s->way = along->way;
        if (cell.device(s->to) == s->belt)
            r.problem("to", "\"" + d.name +
                                "\" would give its parts back to the belt that it stands on; another one is "
                                "expected.");
        else if (const int next = cell.device(s->to); s->pushes && next >= 0) add_head(cell, next, *s, d);
        d.parameters = std::move(s);
    }
    std::optional<Vector3> side_joint(const cell::Cell& cell, const cell::Device& d) const override {
        return diversion(d).belt < 0 ? std::nullopt : std::optional(joint(cell, d));
    }

private:
    /// A cylinder beside the belt, across from where parts go, with a head on its rod.
    static void add_head(const cell::Cell& cell, int next, Diversion& s, cell::Device& d) {
        const cell::Device& belt = cell.devices[s.belt];
        const Frame on_belt = d.world.inverse() * belt.world * belt_of(belt).on_top(s.way);
        const Vector3 there = d.world.inverse() * comes_to(cell.devices[next], d.world * on_belt.translation());
        Vector3 across = there - on_belt.translation();
        across.z() = 0;
        const double far = across.norm();
        if (far < 1e-3) return;
        const double yaw = std::atan2(across.y(), across.x());
        constexpr double low = 0.01, high = 0.04, thick = 0.02, rod = 0.012;
        s.along_way =
            geometry::make_frame(on_belt.translation(), {0, 0, yaw}) * geometry::make_frame({-0.5 * s.width, 0, 0});
        const double stroke = far + s.width, housing = std::min(0.3, 0.5 * stroke);
        AxisMake make;
        make.at = s.along_way;
        make.travel = make.high = stroke;
        make.takes = stroke / s.speed, make.takes_back = s.back_s;
        make.evenly = true;
        make.bodies.push_back(cell::standing_box("head", {thick, head_length, high}, {-0.5 * thick, 0, low}));
        make.bodies.push_back(
            cell::standing_box("rod", {stroke, rod, rod}, {-thick - 0.5 * stroke, 0, low + 0.5 * (high - rod)}));
        d.axis = make_axis(d, std::move(make));
        geometry::Body cylinder =
            cell::standing_box("cylinder", {housing, 0.05, high + low}, {-thick - 0.03 - 0.5 * housing, 0, 0});
        cylinder.at = s.along_way * cylinder.at;
        d.bodies.push_back(std::move(cylinder));
    }

public:
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Diverting>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> divert_kind() { return std::make_unique<DivertKind>(); }

}  // namespace escarp::simulation
