#include "way_through.h"

#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <geometry/indices.h>
#include <simulation/kernel.h>

namespace escarp::study {

using cell::json;
using inspection::ZoneVisit;
using simulation::seconds;
using simulation::Ticks;

namespace {
constexpr double before_border = 2e-3;   // s of the motion: by so much earlier, and later
constexpr double worth_leaving = 0.5;    // s: for less it stays
constexpr double at_its_end = 1 - 1e-7;  // of a leg: not later
}  // namespace

WayThrough::WayThrough(const Evaluation& e, int device, const std::vector<ZoneVisit>& visits, Ticks until)
    : e_(e), device_(device) {
    int before = -1;
    const auto& motions = e.run->trace.motions[device];
    for (std::size_t i = 0; i < motions.size() && motions[i].from < until; ++i) {
        const Ticks to = i + 1 < motions.size() ? std::min(motions[i + 1].from, until) : until;
        const int leg = leg_of(motions[i]);
        if (leg < 0) continue;
        if (before >= 0) follows_.emplace(before, leg);
        before = leg;
        way_.push_back(leg);
        add(legs_[leg], visits, motions[i], to);
    }
}

bool WayThrough::Leg::inside_at(double share) const {
    return std::any_of(
        inside.begin(), inside.end(), [&](const auto& i) { return i.first <= share && share <= i.second; });
}

void WayThrough::add_points(const json& whose, bool with_visits, json& points) const {
    const Visits visits = with_visits ? this->visits() : Visits{};
    const auto point = [&](const Leg& leg, const char* does, double share) -> json& {
        json row = whose;
        row["does"] = does;
        if (leg.place > 0) row["place"] = leg.place;
        else row["step"] = leg.step, row["during"] = leg.during;
        row["at_pct"] = share;
        points.push_back(std::move(row));
        return points.back();
    };
    for (const int i : indices(legs_)) {
        const Leg& leg = legs_[i];
        const bool after_inside = std::any_of(follows_.begin(), follows_.end(),
            [&](const auto& f) { return f.second == i && legs_[f.first].inside_at(1); });
        if (after_inside && !leg.inside_at(0)) point(leg, "gives back", 0);
        for (std::size_t n = 0; n < leg.inside.size(); ++n) {
            const auto& [from, to] = leg.inside[n];
            if (leg.asks(n)) {
                // What is no arm goes as soon as it may.
                json& p = point(leg, "asks", leg.place > 0 ? 0.0 : std::floor(1e6 * from) / 1e4);
                if (with_visits) p["visit"] = visits.number(i, n);
            }
            if (to < 1) point(leg, "gives back", std::ceil(1e6 * to) / 1e4);
        }
    }
}

WayThrough::Visits WayThrough::visits() const {
    Visits all;
    for (std::size_t i = 0; i < legs_.size(); ++i)
        for (std::size_t n = 0; n < legs_[i].inside.size(); ++n)
            if (legs_[i].asks(n)) all.begin.emplace(std::pair(i, n), static_cast<int>(all.begin.size()) + 1);
    const auto same = [&](int one, int other) {
        if (one == other) return;
        for (auto& [place, number] : all.begin)
            if (number == other) number = one;
        all.steps[one].merge(all.steps[other]);
        all.steps.erase(other);
    };
    int now = 0;  // the visit that it is on; 0: it has no leave
    for (const int l : way_) {
        const Leg& leg = legs_[l];
        if (!leg.inside_at(0)) now = 0;
        for (std::size_t n = 0; n < leg.inside.size(); ++n) {
            if (leg.asks(n)) {
                const int here = all.begin.at({static_cast<std::size_t>(l), n});
                if (now) same(now, here);
                else now = here;
            }
            if (now) all.steps[now].insert(leg.number);
            if (leg.inside[n].second < 1) now = 0;
        }
    }
    // From 1, without gaps.
    std::map<int, int> numbers;
    Visits out;
    for (const auto& [place, number] : all.begin) {
        const int short_number = numbers.try_emplace(number, static_cast<int>(numbers.size()) + 1).first->second;
        out.begin.emplace(place, short_number);
        out.steps[short_number] = all.steps[number];
    }
    return out;
}

int WayThrough::leg_of(const simulation::MotionRecord& m) {
    if (m.block < 0 || m.motion->duration() <= 0) return -1;
    const simulation::Block& b = e_.run->trace.blocks[m.block];
    const cell::Device& d = e_.cell->devices[device_];
    if (!d.arm) return leg({{}, {}, -1, place_after(m), {}});
    for (const cell::Step* s : cell::all_steps(d))
        if (s->number == b.step) return leg({s->id, word(b.kind), s->number, 0, {}});
    return -1;
}

/// The one that is known already, or from now on.
int WayThrough::leg(const Leg& wanted) {
    const auto found = std::find_if(legs_.begin(), legs_.end(),
        [&](const Leg& l) { return l.step == wanted.step && l.during == wanted.during && l.place == wanted.place; });
    if (found != legs_.end()) return static_cast<int>(found - legs_.begin());
    legs_.push_back(wanted);
    return static_cast<int>(legs_.size()) - 1;
}

/// What goes once round comes to the first one again.
int WayThrough::place_after(const simulation::MotionRecord& m) const {
    constexpr double there = 1e-6;  // m or rad
    const cell::Device& d = e_.cell->devices[device_];
    const double value = m.motion->position(m.motion->duration())[0];
    const std::vector<double> places = d.kind->stands_at(d);
    const auto found =
        std::find_if(places.begin(), places.end(), [&](double at) { return std::abs(at - value) < there; });
    return found == places.end() ? 1 : static_cast<int>(found - places.begin()) + 1;
}

void WayThrough::add(Leg& leg, const std::vector<ZoneVisit>& visits, const simulation::MotionRecord& m, Ticks to) {
    const double duration = m.motion->duration();
    bool outside = true;
    for (const ZoneVisit& v : visits) {
        if (v.leaves < m.from || v.enters > to || (leg.place > 0 && v.leaves == m.from)) continue;
        outside = outside && (v.enters > m.from || (leg.place > 0 && m.from > 0 && v.enters == m.from));
        const auto share = [&](Ticks t, double margin) {
            return std::clamp((seconds(t - m.from) + margin) / duration, 0.0, 1.0);
        };
        const double in = share(v.enters, -before_border);
        if (in >= 1) continue;
        double out = v.leaves >= to ? 1.0 : share(v.leaves, before_border);
        const bool whole = to >= m.from + simulation::ticks(duration);
        if (leg.place > 0 && whole && v.leaves == to) out = at_its_end;  // standing there it is in nobody's way
        leg.inside.emplace_back(in, out);
    }
    leg.begins_outside = leg.begins_outside || outside;
    std::sort(leg.inside.begin(), leg.inside.end());
    std::vector<std::pair<double, double>> joined;
    for (const auto& i : leg.inside)
        if (!joined.empty() && (i.first - joined.back().second) * duration < worth_leaving)
            joined.back().second = std::max(joined.back().second, i.second);
        else joined.push_back(i);
    leg.inside = std::move(joined);
}

}  // namespace escarp::study
