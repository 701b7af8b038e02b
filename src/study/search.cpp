// Searching for the best of many layouts: even points first, then from the best of them, in several starts side by
// side, numbers by NLopt (DIRECT-L: Gablonsky and Kelley 2001; Subplex: Rowan 1990) and the rest by going to
// neighbours.

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <set>

#include <nlopt.h>

#include "trials.h"

namespace escarp::study {
namespace {

/// What a study varies, with orders as numbers from 0 to 1.
std::vector<cell::Varied> without_orders(const cell::Study& study) {
    std::vector<cell::Varied> out = study.vary;
    for (cell::Varied& v : out)
        if (v.order) v.order = false, v.from = 0, v.to = 1;
    return out;
}

using cell::json;

/// What is better of two points, as one number; with several figures, by one weighting of them.
class Goal {
public:
    Goal(const Trials& trials, const Tried& now, const std::vector<Tried>& sample) : by_(trials.asked()) {
        for (const Measure* m : by_) {
            double least = 1e300, most = -1e300;
            for (const Tried& t : sample)
                if (t.keeps) {
                    const double v = sign(*m) * t.figure(m->id);
                    least = std::min(least, v), most = std::max(most, v);
                }
            if (least > most) least = most = now.has(m->id) ? sign(*m) * now.figure(m->id) : 0;
            ideal_.push_back(least);
            range_.push_back(std::max(most - least, 1e-6 * std::max(1.0, std::abs(least))));
        }
        weight_.assign(by_.size(), 1.0);
    }
    /// One of `of` ways to weigh the figures; they differ only where there are several figures.
    void weigh(std::size_t nth, std::size_t of) {
        if (by_.size() < 2) return;
        const auto shares = even_points(by_.size(), of + by_.size());
        if (nth < by_.size()) {  // one figure nearly alone, each in turn
            weight_.assign(by_.size(), 0.02);
            weight_[nth] = 1;
        } else {
            weight_ = shares[nth];
        }
    }
    double of(const Tried& t) const {
        constexpr double out_of_bounds = 1e3;
        if (!t.refused.empty()) return 1e6;
        if (!t.keeps) return out_of_bounds + lacking(t);
        double worst = -1e300, sum = 0;
        for (std::size_t i = 0; i < by_.size(); ++i) {
            const double v = weight_[i] * (sign(*by_[i]) * t.figure(by_[i]->id) - ideal_[i]) / range_[i];
            worst = std::max(worst, v), sum += v;
        }
        return by_.size() == 1 ? worst : worst + 0.05 * sum;
    }

private:
    static double sign(const Measure& m) { return m.better > 0 ? -1 : 1; }
    /// How far from being allowed: poses that are lost first, then by how much they are.
    static double lacking(const Tried& t) {
        double out = t.lacks.empty() ? 0 : 1;
        if (t.has("not_reached")) out += 10 * t.figure("not_reached");
        if (t.has("reach_margin_mm")) out += std::max(0.0, -t.figure("reach_margin_mm")) / 100;
        if (t.has("stops")) out += t.figure("stops");
        return std::min(out, 1e4);
    }
    std::vector<const Measure*> by_;
    std::vector<double> ideal_, range_, weight_;
};

/// One start: from a point to a better one, with so many tries.
class Climb {
public:
    Climb(Trials& trials, const Goal& goal, std::size_t tries) : trials_(trials), goal_(goal), left_(tries) {
        for (std::size_t i = 0; i < trials.study().vary.size(); ++i)
            (trials.study().vary[i].numeric() ? numbers_ : others_).push_back(i);
    }
    void from(const Tried& first) {
        best_ = first;
        value_ = goal_.of(first);
    }
    void go(bool everywhere_first) {
        if (everywhere_first && !numbers_.empty()) optimise(NLOPT_GN_DIRECT_L, left_ / 2);
        for (bool better = true; better && left_ > 0;) {
            if (!numbers_.empty()) optimise(NLOPT_LN_SBPLX, others_.empty() ? left_ : (left_ + 1) / 2);
            better = !others_.empty() && neighbours();
        }
    }
    std::vector<Tried> tried;

private:
    double look(const Point& point) {
        if (left_ == 0) return value_;
        --left_;
        tried.push_back(trials_.look(point, true));
        const double v = goal_.of(tried.back());
        if (v < value_) value_ = v, best_ = tried.back();
        return v;
    }
    double share_of(std::size_t i) const {
        const cell::Varied& v = trials_.study().vary[i];
        return std::clamp((best_.point[i].get<double>() - v.from) / (v.to - v.from), 0.0, 1.0);
    }
    void optimise(nlopt_algorithm how, std::size_t tries) {
        if (tries == 0) return;
        struct Call {
            Climb* climb;
            Point point;
            nlopt_opt opt;
            std::exception_ptr error;
        } call{this, best_.point, nlopt_create(how, static_cast<unsigned>(numbers_.size())), nullptr};
        const auto value = [](unsigned n, const double* x, double*, void* data) {
            Call& c = *static_cast<Call*>(data);
            try {  // nothing is thrown through the library
                for (unsigned i = 0; i < n; ++i)
                    c.point[c.climb->numbers_[i]] = c.climb->value_at(c.climb->numbers_[i], x[i]);
                return c.climb->look(c.point);
            } catch (...) {
                c.error = std::current_exception();
                nlopt_force_stop(c.opt);
                return 1e9;
            }
        };
        nlopt_set_min_objective(call.opt, value, &call);
        nlopt_set_lower_bounds1(call.opt, 0);
        nlopt_set_upper_bounds1(call.opt, 1);
        nlopt_set_maxeval(call.opt, static_cast<int>(std::min<std::size_t>(tries, 1'000'000)));
        nlopt_set_xtol_abs1(call.opt, 1e-3);
        std::vector<double> x;
        for (const std::size_t i : numbers_) x.push_back(share_of(i));
        if (how == NLOPT_LN_SBPLX) nlopt_set_initial_step1(call.opt, 0.12);
        double least = 0;
        nlopt_optimize(call.opt, x.data(), &least);
        nlopt_destroy(call.opt);
        if (call.error) std::rethrow_exception(call.error);
    }
    json value_at(std::size_t i, double share) const { return maker_.value(i, std::clamp(share, 0.0, 1.0)); }
    /// Goes to the best of the neighbours in what is no number; false: none is better.
    bool neighbours() {
        const double before = value_;
        const Point here = best_.point;
        for (const std::size_t i : others_) {
            const cell::Varied& v = trials_.study().vary[i];
            if (v.order) {
                for (std::size_t j = 0; j + 1 < here[i].size() && left_ > 0; ++j) {
                    Point next = here;
                    std::swap(next[i][j], next[i][j + 1]);
                    look(next);
                }
            } else {
                for (std::size_t j = 0; j < v.values.size() && left_ > 0; ++j) {
                    Point next = here;
                    next[i] = value_at(i, (static_cast<double>(j) + 0.5) / static_cast<double>(v.values.size()));
                    if (next[i] != here[i]) look(next);
                }
            }
        }
        return value_ < before;
    }

    Trials& trials_;
    const PointMaker maker_{trials_.layout(), without_orders(trials_.study())};
    const Goal& goal_;
    std::size_t left_;
    std::vector<std::size_t> numbers_, others_;
    Tried best_;
    double value_ = 1e300;
};

/// Even points over everything that varies; orders are drawn from the present one.
std::vector<Point> first_points(const Trials& trials, std::size_t count) {
    const cell::Study& study = trials.study();
    const PointMaker maker(trials.layout(), without_orders(study));
    std::vector<Point> out;
    for (const std::vector<double>& shares : even_points(study.vary.size(), count)) {
        Point p = maker.point(shares);
        for (std::size_t i = 0; i < p.size(); ++i) {
            if (!study.vary[i].order) continue;
            std::vector<std::string> ids;
            for (const json& e : *cell::find(trials.layout().tree(), study.vary[i].at)) ids.push_back(e["id"]);
            // The first keeps it as it is; the others turn it round by a share of its length.
            const double turn = out.empty() ? 0 : shares[i];
            std::rotate(ids.begin(), ids.begin() + static_cast<std::ptrdiff_t>(turn * static_cast<double>(ids.size())),
                ids.end());
            p[i] = ids;
        }
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace

void search(Trials& trials, Answered& answer) {
    const cell::Study& study = trials.study();
    trials.demand({"not_reached", std::nullopt, 0});
    trials.demand({"stops", std::nullopt, answer.now.has("stops") ? answer.now.figure("stops") : 0});
    const std::size_t tries = static_cast<std::size_t>(study.tries), starts = static_cast<std::size_t>(study.starts);
    const std::size_t first =
        std::clamp<std::size_t>(8 * (study.vary.size() + 1), 1, std::max<std::size_t>(1, tries / 3));
    const std::vector<Point> plan = first_points(trials, first);
    std::atomic<std::size_t> done = 0;
    const auto each = [&](std::size_t count, const auto& act) {
        tbb::parallel_for(
            tbb::blocked_range<std::size_t>(0, count, 1),
            [&](const auto& range) {
                for (std::size_t i = range.begin(); i < range.end(); ++i) act(i);
            },
            tbb::simple_partitioner());
    };
    std::vector<Tried> sample(plan.size());
    each(plan.size(), [&](std::size_t i) {
        motion::throw_if_stopped(trials.options().how.stop);
        sample[i] = trials.look(plan[i], true);
        trials.told(static_cast<double>(++done) / static_cast<double>(tries), sample[i]);
    });
    const std::size_t share = (tries - std::min(tries, first)) / starts;
    std::vector<std::vector<Tried>> climbed(starts);
    each(starts, [&](std::size_t s) {
        if (!trials.owned(s)) return;
        Goal goal(trials, answer.now, sample);
        goal.weigh(s, starts);
        std::vector<std::size_t> order(sample.size());
        for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
        std::stable_sort(order.begin(), order.end(),
            [&](std::size_t a, std::size_t b) { return goal.of(sample[a]) < goal.of(sample[b]); });
        // With one figure each start has a place of its own; with several each has its own weights.
        const std::size_t from = trials.asked().size() > 1 ? order[0] : order[s % order.size()];
        Climb climb(trials, goal, share);
        climb.from(sample[from]);
        climb.go(s == 0);
        climbed[s] = std::move(climb.tried);
    });
    std::set<Point> seen;  // several starts may come to one point
    climbed.insert(climbed.begin(), std::move(sample));
    for (std::vector<Tried>& one : climbed)
        for (Tried& t : one)
            if (seen.insert(t.point).second) answer.tried.push_back(std::move(t));
}

}  // namespace escarp::study
