#include "trials.h"

#include <algorithm>
#include <cmath>
#include <tbb/parallel_for.h>

#include <cell/model/catalogue.h>
#include <cell/model/field.h>

#include "which_arm.h"

namespace escarp::study {
namespace {

using cell::json;

constexpr int only_reach = -1;               // of an outcome: nothing was run
constexpr const char* at_a_point = "point";  // where what is wrong with its values is said

void check_path(const cell::Layout& layout, const cell::Varied& v, const std::string& where) {
    const std::string top = v.at.substr(0, v.at.find('/', 1));
    for (const std::string& key : cell::keys_without_figures())
        if (top == "/" + key || top == "/escarp")
            throw cell::InputError(where + "/at",
                "\"" + v.at + "\": no figure depends on it; a path of keys such as /devices/arm1/placement/x_mm is "
                "expected.");
    const json* there = cell::find(layout.tree(), v.at);
    const cell::PathMeaning meaning = cell::meaning_of_path(layout.tree(), v.at, layout.kinds());
    if (!there && !meaning.field)
        throw cell::InputError(where + "/at", "\"" + v.at + "\" is not in the cell" +
                                                  (meaning.words != v.at ? " (" + meaning.words + ")" : "") +
                                                  "; a path of keys such as /devices/arm1/placement/x_mm is expected.");
    if (v.order) {
        const bool list = there && there->is_array() && there->size() >= 2 &&
                          std::all_of(there->begin(), there->end(), [](const json& e) { return e.contains("id"); });
        if (!list) throw cell::InputError(where + "/at", "A list of two or more elements that have ids is expected.");
    } else if (v.numeric()) {
        if (there && !there->is_number() && !(meaning.field && meaning.field->varies))
            throw cell::InputError(
                where + "/at", meaning.words + " is no number; give \"values\" instead of from and to.");
    }
}

/// As the file would have it: a number where it is one.
json value_of(const std::string& text) {
    const json value = json::parse(text, nullptr, false);
    return value.is_number() || value.is_boolean() ? value : json(text);
}

/// A number so near that nothing hangs on the rest, and short to read.
double tidy(double v, double range) {
    const double grain = std::pow(10, std::floor(std::log10(std::max(range, 1e-9))) - 5);
    return std::round(std::round(v / grain) * grain * 1e9) / 1e9;
}

std::vector<json> values_of(const cell::Layout& layout, const cell::Varied& v) {
    std::vector<json> out;
    if (v.order) {
        std::vector<std::string> ids;
        for (const json& e : *cell::find(layout.tree(), v.at)) ids.push_back(e["id"]);
        if (ids.size() > 7)
            throw cell::InputError(v.at,
                "More than 7 elements have too many orders to try them all; a search finds a "
                "good one.");
        std::sort(ids.begin(), ids.end());
        do out.emplace_back(ids);
        while (std::next_permutation(ids.begin(), ids.end()));
    } else if (!v.values.empty()) {
        for (const std::string& text : v.values) out.push_back(value_of(text));
    } else {
        const bool whole = [&] {
            const cell::Field* f = cell::meaning_of_path(layout.tree(), v.at, layout.kinds()).field;
            return f && f->type == cell::Field::Type::whole;
        }();
        for (int i = 0; i < v.steps; ++i) {
            const double at = tidy(v.from + i * (v.to - v.from) / (v.steps - 1), v.to - v.from);
            const json value = whole ? json(static_cast<std::int64_t>(std::llround(at))) : json(at);
            if (out.empty() || out.back() != value) out.push_back(value);
        }
    }
    return out;
}

constexpr std::size_t most_points = 100'000;

/// Whether the points of a study's plan are at shares of ranges, not on a grid.
bool by_shares(const cell::Study& study) { return study.asks == cell::Study::Asks::sensitivity || study.evenly; }

/// What each takes on a grid.
std::vector<std::vector<json>> grid_of(const cell::Layout& layout, const cell::Study& study) {
    std::vector<std::vector<json>> each;
    std::size_t points = 1;
    for (const cell::Varied& v : study.vary) {
        each.push_back(values_of(layout, v));
        points = std::min(most_points + 1, points * each.back().size());
    }
    if (points > most_points)
        throw cell::InputError("vary", "The grid has more than " + std::to_string(most_points) +
                                           " points; fewer steps, or points spread evenly, are expected.");
    return each;
}

}  // namespace

PointMaker::PointMaker(const cell::Layout& layout, const std::vector<cell::Varied>& vary) {
    for (const cell::Varied& v : vary) {
        const cell::Field* f = cell::meaning_of_path(layout.tree(), v.at, layout.kinds()).field;
        ranges_.push_back({v.numeric(), f && f->type == cell::Field::Type::whole, v.from, v.to,
            v.numeric() ? std::vector<json>() : values_of(layout, v)});
    }
}

json PointMaker::value(std::size_t which, double share) const {
    const Range& r = ranges_[which];
    if (!r.numeric)
        return r.all[std::min(r.all.size() - 1, static_cast<std::size_t>(share * static_cast<double>(r.all.size())))];
    const double at = tidy(r.from + share * (r.to - r.from), r.to - r.from);
    if (r.whole) return static_cast<std::int64_t>(std::llround(at));
    return at;
}

Point PointMaker::point(const std::vector<double>& shares) const {
    Point out;
    for (std::size_t i = 0; i < ranges_.size(); ++i) out.push_back(value(i, shares[i]));
    return out;
}

std::size_t points_of(const cell::Layout& layout, const cell::Study& study) {
    const std::size_t count = static_cast<std::size_t>(study.points), size = study.vary.size();
    if (size == 0) return 0;
    if (by_shares(study)) {
        const bool sensitivity = study.asks == cell::Study::Asks::sensitivity;
        const std::size_t points = !sensitivity ? count : study.shares ? count * (size + 2) : count * (size + 1);
        if (points > most_points)
            throw cell::InputError("number_of_points",
                "That makes " + std::to_string(points) + " points; " + std::to_string(most_points) + " at most.");
        return points;
    }
    std::size_t points = 1;
    for (const std::vector<json>& values : grid_of(layout, study)) points *= values.size();
    return points;
}

std::vector<Point> plan_of(const cell::Layout& layout, const cell::Study& study, const motion::StopFlag* stop) {
    const std::size_t count = static_cast<std::size_t>(study.points), size = study.vary.size();
    std::vector<Point> out;
    if (size == 0) return out;
    points_of(layout, study);
    if (by_shares(study)) {
        const auto plan = study.asks != cell::Study::Asks::sensitivity ? even_points(size, count)
                          : study.shares                               ? shares_plan(size, count)
                                                                       : screening_plan(size, count);
        const PointMaker maker(layout, study.vary);
        for (const auto& shares : plan) {
            motion::throw_if_stopped(stop);
            out.push_back(maker.point(shares));
        }
        return out;
    }
    const std::vector<std::vector<json>> each = grid_of(layout, study);
    std::vector<std::size_t> index(size, 0);
    while (true) {
        motion::throw_if_stopped(stop);
        Point p;
        for (std::size_t i = 0; i < size; ++i) p.push_back(each[i][index[i]]);
        out.push_back(std::move(p));
        std::size_t i = size;
        while (i > 0 && ++index[i - 1] == each[i - 1].size()) index[--i] = 0;
        if (i == 0) return out;
    }
}

cell::Edit edit_of(const cell::Layout& layout, const cell::Study& study, const Point& point) {
    cell::Edit edit{"", {}};
    for (std::size_t i = 0; i < point.size(); ++i) {
        const cell::Varied& v = study.vary[i];
        const cell::PathMeaning meaning = cell::meaning_of_path(layout.tree(), v.at, layout.kinds());
        edit.name += (edit.name.empty() ? "Set " : ", ") + meaning.words;
        // An arm's model takes its poses along.
        if (meaning.field && meaning.field->type == cell::Field::Type::arm_model && point[i].is_string()) {
            const std::string arm = v.at.substr(9, v.at.find('/', 9) - 9), id = point[i];
            json model;
            for (const json& list : {layout.tree().value("arm_models", json::array()), cell::catalogue_arms()})
                for (const json& one : list)
                    if (model.is_null() && one.value("id", "") == id) model = one;
            if (model.is_null())
                throw cell::InputError(v.at, "\"" + id + "\" is not an arm model of the file or the catalogue.");
            if (cell::find(layout.tree(), v.at) && *cell::find(layout.tree(), v.at) == point[i]) continue;
            const cell::Edit swap = swap_arm(layout, arm, model);
            edit.operations.insert(edit.operations.end(), swap.operations.begin(), swap.operations.end());
        } else if (v.order) {
            edit.operations.push_back(cell::Operation::order(v.at, point[i]));
        } else {
            edit.operations.push_back(cell::Operation::set(v.at, point[i]));
        }
    }
    return edit;
}

Trials::Trials(
    const cell::Layout& layout, const cell::Study& study, inspection::Cache& cache, const AskOptions& options)
    : layout_(layout), study_(study), cache_(cache), options_(options), cell_key_(layout.content()) {
    if (study_.look_at.empty()) study_.look_at = {"cycle_s"};
    asked_ = wanted_ = measures_of(study_.look_at, "look_at");
    for (std::size_t i = 0; i < study_.keep.size(); ++i)
        wanted_.push_back(&measure(study_.keep[i].figure, "keep/" + std::to_string(i) + "/figure"));
    if (study_.asks == cell::Study::Asks::search)  // nobody wants to find what cannot be
        for (const char* id : {"not_reached", "stops"}) wanted_.push_back(&measure(id, ""));
    for (std::size_t i = 0; i < study_.vary.size(); ++i)
        check_path(layout_, study_.vary[i], "vary/" + std::to_string(i));
    using Asks = cell::Study::Asks;
    if (study_.asks != Asks::repetitions && study_.asks != Asks::gains && study_.vary.empty())
        throw cell::InputError("vary", "Something to vary is expected.");
    if (study_.asks == cell::Study::Asks::sensitivity)
        for (std::size_t i = 0; i < study_.vary.size(); ++i)
            if (!study_.vary[i].numeric())
                throw cell::InputError(
                    "vary/" + std::to_string(i), "A sensitivity is of numbers; from and to are expected.");
    if (study_.asks == cell::Study::Asks::search)
        for (const Measure* m : asked_)
            if (m->better == 0)
                throw cell::InputError("look_at", "Of \"" + m->id +
                                                      "\" neither less nor more is better, so that it "
                                                      "cannot be searched for.");
}

std::string Trials::key_text(const Point& point) const {
    std::map<std::string, json> set;
    for (std::size_t i = 0; i < point.size(); ++i) set[study_.vary[i].at] = point[i];
    // Figures of one run alone are of its second half, those of many of what follows the warm-up.
    return json(set).dump() + (study_.repetitions > 1 ? " warm" : "");
}

std::shared_ptr<const cell::Cell> Trials::cell_of(const Point& point) const {
    if (point.empty()) return layout_.shared_cell();
    json tree = layout_.tree();
    for (const cell::Operation& op : edit_of(layout_, study_, point).operations) cell::apply(tree, op);
    return cell::read_cell(tree, layout_.kinds());
}

std::optional<Outcome> Trials::found(const ResultKey& key) {
    return options_.results ? options_.results->find(key) : std::nullopt;
}

OneRun Trials::run_of(const ResultKey& key, At& at) {
    const std::optional<Outcome> there = found(key);
    if (there) {
        if (!there->refused.empty() && there->looked >= 0) {
            ++kept_;
            throw cell::InputError(at_a_point, there->refused);
        }
        if (there->answers(wanted_)) {
            ++kept_;
            return there->run;
        }
    }
    if (options_.only_found || !own_repetition(key.repetition)) throw NotThere();
    Outcome out;
    out.looked = looked_at(wanted_);
    for (const Measure* m : wanted_)
        if (m->dear && std::find(out.dear.begin(), out.dear.end(), m->id) == out.dear.end()) out.dear.push_back(m->id);
    std::sort(out.dear.begin(), out.dear.end());
    try {
        {
            const std::lock_guard<std::mutex> hold(at.making);
            if (!at.cell) at.cell = cell_of(at.point);
            if (study_.repetitions > 1 && !at.from) at.from = warm_up_of(at.cell, cache_, options_.how);
        }
        out.run = one_run(at.cell, wanted_, key.repetition, cache_, options_.how, at.from, true);
    } catch (const cell::InputError& error) {
        out.refused = error.problems().front().where + ": " + error.problems().front().message;
    }
    ++runs_;
    if (there) out.take_in(*there);
    if (options_.results) options_.results->keep(key, out);
    if (!out.refused.empty()) throw cell::InputError(at_a_point, out.refused);
    return out.run;
}

void Trials::not_reached(const ResultKey& key, At& at, Tried& tried) {
    Outcome out;
    if (std::optional<Outcome> there = found(key)) {
        if (there->looked != only_reach) return;
        ++kept_;
        out = std::move(*there);
    } else {
        if (options_.only_found) return;
        try {
            at.cell = cell_of(at.point);
        } catch (const cell::InputError&) {
            return;  // told by the run
        }
        double margin = 1e300;
        int lost = 0;
        for (const inspection::PoseNeed& n : inspection::check_reach(*at.cell, cache_, options_.how.stop))
            margin = std::min(margin, n.reach.margin), lost += !n.reached;
        if (lost == 0) return;
        out.looked = only_reach;
        out.run.certain = true;
        out.run.figures = {{"not_reached", lost}, {"reach_margin_mm", 1e3 * margin}};
        ++runs_;
        if (options_.results) options_.results->keep(key, out);
    }
    tried.found.certain = true;
    tried.found.runs = {out.run.figures};
}

Tried Trials::look(const Point& point, bool quickly) {
    Tried t;
    t.point = point;
    ResultKey key{cell_key_, key_text(point), 0};
    At at{point};
    if (quickly) not_reached(key, at, t);
    if (t.found.runs.empty()) {
        const auto run = [&](std::size_t repetition) {
            ResultKey own = key;
            own.repetition = repetition;
            return run_of(own, at);
        };
        ReplicateOptions how;
        how.repetitions = static_cast<std::size_t>(study_.repetitions);
        how.until = study_.until ? std::optional(*study_.until) : std::nullopt;
        try {
            // Nobody else's work is taken up meanwhile: a search waits in here.
            tbb::this_task_arena::isolate([&] { t.found = replicate(run, wanted_, how); });
        } catch (const cell::InputError& error) {
            if (error.problems().front().where != at_a_point) throw;  // the results cannot be kept
            t.refused = error.problems().front().message;
        } catch (const NotThere&) {
            t.found = what_there_is(run, how.repetitions);
        }
    }
    judge_demands(t);
    return t;
}

Replicated Trials::what_there_is(const std::function<OneRun(std::size_t)>& run, std::size_t repetitions) {
    std::vector<std::optional<OneRun>> all(repetitions);
    tbb::parallel_for(
        tbb::blocked_range<std::size_t>(0, repetitions, 1),
        [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) try {
                    all[i] = run(i);
                } catch (const NotThere&) {
                }
        },
        tbb::simple_partitioner());
    Replicated out;
    out.reached = false;
    for (std::optional<OneRun>& one : all)
        if (one) out.runs.push_back(std::move(one->figures));
    return out;
}

void Trials::judge_demands(Tried& t) const {
    if (!t.refused.empty()) {
        t.lacks = t.refused;
        return;
    }
    if (t.found.runs.empty()) return;
    for (const cell::Demand& d : study_.keep) {
        const Measure& m = measure(d.figure, "keep");
        const Estimate e = t.found.of(m.id);
        std::string lack;
        if (e.count == 0) lack = "no " + m.label;
        else if ((d.least && e.mean < *d.least - 1e-9) || (d.most && e.mean > *d.most + 1e-9))
            lack = m.label + " " + with_unit(e.mean, m);
        if (!lack.empty()) t.lacks += (t.lacks.empty() ? "" : ", ") + lack;
    }
    const Measure& first = *asked_.front();
    if (t.lacks.empty() && !t.has(first.id)) t.lacks = "no " + first.label;
    t.keeps = t.lacks.empty();
}

void Trials::told(double share, const Tried& tried) {
    if (!options_.progress) return;
    const std::lock_guard<std::mutex> hold(telling_);
    options_.progress(std::min(1.0, share), tried);
}

std::vector<Tried> Trials::look_at(const std::vector<Point>& plan, std::size_t before, std::size_t in_all) {
    std::vector<Tried> out(plan.size());
    std::atomic<std::size_t> done = before;
    tbb::parallel_for(
        tbb::blocked_range<std::size_t>(0, plan.size(), 1),
        [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) {
                motion::throw_if_stopped(options_.how.stop);
                if (owned(before + i)) out[i] = look(plan[i]);
                else out[i].point = plan[i];
                told(static_cast<double>(++done) / static_cast<double>(in_all), out[i]);
            }
        },
        tbb::simple_partitioner());
    return out;
}

}  // namespace escarp::study
