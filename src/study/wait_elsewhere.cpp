#include "wait_elsewhere.h"

#include <algorithm>
#include <cmath>

#include <cell/names.h>
#include <cell/numbers.h>
#include <cell/poses.h>
#include <cell/step_kind.h>
#include <inspection/why.h>
#include <simulation/keeper.h>

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
    Looking(const cell::Layout& layout, const std::string& zone, inspection::Cache& cache,
        const inspection::StopFlag* stop)
        : layout_(layout), zone_(zone), cache_(cache), stop_(stop) {}

    std::vector<inspection::WayOut> ways() {
        const auto now = without_interlocks(layout_, cache_, true, stop_);
        const Zone* z = find(*now);
        if (!z) return {};
        how_.stop = stop_;
        now_ = evaluate(layout_, cache_, how_)->figures.cycle_s;
        for (const ZoneSide& side : z->sides)
            for (const Change& change : changes(*now, side)) attempt(change);
        std::stable_sort(good_.begin(), good_.end(), [](const auto& a, const auto& b) { return a.first < b.first - 1e-9; });
        std::vector<inspection::WayOut> out;
        for (auto& [cycle, way] : good_)
            if (out.size() < most_ways) out.push_back(std::move(way));
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
    /// Steps after which an arm waits while it is inside, each once.
    std::vector<const cell::Step*> waits_after(const Evaluation& e, const ZoneSide& side) const {
        std::vector<const cell::Step*> all;
        const cell::Device& d = e.cell->devices[side.device];
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
        for (const cell::Step* s : waits_after(e, side)) {
            const std::string what = d.name + ", after \"" + cell::describe(*e.cell, *s) + "\"";
            const cell::Reach reach = s->kind->reach();
            if (reach == cell::Reach::part || reach == cell::Reach::seat)
                for (const double more : {0.1, 0.25}) {
                    const double mm = std::round(1e3 * (s->retreat + more));
                    const std::string words = what + ": retreat to " + cell::fixed(mm, 0) + " mm";
                    all.push_back({words, {words, {cell::Operation::set("/" + s->path + "/retreat_mm", mm)}}});
                }
            if (auto aside = waits_at_ready(e, d, *s)) {
                aside->name = what + ": wait at the ready posture";
                all.push_back({aside->name, std::move(*aside)});
            }
        }
        return all;
    }
    /// A move to the ready posture behind a step.
    std::optional<cell::Edit> waits_at_ready(const Evaluation& e, const cell::Device& d, const cell::Step& s) const {
        std::string pose;
        cell::Edit edit = cell::store_pose(layout_, d.id, "Aside", d.arm->ready, {true, {}}, {}, &pose);
        const std::size_t slash = s.path.rfind('/');
        if (slash == std::string::npos) return std::nullopt;
        const std::vector<const cell::Step*> all = cell::all_steps(e.cell->devices[e.cell->device(d.id)]);
        std::string id = "aside";
        const auto taken = [&] {
            return std::any_of(all.begin(), all.end(), [&](const cell::Step* other) { return other->id == id; });
        };
        for (int n = 2; taken(); ++n) id = "aside" + std::to_string(n);
        edit.operations.push_back(cell::Operation::add("/" + s.path.substr(0, slash),
            {{"id", id}, {"do", "move"}, {"pose", pose}, {"by", "joint"}}, s.id));
        return edit;
    }
    void attempt(const Change& change) {
        for (const std::string& rule : {simulation::let_in::first_come, simulation::let_in::turns}) {
            motion::give_way(stop_);
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
    std::vector<std::pair<double, inspection::WayOut>> good_;
};

}  // namespace

std::vector<inspection::WayOut> wait_elsewhere(const cell::Layout& layout, const std::string& zone,
    inspection::Cache& cache, const inspection::StopFlag* stop) {
    return Looking(layout, zone, cache, stop).ways();
}

}  // namespace escarp::study
