#include "gains.h"

#include <geometry/work_done.h>

#include <tbb/parallel_for.h>
#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>

#include <cell/model/field.h>

#include "replicate.h"

namespace escarp::study {
namespace {

using cell::json;
using simulation::Block;
using simulation::BlockKind;
using simulation::seconds;
using simulation::Ticks;

constexpr double shorter = 0.1, quicker = 1.1;  // s; times as fast
constexpr std::size_t repetitions = 10;         // where chance has a say: the same draws before and after

/// Something that takes time, and how to make it take less.
struct Second {
    Gain gain;
    double key_s = 0;       ///< of a key that is a time
    bool is_speed = false;  ///< of a key that is a speed
    json value;             ///< of the key, as it is (or as usual)
};

bool arm_works(BlockKind kind) {
    return kind == BlockKind::move || kind == BlockKind::straight_in || kind == BlockKind::straight_out ||
           kind == BlockKind::straight || kind == BlockKind::grip || kind == BlockKind::release;
}

/// The cell's cycle with something changed; over several runs where it is left to chance.
class Runs {
public:
    Runs(const cell::Layout& layout, inspection::Cache& cache, const EvaluateOptions& how)
        : layout_(layout), cache_(cache), how_(how), wanted_(measures_of({"cycle_s"}, "")) {
        now_ = cycles_of(layout.shared_cell(), {});
        std::vector<double> all;
        for (const std::optional<double>& one : now_)
            if (one) all.push_back(*one);
        if (all.empty())
            throw cell::InputError("cell", "No part leaves this cell, so that no second of it can be worth anything.");
        cycle = estimate(all).mean;
    }
    /// What is done differently then: another cell, or another clock for one step of the same.
    static simulation::FasterStep hurried(const Second& s, double rate) {
        return s.gain.step >= 0 ? simulation::FasterStep{s.gain.device, s.gain.step, rate} : simulation::FasterStep{};
    }
    std::shared_ptr<const cell::Cell> cell_with(const Second& s, double rate) const {
        if (s.gain.step >= 0) return layout_.shared_cell();
        json tree = layout_.tree();
        json value;
        if (s.is_speed) value = s.value.get<double>() * rate;
        else if (s.value.is_string()) value = cell::Spread::parse(s.value.get<std::string>()).scaled(1 / rate).text();
        else value = s.value.get<double>() / rate;
        cell::apply(tree, cell::Operation::set(s.gain.at, value));
        return cell::read_cell(tree, layout_.kinds());
    }
    /// How much the cycle falls with a second done in `1 / rate` of its time: run by run, with the same draws.
    Estimate falls(const Second& s, double rate) {
        const std::vector<std::optional<double>> then = cycles_of(cell_with(s, rate), hurried(s, rate));
        std::vector<double> all;
        for (std::size_t i = 0; i < std::min(now_.size(), then.size()); ++i)
            if (now_[i] && then[i]) all.push_back(*now_[i] - *then[i]);
        return all.empty() ? Estimate{} : estimate(all);
    }
    double cycle = 0;

private:
    /// Of each run; of one where nothing is left to chance.
    std::vector<std::optional<double>> cycles_of(
        const std::shared_ptr<const cell::Cell>& cell, const simulation::FasterStep& hurried) {
        EvaluateOptions how = how_;
        how.run.faster_step = hurried;
        std::vector<std::optional<double>> all;
        for (std::size_t i = 0, count = 1; i < count; ++i) {
            const OneRun run = one_run(cell, wanted_, i, cache_, how);
            if (!run.certain) count = repetitions;
            const auto found = run.figures.find("cycle_s");
            all.push_back(found == run.figures.end() ? std::nullopt : std::optional(found->second));
        }
        return all;
    }

    std::vector<std::optional<double>> now_;  ///< the cycle of each run of the cell as it is
    const cell::Layout& layout_;
    inspection::Cache& cache_;
    const EvaluateOptions how_;
    const std::vector<const Measure*> wanted_;
};

/// Steps that were done in the run, with what one of them takes: the mean of those in the steady period, or in what the
/// cycle is taken from.
void add_steps(const Judged& judged, std::vector<Second>& all) {
    const cell::Cell& c = *judged.cell;
    const auto [from, to] = stretch_of(*judged.run);
    for (std::size_t device = 0; device < c.devices.size(); ++device) {
        if (!c.devices[device].arm) continue;
        struct Takes {
            double time = 0;
            int grips = 0, motions = 0;  ///< that began: one grip a visit, or else one motion, however often held up
        };
        std::map<int, Takes> takes;  // by number of the step
        const Block* before = nullptr;
        for (const Block& b : judged.run->trace.blocks) {
            if (b.device != static_cast<int>(device) || b.task != 0 || b.step < 0 || b.kind == BlockKind::held)
                continue;
            const bool goes_on = before && before->step == b.step && before->waits_for == simulation::WaitFor::zone;
            before = &b;
            const Ticks length = std::min(b.to, to) - std::max(b.from, from);
            if (!arm_works(b.kind) || length <= 0) continue;
            Takes& one = takes[b.step];
            one.time += seconds(length);
            if (b.from < from || b.from >= to) continue;
            one.grips += b.kind == BlockKind::grip || b.kind == BlockKind::release;
            one.motions += !goes_on;
        }
        for (const cell::Step* s : cell::all_steps(c.devices[device])) {
            const auto found = takes.find(s->number);
            if (found == takes.end()) continue;
            const int visits = found->second.grips > 0 ? found->second.grips : found->second.motions;
            if (visits == 0) continue;
            Second second;
            second.gain.words = c.devices[device].name + ": " + cell::describe(c, *s);
            second.gain.at = "/" + s->path;
            second.gain.device = static_cast<int>(device), second.gain.step = s->number;
            second.gain.takes_s = found->second.time / visits;
            all.push_back(std::move(second));
            takes.erase(found);  // a step that stands in several places is asked about once
        }
    }
}

/// Keys that are times, and speeds of belts.
void add_keys(const cell::Layout& layout, std::vector<Second>& all) {
    const cell::Cell& c = layout.cell();
    for (std::size_t device = 0; device < c.devices.size(); ++device) {
        const cell::Device& d = c.devices[device];
        const json* values = cell::find(layout.tree(), cell::at_device(d.id));
        for (const cell::Field& f : d.kind->fields()) {
            const std::string unit = cell::unit_sign(f.key);
            if (f.type != cell::Field::Type::number || (unit != "s" && unit != "mm/s")) continue;
            Second s;
            s.value = values && values->contains(f.key) ? (*values)[f.key] : f.usual;
            s.is_speed = unit == "mm/s";
            if (s.value.is_number()) s.key_s = s.value.get<double>();
            else if (s.value.is_string()) s.key_s = cell::Spread::parse(s.value.get<std::string>()).mean();
            if (s.key_s <= 0) continue;
            s.gain.at = cell::at_device(d.id) / f.key;
            s.gain.words = cell::meaning_of_path(layout.tree(), s.gain.at, layout.kinds()).words;
            s.gain.device = static_cast<int>(device);
            if (!s.is_speed) s.gain.takes_s = s.key_s;
            all.push_back(std::move(s));
        }
    }
    for (const cell::ToolModel& t : c.tool_models)
        for (const char* key : {"close_s", "open_s"}) {
            Second s;
            s.gain.at = cell::Path("tool_models") / t.id / key;
            s.gain.takes_s = s.key_s = std::string(key) == "close_s" ? t.close_s : t.open_s;
            s.value = s.key_s;
            s.gain.words = cell::meaning_of_path(layout.tree(), s.gain.at, layout.kinds()).words;
            if (s.key_s > 0) all.push_back(std::move(s));
        }
}

/// Shortens what is worth most further and further, until it is worth less than three quarters of what it was at
/// first.
Gains::Next next_after(inspection::Cache& cache, const EvaluateOptions& how, Runs& runs, const Second& most) {
    const double length = most.gain.takes_s, slope = *most.gain.shorter_s / shorter;
    const auto worth = [&](double less) { return runs.falls(most, length / (length - less)).mean; };
    const double whole = 0.98 * length;
    Gains::Next next;
    double low = shorter, high = whole;  // still worth it, not any more
    const auto still = [&](double less) { return worth(less) >= 0.75 * slope * less; };
    if (still(whole)) {
        next.after_s = whole;
        next.cycle_s = runs.cycle - worth(whole);
        return next;
    }
    for (int i = 0; i < 12; ++i) {
        const double middle = 0.5 * (low + high);
        (still(middle) ? low : high) = middle;
    }
    next.after_s = low;
    next.cycle_s = runs.cycle - worth(low);
    // Who sets the pace beyond: the device that has most of the longest chain.
    EvaluateOptions beyond = how;
    beyond.level = inspection::Level::flow;
    const double rate = length / (length - high);
    const std::shared_ptr<const cell::Cell> cell = runs.cell_with(most, rate);
    beyond.run.faster_step = Runs::hurried(most, rate);
    const Judged judged = judge(cell, cache, beyond);
    std::map<int, double> shares;
    for (const ChainLink& link : judged.chain) {
        const Block& b = judged.run->trace.blocks[link.block];
        if (!(b.device == most.gain.device && b.step == most.gain.step))
            shares[b.device] += seconds(link.to - link.from);
    }
    double longest = 0;
    for (const auto& [device, length_s] : shares)
        if (length_s > longest) longest = length_s, next.words = cell->devices[device].name;
    return next;
}

}  // namespace

Gains gains(const cell::Layout& layout, inspection::Cache& cache, const EvaluateOptions& how,
    const std::function<void(double)>& progress) {
    ++geometry::work_done;
    Runs runs(layout, cache, how);
    EvaluateOptions flow = how;
    flow.level = inspection::Level::flow;
    std::vector<Second> all;
    add_steps(judge(layout.shared_cell(), cache, flow), all);
    add_keys(layout, all);
    std::atomic<std::size_t> done = 0;
    std::mutex telling;
    tbb::parallel_for(
        tbb::blocked_range<std::size_t>(0, all.size(), 1),
        [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) {
                Second& s = all[i];
                const double length = s.gain.takes_s;
                const Estimate by_share = runs.falls(s, quicker);
                s.gain.quicker_s = by_share.mean, s.gain.quicker_out_s = by_share.half_width().value_or(0);
                if (length > 1.2 * shorter) {
                    const Estimate by_time = runs.falls(s, length / (length - shorter));
                    s.gain.shorter_s = by_time.mean, s.gain.shorter_out_s = by_time.half_width().value_or(0);
                }
                const std::lock_guard<std::mutex> hold(telling);
                if (progress) progress(static_cast<double>(++done) / static_cast<double>(all.size() + 1));
            }
        },
        tbb::simple_partitioner());
    constexpr double dust = 1e-6;  // s
    for (Second& s : all) {
        if (std::abs(s.gain.quicker_s) < dust) s.gain.quicker_s = 0;
        if (s.gain.shorter_s && std::abs(*s.gain.shorter_s) < dust) s.gain.shorter_s = 0;
    }
    std::stable_sort(all.begin(), all.end(), [](const Second& a, const Second& b) {
        if (a.gain.told() != b.gain.told()) return a.gain.told();
        return std::max(a.gain.shorter_s.value_or(0), a.gain.quicker_s) >
               std::max(b.gain.shorter_s.value_or(0), b.gain.quicker_s);
    });
    Gains out;
    out.cycle_s = runs.cycle;
    const Second* most = nullptr;  // that there is something to take from
    for (const Second& s : all)
        if (s.gain.takes_s > 4 * shorter && s.gain.shorter_s.value_or(0) > std::max(1e-3, s.gain.shorter_out_s) &&
            (!most || *s.gain.shorter_s > *most->gain.shorter_s))
            most = &s;
    if (most) {
        out.next = next_after(cache, how, runs, *most);
        out.next->of = most->gain.words;
    }
    for (Second& s : all) out.all.push_back(std::move(s.gain));
    return out;
}

std::string in_words(const Gains& g) {
    const Measure& cycle = measure("cycle_s", "");
    const Gain* most = nullptr;
    for (const Gain& one : g.all)
        if (one.shorter_s && *one.shorter_s > one.shorter_out_s && (!most || *one.shorter_s > *most->shorter_s))
            most = &one;
    if (!most) return "No single second is worth anything: the cycle hangs on none alone.";
    std::string out = "A tenth of a second less in \"" + most->words + "\" takes " +
                      with_unit(*most->shorter_s, cycle) +
                      (most->shorter_out_s > 0 ? " (+- " + with_unit(most->shorter_out_s, cycle) + ")" : "") +
                      " off the cycle of " + with_unit(g.cycle_s, cycle) + ".";
    if (!g.next) return out;
    Measure shorter = cycle;
    shorter.decimals = 2;
    out += " \"" + g.next->of + "\" is worth shortening by " + with_unit(g.next->after_s, shorter) + "; the cycle is " +
           with_unit(g.next->cycle_s, cycle) + " then";
    return out + (g.next->words.empty() ? "." : ", and " + g.next->words + " sets the pace.");
}

}  // namespace escarp::study
