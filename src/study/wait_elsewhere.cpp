#include "wait_elsewhere.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <cell/edits/poses.h>
#include <cell/model/step_kind.h>
#include <cell/text/names.h>
#include <cell/text/numbers.h>
#include <inspection/why.h>
#include <simulation/zone_arbiter.h>

#include "interlock.h"
#include "lock_up.h"

namespace escarp::study {
namespace {

using inspection::Zone;
using inspection::ZoneSide;
using simulation::Block;
using simulation::BlockKind;

constexpr std::size_t most_ways = 3;
constexpr simulation::Ticks worth_a_way = simulation::second / 20;  // of waiting

/// One thing that could be done before the two are kept apart.
struct Change {
    std::string words;
    cell::Edit edit;
};

class Looking {
public:
    Looking(
        const cell::Layout& layout, const std::string& zone, inspection::Cache& cache, const inspection::StopFlag* stop)
        : layout_(layout), zone_(zone), cache_(cache), stop_(stop) {}

    std::vector<inspection::WayOut> ways() {
        const auto now = without_interlocks(layout_, cache_, true, stop_);
        const Zone* z = find(*now);
        if (!z) return {};
        how_.stop = stop_;
        now_ = evaluate(layout_, cache_, how_)->figures.cycle_s;
        stood_ = stood_after(*now, *z);
        for (const ZoneSide& side : z->sides)
            for (const Change& change : changes(*now, side)) attempt(change);
        std::stable_sort(
            good_.begin(), good_.end(), [](const auto& a, const auto& b) { return a.first < b.first - 1e-9; });
        std::vector<inspection::WayOut> out;
        for (auto& one : good_) {
            inspection::WayOut& way = one.second;
            const bool better =
                std::any_of(out.begin(), out.end(), [&](const auto& w) { return w.label == way.label; });
            if (out.size() < most_ways && !better) out.push_back(std::move(way));
        }
        return out;
    }

private:
    /// The zone, or where it has another number now, the first of the same two.
    const Zone* find(const Evaluation& e) const {
        const std::string pair = zone_.substr(0, zone_.rfind(':') + 1);
        const Zone* first = nullptr;
        for (const Zone& z : e.zones->all) {
            if (z.id == zone_ || z.name == zone_) return &z;
            if (!first && !pair.empty() && z.id.starts_with(pair)) first = &z;
        }
        return first;
    }
    /// After which step of each arm nothing went on any more, by id, with the two let in one at a time.
    std::map<std::string, int> stood_after(const Evaluation& e, const Zone& z) const {
        std::map<std::string, int> all;
        try {
            const cell::Edit keep = keep_apart(layout_, e, z.id, simulation::let_in::first_come);
            const auto locked = evaluate(layout_.edited(keep), cache_, how_);
            if (!locked->run->stuck && inspection::waits_for_ever(*locked->run).empty()) return all;
            std::map<int, int> last;  // of each device, the step that was done
            for (const Block& b : locked->run->trace.blocks)
                if (b.step >= 0 && b.kind != BlockKind::wait && b.kind != BlockKind::dwell) last[b.device] = b.step;
            for (const auto& [device, step] : last) all[locked->cell->devices[device].id] = step;
        } catch (const cell::InputError&) {  // both begin inside
        }
        return all;
    }
    /// Steps after which an arm waits while it is inside, or stood for ever, each once.
    std::vector<const cell::Step*> waits_after(const Evaluation& e, const ZoneSide& side) const {
        std::vector<const cell::Step*> all;
        const cell::Device& d = e.cell->devices[side.device];
        if (const auto stood = stood_.find(d.id); stood != stood_.end())
            for (const cell::Step* s : cell::all_steps(d))
                if (s->number == stood->second && !s->shared) all.push_back(s);
        const Block* before = nullptr;
        for (const Block& b : e.run->trace.blocks) {
            if (b.device != side.device || b.step < 0) continue;
            const bool stands = b.kind == BlockKind::wait || b.kind == BlockKind::dwell;
            if (!stands) {
                before = &b;
                continue;
            }
            const simulation::Ticks until = std::min(b.to, e.zones->until);
            const bool inside = std::any_of(side.visits.begin(), side.visits.end(),
                [&](const auto& v) { return v.enters <= b.from && v.leaves > b.from; });
            if (!before || !inside || until - b.from < worth_a_way) continue;
            for (const cell::Step* s : cell::all_steps(d))
                if (s->number == before->step && !s->shared && std::find(all.begin(), all.end(), s) == all.end())
                    all.push_back(s);
        }
        return all;
    }
    std::vector<Change> changes(const Evaluation& e, const ZoneSide& side) const {
        std::vector<Change> all;
        const cell::Device& d = e.cell->devices[side.device];
        if (!d.arm) return all;
        // One that stands inside from the beginning and has done nothing yet could stand where its rounds end.
        const bool from_the_start = !side.visits.empty() && side.visits.front().enters <= 0;
        if (from_the_start && !stood_.empty() && !stood_.count(d.id))
            for (const auto& q : ends_of_rounds(e, side)) {
                cell::Edit edit = moves_aside(d, q, (cell::at_device(d.id) / "task").text(), "");
                edit.name = d.name + ": begin each round where the last one ended, clear of the zone";
                all.push_back({edit.name, std::move(edit)});
            }
        for (const cell::Step* s : waits_after(e, side)) {
            const std::string what = d.name + ", after \"" + cell::describe(*e.cell, *s) + "\"";
            const cell::Reach reach = s->kind->reach();
            if (reach == cell::Reach::part || reach == cell::Reach::seat)
                for (const double more : {0.1, 0.25}) {
                    const double mm = std::round(1e3 * (s->retreat + more));
                    const std::string words = what + ": retreat to " + cell::fixed(mm, 0) + " mm";
                    all.push_back({words, {words, {cell::Operation::set("/" + s->path + "/retreat_mm", mm)}}});
                }
            if (auto aside = waits_at_ready(d, *s)) {
                aside->name = what + ": wait at the ready posture";
                all.push_back({aside->name, std::move(*aside)});
            }
        }
        return all;
    }
    /// A move to the ready posture behind a step.
    std::optional<cell::Edit> waits_at_ready(const cell::Device& d, const cell::Step& s) const {
        const std::size_t slash = s.path.rfind('/');
        if (slash == std::string::npos) return std::nullopt;
        return moves_aside(d, d.arm->ready, "/" + s.path.substr(0, slash), s.id);
    }
    /// Postures in which an arm's rounds end, outside of the zone.
    std::vector<kinematics::JointVector> ends_of_rounds(const Evaluation& e, const ZoneSide& side) const {
        constexpr std::size_t most = 2;
        constexpr double same = 1e-4;
        std::vector<kinematics::JointVector> all;
        for (const simulation::Ticks t : e.run->trace.rounds[static_cast<std::size_t>(side.device)]) {
            const bool inside = std::any_of(
                side.visits.begin(), side.visits.end(), [&](const auto& v) { return v.enters <= t && v.leaves > t; });
            if (t > e.zones->until || inside || all.size() == most) continue;
            const kinematics::JointVector q = e.run->trace.joints(*e.cell, side.device, t);
            if (std::none_of(all.begin(), all.end(), [&](const auto& other) { return (q - other).norm() < same; }))
                all.push_back(q);
        }
        return all;
    }
    /// A move to a posture: in a list of steps, after one of them or first.
    cell::Edit moves_aside(const cell::Device& d, const kinematics::JointVector& q, const std::string& list,
        const std::string& after) const {
        std::string pose;
        cell::Edit edit = cell::store_pose(layout_, d.id, "Aside", q, {true, {}}, {}, &pose);
        const std::vector<const cell::Step*> all = cell::all_steps(d);
        std::string id = "aside";
        const auto taken = [&] {
            return std::any_of(all.begin(), all.end(), [&](const cell::Step* other) { return other->id == id; });
        };
        for (int n = 2; taken(); ++n) id = "aside" + std::to_string(n);
        edit.operations.push_back(
            cell::Operation::add(list, {{"id", id}, {"do", "move"}, {"pose", pose}, {"by", "joint"}}, after));
        return edit;
    }
    void attempt(const Change& change) {
        for (const std::string& rule : {simulation::let_in::first_come, simulation::let_in::turns}) {
            motion::throw_if_stopped(stop_);
            try {
                const cell::Layout changed = layout_.edited(change.edit);
                const auto without = without_interlocks(changed, cache_, true, stop_);
                const Zone* z = find(*without);
                if (!z) {
                    offer(change, change.edit, changed, "they share no space any more");
                    return;
                }
                const cell::Edit keep = keep_apart(changed, *without, z->id, rule);
                cell::Edit both{change.words + ", and keep them apart: " + rule, change.edit.operations};
                both.operations.insert(both.operations.end(), keep.operations.begin(), keep.operations.end());
                if (offer(change, both, changed.edited(keep), "keeps the safety distance", rule)) return;
            } catch (const cell::InputError&) {  // that makes no cell, or both begin inside
            }
        }
    }
    bool offer(const Change& change, const cell::Edit& edit, const cell::Layout& with, const std::string& comes_to,
        const std::string& rule = {}) {
        const auto e = evaluate(with, cache_, how_);
        if (!e->figures.cycle_s || e->run->stuck || !inspection::waits_for_ever(*e->run).empty() || contacts(*e) > 0 ||
            e->figures.poses_reached < e->figures.poses)
            return false;
        std::string safe;
        if (!rule.empty()) {
            const auto orders = inspection::orders_of(*e->cell, with.tree().dump(), cache_, stop_);
            if (!orders || orders->verdict != inspection::Orders::Verdict::goes_on) return false;
            safe = ", " + orders_words(*orders);
        }
        inspection::WayOut way;
        way.label = change.words + (rule.empty() ? "" : ", and keep them apart: " + rule);
        way.effect = comes_to + safe + "; cycle " + cell::fixed(*e->figures.cycle_s, 2) + " s" +
                     (now_ ? ", now " + cell::fixed(*now_, 2) + " s" : "");
        way.edit = edit;
        good_.emplace_back(*e->figures.cycle_s, std::move(way));
        return true;
    }

    const cell::Layout& layout_;
    const std::string zone_;
    inspection::Cache& cache_;
    const inspection::StopFlag* stop_;
    EvaluateOptions how_;
    std::optional<double> now_;
    std::map<std::string, int> stood_;
    std::vector<std::pair<double, inspection::WayOut>> good_;
};

}  // namespace

std::vector<inspection::WayOut> wait_elsewhere(
    const cell::Layout& layout, const std::string& zone, inspection::Cache& cache, const inspection::StopFlag* stop) {
    return Looking(layout, zone, cache, stop).ways();
}

}  // namespace escarp::study
