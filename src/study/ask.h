#pragma once
// Asking a study: which points it looks at, what comes of them, and what that says.

#include <cell/model/study.h>

#include "gains.h"
#include "results.h"
#include "sensitivity.h"

namespace escarp::study {

/// Values for what a study varies, in its order; an empty one is the cell as it is.
using Point = std::vector<cell::json>;

/// A point and what came of it.
struct Tried {
    Point point;
    std::string refused;  ///< why there is no cell there
    Replicated found;     ///< no runs: it was not looked at (yet, or by another shard)
    bool keeps = false;   ///< it is there and keeps what is demanded
    std::string lacks;    ///< else what it does not keep, in words
    double figure(const std::string& id) const { return found.of(id).mean; }
    bool has(const std::string& id) const { return found.of(id).count > 0; }
};

struct Answered {
    cell::Study study;
    std::vector<std::string> varied;        ///< what, in words, in the study's order
    std::vector<const Measure*> looked_at;  ///< the first ones are those asked for
    std::vector<Tried> tried;               ///< in the order of the plan, or in which a search came to them
    Point present;                          ///< what is varied as it is in the cell; null where it is not said
    Tried now;                              ///< the cell as it is
    int best = -1;                          ///< index; -1: none keeps what is demanded
    std::vector<int> front;                 ///< those that none beats in all figures looked at, by the first of them
    std::vector<Influence> influences;      ///< of a sensitivity, by figure and number
    std::optional<Gains> gains;             ///< where they were asked for
    std::size_t runs = 0, kept_runs = 0;    ///< that were made now, and found from before
    bool whole = true;                      ///< every point has been looked at
    std::string cell;                       ///< key of the cell that it belongs to
};

struct AskOptions {
    Results* results = nullptr;         ///< where runs are kept and found; null: nowhere
    std::size_t shard = 0, shards = 1;  ///< looks only at its share of the points
    bool only_found = false;            ///< nothing is run: what is there already
    EvaluateOptions how = {};
    /// Told after each point, from one thread at a time: how far it is (0 to 1), and the point.
    std::function<void(double, const Tried&)> progress = {};
};

/// What a study varies, as it is now.
Point present_values(const cell::Layout& layout, const cell::Study& study);

/// How many points a study's plan has. Throws InputError where they are too many.
std::size_t points_of(const cell::Layout& layout, const cell::Study& study);
/// The points of a grid, of evenly spread ones, or of a sensitivity's plan. Throws InputError where there are too many,
/// Cancelled.
std::vector<Point> plan_of(
    const cell::Layout& layout, const cell::Study& study, const motion::StopFlag* stop = nullptr);

/// The values at shares of the ranges, from 0 to 1.
class PointMaker {
public:
    PointMaker(const cell::Layout& layout, const std::vector<cell::Varied>& vary);
    cell::json value(std::size_t which, double share) const;
    Point point(const std::vector<double>& shares) const;

private:
    struct Range {
        bool numeric, whole;
        double from, to;
        std::vector<cell::json> all;  ///< values, where it is no range of numbers
    };
    std::vector<Range> ranges_;
};

/// A cell with the values of a point set. Throws InputError.
cell::Edit edit_of(const cell::Layout& layout, const cell::Study& study, const Point& point);

/// Throws InputError for a study that cannot be asked of this cell (with the place), Cancelled when stopped; what was
/// run is kept all the same.
Answered ask(
    const cell::Layout& layout, const cell::Study& study, inspection::Cache& cache, const AskOptions& options = {});

/// The answer in a sentence or two.
std::string in_words(const Answered& answer);
/// "Arm 1 x 1420, Arm model arm-900"
std::string in_words(const Answered& answer, const Point& point);

/// What only the parts of `ask` use.
class Trials;
void search(Trials& trials, Answered& answer);

}  // namespace escarp::study
