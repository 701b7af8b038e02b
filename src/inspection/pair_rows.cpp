#include "pair_rows.h"

#include <algorithm>

#include <cell/model/expression.h>
#include <geometry/indices.h>

namespace escarp::inspection {

using simulation::seconds;

std::vector<std::pair<Ticks, Ticks>> holds_when(const simulation::Run& run, const cell::Expression& condition) {
    std::vector<Ticks> changes{0};
    for (const int signal : condition.signals())
        for (const auto& [when, value] : run.trace.signals[signal].changes) changes.push_back(when);
    std::sort(changes.begin(), changes.end());
    changes.erase(std::unique(changes.begin(), changes.end()), changes.end());
    std::vector<std::pair<Ticks, Ticks>> all;
    for (std::size_t i = 0; i < changes.size(); ++i) {
        const bool holds = condition.holds([&](int signal) { return run.trace.signals[signal].at(changes[i]); });
        if (!holds) continue;
        const Ticks end = i + 1 < changes.size() ? changes[i + 1] : simulation::never;
        if (!all.empty() && all.back().second == changes[i]) all.back().second = end;
        else all.emplace_back(changes[i], end);
    }
    return all;
}

bool PairRows::leave_out(int a, int b) const {
    const auto& rows = c_.cell.exclusions;
    return (std::any_of(rows.begin(), rows.end(), [&](const cell::Exclusion& e) {
        return !e.only_while && !e.distance && !e.of_bodies() && e.is_of(a, b);
    }) && std::none_of(rows.begin(), rows.end(), [&](const cell::Exclusion& e) {
        return e.distance && e.is_of(a, b);  // more particular, perhaps
    }));
}

/// Whether a row has to do with a question: what lies on a device is none of its bodies unless it is named.
bool PairRows::is_of(const cell::Exclusion& e, const ClearanceJob& job) const {
    if (!e.is_of(job.device_a(), job.device_b)) return false;
    const std::string& there = e.a == job.device_b ? e.body_a : e.b < 0 ? cell::held_body : e.body_b;
    return job.part_b < 0 || there == cell::held_body;
}

const std::string& PairRows::own_name(int device, const motion::Part& p, bool moves, bool lies_there) const {
    static const std::string held = cell::held_body, tool = "tool";
    const cell::Device& d = c_.device(device);
    if (lies_there || (moves && p.tag == simulation::held_tag)) return held;
    if (moves && d.arm) return p.tag == simulation::tool_tag ? tool : d.arm->model->mechanism.links[p.tag].name;
    const geometry::Bodies& own = moves ? d.axis->model->mechanism.links.back().bodies : d.bodies;
    return own[moves ? p.tag - axis_tag : p.tag].name;
}

/// Whether a row that has to do with a question is of these two bodies.
bool PairRows::covers(
    const cell::Exclusion& e, const ClearanceJob& job, const motion::Part& a, const motion::Part& b) const {
    const auto is_called = [&](const std::string& name, int device, const motion::Part& p, bool moves,
                               bool lies_there) {
        return name.empty() || name == own_name(device, p, moves, lies_there);
    };
    const bool straight = e.a == job.device_a();
    return is_called(straight ? e.body_a : e.body_b, job.device_a(), a, true, false) &&
           is_called(straight ? e.body_b : e.body_a, job.device_b, b, job.other != nullptr, job.part_b >= 0);
}

bool PairRows::take(const ClearanceJob& job, const motion::Part& a, const motion::Part& b) const {
    if (job.only >= 0 && !covers(row(job.only), job, a, b)) return false;
    return std::none_of(job.without.begin(), job.without.end(), [&](int i) { return covers(row(i), job, a, b); });
}

const PairRows::Stretches& PairRows::held(int i) {
    auto& kept = held_[i];
    if (!kept) kept = holds_when(c_.run, *row(i).only_while);
    return *kept;
}

void PairRows::each_part(const ClearanceJob& job, const std::function<void(const ClearanceJob&)>& use) {
    std::vector<int> always, at_times, distances;
    for (const int nth : indices(held_)) {
        const cell::Exclusion& e = row(nth);
        if (!is_of(e, job)) continue;
        if (e.only_while) at_times.push_back(nth);
        else if (!e.distance) always.push_back(nth);
        else if (e.of_bodies() && distance_counts(job.rule)) distances.push_back(nth);
    }
    if (always.empty() && at_times.empty() && distances.empty()) return use(job);
    if (at_times.empty()) return ask_of_bodies(job, std::move(always), std::move(distances), use);
    // Stretch by stretch, cut wherever one of the conditions begins or ends to hold.
    std::vector<Ticks> cuts;
    for (const int i : at_times)
        for (const auto& [begin, end] : held(i)) cuts.push_back(begin), cuts.push_back(end);
    std::sort(cuts.begin(), cuts.end());
    Ticks from = job.origin() + simulation::ticks(job.from);
    std::vector<int> active;
    const auto until = [&](Ticks to) {
        if (to < from) return;
        ClearanceJob part = job;
        part.from = std::clamp(seconds(from - job.origin()), job.from, std::max(job.from, job.to));
        part.to = std::clamp(seconds(to - job.origin()), part.from, std::max(job.from, job.to));
        part.until = to;
        part.key = cell::ContentKey().add(job.key).add(part.from).add(part.to).value();
        ask_of_bodies(part, active, distances, use);
    };
    const auto active_at = [&](Ticks t) {
        std::vector<int> all = always;
        for (const int i : at_times)
            for (const auto& [begin, end] : held(i))
                if (begin <= t && t < end) all.push_back(i);
        return all;
    };
    active = active_at(from);
    for (const Ticks cut : cuts) {
        if (cut <= from || cut > job.until) continue;
        std::vector<int> then = active_at(cut);
        if (then == active) continue;
        until(cut - 1);
        from = cut, active = std::move(then);
    }
    until(job.until);
}

/// Whether the pair as a whole has a distance of its own: then nothing that is said of one of the two and all else
/// holds.
bool PairRows::has_distance(int a, int b) const {
    return std::any_of(c_.cell.exclusions.begin(), c_.cell.exclusions.end(),
        [&](const cell::Exclusion& e) { return e.distance && e.b >= 0 && !e.of_bodies() && e.is_of(a, b); });
}

/// One question for all bodies, or one for each distance that some have to keep and one for the rest. Where several
/// rows are of the same bodies, the most particular holds; of those the one that leaves them out, then the greatest
/// distance.
void PairRows::ask_of_bodies(const ClearanceJob& job, std::vector<int> without, std::vector<int> distances,
    const std::function<void(const ClearanceJob&)>& use) const {
    if (has_distance(job.device_a(), job.device_b))
        for (auto* list : {&without, &distances}) std::erase_if(*list, [&](int i) { return row(i).b < 0; });
    std::stable_sort(distances.begin(), distances.end(), [&](int x, int y) {
        return std::pair(-row(x).rank(), -*row(x).distance) < std::pair(-row(y).rank(), -*row(y).distance);
    });
    std::vector<int> asked;
    const auto ask = [&](int only) {
        ClearanceJob part = job;
        part.only = only, part.without = asked;
        for (const int i : without)
            if (only < 0 || row(i).rank() >= row(only).rank()) part.without.push_back(i);
        if (std::any_of(part.without.begin(), part.without.end(), [&](int i) { return !row(i).of_bodies(); })) return;
        cell::ContentKey key;
        key.add(job.key).add(only >= 0);
        const auto add_row = [&](int i) {
            const cell::Exclusion& e = row(i);
            key.add(c_.device(e.a).id).add(e.body_a).add(e.b < 0 ? "" : c_.device(e.b).id).add(e.body_b);
        };
        if (only >= 0) add_row(only);
        for (const int i : part.without) add_row(i);
        if (only >= 0 || !part.without.empty()) part.key = key.value();
        use(part);
    };
    for (const int i : distances) {
        ask(i);
        asked.push_back(i);
    }
    ask(-1);
}

}  // namespace escarp::inspection
