// The path of a joint move, and of a straight one, is known: only when the arm is where on it depends on its limits. So
// each sample becomes one length along the path, and each move has one unknown of its own, the instant it began.
#include "measured_moves.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include <motion/profile.h>

namespace escarp::study {

using kinematics::ArmModel;
using kinematics::JointVector;
using simulation::Block;
using simulation::BlockKind;
using simulation::Ticks;

namespace {

/// The limits of a joint move's path: which joint holds it back, for its speed, acceleration and jerk.
struct Held {
    double v = 1e300, a = 1e300, j = 1e300;
    std::array<int, 3> by{-1, -1, -1};
    motion::Profile profile() const { return motion::Profile(v, a, j < 1e300 ? j : 0.0); }
};
Held held_back(const kinematics::Mechanism& m, const JointVector& travel, double speed, double acceleration) {
    Held h;
    for (int i = 0; i < m.size(); ++i) {
        const double d = std::abs(travel[i]);
        if (d < 1e-12) continue;
        const kinematics::Joint& joint = m.joints[i];
        if (speed * joint.speed / d < h.v) h.v = speed * joint.speed / d, h.by[0] = i;
        if (acceleration * joint.acceleration / d < h.a) h.a = acceleration * joint.acceleration / d, h.by[1] = i;
        if (joint.jerk > 0 && joint.jerk / d < h.j) h.j = joint.jerk / d, h.by[2] = i;
    }
    return h;
}

/// Least squares in the logarithms of some parameters, each move's beginning eliminated as it goes.
struct Normal {
    Eigen::MatrixXd h;
    Eigen::VectorXd g;
    double squares = 0;
    std::vector<Eigen::VectorXd> by_move;  ///< what each says: the diagonal of its share
    explicit Normal(int count) : h(Eigen::MatrixXd::Zero(count, count)), g(Eigen::VectorXd::Zero(count)) {}
    /// `j`: samples by parameters; `jt`: by the beginning; `r`: measured less computed.
    void add(const Eigen::MatrixXd& j, const Eigen::VectorXd& jt, const Eigen::VectorXd& r) {
        const double tt = jt.squaredNorm();
        const Eigen::VectorXd jtj = j.transpose() * jt;
        Eigen::MatrixXd own = j.transpose() * j;
        if (tt > 0) own -= jtj * jtj.transpose() / tt;
        h += own;
        g += j.transpose() * r;
        if (tt > 0) g -= jtj * (jt.dot(r) / tt);
        squares += r.squaredNorm();
        by_move.push_back(own.diagonal());
    }
};

class Fit {
public:
    Fit(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
        const inspection::StopFlag* stop)
        : cell_(cell), run_(run), device_(device), measured_(measured), stop_(stop) {
        const cell::Device& d = cell.devices[static_cast<std::size_t>(device)];
        if (!d.arm) throw cell::InputError("devices/" + d.id, d.name + " is no arm; an arm with a task is expected.");
        if (d.arm->made)
            throw cell::InputError("devices/" + d.id,
                d.name + " rides on a travel axis, which counts as one of its joints; an arm that stands is expected.");
        model_ = *d.arm->model;
        MeasuredMoves found = measured_moves(cell, run, device, measured, stop);
        ways_ = std::move(found.ways), real_ = std::move(found.real), between_ = std::move(found.between);
        moves_ = std::move(found.moves), left_over_ = found.left_over, noise_ = found.noise;
    }

    Calibration result() {
        Calibration out;
        out.device = device_;
        out.matched = static_cast<int>(moves_.size()), out.left_over = left_over_;
        out.noise = noise_;
        fit_joints(out);
        fit_lines(out);
        time_moves(out);
        fit_times(out);
        return out;
    }

private:
    const cell::Device& device() const { return cell_.devices[static_cast<std::size_t>(device_)]; }
    int joints() const { return model_.mechanism.size(); }

    double t(const Sampled& m, std::size_t i) const { return measured_.t[m.first + i]; }
    /// When half of the way lies behind it.
    double half_way(const Sampled& m, double length) const {
        for (std::size_t i = 1; i < m.s.size(); ++i)
            if (m.s[i] >= 0.5 * length && m.s[i - 1] < m.s[i])
                return t(m, i) - (m.s[i] - 0.5 * length) / (m.s[i] - m.s[i - 1]) * (t(m, i) - t(m, i - 1));
        return t(m, m.s.size() / 2);
    }

    // --- limits ---

    enum class Slopes { no, yes };  ///< whether equations are asked for more than their squares

    /// Changes `x` (logarithms) until the squares no longer fall. `equations(x)`: there, with the beginnings moved to
    /// where they fit best. Which joint holds a move back changes as limits do, and the squares have edges there, on
    /// which a descent stops short: so each limit is tried a good deal higher and lower from there, and the descent
    /// goes on where that helped.
    template <typename Equations>
    Normal least_squares(Eigen::VectorXd& x, double noise, const Equations& equations) {
        const Eigen::VectorXd start = x;
        // Whoever says nothing stays where it is: a factor of e is as likely as not.
        const double prior = noise * noise;
        const auto cost = [&](const Normal& n, const Eigen::VectorXd& at) {
            return n.squares + prior * (at - start).squaredNorm();
        };
        Normal now = descend(x, start, prior, equations);
        constexpr int most_rounds = 12;
        for (int round = 0; round < most_rounds; ++round) {
            const double before = cost(now, x);
            for (Eigen::Index k = 0; k < x.size(); ++k)
                for (const double by : {0.03, -0.03, 0.15, -0.15, 0.5, -0.5}) {
                    motion::throw_if_stopped(stop_);
                    Eigen::VectorXd tried = x;
                    tried[k] += by;
                    Normal then = equations(tried, Slopes::no);
                    if (cost(then, tried) < cost(now, x)) x = tried, now = std::move(then);
                }
            now = descend(x, start, prior, equations);
            if (before - cost(now, x) < 1e-4 * before) break;
        }
        return equations(x, Slopes::yes);  // the beginnings are those of the end
    }
    /// A limit that could as well be higher holds nothing back: it sits on an edge, where another one does. It goes out
    /// of the way of those, and says nothing. First those that were changed least.
    template <typename Equations>
    void step_aside(
        Eigen::VectorXd& x, const Eigen::VectorXd& start, double noise, Normal& found, const Equations& equations) {
        std::vector<Eigen::Index> order(static_cast<std::size_t>(x.size()));
        std::iota(order.begin(), order.end(), 0);
        std::stable_sort(order.begin(), order.end(),
            [&](Eigen::Index a, Eigen::Index b) { return std::abs(x[a] - start[a]) < std::abs(x[b] - start[b]); });
        constexpr double higher = 0.1, matters = 9;  // three standard deviations
        for (const Eigen::Index k : order) {
            if (found.h(k, k) <= 0) continue;
            Eigen::VectorXd tried = x;
            tried[k] += higher;
            if (equations(tried, Slopes::no).squares - found.squares < matters * noise * noise) x = tried;
        }
        found = equations(x, Slopes::yes);
    }
    template <typename Equations>
    Normal descend(Eigen::VectorXd& x, const Eigen::VectorXd& start, double prior, const Equations& equations) {
        const int count = static_cast<int>(x.size());
        double damping = 1e-3;
        Normal now = equations(x, Slopes::yes);
        const auto cost = [&](const Normal& n, const Eigen::VectorXd& at) {
            return n.squares + prior * (at - start).squaredNorm();
        };
        for (int round = 0; round < 60; ++round) {
            motion::throw_if_stopped(stop_);
            Eigen::MatrixXd h = now.h + prior * Eigen::MatrixXd::Identity(count, count);
            const Eigen::VectorXd g = now.g - prior * (x - start);
            h.diagonal() += damping * now.h.diagonal();
            Eigen::VectorXd by = h.ldlt().solve(g);
            const double most = by.cwiseAbs().maxCoeff();
            if (most > 0.5) by *= 0.5 / most;
            const Eigen::VectorXd tried = x + by;
            const Normal then = equations(tried, Slopes::no);
            if (cost(then, tried) < cost(now, x)) {
                const bool little = cost(now, x) - cost(then, tried) < 1e-9 * cost(now, x);
                x = tried, now = equations(x, Slopes::yes);
                damping = std::max(1e-9, damping * 0.3);
                if (little) break;
            } else {
                damping *= 4;
                if (damping > 1e6 || most < 1e-9) break;
            }
        }
        return now;
    }
    /// Moves the beginning of a move to where it fits best: `place(t)` and `rate(t)` along the way.
    template <typename Place, typename Rate>
    void fit_beginning(Sampled& m, const Place& place, const Rate& rate) const {
        for (int round = 0; round < 8; ++round) {
            double top = 0, bottom = 0;
            for (std::size_t i = 0; i < m.s.size(); ++i) {
                const double at = t(m, i) - m.t0, v = rate(at);
                top += (m.s[i] - place(at)) * v, bottom += v * v;
            }
            if (bottom <= 0) return;
            const double by = std::clamp(-top / bottom, -0.05, 0.05);
            m.t0 += by;
            if (std::abs(by) < 1e-8) return;
        }
    }

    void set_limits(const Eigen::VectorXd& x) {
        for (std::size_t k = 0; k < limits_.size(); ++k) {
            kinematics::Joint& joint = model_.mechanism.joints[limits_[k].first];
            const double value = std::exp(x[static_cast<int>(k)]);
            (limits_[k].second == 0 ? joint.speed : limits_[k].second == 1 ? joint.acceleration : joint.jerk) = value;
        }
    }

    void fit_joints(Calibration& out) {
        std::vector<Sampled*> all;
        for (Sampled& m : moves_)
            if (!ways_[static_cast<std::size_t>(m.way)].straight) all.push_back(&m);
        const ArmModel was = model_;
        std::map<std::pair<int, int>, int> column;
        std::vector<double> start;
        for (int j = 0; j < joints(); ++j)
            for (int what = 0; what < 3; ++what) {
                const kinematics::Joint& joint = model_.mechanism.joints[j];
                const double value = what == 0 ? joint.speed : what == 1 ? joint.acceleration : joint.jerk;
                if (value <= 0) continue;
                column[{j, what}] = static_cast<int>(limits_.size());
                limits_.emplace_back(j, what), start.push_back(std::log(value));
            }
        const int count = static_cast<int>(limits_.size());
        Eigen::VectorXd x = Eigen::Map<Eigen::VectorXd>(start.data(), count);
        bool first = true;
        const auto equations = [&](const Eigen::VectorXd& at, Slopes slopes) {
            set_limits(at);
            Normal normal(count);
            for (Sampled* m : all) {
                const Way& way = ways_[static_cast<std::size_t>(m->way)];
                const JointVector travel =
                    real_[static_cast<std::size_t>(way.end)] - real_[static_cast<std::size_t>(way.begin)];
                const double length = travel.norm();
                const Held held = held_back(model_.mechanism, travel, way.speed, way.acceleration);
                const motion::Profile profile = held.profile();
                if (first) m->t0 = half_way(*m, length) - 0.5 * profile.duration();
                fit_beginning(
                    *m, [&](double s) { return length * profile.at(s).s; },
                    [&](double s) { return length * profile.at(s).rate; });
                constexpr double step = 1e-4;
                std::array<motion::Profile, 3> other;
                for (int what = 0; what < 3; ++what) {
                    if (held.by[static_cast<std::size_t>(what)] < 0 || slopes == Slopes::no) continue;
                    Held more = held;
                    (what == 0 ? more.v : what == 1 ? more.a : more.j) *= std::exp(step);
                    other[static_cast<std::size_t>(what)] = more.profile();
                }
                const auto n = static_cast<Eigen::Index>(m->s.size());
                Eigen::MatrixXd j = Eigen::MatrixXd::Zero(n, count);
                Eigen::VectorXd jt(n), r(n);
                for (Eigen::Index i = 0; i < n; ++i) {
                    const double s = t(*m, static_cast<std::size_t>(i)) - m->t0;
                    const motion::PathState state = profile.at(s);
                    r[i] = m->s[static_cast<std::size_t>(i)] - length * state.s;
                    jt[i] = -length * state.rate;
                    for (int what = 0; what < 3; ++what)
                        if (const int by = held.by[static_cast<std::size_t>(what)]; by >= 0 && slopes == Slopes::yes)
                            j(i, column.at({by, what})) =
                                length * (other[static_cast<std::size_t>(what)].at(s).s - state.s) / step;
                }
                m->takes = profile.duration();
                normal.add(j, jt, r);
            }
            first = false;
            return normal;
        };
        if (!all.empty()) {
            Normal found = least_squares(x, noise_, equations);
            step_aside(x, Eigen::Map<Eigen::VectorXd>(start.data(), count), noise_, found, equations);
            tell_limits(out, was, x, found, count_of(all));
        } else {
            tell_limits(out, was, x, Normal(count), 0);
        }
    }
    static double count_of(const std::vector<Sampled*>& all) {
        std::size_t count = 0;
        for (const Sampled* m : all) count += m->s.size();
        return static_cast<double>(count);
    }
    /// Relative standard deviations; nothing where next to nothing is said.
    static std::vector<std::optional<double>> certainty(const Normal& n, double noise, double samples) {
        const auto count = n.h.rows();
        const double variance =
            std::max(noise * noise, n.squares / std::max(1.0, samples - static_cast<double>(count)));
        const Eigen::MatrixXd covariance = (n.h / variance + Eigen::MatrixXd::Identity(count, count))
                                               .ldlt()
                                               .solve(Eigen::MatrixXd::Identity(count, count));
        std::vector<std::optional<double>> out;
        constexpr double hardly = 0.1;
        for (Eigen::Index k = 0; k < count; ++k) {
            const double sd = std::sqrt(std::max(0.0, covariance(k, k)));
            out.push_back(sd < hardly ? std::optional(sd) : std::nullopt);
        }
        return out;
    }
    static int sayers(const Normal& n, Eigen::Index k) {
        int count = 0;
        for (const Eigen::VectorXd& own : n.by_move) count += own[k] > 1e-3 * n.h(k, k);
        return count;
    }
    void tell_limits(
        Calibration& out, const ArmModel& was, const Eigen::VectorXd& x, const Normal& found, double samples) {
        const auto sure = certainty(found, noise_, samples);
        static constexpr const char* keys[] = {"speed", "acceleration", "jerk"};
        static constexpr const char* per[] = {"/s", "/s2", "/s3"};
        model_ = was;
        for (std::size_t k = 0; k < limits_.size(); ++k) {
            const auto [j, what] = limits_[k];
            kinematics::Joint& joint = model_.mechanism.joints[j];
            const bool slide = joint.type == kinematics::JointType::slide;
            const double unit = slide ? 1e3 : 180 / geometry::pi;
            double& value = what == 0 ? joint.speed : what == 1 ? joint.acceleration : joint.jerk;
            Fitted f;
            f.where = "joints/" + joint.name + "/" + keys[what] + (slide ? "_mm" : "_deg") + "_s" +
                      (what == 0      ? ""
                          : what == 1 ? "2"
                                      : "3");
            f.words = std::string(keys[what]) + " of " + joint.name;
            f.unit = std::string(slide ? "mm" : "deg") + per[what];
            f.before = f.after = unit * value;
            if (sure[k]) {
                value = std::exp(x[static_cast<int>(k)]);
                f.after = unit * value, f.within = f.after * *sure[k];
                f.moves = sayers(found, static_cast<Eigen::Index>(k));
            }
            out.fitted.push_back(std::move(f));
        }
    }

    void fit_lines(Calibration& out) {
        std::vector<Sampled*> all;
        std::set<int> ways;
        for (Sampled& m : moves_)
            if (ways_[static_cast<std::size_t>(m.way)].straight) all.push_back(&m), ways.insert(m.way);
        // What joint moves say nothing about, straight ones may: the limits of the wrist, mostly.
        struct Free {
            int joint, what;  // joint -1: the line's speed, acceleration
            std::size_t told;
        };
        std::vector<Free> free;
        for (std::size_t k = 0; k < limits_.size(); ++k)
            if (!out.fitted[k].seen()) free.push_back({limits_[k].first, limits_[k].second, k});
        for (int k = 0; k < 2; ++k) {
            free.push_back({-1, k, out.fitted.size()});
            Fitted f;
            f.where = k == 0 ? "line_speed_mm_s" : "line_acceleration_mm_s2";
            f.words = k == 0 ? "speed on lines" : "acceleration on lines";
            f.unit = k == 0 ? "mm/s" : "mm/s2";
            f.before = f.after = 1e3 * (k == 0 ? model_.line_speed : model_.line_acceleration);
            out.fitted.push_back(std::move(f));
        }
        const auto value_in = [](ArmModel& model, const Free& f) -> double& {
            if (f.joint < 0) return f.what == 0 ? model.line_speed : model.line_acceleration;
            kinematics::Joint& joint = model.mechanism.joints[f.joint];
            return f.what == 0 ? joint.speed : f.what == 1 ? joint.acceleration : joint.jerk;
        };
        const int count = static_cast<int>(free.size());
        Eigen::VectorXd x(count);
        for (int k = 0; k < count; ++k) x[k] = std::log(value_in(model_, free[static_cast<std::size_t>(k)]));
        const Eigen::VectorXd start = x;
        bool first = true;
        const auto with = [&](const Eigen::VectorXd& at) {
            ArmModel model = model_;
            for (int k = 0; k < count; ++k) value_in(model, free[static_cast<std::size_t>(k)]) = std::exp(at[k]);
            return model;
        };
        // Lengths along each way, on a fine grid of times: made once for all of its moves.
        struct Lengths {
            double step = 1, end = 0;
            std::vector<double> s;
            double at(double t) const {
                if (t <= 0) return s.front();
                const double k = t / step;
                const auto i = static_cast<std::size_t>(k);
                if (i + 1 >= s.size()) return s.back();
                return s[i] + (k - static_cast<double>(i)) * (s[i + 1] - s[i]);
            }
            double rate(double t) const { return (at(t + step) - at(t - step)) / (2 * step); }
        };
        const auto lengths = [&](int nth, const ArmModel& model) {
            const Way& way = ways_[static_cast<std::size_t>(nth)];
            const motion::MotionPtr motion = computed(device(), way, model);
            if (!motion)
                throw cell::InputError("", "A straight move of " + device().name + " cannot be made as fast as that.");
            const geometry::Frame tool = device().arm->with_tool(way.tool).tool_frame;
            const Eigen::Vector3d along = (way.tool_to.translation() - way.tool_from.translation()).normalized();
            constexpr int grid = 600;
            Lengths out;
            out.end = motion->duration(), out.step = out.end / grid;
            for (int i = 0; i <= grid; ++i)
                out.s.push_back(((model.flange_frame(motion->position(i * out.step)) * tool).translation() -
                                 way.tool_from.translation())
                                    .dot(along));
            return out;
        };
        const auto equations = [&](const Eigen::VectorXd& at, Slopes slopes) {
            Normal normal(count);
            constexpr double step = 1e-3;
            std::map<int, std::vector<Lengths>> made;  // as it is, then with more of each
            for (const int way : ways) {
                motion::throw_if_stopped(stop_);
                std::vector<Lengths>& all_of = made[way];
                all_of.push_back(lengths(way, with(at)));
                for (int k = 0; k < count && slopes == Slopes::yes; ++k) {
                    Eigen::VectorXd more = at;
                    more[k] += step;
                    all_of.push_back(lengths(way, with(more)));
                }
            }
            for (Sampled* m : all) {
                const std::vector<Lengths>& all_of = made.at(m->way);
                const Lengths& as_is = all_of.front();
                if (first) m->t0 = half_way(*m, as_is.s.back()) - 0.5 * as_is.end;
                fit_beginning(
                    *m, [&](double s) { return as_is.at(s); }, [&](double s) { return as_is.rate(s); });
                const auto n = static_cast<Eigen::Index>(m->s.size());
                Eigen::MatrixXd j = Eigen::MatrixXd::Zero(n, count);
                Eigen::VectorXd jt(n), r(n);
                for (Eigen::Index i = 0; i < n; ++i) {
                    const double s = t(*m, static_cast<std::size_t>(i)) - m->t0, here = as_is.at(s);
                    r[i] = m->s[static_cast<std::size_t>(i)] - here;
                    jt[i] = -as_is.rate(s);
                    for (int k = 0; k < count && slopes == Slopes::yes; ++k)
                        j(i, k) = (all_of[static_cast<std::size_t>(k) + 1].at(s) - here) / step;
                }
                m->takes = as_is.end;
                normal.add(j, jt, r);
            }
            first = false;
            return normal;
        };
        if (all.empty()) return;
        // A joint's noise is as much of the tool's as the arm is long; about a metre.
        const double noise = noise_ * std::max(0.2, kinematics::reach_bound(model_));
        Normal found = least_squares(x, noise, equations);
        step_aside(x, start, noise, found, equations);
        const auto sure = certainty(found, noise, count_of(all));
        ArmModel fitted = model_;
        for (int k = 0; k < count; ++k) {
            const Free& one = free[static_cast<std::size_t>(k)];
            Fitted& f = out.fitted[one.told];
            if (!sure[static_cast<std::size_t>(k)]) continue;
            value_in(fitted, one) = std::exp(x[k]);
            f.after = f.before * std::exp(x[k] - start[k]);
            f.within = f.after * *sure[static_cast<std::size_t>(k)];
            f.moves = sayers(found, k);
        }
        model_ = fitted;
    }

    // --- times ---

    void time_moves(Calibration& out) {
        std::map<int, FittedMove> by_way;
        for (const Sampled& m : moves_) {
            const Way& way = ways_[static_cast<std::size_t>(m.way)];
            FittedMove& one = by_way[m.way];
            if (one.times++ == 0) {
                one.step = way.step, one.kind = way.kind, one.before_s = way.before_s;
                const motion::MotionPtr fitted = computed(device(), way, model_);
                one.after_s = fitted ? fitted->duration() : way.before_s;
            }
            one.measured_s += measured_time(m);
        }
        for (auto& [way, one] : by_way) {
            one.measured_s /= one.times;
            out.moves.push_back(one);
        }
        std::stable_sort(out.moves.begin(), out.moves.end(),
            [](const FittedMove& a, const FittedMove& b) { return a.step < b.step; });
        // The step that was measured most often tells the round. Where one was missed, two rounds lie between.
        std::map<std::pair<int, BlockKind>, std::vector<double>> begins;
        for (const Sampled& m : moves_) {
            const Way& way = ways_[static_cast<std::size_t>(m.way)];
            begins[{way.step, way.kind}].push_back(m.t0);
        }
        const auto most = std::max_element(begins.begin(), begins.end(),
            [](const auto& a, const auto& b) { return a.second.size() < b.second.size(); });
        std::tie(out.anchor_step, out.anchor_kind) = most->first;
        // Several times in a steady period it may come at uneven distances: from one to that in the next period.
        const std::size_t per_period =
            std::max<std::size_t>(1, run_.steady ? begins_in(run_, device_, out.anchor_step, out.anchor_kind,
                                                       run_.steady->from, run_.steady->from + run_.steady->period)
                                                       .size()
                                                 : 1);
        std::vector<double> rounds;
        for (std::size_t i = per_period; i < most->second.size(); ++i)
            rounds.push_back((most->second[i] - most->second[i - per_period]) / static_cast<double>(per_period));
        if (!rounds.empty()) {
            std::sort(rounds.begin(), rounds.end());
            constexpr double missed = 1.6;
            const double middle = rounds[rounds.size() / 2];
            while (rounds.back() > missed * middle) rounds.pop_back();
            // Where every round is the same, the first ones are not: there the cell was still filling up.
            out.round_measured_s =
                run_.steady ? rounds[rounds.size() / 2]
                            : std::accumulate(rounds.begin(), rounds.end(), 0.0) / static_cast<double>(rounds.size());
        }
        out.round_before_s = round_of(run_, device_, out.anchor_step, out.anchor_kind);
    }
    /// From where a tenth of the way lies behind to where nine do, scaled by what the fitted motion takes for that.
    double measured_time(const Sampled& m) const {
        const double length = m.s.empty() ? 0 : length_of(ways_[static_cast<std::size_t>(m.way)]);
        const auto crossing = [&](double s) {
            for (std::size_t i = 1; i < m.s.size(); ++i)
                if (m.s[i] >= s && m.s[i - 1] < s)
                    return t(m, i) - (m.s[i] - s) / (m.s[i] - m.s[i - 1]) * (t(m, i) - t(m, i - 1));
            return t(m, 0);
        };
        const double took = crossing(0.9 * length) - crossing(0.1 * length);
        const Way& way = ways_[static_cast<std::size_t>(m.way)];
        const motion::MotionPtr fitted = computed(device(), way, model_);
        if (!fitted) return m.takes;
        // The shape is the fitted one; its length is what was measured.
        const double takes = fitted->duration();
        const auto share = [&](double s) {
            double low = 0, high = takes;
            for (int i = 0; i < 40; ++i) {
                const double middle = 0.5 * (low + high);
                (along(way, fitted->position(middle)) < s ? low : high) = middle;
            }
            return low;
        };
        const double whole = length_computed(way);
        const double computed_took = share(0.9 * whole) - share(0.1 * whole);
        return computed_took > 0 ? takes * took / computed_took : takes;
    }
    double length_of(const Way& way) const {
        if (way.straight) return (way.tool_to.translation() - way.tool_from.translation()).norm();
        return (real_[static_cast<std::size_t>(way.end)] - real_[static_cast<std::size_t>(way.begin)]).norm();
    }
    double length_computed(const Way& way) const { return way.straight ? length_of(way) : (way.to - way.from).norm(); }
    double along(const Way& way, const JointVector& q) const {
        if (!way.straight) return (q - way.from).dot(way.to - way.from) / (way.to - way.from).norm();
        const geometry::Frame tool = device().arm->with_tool(way.tool).tool_frame;
        return ((model_.flange_frame(q) * tool).translation() - way.tool_from.translation())
            .dot((way.tool_to.translation() - way.tool_from.translation()).normalized());
    }

    struct Gaps {
        std::vector<double> all;
        double mean() const { return std::accumulate(all.begin(), all.end(), 0.0) / static_cast<double>(all.size()); }
        double spread() const {
            if (all.size() < 2) return 0;
            double squares = 0;
            for (const double g : all) squares += (g - mean()) * (g - mean());
            return std::sqrt(squares / static_cast<double>(all.size() - 1));
        }
    };
    void fit_times(Calibration& out) {
        std::map<std::pair<Between::Is, int>, Gaps> gaps;
        for (std::size_t i = 1; i < moves_.size(); ++i) {
            if (!moves_[i].follows) continue;
            const auto between = between_.find({moves_[i - 1].way, moves_[i].way});
            if (between == between_.end() || between->second.is == Between::Is::else_) continue;
            const Between& b = between->second;
            const int tool = ways_[static_cast<std::size_t>(moves_[i - 1].way)].tool;
            const int which = b.is == Between::Is::dwell ? b.step : b.is == Between::Is::nothing ? 0 : tool;
            gaps[{b.is, which}].all.push_back(moves_[i].t0 - moves_[i - 1].t0 - moves_[i - 1].takes);
        }
        const auto told = [&](Fitted::Of of, std::string where, std::string words, double before, const Gaps* g,
                              double less) {
            Fitted f;
            f.of = of, f.where = std::move(where), f.words = std::move(words), f.unit = "s";
            f.before = f.after = before;
            if (g && !g->all.empty()) {
                f.after = std::max(0.0, g->mean() - less);
                f.spread = g->spread();
                f.moves = static_cast<int>(g->all.size());
                // One gap alone is as sure as its two moves are; more of them tell themselves.
                constexpr double of_one = 0.004;
                f.within = std::max(f.spread, g->all.size() < 2 ? of_one : 1e-4) / std::sqrt(f.moves);
            }
            out.fitted.push_back(std::move(f));
        };
        const auto of = [&](Between::Is is, int which) -> const Gaps* {
            const auto found = gaps.find({is, which});
            return found == gaps.end() ? nullptr : &found->second;
        };
        const Gaps* settling = of(Between::Is::nothing, 0);
        told(Fitted::Of::model, "settle_s", "settling time", model_.settle, settling, 0);
        const double settle = out.fitted.back().after;
        for (std::size_t tool = 0; tool < device().arm->tools.size(); ++tool) {
            const cell::ToolModel* model = device().arm->with_tool(static_cast<int>(tool)).tool;
            if (!model) continue;
            told(Fitted::Of::tool, model->id + "/close_s", model->name + " closes in", model->close_s,
                of(Between::Is::grip, static_cast<int>(tool)), settle);
            told(Fitted::Of::tool, model->id + "/open_s", model->name + " opens in", model->open_s,
                of(Between::Is::release, static_cast<int>(tool)), settle);
        }
        for (const auto& [key, g] : gaps)
            if (key.first == Between::Is::dwell)
                for (const cell::Step* s : cell::all_steps(device()))
                    if (s->number == key.second && !s->time.varies())
                        told(Fitted::Of::step, s->path, "time of step " + std::to_string(s->number + 1), s->time.mean(),
                            &g, settle);
    }

    const cell::Cell& cell_;
    const simulation::Run& run_;
    const int device_;
    const Measured& measured_;
    const inspection::StopFlag* stop_;
    ArmModel model_;  ///< as far as it is fitted
    std::vector<Way> ways_;
    std::vector<JointVector> real_;  ///< by pose: where the arm really stands
    std::map<std::pair<int, int>, Between> between_;
    std::vector<Sampled> moves_;
    int left_over_ = 0;
    double noise_ = 0;
    std::vector<std::pair<int, int>> limits_;  ///< joint, and 0 speed, 1 acceleration, 2 jerk
};

}  // namespace

Calibration calibrate(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
    const inspection::StopFlag* stop) {
    return Fit(cell, run, device, measured, stop).result();
}

std::optional<double> round_of(const simulation::Run& run, int device, int step, BlockKind kind) {
    const Stretch in = stretch_of(run);
    const std::vector<Ticks> begins = begins_in(run, device, step, kind, in.from, in.to);
    if (run.steady && !begins.empty())
        return simulation::seconds(run.steady->period) / static_cast<double>(begins.size());
    if (begins.size() < 2) return std::nullopt;
    return simulation::seconds(begins.back() - begins.front()) / static_cast<double>(begins.size() - 1);
}

}  // namespace escarp::study
