#include "contact_ways.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <cell/edits/arrange.h>
#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/zone_arbiter.h>

#include "interlock.h"

namespace escarp::study {
namespace {

using geometry::Frame;
using geometry::Vector3;
using inspection::Finding;
using inspection::LeastClearance;
using simulation::Block;
using simulation::BlockKind;

constexpr std::size_t most_ways = 4;
// Each way that is tried is the whole cell computed once more: of a large one fewer findings are looked into.
constexpr std::size_t most_findings = 4, devices_per_finding = 150;

/// What the arm does when it happens, and the exchange that it comes from.
struct AtWork {
    const cell::Step* step = nullptr;
    const cell::Step* before = nullptr;
    BlockKind kind = BlockKind::move;
};

const cell::Step* step_of(const cell::Device& arm, int number) {
    for (const cell::Step* s : cell::all_steps(arm))
        if (s->number == number) return s;
    return nullptr;
}

bool moves(BlockKind kind) {
    return kind == BlockKind::move || kind == BlockKind::straight || kind == BlockKind::straight_in ||
           kind == BlockKind::straight_out;
}

AtWork at_work(const Evaluation& e, int arm, double when) {
    AtWork found;
    const cell::Device& d = e.cell->devices[arm];
    const Block* now = nullptr;
    const Block* last = nullptr;
    for (const Block& b : e.run->trace.blocks) {
        if (b.device != arm || b.step < 0) continue;
        if (simulation::seconds(b.from) > when + 1e-6) break;
        if (moves(b.kind)) now = &b;
    }
    if (!now) return found;
    found.step = step_of(d, now->step), found.kind = now->kind;
    for (const Block& b : e.run->trace.blocks) {
        if (&b == now) break;
        if (b.device == arm && b.kind == BlockKind::straight_out) last = &b;
    }
    if (last) found.before = step_of(d, last->step);
    return found;
}

class Trying {
public:
    Trying(const Evaluation& e, inspection::Cache& cache, const inspection::StopFlag* stop)
        : e_(e), cache_(cache), stop_(stop), hits_(contacts(e)), reached_(e.figures.poses_reached) {}

    std::vector<inspection::WayOut> ways(const LeastClearance& pair) {
        pair_ = pair;
        good_.clear();
        for (const int device : {pair.device_a, pair.device_b})
            if (device >= 0 && e_.cell->devices[device].arm) of_arm(device);
        for (const bool first : {true, false}) shifted(first);
        kept_apart();
        std::stable_sort(good_.begin(), good_.end(), [](const Good& a, const Good& b) {
            return a.keeps_distance != b.keeps_distance ? a.keeps_distance : a.cycle < b.cycle - 1e-9;
        });
        std::vector<inspection::WayOut> out;
        for (Good& g : good_)
            if (out.size() < most_ways) out.push_back(std::move(g.way));
        return out;
    }

private:
    void of_arm(int arm) {
        const cell::Device& d = e_.cell->devices[arm];
        const AtWork work = at_work(e_, arm, pair_.when_s);
        if (!work.step || work.step->shared) return;
        const cell::Step& s = *work.step;
        const std::string what = d.name + ", \"" + s.kind->words(*e_.cell, s) + "\"";
        const bool exchange = s.kind->reach() == cell::Reach::part || s.kind->reach() == cell::Reach::seat;
        if (exchange && work.kind != BlockKind::straight_out)
            farther(s, "approach_mm", s.approach, what + ": approach from ");
        if (exchange && work.kind == BlockKind::straight_out)
            farther(s, "retreat_mm", s.retreat, what + ": retreat to ");
        if (work.kind == BlockKind::move && work.before && !work.before->shared)
            farther(*work.before, "retreat_mm", work.before->retreat,
                d.name + ", \"" + work.before->kind->words(*e_.cell, *work.before) + "\": retreat to ");
        if (s.corner > 0) set(s, "corner_mm", 0, what + ": an exact stop instead of the corner");
        if (work.kind == BlockKind::move && (!s.detour || !d.arm->detours)) {
            cell::Edit edit{what + ": a way round", {}};
            if (!s.detour) edit.operations.push_back(cell::Operation::remove("/" + s.path + "/detour"));
            if (!d.arm->detours) edit.operations.push_back(cell::Operation::remove(cell::at_device(d.id) / "detours"));
            attempt(edit);
        }
        if (exchange || s.kind->reach() == cell::Reach::pose) {
            constexpr int postures = 8;
            for (int p = 0; p < postures; ++p)
                if (p != s.posture) set(s, "posture", p, what + ": joint solution " + std::to_string(p + 1));
        }
        if (exchange && s.kind->reach() == cell::Reach::part)
            for (const double turn : {90.0, -90.0, 180.0})
                set(s, "turn_deg", std::round(s.turn / geometry::degree + turn),
                    what + ": tool turned by " + cell::fixed(turn, 0) + "\u00b0");
    }
    /// Two movers are let into the space that they share one at a time.
    void kept_apart() {
        const cell::Cell& c = *e_.cell;
        const int a = pair_.device_a, b = pair_.device_b;
        if (!e_.zones || a < 0 || b < 0 || a == b || pair_.part_b >= 0 || !c.devices[a].mover() ||
            !c.devices[b].mover())
            return;
        for (const inspection::Zone& z : e_.zones->all) {
            const std::set<int> both{z.sides[0].device, z.sides[1].device};
            if (both != std::set<int>{a, b} || z.kept_by >= 0) continue;
            for (const std::string& rule : {simulation::let_in::first_come, simulation::let_in::turns}) try {
                    cell::Edit edit = keep_apart(e_.layout, z.id, rule, cache_, nullptr, stop_);
                    edit.name += ": " + rule;
                    if (attempt(edit)) return;
                } catch (const cell::InputError&) {  // one of them cannot wait
                }
        }
    }
    /// What one of the two stands on is moved away from the other, along the line between their nearest points.
    void shifted(bool first) {
        const cell::Cell& c = *e_.cell;
        const int device = first ? pair_.device_a : pair_.device_b, other = first ? pair_.device_b : pair_.device_a;
        if (device < 0 || other < 0 || pair_.part_b >= 0) return;
        const int root = c.root(device);
        if (root == c.root(other)) return;
        Vector3 away = first ? pair_.on_a - pair_.on_b : pair_.on_b - pair_.on_a;
        away.z() = 0;
        constexpr double sure = 1e-3;  // m: where they touch their nearest points tell no direction
        if (away.norm() < sure)
            away = c.devices[root].world.translation() - c.devices[c.root(other)].world.translation();
        away.z() = 0;
        if (away.norm() < sure) return;
        away.normalize();
        const double missing = std::max(0.0, pair_.keeps - pair_.distance);
        for (const double by : {missing + 0.005, 2 * missing + 0.03, 4 * missing + 0.08}) {
            Frame world = c.devices[root].world;
            const Vector3 step = (1e3 * by * away).array().round().matrix();  // mm
            world.translation() += 1e-3 * step;
            std::string words = "Move " + c.devices[root].name + " by";
            for (const auto& [axis, mm] : {std::pair(" x ", step.x()), std::pair(" y ", step.y())})
                if (mm != 0) words += axis + signed_mm(mm);
            words += " mm";
            if (attempt({words, cell::place_at(c, root, world)})) return;
        }
    }
    static std::string signed_mm(double mm) { return (mm < 0 ? "\u2212" : "+") + cell::fixed(std::abs(mm), 0); }
    void farther(const cell::Step& s, const char* key, double now, const std::string& words) {
        for (const double more : {0.05, 0.12}) {
            const double mm = std::round(1e3 * (now + more));
            if (set(s, key, mm, words + cell::fixed(mm, 0) + " mm")) return;
        }
    }
    bool set(const cell::Step& s, const char* key, const cell::json& value, const std::string& words) {
        return attempt({words, {cell::Operation::set("/" + s.path + "/" + key, value)}});
    }
    bool attempt(const cell::Edit& edit) {
        motion::throw_if_stopped(stop_);
        EvaluateOptions how;
        how.stop = stop_;
        std::shared_ptr<const Evaluation> with;
        cell::Layout layout = e_.layout;
        try {
            layout = e_.layout.edited(edit);
            with = evaluate(layout, cache_, how);
        } catch (const cell::InputError&) {
            return false;
        }
        if (with->figures.poses_reached < reached_ || !with->run->trace.faults.empty() ||
            (e_.figures.cycle_s && !with->figures.cycle_s))
            return false;
        const double safe = pair_.keeps;
        double now = 1e300;
        for (const LeastClearance& c : with->inspection->close_pairs)
            if (c.device_a == pair_.device_a && c.device_b == pair_.device_b &&
                (c.part_b >= 0) == (pair_.part_b >= 0) && c.row == pair_.row)
                now = c.distance;
        const bool hit = pair_.distance <= 0;
        if (contacts(*with) > hits_ - (hit ? 1 : 0)) return false;
        if (hit ? now <= 0 : now < safe) return false;
        inspection::WayOut way;
        way.label = edit.name;
        way.effect = now < safe ? "then " + cell::fixed(1e3 * now, 0) + " mm" : "then it keeps the safety distance";
        if (with->figures.cycle_s && e_.figures.cycle_s) {
            const double longer = *with->figures.cycle_s - *e_.figures.cycle_s;
            way.effect +=
                "; cycle " + cell::fixed(*with->figures.cycle_s, 2) + " s, " +
                (std::abs(longer) < 5e-3 ? std::string("as now")
                                         : (longer > 0 ? "+" : "\u2212") + cell::fixed(std::abs(longer), 2) + " s");
        }
        way.edit = edit;
        good_.push_back({now >= safe, with->figures.cycle_s.value_or(0), std::move(way)});
        return true;
    }

    const Evaluation& e_;
    inspection::Cache& cache_;
    const inspection::StopFlag* stop_;
    const int hits_, reached_;
    LeastClearance pair_;
    struct Good {
        bool keeps_distance;
        double cycle;
        inspection::WayOut way;
    };
    std::vector<Good> good_;
};

}  // namespace

void add_contact_ways(const Evaluation& e, inspection::Inspection& inspection, inspection::Cache& cache,
    const inspection::StopFlag* stop) {
    Trying trying(e, cache, stop);
    const std::size_t less = e.cell->devices.size() / devices_per_finding;
    const std::size_t most = most_findings - std::min(most_findings, less);
    std::size_t done = 0;
    for (const LeastClearance& pair : e.inspection->close_pairs) {
        const std::string id = inspection::clearance_id(*e.cell, pair);
        for (Finding& f : inspection.findings) {
            if (f.id != id) continue;
            if (++done > most) return;
            for (inspection::WayOut& way : trying.ways(pair)) f.ways_out.push_back(std::move(way));
        }
    }
}

}  // namespace escarp::study
