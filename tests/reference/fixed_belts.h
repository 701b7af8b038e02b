#pragma once
// Belts on a clock that ticks: every part is moved on every tick, everything is looked at on every tick. Shares no code
// with the event kernel. Infeeds, stops on a square wave, pitches, ramps, parts that come in from the side, diverts.

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <string>
#include <vector>

#include <cell/document/edit.h>
#include <cell/model/cell.h>

namespace escarp::tests {

struct FixedBelts {
    struct Part {
        double length;
        std::string type;
    };
    struct Rider {
        int part;
        double x;
        double held_since = -1;  ///< by who comes in from the side
        bool granted = false;
        bool moved = true;  ///< in the last tick
    };
    struct Stop {
        double at, period, open_from;  ///< open in each period from there to its end
        bool one_each;
        bool was_open = false, may_go = false;
        int let_go = -1;
    };
    struct Divert {
        double at, takes;  ///< s across
        std::string type;
        std::string to;
        int here = -1;
        double since = 0, until = -1;
    };
    struct Belt {
        double length, speed, gap, gain, pitch, dwell;  ///< gain: m/s^2, 0: at once
        bool steps, all_stand, from_side;
        std::string to, first, id;
        double side_at = 0;   ///< of the place along `to` where it comes in
        double side_way = 0;  ///< from where its last part stands to there, for a part of no length
        double v = 0, left = 0, stood = 0;
        std::deque<Rider> riders = {};
        std::vector<Stop> stops = {};
        std::vector<Divert> diverts = {};
        struct Crossing {
            int part;
            double at, until;
        };
        std::vector<Crossing> crossings = {};
        bool side_was_last = false;
        double waits_since = -1;
        int leaving = -1;  ///< handed on last: it may still lie over the end
    };
    struct Infeed {
        std::string onto, type;
        double every, length, due = 0;
    };

    std::map<std::string, Belt> belts;
    std::vector<Infeed> infeeds;
    std::vector<Part> parts;
    std::vector<double> departures;
    double now = 0;

    double pitch(const Belt& b, int one, int two) const {
        return 0.5 * (parts[one].length + parts[two].length) + b.gap;
    }
    bool fits(const Belt& b, int part, double x) const {
        for (const Rider& r : b.riders)
            if (std::abs(r.x - x) < pitch(b, r.part, part) - 1e-9) return false;
        for (const Belt::Crossing& c : b.crossings)
            if (std::abs(c.at - x) < pitch(b, c.part, part) - 1e-9) return false;
        return true;
    }
    static void put(Belt& b, int part, double x) {
        const auto behind = std::find_if(b.riders.begin(), b.riders.end(), [&](const Rider& r) { return r.x < x; });
        b.riders.insert(behind, {part, x});
    }
    /// Who waits to come into a belt from the side: since when, where, which part.
    struct Wish {
        double since, at;
        int part;
        Belt* belt = nullptr;
        Divert* divert = nullptr;
    };
    std::vector<Wish> wishes(const std::string& into) {
        std::vector<Wish> out;
        for (auto& [id, b] : belts) {
            if (b.from_side && b.to == into && b.waits_since >= 0)
                out.push_back({b.waits_since, b.side_at, b.riders.front().part, &b, nullptr});
            for (Divert& d : b.diverts)
                if (d.to == into && d.here >= 0 && d.until < 0) out.push_back({d.since, 0, d.here, nullptr, &d});
        }
        return out;
    }
    bool at_end(const Belt& b) const {
        return !b.riders.empty() && b.riders.front().x >= b.length - 0.5 * parts[b.riders.front().part].length - 1e-9;
    }

    /// The first part waits a pitch behind where the one that was handed on last stood, until it can run on and come to
    /// the end just when that one has left it and is a gap beyond.
    double behind_leaving(Belt& b, const Rider& r, double end) {
        const Belt& next = belts.at(b.to);
        const double need = 0.5 * parts[b.leaving].length + b.gap;
        const auto there =
            std::find_if(next.riders.begin(), next.riders.end(), [&](const Rider& o) { return o.part == b.leaving; });
        if (there == next.riders.end() || there->x >= need - 1e-9) {
            b.leaving = -1;
            return end;
        }
        const double clear = there->moved && next.v > 0 ? (need - there->x) / next.v : 1e9;
        if ((end - r.x) / (b.v > 0 ? b.v : b.speed) >= clear - 1e-6) return end;
        return std::max(r.x, b.length - 0.5 * parts[b.leaving].length - pitch(b, b.leaving, r.part));
    }
    double limit_of(const std::string& id, Belt& b, std::size_t i, bool& held) {
        Rider& r = b.riders[i];
        const Part& p = parts[r.part];
        double limit = i == 0 ? b.length - 0.5 * p.length : b.riders[i - 1].x - pitch(b, b.riders[i - 1].part, r.part);
        held = i == 0;
        if (i == 0 && b.leaving >= 0) limit = std::min(limit, behind_leaving(b, r, limit));
        const auto hold = [&](double at) {
            if (at < limit) limit = at, held = true;
        };
        for (Stop& s : b.stops) {
            const double at = s.at - 0.5 * p.length;
            if (r.x > at + 1e-9) continue;
            const bool open = std::fmod(now, s.period) >= s.open_from;
            if (s.one_each ? s.let_go == r.part : open) continue;
            if (s.one_each && s.may_go && r.x >= at - 1e-9) {
                s.may_go = false, s.let_go = r.part;
                continue;
            }
            hold(at);
        }
        for (Divert& d : b.diverts)
            if (r.x <= d.at + 1e-9 && p.type == d.type) hold(d.at);
        for (const Belt::Crossing& c : b.crossings)
            if (r.x < c.at) hold(c.at - pitch(b, c.part, r.part));
        for (const Wish& w : wishes(id)) {
            if (!w.belt) continue;
            const double at = w.at - pitch(b, w.part, r.part);
            if (r.x > at + 1e-9 || r.granted) continue;
            const bool there = r.x >= at - 1e-9;
            if (there && r.held_since < 0) r.held_since = now;
            bool through = b.first == "this belt";
            if (b.first == "first come") through = there && r.held_since <= w.since;
            if (b.first == "turns") through = there && b.side_was_last;
            if (through && b.first == "turns") r.granted = true, b.side_was_last = false;
            if (through && b.first == "first come") r.granted = true;
            if (!through) hold(at);
        }
        return limit;
    }

    void move(const std::string& id, Belt& b, double dt) {
        for (Stop& s : b.stops) {
            const bool open = std::fmod(now, s.period) >= s.open_from;
            if (open && !s.was_open && s.one_each) s.may_go = true;
            s.was_open = open;
        }
        // The drive.
        bool someone_held = false;
        for (std::size_t i = 0; i < b.riders.size(); ++i) {
            bool held = false;
            const double limit = limit_of(id, b, i, held);
            someone_held = someone_held || (held && b.riders[i].x >= limit - 1e-9);
        }
        double wanted = b.all_stand && someone_held ? 0 : b.speed;
        if (b.steps) {
            if (b.left <= 0 && now >= b.stood + b.dwell - 1e-9 && !at_end(b) && b.crossings.empty()) b.left = b.pitch;
            wanted = b.left > 0 ? wanted : 0;
            if (b.gain > 0 && dt > 0) {  // no faster at the end of this tick than it can still stand in time
                const double under = 0.25 * b.gain * b.gain * dt * dt - 2 * b.gain * (0.5 * b.v * dt - b.left);
                wanted = std::min(wanted, std::max(0.0, std::sqrt(std::max(0.0, under)) - 0.5 * b.gain * dt));
            }
        }
        const double before = b.v;
        if (b.gain <= 0) b.v = wanted;
        else b.v = b.v < wanted ? std::min(wanted, b.v + b.gain * dt) : std::max(wanted, b.v - b.gain * dt);
        double way = 0.5 * (before + b.v) * dt;
        if (b.gain <= 0) way = b.v * dt;
        if (b.steps && b.left > 0) {
            way = std::min(way, b.left);
            b.left -= way;
            if (b.left < (b.gain > 0 ? 1e-7 : 1e-9)) way += b.left, b.left = 0, b.v = 0, b.stood = now;
        }
        for (std::size_t i = 0; i < b.riders.size(); ++i) {
            bool held = false;
            const double limit = limit_of(id, b, i, held);
            const double from = b.riders[i].x;
            b.riders[i].x = std::max(from, std::min(from + way, limit));
            b.riders[i].moved = b.riders[i].x > from;
        }
        // Where one is held now all stand from now on.
        if (b.all_stand && b.gain <= 0)
            for (std::size_t i = 0; i < b.riders.size(); ++i) {
                bool held = false;
                const double limit = limit_of(id, b, i, held);
                if (held && b.riders[i].x >= limit - 1e-9) b.v = 0;
            }
        for (Divert& d : b.diverts)
            if (d.here < 0)
                for (const Rider& r : b.riders)
                    if (std::abs(r.x - d.at) < 1e-9 && parts[r.part].type == d.type) d.here = r.part, d.since = now;
        if (b.from_side && at_end(b) && b.waits_since < 0) b.waits_since = now;
    }

    void hand_over(Belt& b) {
        for (Divert& d : b.diverts) {
            if (d.here < 0) continue;
            if (d.until < 0) {  // diverts lead out of the cell here
                d.until = now + d.takes;
            } else if (now >= d.until - 1e-9) {
                std::erase_if(b.riders, [&](const Rider& r) { return r.part == d.here; });
                departures.push_back(now);
                d.here = -1, d.until = -1;
            }
        }
        for (auto c = b.crossings.begin(); c != b.crossings.end();) {
            if (now < c->until - 1e-9) {
                ++c;
                continue;
            }
            put(b, c->part, c->at);
            c = b.crossings.erase(c);
        }
        if (!at_end(b) || b.to.empty()) return;
        const int part = b.riders.front().part;
        if (!belts.count(b.to)) {
            departures.push_back(now);
            b.riders.pop_front();
            return;
        }
        Belt& next = belts.at(b.to);
        if (next.steps ? next.v > 0 || next.left > 0 : next.v <= 0) return;
        if (b.from_side) {
            if (!fits(next, part, b.side_at)) return;
            next.crossings.push_back({part, b.side_at, now + (b.side_way + 0.5 * parts[part].length) / b.speed});
            next.side_was_last = true;
            b.waits_since = -1;
        } else {
            if (!fits(next, part, -0.5 * parts[part].length)) return;
            put(next, part, -0.5 * parts[part].length);
            b.leaving = part;
        }
        b.riders.pop_front();
    }

    void run(double horizon, double dt) {
        for (long n = 0; n * dt <= horizon; ++n) {
            now = static_cast<double>(n) * dt;
            for (auto& [id, b] : belts) move(id, b, n == 0 ? 0 : dt);
            for (auto& [id, b] : belts) hand_over(b);
            for (Infeed& f : infeeds) {
                if (now < f.due - 1e-9) continue;
                Belt& b = belts.at(f.onto);
                if (b.steps ? b.v > 0 || b.left > 0 : b.v <= 0 && n > 0) continue;
                parts.push_back({f.length, f.type});
                const int part = static_cast<int>(parts.size()) - 1;
                if (!fits(b, part, 0.5 * f.length)) {
                    parts.pop_back();
                    continue;
                }
                put(b, part, 0.5 * f.length);
                f.due = std::max(f.due, now - dt) + f.every;
            }
        }
    }
};

}  // namespace escarp::tests
