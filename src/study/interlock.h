#pragma once
// Keeping two movers apart in space that they share: where each asks and gives back, what that costs, which rule is
// best.

#include <functional>
#include <set>

#include "figures.h"

namespace escarp::study {

/// What a cell comes to with an interlock under one rule.
struct RulePrice {
    std::string rule;               ///< as the file says it
    std::optional<double> cycle_s;  ///< none: no part leaves any more
    bool stuck = false;             ///< nothing can go on
    bool kept_apart = false;        ///< both are never inside at once, and nobody is without leave
    int contacts = 0;               ///< stop findings of clearance
    double waits_s = 0;             ///< for leave, of both together, a part (without parts: a round)
    double slowed_s = 0;            ///< likewise: how much longer their motions take, which slow down and start again
    std::shared_ptr<const inspection::Orders> orders = nullptr;  ///< whether it can lock up; null where it does
    bool may_lock_up() const { return stuck || (orders && orders->verdict == inspection::Orders::Verdict::locks_up); }
};

struct KeptApart {
    std::string zone;                          ///< id, as found without interlocks
    std::string device;                        ///< id of the interlock
    std::optional<double> without_s, found_s;  ///< cycle without any interlock between the two, and as the cell is now
    bool keeps_distance = true;  ///< they keep the safety distance, too; else that locks up, whatever the rule
    std::vector<RulePrice> rules;
    /// Where no rule keeps the safety distance: other places to wait with which one does, see wait_elsewhere.
    std::vector<inspection::WayOut> elsewhere = {};
    std::string best;  ///< of those that keep apart and are not seen to lock up, the rule with the fewest contacts,
                       ///< then the least cycle; empty: none
    /// With this rule; for each of `rules`.
    std::vector<cell::Edit> edits;
};

/// A cell as it is without any interlocks, with its zones, what interlocks are made for: a little larger than they are,
/// and `with_distance` by half the safety distance all round. Throws InputError, Cancelled.
std::shared_ptr<const Evaluation> without_interlocks(const cell::Layout& layout, inspection::Cache& cache,
    bool with_distance, const inspection::StopFlag* stop = nullptr);

/// All rules of interlocks: "first come, ... or in turn".
std::string rules_in_words();
/// The rules worth trying for a zone, in that order: to let both in where they do not meet only if there are such
/// visits.
std::vector<std::string> rules_for(const Evaluation& without, const std::string& zone);

/// Puts an interlock for a zone into the cell, or sets the points of the one that is there anew. Throws InputError
/// where there is no such zone, or where it is shared with something that cannot wait.
cell::Edit keep_apart(const cell::Layout& layout, const Evaluation& without, const std::string& zone,
    const std::string& rule, std::string* device = nullptr);

/// Whether one of these movers (devices) does nothing any more, though the cell goes on.
bool stands_for_ever(const simulation::Run& run, const std::set<int>& movers);
/// Whether nothing can go on in this run, no part leaves, or one of a zone's two stands for ever.
bool locked_up(const Evaluation& evaluation, const inspection::Zone& zone);
/// Stop findings of clearance.
int contacts(const Evaluation& evaluation);

/// The same with the safety distance kept, unless the cell then locks up.
cell::Edit keep_apart(const cell::Layout& layout, const std::string& zone, const std::string& rule,
    inspection::Cache& cache, std::string* device = nullptr, const inspection::StopFlag* stop = nullptr);

/// Every rule tried. `progress` is told the share done. Throws InputError, Cancelled.
KeptApart price_of_keeping_apart(const cell::Layout& layout, const std::string& zone, inspection::Cache& cache,
    const std::function<void(double)>& progress = {}, const inspection::StopFlag* stop = nullptr);

}  // namespace escarp::study
