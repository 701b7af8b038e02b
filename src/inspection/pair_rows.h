#pragma once
// The cell's table of pairs, as it bears on a question of clearance: what is left out, always or while a condition
// holds, and which bodies have a distance of their own to keep.

#include <functional>
#include <optional>

#include "clearance_jobs.h"

namespace escarp::inspection {

class PairRows {
public:
    explicit PairRows(const Context& context) : c_(context), held_(context.cell.exclusions.size()) {}

    /// Two devices as a whole, at all times.
    bool leave_out(int a, int b) const;
    /// What is left to ask of a question: stretch by stretch where rows hold at times, and each distance that some of
    /// the bodies have to keep by itself.
    void each_part(const ClearanceJob& job, const std::function<void(const ClearanceJob&)>& use);
    /// Whether two bodies belong to such a part.
    bool take(const ClearanceJob& job, const motion::Part& a, const motion::Part& b) const;
    /// What one of a device's bodies is called: see cell::body_names. `moves`: it is one of those that the device
    /// moves.
    const std::string& own_name(int device, const motion::Part& part, bool moves, bool lies_there) const;

private:
    using Stretches = std::vector<std::pair<Ticks, Ticks>>;
    const cell::Exclusion& row(int i) const { return c_.cell.exclusions[i]; }
    bool is_of(const cell::Exclusion& row, const ClearanceJob& job) const;
    bool covers(
        const cell::Exclusion& row, const ClearanceJob& job, const motion::Part& a, const motion::Part& b) const;
    bool has_distance(int a, int b) const;
    const Stretches& held(int row);
    void ask_of_bodies(const ClearanceJob& job, std::vector<int> without, std::vector<int> distances,
        const std::function<void(const ClearanceJob&)>& use) const;

    const Context& c_;
    std::vector<std::optional<Stretches>> held_;  ///< when the condition of each row holds, once asked
};

}  // namespace escarp::inspection
