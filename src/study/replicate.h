#pragma once
// A cell run again and again with other random draws: what its figures are on average, and how far that may be out.

#include <functional>
#include <map>

#include "measures.h"
#include "statistics.h"

namespace escarp::study {

/// Figures of one run, by id; those that it does not have are left out.
using FigureValues = std::map<std::string, double>;

/// How often a cell with chance is run where it is shown (in the window, in the report), and the figures that are then
/// told as means over these runs. All other figures are those of the first of them.
inline constexpr std::size_t usual_repetitions = 40;
inline const std::vector<std::string>& figures_of_chance() {
    static const std::vector<std::string> all{"cycle_s", "rate_per_h", "waiting_pct", "inside_s"};
    return all;
}

/// Ids of figures, each once, checked. `where`: for what is said about one that there is none of.
std::vector<const Measure*> measures_of(const std::vector<std::string>& ids, const std::string& where);

/// What one run came to.
struct OneRun {
    FigureValues figures = {};
    bool certain = false;  ///< nothing in the cell is random: every repetition is the same
};

/// When the cell has warmed up, where chance has a say: told by how long parts stay inside on average over a few runs
/// of their own (so that no run's luck decides what is kept of it), at most half a run. 0 where the state recurs; half
/// a run where it cannot be told, or where it does not recur though nothing is random. Throws Cancelled.
simulation::Ticks warm_up_of(
    const std::shared_ptr<const cell::Cell>& cell, inspection::Cache& cache, const EvaluateOptions& options = {});

/// Run once with the draws of `repetition` (0: the cell's own seed). The same in every thread and in every order.
/// `from`: of what is not certain, figures are taken from here on; else from its second half. `all`: every figure that
/// comes with what has to be looked at, not only those wanted. Throws Cancelled.
OneRun one_run(const std::shared_ptr<const cell::Cell>& cell, const std::vector<const Measure*>& wanted,
    std::size_t repetition, inspection::Cache& cache, const EvaluateOptions& options = {},
    std::optional<simulation::Ticks> from = {}, bool all = false);
/// The seed of a repetition: of every variant the same, so that what is compared has had the same luck.
std::uint64_t seed_of(std::uint64_t cell_seed, std::size_t repetition);

struct Replicated {
    std::vector<FigureValues> runs;  ///< by repetition
    bool certain = false;            ///< nothing in the cell is random: one run says it all
    bool reached = true;             ///< the width asked for
    /// Of a figure, over the runs that have it.
    Estimate of(const std::string& figure) const;
    std::vector<double> values(const std::string& figure) const;
};

struct ReplicateOptions {
    std::size_t repetitions = 30;      ///< at most, where a width is asked for
    std::optional<double> until = {};  ///< half the interval of the first figure, as a share of its mean
    std::function<void(const Replicated&)> progress = {};  ///< after each few runs
};

/// Runs on all cores. `run` is told the number of a repetition; the first of `wanted` decides how many are enough. The
/// number of runs depends on the figures alone, not on the machine.
Replicated replicate(const std::function<OneRun(std::size_t)>& run, const std::vector<const Measure*>& wanted,
    const ReplicateOptions& options = {});
/// Of a cell. Throws Cancelled.
Replicated replicate(const std::shared_ptr<const cell::Cell>& cell, const std::vector<const Measure*>& wanted,
    inspection::Cache& cache, const EvaluateOptions& how, const ReplicateOptions& options = {});

/// Several cells, with so many runs in all: each a few, then wherever the best may still be found (see next_tries), so
/// that the best one is told with few. What is certain is run once.
std::vector<Replicated> share_runs(const std::vector<std::shared_ptr<const cell::Cell>>& cells,
    const std::vector<const Measure*>& wanted, std::size_t runs, inspection::Cache& cache,
    const EvaluateOptions& how = {});

/// How two cells that had the same luck differ in a figure: second less first, over the repetitions that both have.
Estimate difference(const Replicated& first, const Replicated& second, const std::string& figure);

/// Several, ranked by a figure.
struct Ranking {
    struct Place {
        std::size_t which;
        Estimate estimate;
        Estimate behind;                    ///< the difference to the best; nothing for the best itself
        bool told_apart = false;            ///< from the best, with the chance of any mistake below 5 %
        std::optional<std::size_t> needed;  ///< repetitions in all that would tell it apart at this difference
    };
    std::vector<Place> places;  ///< best first; those without the figure are not there
};
Ranking rank(const std::vector<const Replicated*>& all, const Measure& by);
/// "B is better by 0.31 s (0.24 to 0.38); C cannot be told from it yet: 40 repetitions would."
std::string in_words(const Ranking& ranking, const Measure& by, const std::vector<std::string>& names);

/// "8.402" with the decimals and the unit of a measure.
std::string with_unit(double value, const Measure& measure);

}  // namespace escarp::study
