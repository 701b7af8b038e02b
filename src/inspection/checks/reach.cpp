#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <tbb/parallel_for.h>

#include <geometry/indices.h>
#include <simulation/kernel.h>

#include "../cache.h"
#include "../check.h"
#include "reach_ways.h"

namespace escarp::inspection {
namespace {

constexpr double near_limit = 0.025;  ///< a margin below this is worth watching, m

/// Part types that can be met in the cell: those that infeeds release, or all where none does.
std::vector<int> flowing_types(const cell::Cell& cell) {
    std::set<int> types;
    for (const cell::Device& d : cell.devices)
        if (!d.needs_part_type.empty()) types.insert(cell.part_type(d.needs_part_type));
    if (types.empty())
        for (const int i : indices(cell.part_types)) types.insert(i);
    return {types.begin(), types.end()};
}

/// Part types of which there may be some: those that infeeds release or bring on carriers, that trays supply.
std::set<int> parts_there(const cell::Cell& cell) {
    std::set<int> all;
    for (const int type : flowing_types(cell)) all.insert(type);
    bool others = false;
    for (const int type : all) others = others || !cell.part_types[type].carrier();
    if (!others)  // only carriers come by themselves: what lies on them may be anything
        for (const int i : indices(cell.part_types)) all.insert(i);
    return all;
}

/// Walks a task in the order written, keeping the active tool and how the part in hand was last gripped. A round begins
/// with what the one before left.
class Needs {
public:
    Needs(const cell::Cell& cell, int arm, std::vector<PoseNeed>& out)
        : cell_(cell), arm_(arm), types_(flowing_types(cell)), flows_(parts_there(cell)), out_(out) {}

    void collect() {
        const int first = active_;
        walk();
        if (active_ != first) walk();
    }

private:
    const cell::Device& device() const { return cell_.devices[arm_]; }
    void walk() {
        for (const cell::Step* s : cell::all_steps(device())) {
            if (!s->enabled) continue;
            if (s->tool >= 0) active_ = s->tool;
            const cell::Reach reach = s->kind->reach();
            if (reach == cell::Reach::part) last_pick_[active_] = s;
            if (reach == cell::Reach::pose) of_move(*s);
            if (reach == cell::Reach::part || reach == cell::Reach::seat) of_exchange(*s);
        }
    }
    void of_move(const cell::Step& s) {
        const cell::Pose& pose = *device().pose(s.pose);
        if (pose.joints) return;  // joint values are reached by definition
        const int host = cell_.device(pose.relative_to);
        const Frame tool = (host >= 0 ? cell_.devices[host].world : Frame::Identity()) * pose.at;
        PoseNeed n{arm_, s.number, host, -1, -1, pose.name, s.id, tool, 0, 0, s.straight_speed, s.posture, false, false,
            0, {}, s.acceleration, s.held, active_};
        const bool known = std::any_of(out_.begin(), out_.end(),
            [&](const PoseNeed& o) { return o.arm == arm_ && o.step == s.number && o.tool == active_; });
        if (!known) out_.push_back(std::move(n));
    }
    void of_exchange(const cell::Step& s) {
        const bool picks = s.kind->reach() == cell::Reach::part;
        const cell::Step* last_pick = last_pick_[active_];
        const cell::Device& other = cell_.devices[s.device];
        const simulation::Kind& kind = simulation::kind_of(other);
        if (s.on_carrier) return of_carriers(s);
        for (const int type : types_) {
            if (s.meets()) {
                of_window(s, type, Frame::Identity(), "");
                continue;
            }
            const cell::PartType& part = cell_.part_types[type];
            const Frame grip = part.grip(last_pick ? last_pick->grip : std::string());
            const Frame in_hand =
                geometry::make_frame(Vector3::Zero(), {0, 0, last_pick ? last_pick->turn : 0.0}) * grip;
            for (const int seat : picks ? kind.pick_seats(other) : kind.place_seats(other)) {
                const Frame stands = other.world * kind.seat_frame(other, seat, part) *
                                     geometry::make_frame(Vector3::Zero(), {0, 0, s.turn});
                const std::string seat_name = other.seats.size() > 1 ? " " + other.seats[seat].name : "";
                need(s, seat, type, stands * (picks ? grip : in_hand), other.name + seat_name);
            }
        }
    }
    /// Whether another tool of the arm is at a seat while the active one is at some other: then it need not get there.
    /// `tool`: the active one in the frame of a seat.
    bool beside_another(const cell::PartType& tray, std::size_t seat, const Frame& tool) const {
        constexpr double near = 1e-3;
        const cell::Arm& arm = *device().arm;
        const Frame active = arm.with_tool(active_).tool_frame;
        for (const int t : indices(arm.tools)) {
            if (t == active_) continue;
            const Frame other = active.inverse() * arm.with_tool(t).tool_frame;
            for (std::size_t i = 0; i < tray.seats.size(); ++i)
                if (i != seat &&
                    geometry::gap(tray.seats[i] * tool * other * tool.inverse(), tray.seats[seat]).distance < near)
                    return true;
        }
        return false;
    }
    /// Those that stand farthest out, one for each corner: a window is long, and the others lie between them.
    static std::set<std::size_t> outer_seats(const cell::PartType& tray) {
        std::set<std::size_t> outer;
        for (const double x : {-1.0, 1.0})
            for (const double y : {-1.0, 1.0}) {
                std::size_t far = 0;
                const auto out = [&](std::size_t i) {
                    return x * tray.seats[i].translation().x() + y * tray.seats[i].translation().y();
                };
                for (std::size_t i = 1; i < tray.seats.size(); ++i)
                    if (out(i) > out(far)) far = i;
                outer.insert(far);
            }
        return outer;
    }
    /// Every seat of every carrier that may stand there or ride by, for every part that it takes.
    void of_carriers(const cell::Step& s) {
        const bool picks = s.kind->reach() == cell::Reach::part;
        const cell::Step* last_pick = last_pick_[active_];
        const cell::Device& other = cell_.devices[s.device];
        const simulation::Kind& kind = simulation::kind_of(other);
        const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, s.turn});
        for (const int carrier : types_) {
            const cell::PartType& tray = cell_.part_types[carrier];
            for (std::size_t type = 0; tray.carrier() && type < cell_.part_types.size(); ++type) {
                const cell::PartType& part = cell_.part_types[type];
                if (!tray.takes(part) || !flows_.count(static_cast<int>(type))) continue;
                const Frame grip = part.grip(last_pick ? last_pick->grip : std::string());
                const Frame in_hand =
                    geometry::make_frame(Vector3::Zero(), {0, 0, last_pick ? last_pick->turn : 0.0}) * grip;
                const std::set<std::size_t> outer = outer_seats(tray);
                for (const int seat : indices(tray.seats)) {
                    if (s.meets() && !outer.count(seat)) continue;
                    if (s.together && beside_another(tray, seat, turned * (picks ? grip : in_hand))) continue;
                    const Frame tool = tray.seats[seat] * turned * (picks ? grip : in_hand);
                    const std::string name = " seat " + std::to_string(seat + 1);
                    if (s.meets()) {
                        of_window(s, static_cast<int>(type), tray.seats[seat], name);
                        continue;
                    }
                    for (const int place : kind.pick_seats(other))
                        need(s, seat, static_cast<int>(type), other.world * kind.seat_frame(other, place, tray) * tool,
                            other.name + name);
                }
            }
        }
    }
    /// `on_path`: where the part lies on the way.
    void of_window(const cell::Step& s, int type, const Frame& on_path, const std::string& name) {
        constexpr double least_stride = 0.02;
        constexpr int most_places = 25;
        const bool picks = s.kind->reach() == cell::Reach::part;
        const cell::Step* last_pick = last_pick_[active_];
        const cell::Device& other = cell_.devices[s.device];
        const cell::PartType& part = cell_.part_types[type];
        const Frame turned = geometry::make_frame(Vector3::Zero(), {0, 0, s.turn});
        const Frame grip = part.grip(last_pick ? last_pick->grip : std::string());
        const Frame in_hand = geometry::make_frame(Vector3::Zero(), {0, 0, last_pick ? last_pick->turn : 0.0}) * grip;
        const double length = s.window_to - s.window_from;
        const int strides = std::clamp(static_cast<int>(std::ceil(length / least_stride)), 1, most_places - 1);
        std::vector<WindowPlace> window;
        for (int i = 0; i <= strides; ++i) {
            const double way = s.window_from + length * i / strides;
            window.push_back(
                {way, simulation::kind_of(other).rides_at(other, way) * on_path * turned * (picks ? grip : in_hand)});
        }
        const std::string label =
            other.name + name + " from " + millimetres(s.window_from) + " to " + millimetres(s.window_to) + " mm";
        need(s, 0, type, window.front().tool_world, label);
        if (out_.back().step_id == s.id && out_.back().part_type == type) out_.back().window = std::move(window);
    }
    void need(const cell::Step& s, int seat, int type, const Frame& tool, const std::string& label) {
        PoseNeed n{arm_, s.number, s.device, seat, type, label, s.id, tool, s.approach, s.retreat, s.straight_speed,
            s.posture, false, false, 0, {}, s.acceleration, s.held, active_};
        const bool known = std::any_of(out_.begin(), out_.end(), [&](const PoseNeed& o) {
            return !s.meets() && o.window.empty() && o.arm == arm_ && o.other == s.device && o.seat == seat &&
                   o.posture == n.posture && o.held == n.held && o.tool == n.tool &&
                   geometry::gap(o.tool_world, tool).distance < 1e-9 && geometry::gap(o.tool_world, tool).angle < 1e-9;
        });
        if (!known) out_.push_back(std::move(n));
    }

    const cell::Cell& cell_;
    const int arm_;
    const std::vector<int> types_;
    const std::set<int> flows_;
    std::vector<PoseNeed>& out_;
    std::map<int, const cell::Step*> last_pick_ = {};  ///< by tool
    int active_ = 0;                                   ///< tool
};

std::string cause(const Context& c, const PoseNeed& n) {
    const cell::Arm& arm = *c.device(n.arm).arm;
    const std::string short_by = n.reach.margin <= -0.2 ? "more than 200 mm" : millimetres(-n.reach.margin) + " mm";
    const auto joint = [&](int j) -> const kinematics::Joint& { return arm.model->mechanism.joints[j]; };
    switch (n.reach.reason) {
        case kinematics::ReachReason::too_far: return "The pose is too far away: " + short_by + " short.";
        case kinematics::ReachReason::too_near: return "The pose is too near to the arm: " + short_by + " too close.";
        case kinematics::ReachReason::joint_limit:
            return "Joint " + joint(n.reach.limiting_joint).name + " would have to go " +
                   joint_amount(joint(n.reach.limiting_joint), -n.reach.joint_margin) +
                   " beyond its limit; the nearest reachable place is " + short_by + " away.";
        case kinematics::ReachReason::orientation:
            return "The arm cannot bring its flange into this orientation anywhere: " +
                   std::string(arm.solver->name()) + ". Turn the pose, or take an arm with a wrist.";
        case kinematics::ReachReason::reached: break;
    }
    return "The pose itself is reached, but the straight move to or from it is not: it fails " +
           std::to_string(std::lround(n.line_failed_at * 100)) + " % of the way out.";
}

std::string in_words(const std::vector<std::pair<double, double>>& stretches) {
    std::string words;
    for (const auto& [from, to] : stretches)
        words += (words.empty() ? "" : " and ") +
                 (to > from ? millimetres(from) + " to " + millimetres(to) + " mm" : millimetres(from) + " mm");
    return words;
}

/// Poses of one step at one device: seats of one tray are one matter.
std::vector<std::vector<const PoseNeed*>> by_step(const std::vector<PoseNeed>& poses, bool (*counts)(const PoseNeed&)) {
    std::vector<std::vector<const PoseNeed*>> groups;
    for (const PoseNeed& n : poses) {
        if (!counts(n)) continue;
        const auto known = std::find_if(groups.begin(), groups.end(), [&](const auto& g) {
            return n.other >= 0 && g.front()->arm == n.arm && g.front()->step == n.step && g.front()->other == n.other;
        });
        if (known == groups.end()) groups.push_back({&n});
        else known->push_back(&n);
    }
    return groups;
}
/// "24 of 24 seats of Tray", or the pose's own name where it is one.
std::string of_seats(const Context& c, const std::vector<PoseNeed>& poses, const std::vector<const PoseNeed*>& some) {
    if (some.size() == 1) return some.front()->label;
    const auto all = std::count_if(poses.begin(), poses.end(), [&](const PoseNeed& n) {
        return n.arm == some.front()->arm && n.step == some.front()->step && n.other == some.front()->other;
    });
    return std::to_string(some.size()) + " of " + std::to_string(all) + " seats of " +
           c.device(some.front()->other).name;
}
const PoseNeed& worst_of(const std::vector<const PoseNeed*>& some) {
    return **std::min_element(some.begin(), some.end(),
        [](const PoseNeed* a, const PoseNeed* b) { return a->reach.margin < b->reach.margin; });
}

void report_unreached(const Context& c, const std::vector<PoseNeed>& poses, std::vector<Finding>& out) {
    for (const auto& some : by_step(poses, [](const PoseNeed& n) { return !n.reached; })) {
        const PoseNeed& n = worst_of(some);
        Finding f;
        const cell::Device& arm = c.device(n.arm);
        f.id = "reach:" + arm.id + ":" + n.step_id + ":" + std::to_string(n.seat);
        f.severity = Severity::stop;
        f.title = arm.name + " cannot reach " + of_seats(c, poses, some);
        f.text = (some.size() > 1 ? "Of " + n.label + ": " : "") + cause(c, n);
        if (!n.window.empty()) {
            f.title = arm.name + " does not reach " + c.device(n.other).name + " all along its tracking window";
            f.text = "At " + in_words(stretches(n, false)) + ". " + f.text;
        }
        f.devices = {arm.id};
        if (n.other >= 0) f.devices.push_back(c.device(n.other).id);
        f.device = arm.id;
        f.step = n.step_id;
        for (const simulation::Fault& fault : c.run.trace.faults)
            if (fault.device == n.arm) f.when_s = simulation::seconds(fault.when);
        f.ways_out = reach_ways(c, poses, some);
        if (const std::string longer = longer_arm(c, poses, n.arm); !longer.empty() && f.ways_out.size() < 2)
            f.text += " " + longer + " of the catalogue reaches all that " + arm.name + " has to (Which arm, Shift+W).";
        else if (f.ways_out.empty())
            f.text +=
                " Neither a shift of up to 600 mm or another height, nor another approach, turn or grip helps, and "
                "no arm of the catalogue reaches it from there: another arrangement is needed.";
        out.push_back(std::move(f));
    }
}

void report_tight(const Context& c, const std::vector<PoseNeed>& poses, std::vector<Finding>& out) {
    for (const auto& some :
        by_step(poses, [](const PoseNeed& n) { return n.reached && n.reach.margin < near_limit; })) {
        const PoseNeed& n = worst_of(some);
        Finding f;
        const cell::Device& arm = c.device(n.arm);
        f.id = "margin:" + arm.id + ":" + n.step_id + ":" + std::to_string(n.seat);
        f.severity = Severity::watch;
        f.title =
            of_seats(c, poses, some) + (some.size() == 1 ? " is" : " are") + " near the reach limit of " + arm.name;
        f.text = (some.size() > 1 ? "Of " + n.label + ": " : "") + millimetres(n.reach.margin) +
                 " mm left in the worst direction.";
        if (n.reach.tightest_joint >= 0) {
            const kinematics::Joint& tightest = arm.arm->model->mechanism.joints[n.reach.tightest_joint];
            f.text += " Joint " + tightest.name + " is the nearest to a limit, with " +
                      joint_amount(tightest, n.reach.joint_margin) + " to go.";
        }
        f.devices = {arm.id};
        if (n.other >= 0) f.devices.push_back(c.device(n.other).id);
        f.device = arm.id;
        f.step = n.step_id;
        for (const simulation::Block& b : c.run.trace.blocks)  // look at it where the arm is there
            if (b.device == n.arm && b.step == n.step && b.seat == n.seat &&
                (b.kind == simulation::BlockKind::grip || b.kind == simulation::BlockKind::release)) {
                f.when_s = simulation::seconds(b.from);
                break;
            }
        out.push_back(std::move(f));
    }
}

}  // namespace

/// Of a place of its window alone.
PoseNeed at_place(const PoseNeed& n, const WindowPlace& place) {
    PoseNeed one = n;
    one.window.clear();
    one.tool_world = place.tool_world;
    return one;
}

/// Every place; it stands for the worst of them.
static void judge_window(const cell::Cell& cell, PoseNeed& n, Cache& cache) {
    std::vector<PoseNeed> each;
    for (const WindowPlace& place : n.window) each.push_back(at_place(n, place));
    tbb::parallel_for(std::size_t{0}, each.size(), [&](std::size_t i) { judge_pose(cell, each[i], cache); });
    std::size_t worst = 0;
    for (std::size_t i = 0; i < each.size(); ++i) {
        n.window[i].reached = each[i].reached, n.window[i].margin = each[i].reach.margin;
        const auto rank = [](const PoseNeed& p) { return std::pair(p.reached, p.reach.margin); };
        if (rank(each[i]) < rank(each[worst])) worst = i;
    }
    each[worst].window = std::move(n.window);
    n = std::move(each[worst]);
}

void judge_pose(const cell::Cell& cell, PoseNeed& n, Cache& cache) {
    if (!n.window.empty()) return judge_window(cell, n, cache);
    const cell::Device& d = cell.devices[n.arm];
    const Frame tool = d.world.inverse() * n.tool_world;
    const cell::Arm& arm = d.arm->with_tool(n.tool);
    const auto plan =
        cache.plans.pose({arm, tool, n.approach, n.retreat, n.straight_speed, n.posture, n.acceleration, n.held});
    n.reached = plan->good;
    n.pose_reached = plan->good || plan->failure == simulation::Fault::Kind::line_fails;
    n.line_failed_at = plan->failed_at;
    n.reach = kept_reach(arm, tool, n.pose_reached ? &plan->pose : nullptr, 0.2, cache);
}

kinematics::Reach kept_reach(
    const cell::Arm& arm, const Frame& tool, const kinematics::JointVector* q, double cap, Cache& cache) {
    cell::ContentKey key;
    key.add(arm.model_key).add(tool).add(cap).add(q != nullptr);
    if (q) key.add(*q);
    cell::Kept<kinematics::Reach>& kept = cache.kept().reach;
    if (const auto found = kept.find(key.value())) return *found;
    return kept.keep(key.value(),
        kinematics::reach(*arm.model, *arm.solver, tool * arm.tool_frame.inverse(), arm.tool_frame, arm.ready, q, cap));
}

/// The stretches of a window in which the arm reaches all, or does not: from, to, m.
std::vector<std::pair<double, double>> stretches(const PoseNeed& n, bool reached) {
    std::vector<std::pair<double, double>> all;
    bool open = false;
    for (const WindowPlace& w : n.window) {
        if (w.reached == reached) {
            if (!open) all.emplace_back(w.way, w.way);
            all.back().second = w.way;
        }
        open = w.reached == reached;
    }
    return all;
}

std::vector<PoseNeed> check_reach(const cell::Cell& cell, Cache& cache, const StopFlag* stop) {
    std::vector<PoseNeed> poses;
    for (const int i : indices(cell.devices))
        if (cell.devices[i].arm) Needs(cell, i, poses).collect();
    tbb::parallel_for(std::size_t{0}, poses.size(), [&](std::size_t i) {
        if (!stop || !stop->load(std::memory_order_relaxed)) judge_pose(cell, poses[i], cache);
    });
    motion::throw_if_stopped(stop);  // else some of them were not looked at
    return poses;
}

void reach_check(const Context& c, Inspection& result) {
    result.poses = check_reach(c.cell, c.cache, c.stop);
    c.throw_if_stopped();
    for (const int i : indices(result.poses))
        if (result.tightest_pose < 0 || result.poses[i].reach.margin < result.poses[result.tightest_pose].reach.margin)
            result.tightest_pose = i;
    report_unreached(c, result.poses, result.findings);
    report_tight(c, result.poses, result.findings);
}

}  // namespace escarp::inspection
