// Picking, placing, and moving to a pose.

#include <algorithm>
#include <tuple>

#include "../kernel.h"
#include "../kinds.h"
#include "../step.h"

namespace escarp::simulation {
namespace {

std::string named(const cell::Cell& cell, int device) { return device >= 0 ? cell.devices[device].name : "?"; }

/// Its own keys, then those of the motion.
cell::Fields with(cell::Fields own, const cell::Fields& motion) {
    own.insert(own.end(), motion.begin(), motion.end());
    return own;
}

/// What a new pick or place of an arm most likely deals with: of what it has within its reach, what it does not deal
/// with yet, the nearest. Else whatever there is.
std::string likely(const cell::Cell& cell, const cell::Device& owner, bool picks) {
    std::string best;
    std::tuple<bool, bool, double> least{true, true, 1e300};
    for (const cell::Device& d : cell.devices) {
        const Kind& kind = kind_of(d);
        const std::vector<int> seats = picks ? kind.pick_seats(d) : kind.place_seats(d);
        if (seats.empty() || d.seats.empty() || &d == &owner) continue;
        double nearest = 1e300;
        for (const int seat : seats) {
            const Frame at =
                cell.part_types.empty() ? d.world : Frame(d.world * kind.seat_frame(d, seat, cell.part_types.front()));
            nearest = std::min(nearest, (at.translation() - owner.world.translation()).norm());
        }
        const std::vector<const cell::Step*> steps = cell::all_steps(owner);
        const bool known = std::any_of(steps.begin(), steps.end(), [&](const cell::Step* s) {
            const cell::Reach reach = s->kind->reach();
            const bool same = reach == (picks ? cell::Reach::part : cell::Reach::seat);
            // What was just taken from somewhere is put elsewhere; what was put somewhere may be taken from there.
            return s->device == static_cast<int>(&d - cell.devices.data()) &&
                   (same || (!picks && reach == cell::Reach::part));
        });
        const bool far = owner.arm && nearest > kinematics::reach_bound(*owner.arm->model);
        if (const std::tuple rank(far, known, nearest); rank < least) least = rank, best = d.id;
    }
    return best;
}

class PickStep final : public StepKind {
public:
    std::string id() const override { return "pick"; }
    std::string label() const override { return "Pick"; }
    cell::Reach reach() const override { return cell::Reach::part; }
    const cell::Fields& fields() const override {
        using Type = cell::Field::Type;
        using cell::field::of;
        static const cell::Fields all =
            with({of(Type::giver, "from", "from"), of(Type::grip, "grip", "grip").usually(""),
                     cell::field::flag("only_good", "takes", false)
                         .as_said({"no rejects", "every part"})
                         .explained("Of what rides by in its window."),
                     of(Type::sight, "seen_by", "place seen by")
                         .usually("")
                         .explained(
                             "A camera that tells where the part is: its noise is held against the grip's tolerance.")},
                cell::work_fields());
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.device = r.seated_device("from");
        s.grip = r.values().text("grip");
        if (r.values().flag("only_good")) s.result = "good";
        if (const std::string camera = r.values().text("seen_by"); !camera.empty()) {
            s.seen_by = r.cell().device(camera);
            if (s.seen_by < 0 || !r.cell().devices[s.seen_by].kind->tells_places(r.cell().devices[s.seen_by]))
                r.problem("seen_by", "\"" + camera + "\" is not the id of a camera.");
        }
        r.motion(s, false);
        r.work(s);
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "Pick from " + named(cell, s.device);
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device& owner) const override {
        const std::string from = likely(cell, owner, true);
        return {{"from",
            !from.empty() ? from : cell::any_seated(cell, [](const cell::DeviceKind& k) { return k.moves_parts(); })}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step&) const override {
        return runner.driver().exchange(runner, k);
    }
    Waiting waiting(const cell::Cell&, const cell::Step& s) const override { return {s.device, WaitFor::part}; }
};

class PlaceStep final : public StepKind {
public:
    std::string id() const override { return "place"; }
    std::string label() const override { return "Place"; }
    cell::Reach reach() const override { return cell::Reach::seat; }
    const cell::Fields& fields() const override {
        static const cell::Fields all =
            with({cell::field::of(cell::Field::Type::taker, "in", "in")}, cell::work_fields());
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.device = r.seated_device("in");
        r.motion(s, false);
        r.work(s);
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        return "Place in " + named(cell, s.device);
    }
    cell::json fresh(const cell::Cell& cell, const cell::Device& owner) const override {
        if (const std::string in = likely(cell, owner, false); !in.empty()) return {{"in", in}};
        return {{"in", cell::any_seated(
                           cell, [](const cell::DeviceKind& k) { return k.takes_from_belts() && !k.moves_parts(); })}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step&) const override {
        return runner.driver().exchange(runner, k);
    }
    Waiting waiting(const cell::Cell&, const cell::Step& s) const override { return {s.device, WaitFor::room}; }
};

class MoveStep final : public StepKind {
public:
    std::string id() const override { return "move"; }
    std::string label() const override { return "Move to a pose"; }
    cell::Reach reach() const override { return cell::Reach::pose; }
    const cell::Fields& fields() const override {
        static const cell::Fields all = with({cell::field::of(cell::Field::Type::pose, "pose", "pose"),
                                                 cell::field::choice("by", "by", {"joint", "straight"})
                                                     .usually("joint")
                                                     .as_said({"joint move", "straight move"})},
            cell::move_fields());
        return all;
    }
    void read(const cell::StepReader& r, cell::Step& s) const override {
        s.pose = r.values().text("pose");
        s.straight = r.values().choice("by") == "straight";
        r.motion(s, true);
        if (r.owner().arm && !r.owner().pose(s.pose))
            r.problem("pose", "\"" + r.owner().name + "\" has no pose with the id \"" + s.pose + "\".");
    }
    std::string words(const cell::Cell& cell, const cell::Step& s) const override {
        std::string pose = s.pose;
        for (const cell::Device& d : cell.devices)  // a step of a shared block names the pose of whoever does it
            if (const cell::Pose* p = d.pose(s.pose); p && s.path.rfind("devices/" + d.id + "/", 0) == 0)
                pose = p->name;
        return (s.straight ? "Straight to " : "Move to ") + pose;
    }
    cell::json fresh(const cell::Cell&, const cell::Device& owner) const override {
        if (owner.poses.empty()) throw cell::InputError("step", "\"" + owner.name + "\" has no taught pose yet.");
        return {{"pose", owner.poses.front().id}};
    }
    Outcome begin(TaskRunner& runner, Kernel& k, const cell::Step&) const override {
        return runner.driver().move(runner, k);
    }
};

}  // namespace

std::unique_ptr<StepKind> pick_step() { return std::make_unique<PickStep>(); }
std::unique_ptr<StepKind> place_step() { return std::make_unique<PlaceStep>(); }
std::unique_ptr<StepKind> move_step() { return std::make_unique<MoveStep>(); }

}  // namespace escarp::simulation
