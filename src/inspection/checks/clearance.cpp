#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <tbb/parallel_for.h>

#include <cell/model/expression.h>
#include <geometry/distance.h>
#include <geometry/indices.h>

#include "cache.h"
#include "clearance_jobs.h"

namespace escarp::inspection {
namespace {

using simulation::Block;
using simulation::BlockKind;
using simulation::seconds;

constexpr double near_cap = 0.05, contact = 1e-4;

class ClearanceCheck {
public:
    explicit ClearanceCheck(const Context& c) : c_(c), questions_(c) {}

    void run(Inspection& result) {
        result.checked_s = seconds(questions_.end());
        questions_.each([this](const ClearanceJob& job) { add(job); });
        result.pairs_checked += pairs_;
        // Most of the work is to tell how far apart distant bodies are: it is asked for only where nothing comes
        // nearer.
        for (const double cap : {std::max(near_cap, 1.1 * c_.cell.greatest_distance()), usual_cap, far_cap}) {
            solve(cap);
            gather(result);
            if (result.clearance.device_a >= 0) break;
        }
        for (const auto& [pair, least] : closest_)
            if (least.distance < least.keeps) result.close_pairs.push_back(least);
    }

private:
    /// The same question comes again with every cycle and has the same answer: of those, the earliest is asked.
    void add(const ClearanceJob& job) {
        pairs_ += job.segment->parts->parts().size() * (*job.parts_b)->parts().size();
        const auto [place, fresh] = asked_.try_emplace(
            cell::ContentKey().add(job.key).add(job.device_a()).add(job.device_b).value(), jobs_.size());
        if (fresh) jobs_.push_back(job);
        else if (job.origin() < jobs_[place->second].origin()) jobs_[place->second] = job;
    }

    /// What a pair has to keep: where it comes so near, whether it does has to be sure.
    double mark(const ClearanceJob& job) const {
        if (!distance_counts(job.rule)) return 0;
        LeastClearance of;
        of.device_a = job.device_a(), of.device_b = job.device_b, of.row = job.only;
        return safety_of(c_.cell, of).metres;
    }
    /// Answers every job that is not kept yet.
    void solve(double cap) {
        cell::Kept<motion::Clearance>& kept = c_.cache.kept().clearance;
        struct Missing {
            std::uint64_t key;
            const ClearanceJob* job;
            double cap;
            std::size_t place;
        };
        std::vector<Missing> missing;
        answers_.assign(jobs_.size(), {});
        for (std::size_t i = 0; i < jobs_.size(); ++i) {
            c_.throw_if_stopped();
            const double own_cap = distance_counts(jobs_[i].rule) ? cap : contact;
            const std::uint64_t key = cell::ContentKey().add(jobs_[i].key).add(own_cap).add(mark(jobs_[i])).value();
            if (const auto found = kept.find(key)) answers_[i] = *found;
            else missing.push_back({key, &jobs_[i], own_cap, i});
        }
        // What moves in the same way comes one after another: how it moves is then worked out once.
        const auto mover = [](const Missing& m) { return std::pair(m.job->device_a(), m.job->segment->key); };
        std::stable_sort(
            missing.begin(), missing.end(), [&](const Missing& a, const Missing& b) { return mover(a) < mover(b); });
        tbb::parallel_for(std::size_t{0}, missing.size(), [&](std::size_t i) {
            if (c_.stop && c_.stop->load(std::memory_order_relaxed)) return;
            answers_[missing[i].place] =
                questions_.answer_beside(*missing[i].job, missing[i].cap, mark(*missing[i].job));
        });
        c_.throw_if_stopped();
        for (const Missing& m : missing) kept.keep(m.key, answers_[m.place]);
    }

    void gather(Inspection& result) {
        closest_.clear();
        for (std::size_t i = 0; i < jobs_.size(); ++i) {
            c_.throw_if_stopped();
            const ClearanceJob& job = jobs_[i];
            const motion::Clearance& found = answers_[i];
            if (found.part_a < 0 || (!distance_counts(job.rule) && found.distance > 0)) continue;
            const LeastClearance least = questions_.named(job, found);
            const auto better = [](const LeastClearance& x, const LeastClearance& y) {
                return x.distance < y.distance || (x.distance == y.distance && x.when_s < y.when_s);
            };
            const auto [place, fresh] = closest_.try_emplace(
                std::tuple(job.device_a(), job.part_b >= 0 ? -2 - job.device_b : job.device_b, job.only), least);
            if (!fresh && better(least, place->second)) place->second = least;
            if (better(least, result.clearance) || result.clearance.device_a < 0) result.clearance = least;
        }
    }

    const Context& c_;
    ClearanceJobs questions_;
    std::deque<ClearanceJob> jobs_;  ///< many: never moved to a larger place
    std::unordered_map<std::uint64_t, std::size_t> asked_;  ///< which job a question is
    std::size_t pairs_ = 0;                                 ///< of bodies, counted whenever they are asked for
    std::vector<motion::Clearance> answers_;
    std::map<std::tuple<int, int, int>, LeastClearance> closest_;
};

/// Moves what stands still out of the way, along the floor, until the safety distance is kept.
std::optional<WayOut> way_by_shifting(const Context& c, const LeastClearance& p) {
    const cell::Device& other = c.device(p.device_b);
    if (other.arm || p.part_b >= 0 || p.distance <= 0) return std::nullopt;
    Vector3 away = p.on_b - p.on_a;
    away.z() = 0;
    if (away.norm() < 0.3 * p.distance) return std::nullopt;  // above or below: no shift over the floor helps
    // Where the arm is at work on something that stands on the same base, the two move together.
    for (const Block& b : c.run.trace.blocks)
        if (b.device == p.device_a && b.other >= 0 && b.kind != BlockKind::wait &&
            simulation::seconds(b.from) <= p.when_s && simulation::seconds(b.to) >= p.when_s &&
            c.cell.root(b.other) == c.cell.root(p.device_b))
            return std::nullopt;
    const double step = std::ceil((p.keeps - p.distance) / away.norm() * p.distance * 1e3 / 5 + 1) * 5e-3;
    const Vector3 shift = step * away.normalized();
    const cell::Device& root = c.device(c.cell.root(p.device_b));
    const auto tenth = [](double metres) { return std::round(metres * 1e4) / 10; };
    WayOut way;
    way.label = "Move " + root.name + " " + millimetres(step) + " mm away";
    way.edit = {way.label, {cell::Operation::set(cell::at_device(root.id) / "placement" / "x_mm",
                                tenth(root.placement.translation().x() + shift.x())),
                               cell::Operation::set(cell::at_device(root.id) / "placement" / "y_mm",
                                   tenth(root.placement.translation().y() + shift.y()))}};
    return way;
}

void report(const Context& c, const LeastClearance& p, std::vector<Finding>& out) {
    Finding f;
    const bool hit = p.distance <= 0;
    const cell::SafetyDistance safe = safety_of(c.cell, p);
    f.id = clearance_id(c.cell, p);
    f.severity = hit ? Severity::stop : Severity::watch;
    f.title = hit ? p.body_a + " hits " + p.body_b : p.body_a + " passes close to " + p.body_b;
    f.text = hit ? "They touch or overlap at " + short_number(p.when_s) + " s."
                 : millimetres(p.distance) + " mm at " + short_number(p.when_s) + " s; the safety distance is " +
                       millimetres(safe.metres) + " mm" + (safe.from == "the cell's" ? "" : " (" + safe.from + ")") +
                       ".";
    f.devices = {c.device(p.device_a).id, c.device(p.device_b).id};
    f.bodies = {p.own_a, p.own_b};
    f.when_s = p.when_s;
    if (auto way = way_by_shifting(c, p)) f.ways_out.push_back(std::move(*way));
    out.push_back(std::move(f));
}

struct Overlap {
    int one, two;
    double depth;
};

/// Devices that stand in one another, noticeably.
std::vector<Overlap> overlaps(const Context& c) {
    constexpr double noticeable = 1e-3;
    const auto bodies = [](const cell::Device& d) -> const geometry::Bodies& {
        return d.arm ? d.arm->model->mechanism.links.front().bodies : d.bodies;
    };
    std::vector<Overlap> all;
    std::vector<geometry::Box3> boxes;
    for (const cell::Device& d : c.cell.devices) boxes.push_back(geometry::bounds(bodies(d), d.world));
    for (const int a : indices(c.cell.devices)) {
        c.throw_if_stopped();
        for (const int b : indices(c.cell.devices)) {
            if (b <= a) continue;
            if (boxes[a].empty() || boxes[b].empty() || (boxes[a].low.array() > boxes[b].high.array()).any() ||
                (boxes[b].low.array() > boxes[a].high.array()).any())
                continue;
            const bool hosted = c.cell.stands_on(a, b) || c.cell.stands_on(b, a);
            const cell::Device &one = c.cell.devices[a], &two = c.cell.devices[b];
            // What stands on something is fitted to it; a base link stands on its ground and keeps clear of the rest.
            if (hosted && one.arm.has_value() == two.arm.has_value()) continue;
            const std::vector<char> ground = !hosted   ? std::vector<char>()
                                             : one.arm ? simulation::standing_ground(c.cell, a, b)
                                                       : simulation::standing_ground(c.cell, b, a);
            if (hosted && ground.empty()) continue;
            const auto fitted = [&](std::size_t k) { return hosted && ground[k] != 0; };
            double depth = 0;
            for (std::size_t k = 0; k < bodies(one).size(); ++k)
                for (std::size_t l = 0; l < bodies(two).size(); ++l) {
                    if (fitted(one.arm ? l : k)) continue;
                    const geometry::Body &p = bodies(one)[k], &q = bodies(two)[l];
                    const Frame at_p = one.world * p.at, at_q = two.world * q.at;
                    if ((at_p * p.shape.centre() - at_q * q.shape.centre()).norm() > p.shape.bound() + q.shape.bound())
                        continue;
                    depth = std::max(depth, geometry::penetration(p.shape, at_p, q.shape, at_q));
                }
            if (depth >= noticeable) all.push_back({a, b, depth});
        }
    }
    return all;
}

/// Each pair by itself; many that hang together as one.
void report_overlaps(const Context& c, std::vector<Finding>& out) {
    constexpr std::size_t many = 8;
    const std::vector<Overlap> all = overlaps(c);
    std::vector<std::size_t> heap(c.cell.devices.size()),
        pairs(heap.size(), 0);  // which heap a device is in: the number of one of them
    for (std::size_t i = 0; i < heap.size(); ++i) heap[i] = i;
    const auto heap_of = [&](std::size_t i) {
        while (heap[i] != i) i = heap[i] = heap[heap[i]];
        return i;
    };
    for (const Overlap& o : all) heap[heap_of(o.two)] = heap_of(o.one);
    for (const Overlap& o : all) ++pairs[heap_of(o.one)];
    const auto add = [&](std::string id, std::string title, std::string text, std::vector<std::string> devices) {
        Finding f;
        f.id = std::move(id), f.severity = Severity::watch, f.title = std::move(title), f.text = std::move(text),
        f.devices = std::move(devices);
        out.push_back(std::move(f));
    };
    const auto name = [&](std::size_t i) -> const std::string& { return c.cell.devices[i].name; };
    const auto id = [&](std::size_t i) -> const std::string& { return c.cell.devices[i].id; };
    for (const Overlap& o : all)
        if (pairs[heap_of(o.one)] <= many)
            add("overlap:" + id(o.one) + ":" + id(o.two), name(o.one) + " stands in " + name(o.two),
                "They overlap by " + millimetres(o.depth) + " mm.", {id(o.one), id(o.two)});
    for (std::size_t h = 0; h < heap.size(); ++h) {
        if (pairs[h] <= many) continue;
        std::map<std::size_t, std::size_t> others;  // of each device, how many it stands in
        double depth = 0;
        for (const Overlap& o : all)
            if (heap_of(o.one) == h) ++others[o.one], ++others[o.two], depth = std::max(depth, o.depth);
        const auto most = std::max_element(
            others.begin(), others.end(), [](const auto& x, const auto& y) { return x.second < y.second; });
        std::string names;
        std::vector<std::string> devices;
        for (const auto& [device, count] : others) {
            if (devices.size() < 6) names += (names.empty() ? "" : ", ") + name(device);
            devices.push_back(id(device));
        }
        add("overlap:" + id(most->first), name(most->first) + " stands in " + std::to_string(most->second) + " others",
            std::to_string(others.size()) + " devices overlap in " + std::to_string(pairs[h]) + " pairs, by up to " +
                millimetres(depth) + " mm: " + names +
                (others.size() > 6 ? " and " + std::to_string(others.size() - 6) + " more." : "."),
            std::move(devices));
    }
}

/// A row of the table of pairs that is of nothing: no such body, or a condition that never holds.
void report_idle(const Context& c, const cell::Exclusion& e, std::vector<Finding>& out) {
    const std::string of = c.device(e.a).id + ":" + (e.b < 0 ? "" : c.device(e.b).id);
    const auto add = [&](std::string id, std::string title, std::string text) {
        Finding f;
        f.id = std::move(id), f.severity = Severity::note, f.title = std::move(title), f.text = std::move(text);
        f.devices = {c.device(e.a).id};
        if (e.b >= 0) f.devices.push_back(c.device(e.b).id);
        out.push_back(std::move(f));
    };
    const auto missing = [&](int device, const std::string& body) {
        if (device < 0 || body.empty()) return;
        const std::vector<std::string> names = cell::body_names(c.cell, device);
        if (std::find(names.begin(), names.end(), body) != names.end()) return;
        std::string known;
        for (const std::string& n : names) known += (known.empty() ? "" : ", ") + n;
        add("no-body:" + of + ":" + body, c.device(device).name + " has no body \"" + body + "\"",
            "A pair that is judged otherwise names it, and is of nothing so. Its bodies are " + known + ".");
    };
    missing(e.a, e.body_a), missing(e.b, e.body_b);
    if (e.only_while && holds_when(c.run, *e.only_while).empty())
        add("never-left-out:" + of,
            e.b < 0 ? c.device(e.a).name + " is judged all the time"
                    : c.device(e.a).name + " and " + c.device(e.b).name + " are judged all the time",
            (e.b < 0 ? "It is" : "They are") + std::string(" left out only while ") + e.only_while->text() +
                ", which never holds in this run.");
}

}  // namespace

void clearance_check(const Context& c, Inspection& result) {
    ClearanceCheck(c).run(result);
    for (const LeastClearance& pair : result.close_pairs) report(c, pair, result.findings);
    report_overlaps(c, result.findings);
    for (const cell::Exclusion& e : c.cell.exclusions) report_idle(c, e, result.findings);
}

}  // namespace escarp::inspection
