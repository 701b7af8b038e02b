#include "orders.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <mutex>
#include <set>
#include <unordered_map>
#include <utility>

#include <geometry/indices.h>
#include <geometry/work_done.h>
#include <simulation/kernel.h>

#include "cache.h"

namespace escarp::inspection {
namespace {

using simulation::Durations;
using simulation::EventKey;
using simulation::History;
using simulation::Kernel;
using simulation::Run;
using simulation::Ticks;
using simulation::WaitFor;

using Key = simulation::StateKey;
struct KeyHash {
    std::size_t operator()(const Key& key) const { return key.first; }
};

Key key_of(const Kernel& k) { return simulation::key_of_state(k.state()); }

/// An event that was taken, named so that it is found again, and what chance decided then. Of what rides: all goes on
/// until it is held, or comes round.
struct Taken {
    int actor, what, part, device;
    bool rides;
    std::vector<int> choices;
};

struct Node {
    int before = -1;  ///< the node that it was first reached from
    Taken by;         ///< and how
    int level = 0;    ///< events from the start, of what comes by itself not each
    bool expanded = false;
    std::uint64_t at_border = 0;            ///< who waits for shared space, by rank
    std::vector<std::pair<int, int>> next;  ///< node, device that acts
};

EventKey found_again(const std::vector<EventKey>& among, const Taken& taken) {
    const EventKey* found = nullptr;
    for (const EventKey& e : among)
        if (e.actor == taken.actor && e.what == taken.what && (!found || e.part == taken.part)) found = &e;
    return found ? *found : EventKey{simulation::never, -1, 0, 0, 0};
}

bool rides(const Kernel& k, const EventKey& e) { return k.pace(e) == simulation::Actor::Pace::by_clock; }

/// What rides goes on until it is held; where it never is, until all is as it was before.
/// False: it takes too long to come to that.
template <typename Look>
bool ride_on(Kernel& k, const StopFlag* stop, const Look& look) {
    constexpr int most = 400;
    std::set<Key> seen;
    for (int taken = 0; taken < most; ++taken) {
        motion::throw_if_stopped(stop);
        const std::vector<EventKey> ready = k.ready();
        if (ready.empty() || !rides(k, ready.front()) || k.ended() || !seen.insert(key_of(k)).second) return true;
        k.take(ready.front());
        look();
    }
    return false;
}

/// Whether some task decides by what a signal says at an instant, or does not wait for ever.
bool branches_on_signals(const cell::Cell& cell) {
    for (const cell::Device& d : cell.devices)
        for (const cell::Step* s : cell::all_steps(d))
            if (s->enabled && (s->patience > 0 || (s->condition && (!s->then.empty() || !s->otherwise.empty()))))
                return true;
    return false;
}

constexpr std::size_t most_outcomes = 64;  // of one event

/// Who may have to do with whom, by what the cell says: without one device, the others fall into groups of which none
/// ever reaches into another.
class Ties {
public:
    Ties(const cell::Cell& cell, const Kernel& kernel) : near_(cell.devices.size()), without_(cell.devices.size()) {
        for (const auto& [one, other] : kernel.ties()) tie(one, other);
        for (const int index : indices(cell.devices)) {
            const cell::Device& d = cell.devices[index];
            tie(index, d.host);  // belts ask what stands on them
            for (const cell::Step* s : cell::all_steps(d)) {
                tie(index, s->device);
                if (s->signal >= 0) tie(index, cell.signals[s->signal].device);
            }
        }
    }
    bool knows(int one, int other) const { return one == other || near_[one].count(other) > 0; }
    /// By device: its group, where this one is not there.
    const std::vector<int>& groups_without(int device) const {
        const std::lock_guard lock(mutex_);
        std::vector<int>& group = without_[device];
        if (!group.empty()) return group;
        group.assign(near_.size(), -1);
        int count = 0;
        for (const int i : indices(near_)) {
            if (group[i] >= 0 || i == device) continue;
            std::vector<int> open{i};
            group[i] = count;
            while (!open.empty()) {
                const int at = open.back();
                open.pop_back();
                for (const int next : near_[at])
                    if (next != device && group[next] < 0) group[next] = count, open.push_back(next);
            }
            ++count;
        }
        return group;
    }

private:
    void tie(int one, int other) {
        if (one >= 0 && other >= 0 && one != other) near_[one].insert(other), near_[other].insert(one);
    }
    std::vector<std::set<int>> near_;
    mutable std::mutex mutex_;
    mutable std::vector<std::vector<int>> without_;
};

class Graph {
public:
    Graph(const cell::Cell& cell, Cache& cache, const StopFlag* stop, std::size_t most, const std::vector<int>& rank,
        Which which, std::set<std::pair<int, int>>& choice_at)
        : cell_(cell),
          cache_(cache),
          stop_(stop),
          most_(most),
          rank_(rank),
          which_(which),
          choice_at_(choice_at),
          asks_where_it_is_(branches_on_signals(cell)) {}

    /// False: there are more states than are gone through.
    bool explore() {
        auto first = std::make_unique<Kernel>(cell_, cache_.plans, stop_, History::none, Durations::free);
        first->start();
        ties_.emplace(cell_, *first);
        number_of(key_of(*first), *first, -1, {});
        std::vector<Open> level, next;
        level.push_back({0, std::move(first)});
        for (; !level.empty(); level = std::move(next), next.clear())
            for (std::size_t from = 0; from < level.size(); from += at_once) {
                const std::size_t some = std::min(at_once, level.size() - from);
                std::vector<Expanded> found(some);
                tbb::parallel_for(std::size_t{0}, some, [&](std::size_t i) {
                    motion::throw_if_stopped(stop_);
                    Open& one = level[from + i];
                    found[i] = expand(one.node, std::move(one.kernel));
                });
                for (std::size_t i = 0; i < some; ++i) {
                    add(level[from + i].node, found[i], next);
                    too_wide_ = (level.size() - from + next.size()) * next_bytes(next) > most_bytes;
                    if (nodes_.size() > most_ || too_wide_ || too_mixed_ || restless_ || surprised_ ||
                        (astray_ && which_ != Which::all))
                        return false;
                }
            }
        return true;
    }
    const std::vector<Node>& nodes() const { return nodes_; }
    /// Somebody reached for what the cell does not say that it has to do with: what was left out may not come to the
    /// same.
    bool astray() const { return astray_; }
    /// Chance decided something where it had not been expected, and what it did was lost: once more.
    bool surprised() const { return surprised_; }
    /// Why not all of it was gone through.
    std::string why_not() const {
        return too_mixed_  ? "what comes is mixed by chance in too many ways"
               : restless_ ? "what rides never comes to rest"
               : too_wide_ ? "more than " + std::to_string(nodes_.size()) +
                                 " states, and too many of them at once for the memory that it is given"
                           : "more than " + std::to_string(most_) + " states";
    }

private:
    static constexpr std::size_t most_bytes = 350u << 20;  ///< of states that are still to be gone on from
    static constexpr std::size_t at_once = 64;             ///< nodes of one level that are expanded side by side
    struct Open {
        int node;
        std::unique_ptr<Kernel> kernel;
    };
    static std::size_t next_bytes(const std::vector<Open>& next) {
        return next.empty() ? 0 : next.front().kernel->bytes();
    }
    struct Successor {
        Taken taken;
        std::unique_ptr<Kernel> kernel;
        Key key;
    };
    /// What comes of a node, and what was noticed on the way.
    struct Expanded {
        std::vector<Successor> all;
        std::vector<std::pair<int, int>> chance_at;  ///< actor and event
        bool ended = false, too_mixed = false, restless = false, astray = false, surprised = false;
    };

    /// Every outcome of an event. `spent`: nobody needs the kernel any more, which is the only outcome then; chance has
    /// no part in it.
    std::vector<Successor> after(
        std::unique_ptr<Kernel>& k, const EventKey& event, bool spent, Expanded& noticed) const {
        std::vector<Successor> out;
        std::vector<int> choices;
        const int device = k->device_of(event);
        const bool riding = rides(*k, event);
        while (true) {
            auto next = spent ? std::exchange(k, nullptr) : k->copy();
            next->say_choices(choices);
            next->take(event);
            const auto look = [&] {
                for (const auto& [one, other] : next->reached())
                    noticed.astray = noticed.astray || !ties_->knows(one, other);
            };
            look();
            if (riding && !ride_on(*next, stop_, look)) noticed.restless = true;
            std::vector<int> had = next->choices_had();
            if (!had.empty()) noticed.chance_at.emplace_back(event.actor, event.what);
            if (!had.empty() && spent) noticed.surprised = true;
            if (out.size() > most_outcomes) noticed.too_mixed = true;
            if (spent || noticed.too_mixed) had.clear();
            std::vector<int> made = choices;
            made.resize(had.size(), 0);
            const Key key = key_of(*next);
            out.push_back({{event.actor, event.what, event.part, device, riding, made}, std::move(next), key});
            // The next combination, the last choice first.
            while (!made.empty() && made.back() + 1 >= had[made.size() - 1]) made.pop_back();
            if (made.empty()) return out;
            ++made.back();
            choices = made;
        }
    }
    Expanded expand(int node, std::unique_ptr<Kernel> k) const {
        Expanded out;
        if (out.ended = k->ended(); out.ended) return out;
        std::vector<EventKey> ready = k->ready();
        // Those first that may do instead of all: what is found of the others would be for nothing.
        std::stable_sort(ready.begin(), ready.end(),
            [&](const EventKey& a, const EventKey& b) { return promising(*k, a) > promising(*k, b); });
        for (std::size_t i = 0; i < ready.size() && !out.surprised; ++i) {
            const EventKey& event = ready[i];
            const bool last = i + 1 == ready.size() && choice_at_.count({event.actor, event.what}) == 0;
            std::vector<Successor> some = after(k, event, last, out);
            // What concerns nobody else may as well come first: the other orders come to the same.
            // Not where it only leads back to what was gone on from: then the others would never have their turn. Any
            // way round leads back from some level to one that is no higher.
            const bool leads_on = std::any_of(some.begin(), some.end(), [&](const Successor& s) {
                const auto found = numbers_.find(s.key);
                return found == numbers_.end() || nodes_[found->second].level > nodes_[node].level;
            });
            const Kernel& next = *some.front().kernel;
            const bool first =
                rides(next, event) ? !asks_where_it_is_ : some.size() == 1 && by_itself(event, ready, next);
            if (first && leads_on && which_ == Which::those_that_differ) {
                out.all = std::move(some);
                break;
            }
            for (Successor& s : some) out.all.push_back(std::move(s));
        }
        return out;
    }
    void add(int node, Expanded& found, std::vector<Open>& open) {
        nodes_[node].expanded = !found.ended;
        too_mixed_ = too_mixed_ || found.too_mixed, restless_ = restless_ || found.restless;
        astray_ = astray_ || found.astray, surprised_ = surprised_ || found.surprised;
        choice_at_.insert(found.chance_at.begin(), found.chance_at.end());
        for (Successor& s : found.all) {
            const auto known = numbers_.find(s.key);
            const int device = s.taken.device;
            const int to =
                known != numbers_.end() ? known->second : number_of(s.key, *s.kernel, node, std::move(s.taken));
            nodes_[node].next.emplace_back(to, device);
            if (known == numbers_.end()) open.push_back({to, std::move(s.kernel)});
        }
    }
    /// Whether an event may do for all that could happen.
    int promising(const Kernel& k, const EventKey& event) const {
        if (rides(k, event)) return asks_where_it_is_ ? 0 : 2;
        return k.pace(event) == simulation::Actor::Pace::one_by_one && does_one_thing(k.device_of(event)) ? 1 : 0;
    }
    /// What else a device does may be let go by others meanwhile; an arm does one thing at a time.
    bool does_one_thing(int device) const {
        const cell::Device& d = cell_.devices[device];
        return d.side_tasks.empty() && (d.arm || d.task.empty());
    }
    /// Whether nothing that may happen before it has to do with what an event has reached: that lies in groups that the
    /// event's device alone ties to the rest, and in which nothing is under way.
    bool by_itself(const EventKey& event, const std::vector<EventKey>& ready, const Kernel& after) const {
        const Kernel& k = after;  // who an event is of is the same before
        if (k.pace(event) != simulation::Actor::Pace::one_by_one) return false;
        const int own = k.device_of(event);
        if (!does_one_thing(own)) return false;
        const std::vector<int>& group = ties_->groups_without(own);
        for (const EventKey& e : ready) {
            if (e.actor == event.actor && e.what == event.what && e.part == event.part) continue;
            const int other = k.device_of(e);
            if (other == own || rides(k, e)) return false;
            for (const auto& [one, two] : after.reached())
                if ((one != own && group[one] == group[other]) || (two != own && group[two] == group[other]))
                    return false;
        }
        return true;
    }
    int number_of(const Key& key, const Kernel& k, int before, Taken by) {
        const int number = static_cast<int>(nodes_.size());
        numbers_.emplace(key, number);
        std::uint64_t at_border = 0;
        for (const auto& [device, waits] : k.waits())
            if (const int r = rank_[device]; r >= 0 && waits.what == WaitFor::zone) at_border |= std::uint64_t{1} << r;
        const int level = before < 0 ? 0 : nodes_[before].level + 1;
        nodes_.push_back({before, std::move(by), level, false, at_border, {}});
        return number;
    }

    const cell::Cell& cell_;
    Cache& cache_;
    const StopFlag* stop_;
    const std::size_t most_;
    const std::vector<int>& rank_;
    std::vector<Node> nodes_;
    std::unordered_map<Key, int, KeyHash> numbers_;
    std::optional<Ties> ties_;
    bool too_mixed_ = false, restless_ = false, too_wide_ = false, astray_ = false, surprised_ = false;
    const Which which_;
    std::set<std::pair<int, int>>& choice_at_;  ///< actor and event at which chance was asked
    const bool asks_where_it_is_;               ///< some task decides by what a signal says now
};

/// The groups of nodes that all lead to each other, numbered so that edges lead to lower or equal numbers (Tarjan).
std::vector<int> groups_of(const std::vector<Node>& nodes) {
    const std::size_t n = nodes.size();
    std::vector<int> group(n, -1), order(n, -1), low(n, 0);
    std::vector<int> stack;
    std::vector<std::pair<int, std::size_t>> calls;
    int count = 0, groups = 0;
    for (std::size_t root = 0; root < n; ++root) {
        if (order[root] >= 0) continue;
        calls.emplace_back(static_cast<int>(root), 0);
        while (!calls.empty()) {
            auto& [at, edge] = calls.back();
            const auto i = static_cast<std::size_t>(at);
            if (edge == 0 && order[i] < 0) order[i] = low[i] = count++, stack.push_back(at);
            if (edge < nodes[i].next.size()) {
                const int to = nodes[i].next[edge++].first;
                const auto t = static_cast<std::size_t>(to);
                if (order[t] < 0) calls.emplace_back(to, 0);
                else if (group[t] < 0) low[i] = std::min(low[i], order[t]);
                continue;
            }
            if (low[i] == order[i]) {
                int popped;
                do {
                    popped = stack.back();
                    stack.pop_back();
                    group[popped] = groups;
                } while (popped != at);
                ++groups;
            }
            const int done = low[i];
            calls.pop_back();
            if (!calls.empty()) {
                auto& above = low[calls.back().first];
                above = std::min(above, done);
            }
        }
    }
    return group;
}

/// Which of some devices can go on for ever from each node: they act within a group of nodes that is reached from
/// there. And which can act at all. Bits by rank.
struct Futures {
    std::vector<std::uint64_t> for_ever, ever;
    std::vector<char> last;  ///< nothing but what it comes back from is still to come
};
Futures futures_of(const std::vector<Node>& nodes, const std::vector<int>& rank) {
    const std::vector<int> group = groups_of(nodes);
    const int groups = group.empty() ? 0 : 1 + *std::max_element(group.begin(), group.end());
    std::vector<std::vector<int>> members(static_cast<std::size_t>(groups));
    for (std::size_t i = 0; i < nodes.size(); ++i) members[group[i]].push_back(static_cast<int>(i));
    std::vector<std::uint64_t> for_ever(members.size()), ever(members.size());
    std::vector<char> last(members.size(), true);
    for (std::size_t g = 0; g < members.size(); ++g)  // those that it leads to come before it
        for (const int at : members[g])
            for (const auto& [to, device] : nodes[at].next) {
                const auto other = static_cast<std::size_t>(group[to]);
                for_ever[g] |= for_ever[other], ever[g] |= ever[other];
                const int r = rank[device];
                last[g] = last[g] && other == g;
                if (r < 0) continue;
                ever[g] |= std::uint64_t{1} << r;
                if (other == g) for_ever[g] |= std::uint64_t{1} << r;
            }
    Futures out;
    for (const int g : group) {
        out.for_ever.push_back(for_ever[g]);
        out.ever.push_back(ever[g]);
        out.last.push_back(last[g]);
    }
    return out;
}

std::vector<const Node*> way_to(const std::vector<Node>& nodes, int node) {
    std::vector<const Node*> way;
    for (int at = node; nodes[at].before >= 0; at = nodes[at].before) way.push_back(&nodes[at]);
    std::reverse(way.begin(), way.end());
    return way;
}

/// What a device has begun with an event; where it has begun nothing, what it has ended.
std::string words_of(const cell::Cell& cell, const Kernel& k, int device, std::size_t first) {
    const auto& blocks = k.trace().blocks;
    for (std::size_t i = first; i < blocks.size(); ++i)
        if (blocks[i].device == device) return k.trace().describe(cell, blocks[i]);
    for (std::size_t i = blocks.size(); i-- > 0;)
        if (blocks[i].device == device)
            return (blocks[i].to == simulation::never ? "goes on: " : "has done: ") +
                   k.trace().describe(cell, blocks[i]);
    return "goes on";
}

/// The way in words, step by step, and who waits for whom at its end.
void tell(const cell::Cell& cell, Cache& cache, const std::vector<const Node*>& way, Orders& out) {
    Kernel k(cell, cache.plans, nullptr, History::whole, Durations::free);
    k.start();
    for (const Node* n : way) {
        const EventKey e = found_again(k.ready(), n->by);
        if (e.actor < 0) return;
        const std::size_t before = k.trace().blocks.size();
        std::string words = k.words(e);
        k.say_choices(n->by.choices);
        k.take(e);
        if (n->by.rides) {
            ride_on(k, nullptr, [] {});
            continue;
        }
        if (words.empty()) words = words_of(cell, k, n->by.device, before);
        out.way.push_back({n->by.device, std::move(words), 0});
    }
    for (const auto& [device, w] : k.waits())
        if (std::find(out.devices.begin(), out.devices.end(), device) != out.devices.end())
            out.waits.push_back({device, w.other, w.what});
}

/// The same way with its times: whatever comes too early waits. Null where that does not come to the same.
std::shared_ptr<const Run> timed(
    const cell::Cell& cell, Cache& cache, const std::vector<const Node*>& way, Orders& out, const StopFlag* stop) {
    constexpr int most_ridden = 100'000;
    int ridden = 0;
    Kernel k(cell, cache.plans, stop);
    k.start();
    std::size_t told = 0;
    for (const Node* n : way) {
        if (n->by.rides) continue;  // it does by itself
        EventKey e = found_again(k.ready(), n->by);
        while (true) {
            motion::throw_if_stopped(stop);
            const std::vector<EventKey> ready = k.ready();
            const bool more = !ready.empty() && rides(k, ready.front());
            if (!more && e.actor < 0) return nullptr;
            if (!more || (e.actor >= 0 && ready.front().when >= e.when)) break;
            if (++ridden > most_ridden) return nullptr;
            k.take(ready.front());
            e = found_again(k.ready(), n->by);
        }
        k.say_choices(n->by.choices);
        k.take(e);
        out.way[told++].when = k.now();
    }
    for (const Run::Wait& w : out.waits) {
        const auto now = k.waits();
        if (std::none_of(now.begin(), now.end(), [&](const auto& one) {
                return one.first == w.device && one.second.other == w.other && one.second.what == w.what;
            }))
            return nullptr;
    }
    auto run = std::make_shared<Run>();
    run->stuck = k.next_event() == simulation::never;
    run->waits = out.waits;
    constexpr Ticks shown_after = 2 * simulation::second;  // so that the waits are seen
    k.trace().end = k.now() + shown_after;
    run->trace = std::move(k.trace());
    return run;
}

/// Devices with a task that moves them or is done over and over, and what else asks for shared space: those that are to
/// go on.
std::vector<int> who_goes_on(const cell::Cell& cell) {
    std::vector<int> all;
    for (std::size_t i = 0; i < cell.devices.size() && all.size() < 64; ++i) {
        const cell::Device& d = cell.devices[i];
        const bool works = !d.task.steps.empty() && !d.task.when_asked;
        if (works || (cell::can_wait(d) && !simulation::checkpoints_of(cell, static_cast<int>(i)).empty()))
            all.push_back(static_cast<int>(i));
    }
    return all;
}

std::string why_not_by_orders(const cell::Cell& cell) {
    for (const cell::Device& d : cell.devices)
        for (const cell::Step* s : cell::all_steps(d))
            if (s->enabled && s->meets()) return d.name + " meets what rides by, which times alone decide";
    return {};
}

}  // namespace

std::shared_ptr<const Orders> explore_orders(
    const cell::Cell& cell, Cache& cache, const StopFlag* stop, std::size_t most_states, Which which) {
    ++geometry::work_done;
    auto out = std::make_shared<Orders>();
    if (out->why_undecided = why_not_by_orders(cell); !out->why_undecided.empty()) return out;
    const std::vector<int> devices = who_goes_on(cell);
    std::vector<int> rank(cell.devices.size(), -1);
    for (const int i : indices(devices)) rank[devices[i]] = i;
    // A state of a large cell takes its room and its time: fewer of them.
    constexpr std::size_t most_devices = 3'000'000;  // in all states together
    const std::size_t limit = std::min(most_states, most_devices / (1 + cell.devices.size()));
    std::set<std::pair<int, int>> choice_at;
    std::unique_ptr<Graph> graph;
    bool whole = false;
    do {
        const Which now = graph && graph->astray() ? Which::all : which;
        graph = std::make_unique<Graph>(cell, cache, stop, limit, rank, now, choice_at);
        whole = graph->explore();
        which = now;
    } while (graph->surprised() || (graph->astray() && which != Which::all));
    const std::vector<Node>& nodes = graph->nodes();
    out->states = nodes.size();
    if (!whole) out->why_undecided = graph->why_not();
    const Futures futures = futures_of(nodes, rank);
    const std::uint64_t everybody = devices.size() >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << devices.size()) - 1;
    int worst = -1, most = 0;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        // Of what was not gone through nothing is known; where nothing can happen any more, that is so all the same.
        if (!whole && (!nodes[i].expanded || !nodes[i].next.empty())) continue;
        const std::uint64_t still = everybody & ~futures.ever[i];
        // The most of them, and there where all has come to its end.
        const int halted = (still & nodes[i].at_border) != 0 ? 2 * std::popcount(still) + futures.last[i] : 0;
        if (halted > most) worst = static_cast<int>(i), most = halted;
    }
    if (whole) out->verdict = Orders::Verdict::goes_on;
    if (worst < 0) return out;
    const std::uint64_t halted = everybody & ~futures.ever[worst];
    for (std::size_t i = 0; i < devices.size(); ++i)
        if (halted >> i & 1) out->devices.push_back(devices[i]);
    const std::vector<const Node*> way = way_to(nodes, worst);
    tell(cell, cache, way, *out);
    out->verdict = Orders::Verdict::locks_up;
    const auto could_go_on = [&](std::size_t step) { return (futures.for_ever[way[step]->before] & halted) == halted; };
    out->no_way_out = way.size();
    while (out->no_way_out > 0 && !could_go_on(out->no_way_out - 1)) --out->no_way_out;
    out->always = whole && out->no_way_out == 0;
    if (out->no_way_out > 0) {
        --out->no_way_out;
        // Among the steps that are told.
        out->no_way_out -= static_cast<std::size_t>(std::count_if(way.begin(),
            way.begin() + static_cast<std::ptrdiff_t>(out->no_way_out), [](const Node* n) { return n->by.rides; }));
    }
    out->run = timed(cell, cache, way, *out, stop);
    return out;
}

std::shared_ptr<const Orders> orders_of(
    const cell::Cell& cell, const std::string& text, Cache& cache, const StopFlag* stop) {
    bool any = false;
    for (std::size_t i = 0; i < cell.devices.size() && !any; ++i)
        any = !simulation::checkpoints_of(cell, static_cast<int>(i)).empty();
    if (!any) return nullptr;
    const std::uint64_t key = cell::ContentKey().add(text).value();
    auto& kept = cache.kept().orders;
    if (const auto found = kept.find(key)) return *found;
    auto orders = explore_orders(cell, cache, stop);
    std::size_t size = 1000 + 100 * orders->way.size();
    if (orders->run) size += 300 * orders->run->trace.blocks.size();
    return kept.keep(key, std::move(orders), size);
}

}  // namespace escarp::inspection
