#include "ask.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include <cell/model/field.h>
#include <geometry/indices.h>

#include "trials.h"

namespace escarp::study {
namespace {

using Asks = cell::Study::Asks;

/// Is `a` at least as good in all figures, and better in one?
bool beats(const Tried& a, const Tried& b, const std::vector<const Measure*>& by) {
    bool better = false;
    for (const Measure* m : by) {
        const double sign = m->better > 0 ? -1 : 1, one = sign * a.figure(m->id), two = sign * b.figure(m->id);
        if (one > two) return false;
        better = better || one < two;
    }
    return better;
}

void find_best(Answered& a) {
    const Measure& first = *a.looked_at.front();
    const double sign = first.better > 0 ? -1 : 1;
    for (const int i : indices(a.tried)) {
        const Tried& t = a.tried[i];
        if (!t.keeps || first.better == 0) continue;
        if (a.best < 0 || sign * t.figure(first.id) < sign * a.tried[a.best].figure(first.id)) a.best = i;
    }
    std::vector<const Measure*> by;
    for (const Measure* m : a.looked_at)
        if (m->better != 0) by.push_back(m);
    if (by.size() < 2) return;
    std::vector<int> all;
    for (const int i : indices(a.tried)) {
        const Tried& t = a.tried[i];
        if (t.keeps && std::all_of(by.begin(), by.end(), [&](const Measure* m) { return t.has(m->id); }))
            all.push_back(i);
    }
    for (const int i : all)
        if (std::none_of(all.begin(), all.end(), [&](int j) { return beats(a.tried[j], a.tried[i], by); }))
            a.front.push_back(i);
    std::stable_sort(a.front.begin(), a.front.end(),
        [&](int i, int j) { return sign * a.tried[i].figure(by[0]->id) < sign * a.tried[j].figure(by[0]->id); });
}

void find_influences(Answered& a) {
    const std::size_t size = a.study.vary.size(), count = static_cast<std::size_t>(a.study.points);
    for (const Measure* m : a.looked_at) {
        std::vector<double> values;
        for (const Tried& t : a.tried)
            values.push_back(t.has(m->id) ? t.figure(m->id) : std::numeric_limits<double>::quiet_NaN());
        for (Influence& i : a.study.shares ? shares(size, values) : screening(screening_plan(size, count), values)) {
            i.figure = m->id;
            a.influences.push_back(std::move(i));
        }
    }
}

std::string span(const Estimate& e, const Measure& m) {
    std::string out = with_unit(e.mean, m);
    if (const auto half = e.half_width(); half && *half > 0) {
        Measure bare = m;
        bare.unit.clear();
        out += " (" + with_unit(e.mean - *half, bare) + " to " + with_unit(e.mean + *half, bare) + ")";
    }
    return out;
}

std::string best_in_words(const Answered& a) {
    const Measure& m = *a.looked_at.front();
    const std::string now =
        a.now.has(m.id) ? "; now it is " + span(a.now.found.of(m.id), m) + "." : "; now there is none.";
    if (a.best < 0) {
        if (m.better == 0) return "Of " + m.label + " neither less nor more is better.";
        const bool any = std::any_of(a.tried.begin(), a.tried.end(), [](const Tried& t) { return !t.lacks.empty(); });
        return any ? "None of the points keeps what is demanded: " +
                         std::find_if(a.tried.begin(), a.tried.end(), [](const Tried& t) { return !t.lacks.empty(); })
                             ->lacks +
                         ", for one."
                   : "No point has been looked at yet.";
    }
    const Tried& best = a.tried[a.best];
    std::string out = std::string(m.better > 0 ? "The greatest " : "The least ") + m.label + " is " +
                      span(best.found.of(m.id), m) + " with " + in_words(a, best.point) + now;
    if (a.front.size() > 1) out += " " + std::to_string(a.front.size()) + " layouts are beaten by none in all figures.";
    return out;
}

std::string influences_in_words(const Answered& a) {
    std::string out;
    for (const Measure* m : a.looked_at) {
        const Influence* most = nullptr;
        const auto weight = [&](const Influence& i) { return a.study.shares ? i.in_all : i.strength; };
        for (const Influence& i : a.influences)
            if (i.figure == m->id && (!most || weight(i) > weight(*most))) most = &i;
        if (!most) continue;
        if (!out.empty()) out += " ";
        if (weight(*most) <= 1e-12) out += "None of them moves the " + m->label + ".";
        else if (a.study.shares)
            out += "The " + m->label + " hangs most on " + a.varied[most->number] + ": " +
                   std::to_string(std::lround(100 * most->in_all)) + " % of its variance with the others, " +
                   std::to_string(std::lround(100 * most->alone)) + " % alone.";
        else
            out += "The " + m->label + " hangs most on " + a.varied[most->number] + ": " +
                   with_unit(most->strength, *m) + " over its range.";
    }
    return out;
}

}  // namespace

Point present_values(const cell::Layout& layout, const cell::Study& study) {
    Point out;
    for (const cell::Varied& v : study.vary) {
        const cell::json* value = cell::find(layout.tree(), v.at);
        const cell::Field* f = cell::meaning_of_path(layout.tree(), v.at, layout.kinds()).field;
        out.push_back(value && !v.order ? *value : !value && f ? f->usual : cell::json());
    }
    return out;
}

namespace {
/// What is found is held in memory, and nobody waits for more.
void bounded(const cell::Layout& layout, const cell::Study& study) {
    constexpr std::size_t most = 200'000;
    const std::size_t points = study.asks == Asks::search ? static_cast<std::size_t>(study.tries)
                               : study.vary.empty()       ? 1
                                                          : points_of(layout, study);
    const std::size_t runs = points * static_cast<std::size_t>(study.repetitions);
    if (runs > most)
        throw cell::InputError("repetitions",
            "That makes " + std::to_string(runs) + " runs, " + std::to_string(points) + " points with " +
                std::to_string(study.repetitions) + " repetitions each; " + std::to_string(most) + " are the most.");
}
}  // namespace

Answered ask(
    const cell::Layout& layout, const cell::Study& study, inspection::Cache& cache, const AskOptions& options) {
    Trials trials(layout, study, cache, options);
    bounded(layout, study);
    Answered a;
    a.study = study;
    a.cell = trials.cell_key();
    for (const cell::Varied& v : study.vary)
        a.varied.push_back(cell::meaning_of_path(layout.tree(), v.at, layout.kinds()).words);
    a.present = present_values(layout, study);
    a.looked_at = trials.asked();
    a.now = trials.look({});
    trials.told(0, a.now);
    if (study.asks == Asks::search) search(trials, a);
    else if (study.asks == Asks::gains) {
        a.gains = gains(layout, cache, options.how, [&](double share) { trials.told(share, a.now); });
    } else if (study.asks != Asks::repetitions) {
        const std::vector<Point> plan = plan_of(layout, study, options.how.stop);
        a.tried = trials.look_at(plan, 0, plan.size());
    }
    a.runs = trials.runs(), a.kept_runs = trials.kept_runs();
    const auto looked_at = [](const Tried& t) { return !t.found.runs.empty() || !t.refused.empty(); };
    a.whole = looked_at(a.now) && std::all_of(a.tried.begin(), a.tried.end(), looked_at);
    if (study.asks == Asks::repetitions) a.whole = a.whole && (a.now.found.reached || study.until);
    if (options.results) options.results->write();
    if (!a.tried.empty() &&
        std::all_of(a.tried.begin(), a.tried.end(), [](const Tried& t) { return !t.refused.empty(); }))
        throw cell::InputError("vary", "None of these values makes a cell: " + a.tried.front().refused);
    if (study.asks == Asks::sensitivity) find_influences(a);
    else if (!a.gains) find_best(a);
    return a;
}

std::string in_words(const Answered& a, const Point& point) {
    if (point.empty()) return "the cell as it is";
    std::string out;
    for (std::size_t i = 0; i < point.size(); ++i) {
        std::string value;
        if (point[i].is_array()) {
            for (const cell::json& one : point[i]) value += (value.empty() ? "" : ", ") + one.get<std::string>();
        } else if (point[i].is_string()) {
            value = point[i];
        } else {
            char text[40];
            std::snprintf(text, sizeof text, "%.10g", point[i].get<double>());
            const std::string unit = cell::unit_sign(a.study.vary[i].at.substr(a.study.vary[i].at.rfind('/') + 1));
            value = text + (unit.empty() ? "" : " " + unit);
        }
        out += (out.empty() ? "" : ", ") + a.varied[i] + " " + value;
    }
    return out;
}

std::string in_words(const Answered& a) {
    std::string out;
    if (a.gains) {
        out = in_words(*a.gains);
    } else if (a.study.asks == Asks::repetitions) {
        for (const Measure* m : a.looked_at) {
            const Estimate e = a.now.found.of(m->id);
            if (!out.empty()) out += " ";
            out += "The " + m->label + (e.count ? " is " + span(e, *m) : std::string(" is not there"));
            out += e.count < 2 ? "." : " in " + std::to_string(e.count) + " repetitions.";
        }
        if (a.now.found.certain) out += " Nothing in this cell is left to chance.";
        if (!a.now.found.reached && a.study.until)
            out += " The width asked for was not reached; more repetitions are needed.";
    } else {
        out = a.study.asks == Asks::sensitivity ? influences_in_words(a) : best_in_words(a);
        const auto lacking =
            std::count_if(a.tried.begin(), a.tried.end(), [](const Tried& t) { return !t.lacks.empty(); });
        if (lacking > 0)
            out += " " + std::to_string(lacking) + " of " + std::to_string(a.tried.size()) +
                   " points do not keep what is demanded.";
    }
    if (!a.whole) out += " Some points have not been looked at yet.";
    return out;
}

}  // namespace escarp::study
