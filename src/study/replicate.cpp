#include "replicate.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace escarp::study {
namespace {

/// So many runs before it is asked whether they are enough: whatever the number of cores, for the same answer.
constexpr std::size_t at_a_time = 10;

}  // namespace

std::uint64_t seed_of(std::uint64_t cell_seed, std::size_t repetition) { return cell_seed + 1'000'003 * repetition; }

std::vector<const Measure*> measures_of(const std::vector<std::string>& ids, const std::string& where) {
    std::vector<const Measure*> out;
    for (const std::string& id : ids) {
        const Measure* one = &measure(id, where);
        if (std::find(out.begin(), out.end(), one) == out.end()) out.push_back(one);
    }
    return out;
}

simulation::Ticks warm_up_of(
    const std::shared_ptr<const cell::Cell>& cell, inspection::Cache& cache, const EvaluateOptions& options) {
    constexpr std::size_t pilots = 5, of_their_own = 1'000'000;  // repetitions that nobody else asks for
    std::vector<double> sums, times;
    std::vector<std::size_t> counts;
    simulation::Ticks half = 0;
    for (std::size_t i = 0; i < pilots; ++i) {
        simulation::RunOptions how = options.run;
        how.history = simulation::History::none;
        how.stop = options.stop;
        how.seed = seed_of(cell->seed, of_their_own + i);
        const auto run = simulation::run(*cell, cache.plans, how);
        if (run->steady) return 0;
        half = run->trace.end / 2;
        if (!run->random) return half;
        const auto& out = run->trace.departures;
        if (sums.size() < out.size()) sums.resize(out.size()), times.resize(out.size()), counts.resize(out.size());
        for (std::size_t d = 0; d < out.size(); ++d) {
            sums[d] += simulation::seconds(out[d].when - run->trace.parts[out[d].part].came);
            times[d] += simulation::seconds(out[d].when);
            ++counts[d];
        }
    }
    while (!counts.empty() && counts.back() < pilots) sums.pop_back(), times.pop_back(), counts.pop_back();
    const std::optional<std::size_t> cut = warm_up(sums);
    if (!cut) return half;
    return *cut == 0 ? 0 : std::min(half, simulation::ticks(times[*cut - 1] / static_cast<double>(pilots)));
}

OneRun one_run(const std::shared_ptr<const cell::Cell>& cell, const std::vector<const Measure*>& wanted,
    std::size_t repetition, inspection::Cache& cache, const EvaluateOptions& options,
    std::optional<simulation::Ticks> from, bool all) {
    EvaluateOptions how = options;
    how.level = inspection::Level::flow;
    bool whole = false;
    for (const Measure* m : wanted) how.level = std::max(how.level, m->needs), whole = whole || m->whole_history;
    whole = whole || how.level > inspection::Level::flow;  // checks look at all that was
    if (!whole) how.run.history = simulation::History::none;
    if (repetition > 0) how.run.seed = seed_of(cell->seed, repetition);
    const Judged judged = judge(cell, cache, how);
    Stretch in = stretch_of(*judged.run);
    if (from && !judged.run->steady) in.from = *from;
    const Sample sample{judged, in, cache, options.stop};
    OneRun out{{}, !judged.run->random};
    for (const Measure& m : measures()) {
        const bool asked = std::find(wanted.begin(), wanted.end(), &m) != wanted.end();
        const bool comes_along = all && !m.dear && m.needs <= how.level && (whole || !m.whole_history);
        if (!asked && !comes_along) continue;
        if (const auto v = m.of(sample); v && std::isfinite(*v)) out.figures[m.id] = *v;
    }
    return out;
}

std::vector<double> Replicated::values(const std::string& figure) const {
    std::vector<double> out;
    for (const FigureValues& run : runs)
        if (const auto v = run.find(figure); v != run.end()) out.push_back(v->second);
    return out;
}

Estimate Replicated::of(const std::string& figure) const { return estimate(values(figure)); }

Replicated replicate(const std::function<OneRun(std::size_t)>& run, const std::vector<const Measure*>& wanted,
    const ReplicateOptions& options) {
    Replicated out;
    OneRun first = run(0);
    out.runs.push_back(std::move(first.figures));
    out.certain = first.certain;
    if (out.certain || options.repetitions < 2) {
        if (options.progress) options.progress(out);
        out.reached = out.certain || !options.until;
        return out;
    }
    const auto wide = [&] {
        if (!options.until || wanted.empty()) return true;
        const Estimate e = out.of(wanted[0]->id);
        const auto half = e.half_width();
        return !half || *half > *options.until * std::abs(e.mean);
    };
    while (out.runs.size() < options.repetitions && (out.runs.size() < at_a_time || wide())) {
        const std::size_t from = out.runs.size();
        const std::size_t to = std::min(options.repetitions, from + at_a_time - from % at_a_time);
        out.runs.resize(to);
        tbb::parallel_for(
            tbb::blocked_range<std::size_t>(from, to, 1),
            [&](const auto& range) {
                for (std::size_t i = range.begin(); i < range.end(); ++i) out.runs[i] = run(i).figures;
            },
            tbb::simple_partitioner());
        if (options.progress) options.progress(out);
    }
    out.reached = !options.until || !wide();
    return out;
}

Replicated replicate(const std::shared_ptr<const cell::Cell>& cell, const std::vector<const Measure*>& wanted,
    inspection::Cache& cache, const EvaluateOptions& how, const ReplicateOptions& options) {
    std::optional<simulation::Ticks> from;
    if (options.repetitions > 1) from = warm_up_of(cell, cache, how);
    return replicate([&](std::size_t i) { return one_run(cell, wanted, i, cache, how, from); }, wanted, options);
}

std::vector<Replicated> share_runs(const std::vector<std::shared_ptr<const cell::Cell>>& cells,
    const std::vector<const Measure*>& wanted, std::size_t runs, inspection::Cache& cache, const EvaluateOptions& how) {
    constexpr std::size_t first = 5;
    std::vector<Replicated> out(cells.size());
    std::vector<std::optional<simulation::Ticks>> from(cells.size());
    std::size_t done = 0;
    const auto more = [&](std::size_t which, std::size_t count) {
        std::vector<FigureValues>& all = out[which].runs;
        const std::size_t begin = all.size();
        all.resize(begin + count);
        tbb::parallel_for(
            tbb::blocked_range<std::size_t>(begin, begin + count, 1),
            [&](const auto& range) {
                for (std::size_t i = range.begin(); i < range.end(); ++i)
                    all[i] = one_run(cells[which], wanted, i, cache, how, from[which]).figures;
            },
            tbb::simple_partitioner());
        done += count;
    };
    for (std::size_t i = 0; i < cells.size(); ++i) {
        OneRun run = one_run(cells[i], wanted, 0, cache, how);
        out[i].certain = run.certain;
        if (run.certain) {
            out[i].runs = {std::move(run.figures)};
            ++done;
            continue;
        }
        from[i] = warm_up_of(cells[i], cache, how);
        more(i, first);
    }
    const double sign = wanted.front()->better > 0 ? -1 : 1;
    while (done < runs) {
        std::vector<Estimate> so_far;
        std::vector<std::size_t> which;
        for (std::size_t i = 0; i < cells.size(); ++i) {
            Estimate e = out[i].of(wanted.front()->id);
            if (out[i].certain || e.count < 2) continue;
            e.mean *= sign;
            so_far.push_back(e), which.push_back(i);
        }
        if (which.empty()) break;
        const std::vector<std::size_t> next = next_tries(so_far, std::min<std::size_t>(at_a_time, runs - done));
        for (std::size_t i = 0; i < which.size(); ++i)
            if (next[i] > 0) more(which[i], next[i]);
    }
    return out;
}

Estimate difference(const Replicated& first, const Replicated& second, const std::string& figure) {
    std::vector<double> out;
    // What is certain is the same in every repetition.
    const std::size_t n = first.certain    ? second.runs.size()
                          : second.certain ? first.runs.size()
                                           : std::min(first.runs.size(), second.runs.size());
    for (std::size_t i = 0; i < n; ++i) {
        const FigureValues &a = first.runs[first.certain ? 0 : i], &b = second.runs[second.certain ? 0 : i];
        const auto one = a.find(figure), two = b.find(figure);
        if (one != a.end() && two != b.end()) out.push_back(two->second - one->second);
    }
    return estimate(out);
}

Ranking rank(const std::vector<const Replicated*>& all, const Measure& by) {
    Ranking r;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (const Estimate e = all[i]->of(by.id); e.count > 0) r.places.push_back({i, e, {}, false, {}});
    const double sign = by.better > 0 ? -1 : 1;
    std::stable_sort(r.places.begin(), r.places.end(),
        [&](const auto& a, const auto& b) { return sign * a.estimate.mean < sign * b.estimate.mean; });
    std::vector<double> chances;
    for (std::size_t i = 1; i < r.places.size(); ++i) {
        const Replicated &best = *all[r.places[0].which], &other = *all[r.places[i].which];
        Ranking::Place& p = r.places[i];
        p.behind = difference(best, other, by.id);
        const bool certain = best.certain && other.certain;
        chances.push_back(certain ? (p.behind.mean == 0 ? 1.0 : 0.0) : p_value(p.behind));
        if (!certain) p.needed = pairs_needed(p.behind);
    }
    const std::vector<bool> told = answered(chances);
    for (std::size_t i = 1; i < r.places.size(); ++i) r.places[i].told_apart = told[i - 1];
    return r;
}

std::string with_unit(double value, const Measure& m) {
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", m.decimals, value);
    std::string out = text;
    if (out.find_first_not_of("-0.") == std::string::npos && out[0] == '-') out.erase(0, 1);
    return m.unit.empty() ? out : out + " " + m.unit;
}

std::string in_words(const Ranking& ranking, const Measure& by, const std::vector<std::string>& names) {
    if (ranking.places.empty()) return "None of them has a " + by.label + ".";
    const std::string& best = names[ranking.places[0].which];
    if (ranking.places.size() == 1)
        return "Only " + best + " has a " + by.label + ": " + with_unit(ranking.places[0].estimate.mean, by) + ".";
    std::string out;
    for (std::size_t i = 1; i < ranking.places.size(); ++i) {
        const Ranking::Place& p = ranking.places[i];
        const std::string& name = names[p.which];
        if (!out.empty()) out += " ";
        if (p.told_apart) {
            const double less = std::abs(p.behind.mean);
            out += best + (by.better == 0 ? " and " + name + " differ by " : " is better than " + name + " by ") +
                   with_unit(less, by);
            if (const auto half = p.behind.half_width(); half && *half > 0) {
                Measure bare = by;
                bare.unit.clear();
                out += " (" + with_unit(less - *half, bare) + " to " + with_unit(less + *half, bare) + ")";
            }
            out += ".";
        } else if (p.behind.mean == 0 && p.behind.deviation == 0) {
            out += name + " is as good as " + best + ".";
        } else {
            out += name + " cannot be told from " + best + " yet";
            out += p.needed
                       ? ": about " + std::to_string(std::max(*p.needed, p.behind.count + 1)) + " repetitions would."
                       : ": more repetitions are needed.";
        }
    }
    return out;
}

}  // namespace escarp::study
