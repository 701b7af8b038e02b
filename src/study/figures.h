#pragma once
// Figures of one variant, and everything that was computed for it.

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <cell/read/layout.h>
#include <inspection/orders.h>
#include <inspection/zones.h>

namespace escarp::study {

struct Share {
    int device;
    double busy = 0, waiting = 0, starved = 0, blocked = 0, down = 0;
};

/// A piece of the longest chain: `block` sets the pace from `from` to `to`.
struct ChainLink {
    int block;
    simulation::Ticks from, to;
};

enum class Category { move, grip, process, wait };
Category category(simulation::BlockKind kind);
const char* word(Category category);

struct Figures {
    std::optional<double> cycle_s;  ///< none: no part leaves, or too few to tell
    bool steady = false;            ///< the state recurs; else the cycle is a mean over the second half
    bool per_round = false;         ///< no parts in this cell: the cycle is of the tasks, the rate their rounds
    double warm_up_s = 0;
    std::optional<double> rate_per_h;
    std::optional<bool> takt_met;
    int poses = 0, poses_reached = 0;
    std::optional<double> least_margin_m;
    std::optional<double> clearance_m;
    std::optional<double> waiting;  ///< mean share over the arms, 0 to 1
    std::string waits_most;         ///< "Arm 1 waits for Tester"
    int waits_most_block = -1;
    double floor_m2 = 0;
    std::vector<Share> shares;           ///< devices that have conditions
    std::map<Category, double> split_s;  ///< of the longest chain, per part, s; adds up to the cycle
    std::optional<double> travel_m;      ///< path of all tool frames per part
    std::string part_waits_at;           ///< where a part stands longest between coming and leaving
    double part_waits_s = 0;
};

/// One cell, run and looked at.
struct Judged {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const simulation::Run> run;
    std::shared_ptr<const inspection::Inspection> inspection;
    Figures figures;
    std::vector<ChainLink> chain;  ///< latest first, over one steady period
};

/// One variant of a document, run and looked at: `cell` is that of the layout.
struct Evaluation : Judged {
    Evaluation(cell::Layout of, Judged judged) : Judged(std::move(judged)), layout(std::move(of)) {}
    cell::Layout layout;
    std::shared_ptr<const inspection::Zones> zones = nullptr;    ///< null until they are looked for; see with_zones
    std::shared_ptr<const inspection::Orders> orders = nullptr;  ///< the same; null as well where nobody asks for leave

    bool complete = false;  ///< nothing more is looked for: its findings are all there

    /// An instant at which the cell is seen at work, s.
    double typical_s() const;
    /// The same with what stands where at that instant instead of the whole run: small, for what is only compared.
    std::shared_ptr<const Evaluation> without_history() const;
};

struct EvaluateOptions {
    simulation::RunOptions run;
    const inspection::StopFlag* stop = nullptr;
    inspection::Level level = inspection::Level::clearance;  ///< figures beyond it are not there
};

/// Throws Cancelled when stopped.
Judged judge(std::shared_ptr<const cell::Cell> cell, inspection::Cache& cache, const EvaluateOptions& options = {});
/// The same of a run that was made already: live, or of a record.
Judged judge_run(std::shared_ptr<const cell::Cell> cell, std::shared_ptr<const simulation::Run> run,
    inspection::Cache& cache, const EvaluateOptions& options = {});

/// Everything about one variant. Throws InputError for a cell that does not make sense, Cancelled when stopped.
std::shared_ptr<const Evaluation> evaluate(
    const cell::Layout& layout, inspection::Cache& cache, const EvaluateOptions& options = {});

/// The same with the zones that its movers share (and, where asked for, what is wrong with them among the findings).
/// Throws Cancelled when stopped.
std::shared_ptr<const Evaluation> with_zones(const Evaluation& evaluation, inspection::Cache& cache,
    const inspection::StopFlag* stop = nullptr, bool findings = false);

/// The stretch of a run that figures are taken from.
struct Stretch {
    simulation::Ticks from, to;
};
/// One steady period; the second half where the state does not recur.
Stretch stretch_of(const simulation::Run& run);
/// Times between parts that leave in it, s; several at one instant share the time before.
std::vector<double> gaps(const simulation::Run& run, const Stretch& in);
/// Time per part. Where the state does not recur: the stretch over the gaps in it, with the correction for the one that
/// its end cuts (renewal theory: Cox 1962). Nothing where fewer than two leave.
std::optional<double> mean_cycle(const simulation::Run& run, const Stretch& in);

/// The blocks that set the pace: walking back from the last departure of the steady period, each block began because
/// another ended.
std::vector<ChainLink> longest_chain(const simulation::Run& run);

}  // namespace escarp::study
