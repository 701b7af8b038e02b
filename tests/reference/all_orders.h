#pragma once
// Small programs of arms that share space, gone through in every order by a plain search: no events, no motions, no
// reduction. What tests::OrderCell says as a cell, this says as lists of words.

#include <array>
#include <deque>
#include <map>
#include <set>
#include <vector>

namespace escarp::tests {

/// One thing that an arm does. `goes`: a motion, in whose middle it may ask for a zone or give one back (or both);
/// `sets`, `waits`: its own signal or another's, in no time.
struct OrderWord {
    enum Kind { goes, sets, waits } kind = goes;
    std::vector<std::pair<bool, int>> passes = {};  ///< goes: (asks, zone) in their order
    int signal = 0;
    bool value = false;
};
struct OrderProgram {
    /// The last of them may be doors: each goes to and fro while a signal has its word's value, and asks for all that
    /// it needs before it sets off.
    std::vector<std::vector<OrderWord>> arms;
    int doors = 0;
    struct Between {
        int one, other, rule;  ///< 0 first come, 1 one before the other, 2 the other way round, 3 in turn
    };
    std::vector<Between> zones;
    int signals = 0;
};

/// Whether some order leads to where some arms never go on, one of them at a zone; and whether in some order two are
/// inside one zone at once that nobody guards (`guarded` false).
struct AllOrders {
    bool locks_up = false, meet = false;
    std::size_t states = 0;
};

class OrderSearch {
public:
    OrderSearch(const OrderProgram& p, bool guarded) : p_(p), guarded_(guarded) {}

    AllOrders all() {
        State first;
        first.arms.resize(p_.arms.size());
        first.zones.resize(p_.zones.size());
        first.signals.assign(static_cast<std::size_t>(p_.signals), 0);
        for (std::size_t a = 0; a < p_.arms.size(); ++a) run(first, static_cast<int>(a));
        settle(first);
        std::map<State, int> number{{first, 0}};
        std::vector<State> states{first};
        std::vector<std::vector<std::pair<int, int>>> next;
        AllOrders out;
        for (std::size_t i = 0; i < states.size(); ++i) {
            next.emplace_back();
            out.meet = out.meet || two_inside(states[i]);
            for (std::size_t a = 0; a < p_.arms.size(); ++a) {
                if (states[i].arms[a].waits != 0) continue;
                State s = states[i];
                advance(s, static_cast<int>(a));
                settle(s);
                const auto [at, fresh] = number.emplace(s, static_cast<int>(states.size()));
                if (fresh) states.push_back(s);
                next[i].emplace_back(at->second, static_cast<int>(a));
            }
        }
        out.states = states.size();
        // Which arms can ever act again, from each state: until nothing is added any more.
        std::vector<unsigned> ever(states.size());
        for (bool changed = true; changed;) {
            changed = false;
            for (std::size_t i = states.size(); i-- > 0;) {
                unsigned all = ever[i];
                for (const auto& [to, arm] : next[i]) all |= ever[static_cast<std::size_t>(to)] | 1u << arm;
                changed = changed || all != ever[i];
                ever[i] = all;
            }
        }
        for (std::size_t i = 0; i < states.size(); ++i)
            for (std::size_t a = 0; a < p_.arms.size(); ++a)
                out.locks_up = out.locks_up || (!(ever[i] >> a & 1) && states[i].arms[a].waits == at_zone);
        return out;
    }

private:
    static constexpr int at_zone = 1, for_signal = 2;
    struct ArmState {
        int word = 0, passed = 0;  ///< of the present motion: how many of its passes lie behind
        int waits = 0;
        bool on_way = false;  ///< doors
        std::vector<int> inside = {};
        auto operator<=>(const ArmState&) const = default;
    };
    struct ZoneState {
        int holder = -1, turn = 0;
        std::vector<int> asked = {};  ///< in their order, the holder too
        auto operator<=>(const ZoneState&) const = default;
    };
    struct State {
        std::vector<ArmState> arms;
        std::vector<ZoneState> zones;
        std::vector<int> signals;
        auto operator<=>(const State&) const = default;
    };
    const OrderWord& word(const State& s, int arm) const {
        const auto& words = p_.arms[static_cast<std::size_t>(arm)];
        return words[static_cast<std::size_t>(s.arms[static_cast<std::size_t>(arm)].word)];
    }
    bool is_door(int arm) const { return arm >= static_cast<int>(p_.arms.size()) - p_.doors; }
    void leave(State& s, int arm, int zone) const {
        std::erase(s.arms[static_cast<std::size_t>(arm)].inside, zone);
        ZoneState& z = s.zones[static_cast<std::size_t>(zone)];
        std::erase(z.asked, arm);
        if (z.holder == arm) z.holder = -1, let_in(s, zone);
    }
    /// What it has asked for since it wanted to go is given back where it does not want to any more.
    void set_off_door(State& s, int arm) const {
        ArmState& a = s.arms[static_cast<std::size_t>(arm)];
        const OrderWord& w = word(s, arm);
        if (s.signals[static_cast<std::size_t>(w.signal)] != w.value) {
            for (int n = 0; n < a.passed + (a.waits == at_zone); ++n)
                leave(s, arm, w.passes[static_cast<std::size_t>(n)].second);
            a.passed = 0;
            a.waits = for_signal;
            return;
        }
        for (; a.passed < static_cast<int>(w.passes.size()); ++a.passed) {
            const auto [asks, zone] = w.passes[static_cast<std::size_t>(a.passed)];
            if (!asks) break;
            ZoneState& z = s.zones[static_cast<std::size_t>(zone)];
            if (guarded_ && a.waits != at_zone) z.asked.push_back(arm), let_in(s, zone);
            if (guarded_ && z.holder != arm) {
                a.waits = at_zone;
                return;
            }
            a.waits = 0;
            a.inside.push_back(zone);
        }
        a.waits = 0;
        a.on_way = true;
    }
    void next_word(State& s, int arm) const {
        ArmState& a = s.arms[static_cast<std::size_t>(arm)];
        a.word = (a.word + 1) % static_cast<int>(p_.arms[static_cast<std::size_t>(arm)].size());
        a.passed = 0;
    }
    /// What takes no time, up to the next motion or wait.
    void run(State& s, int arm) const {
        ArmState& a = s.arms[static_cast<std::size_t>(arm)];
        if (is_door(arm)) return set_off_door(s, arm);
        while (true) {
            const OrderWord& w = word(s, arm);
            a.waits = 0;
            if (w.kind == OrderWord::goes) return;
            if (w.kind == OrderWord::waits && s.signals[static_cast<std::size_t>(w.signal)] != w.value) {
                a.waits = for_signal;
                return;
            }
            if (w.kind == OrderWord::sets) s.signals[static_cast<std::size_t>(w.signal)] = w.value;
            next_word(s, arm);
        }
    }
    /// The next event of an arm in a motion.
    void advance(State& s, int arm) const {
        ArmState& a = s.arms[static_cast<std::size_t>(arm)];
        const OrderWord& w = word(s, arm);
        if (a.passed == static_cast<int>(w.passes.size())) {
            a.on_way = false;
            next_word(s, arm);
            run(s, arm);
            return;
        }
        const auto [asks, zone] = w.passes[static_cast<std::size_t>(a.passed)];
        ZoneState& z = s.zones[static_cast<std::size_t>(zone)];
        if (!asks) {
            leave(s, arm, zone);
            ++a.passed;
            return;
        }
        if (guarded_) {
            z.asked.push_back(arm);
            let_in(s, zone);
            if (z.holder != arm) {
                a.waits = at_zone;
                return;
            }
        }
        a.inside.push_back(zone);
        ++a.passed;
    }
    void let_in(State& s, int zone) const {
        ZoneState& z = s.zones[static_cast<std::size_t>(zone)];
        if (z.holder >= 0) return;
        const OrderProgram::Between& b = p_.zones[static_cast<std::size_t>(zone)];
        const auto wants = [&](int arm) { return std::find(z.asked.begin(), z.asked.end(), arm) != z.asked.end(); };
        int next = -1;
        if (b.rule == 0 && !z.asked.empty()) next = z.asked.front();
        if (b.rule == 1) next = wants(b.one) ? b.one : wants(b.other) ? b.other : -1;
        if (b.rule == 2) next = wants(b.other) ? b.other : wants(b.one) ? b.one : -1;
        if (b.rule == 3 && wants(z.turn == 0 ? b.one : b.other)) next = z.turn == 0 ? b.one : b.other;
        if (next < 0) return;
        z.holder = next;
        z.turn = next == b.one ? 1 : 0;
    }
    /// Who waits and need not any more goes on, the first arm first.
    void settle(State& s) const {
        for (bool changed = true; changed;) {
            changed = false;
            for (std::size_t i = 0; i < s.arms.size(); ++i) {
                ArmState& a = s.arms[i];
                const int arm = static_cast<int>(i);
                if (is_door(arm)) {
                    if (a.on_way) continue;
                    const ArmState before = a;
                    set_off_door(s, arm);
                    changed = changed || a != before;
                } else if (a.waits == for_signal) {
                    run(s, arm);
                    changed = changed || a.waits == 0;
                } else if (a.waits == at_zone) {
                    const int zone = word(s, arm).passes[static_cast<std::size_t>(a.passed)].second;
                    if (s.zones[static_cast<std::size_t>(zone)].holder != arm) continue;
                    a.waits = 0;
                    a.inside.push_back(zone);
                    ++a.passed;
                    changed = true;
                }
            }
        }
    }
    static bool two_inside(const State& s) {
        std::set<int> seen;
        for (const ArmState& a : s.arms)
            for (const int zone : a.inside)
                if (!seen.insert(zone).second) return true;
        return false;
    }

    const OrderProgram& p_;
    const bool guarded_;
};

}  // namespace escarp::tests
