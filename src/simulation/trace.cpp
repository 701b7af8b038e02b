#include "trace.h"

#include <algorithm>
#include <cstring>
#include <cmath>

#include <cell/model/expression.h>

namespace escarp::simulation {
namespace {

/// The last element whose instant is not after `t`; null if there is none.
template <typename List, typename Instant>
auto latest(const List& list, Ticks t, Instant instant) -> decltype(&list.front()) {
    const auto after = std::upper_bound(
        list.begin(), list.end(), t, [&](Ticks when, const auto& item) { return when < instant(item); });
    return after == list.begin() ? nullptr : &*(after - 1);
}

const MotionRecord* motion_at(const Trace& trace, int device, Ticks t) {
    return latest(trace.motions[device], t, [](const MotionRecord& m) { return m.from; });
}

std::string waits_in_words(const cell::Cell& cell, const cell::Step& s) {
    if (s.condition) return "wait until " + s.condition->text();
    if (s.signal < 0) return "wait";
    const cell::Signal& signal = cell.signals[s.signal];
    return "wait for " + cell.devices[signal.device].name + (s.is ? " " : " not ") + signal.name;
}

}  // namespace

Ticks ticks(double s) { return static_cast<Ticks>(std::ceil(s * 1e9 - 1e-3)); }

const char* word(BlockKind kind) {
    switch (kind) {
        case BlockKind::move: return "move";
        case BlockKind::straight_in: return "straight in";
        case BlockKind::straight_out: return "straight out";
        case BlockKind::straight: return "straight";
        case BlockKind::grip: return "grip";
        case BlockKind::release: return "release";
        case BlockKind::dwell: return "dwell";
        case BlockKind::process: return "process";
        case BlockKind::wait: return "wait";
        case BlockKind::ride: return "ride";
        case BlockKind::interval: return "interval";
        case BlockKind::exchange: return "exchange";
        case BlockKind::repair: return "repair";
        case BlockKind::change_over: return "change-over";
        case BlockKind::held: return "held";
    }
    return "";
}

bool Course::same_bits(const Course& other) const {
    const auto same = [](const double* a, const double* b, std::size_t count) {
        return std::memcmp(a, b, count * sizeof(double)) == 0;  // 0 and -0 are two
    };
    const motion::Glide &one = glide, &two = other.glide;
    return same(turn.data(), other.turn.data(), 9) && same(one.velocity.data(), two.velocity.data(), 3) &&
           same(one.centre.data(), two.centre.data(), 3) && same(one.axis.data(), two.axis.data(), 3) &&
           same(&one.turn_rate, &two.turn_rate, 1) && same(&one.share, &two.share, 1) &&
           same(&one.ramp, &two.ramp, 1);
}

Frame Place::at() const {
    Frame out;
    out.linear() = course->turn;
    out.translation() = origin;
    out.makeAffine();
    return out;
}

const Place* PartRecord::place(Ticks t) const {
    return latest(places, t, [](const Place& p) { return p.from; });
}

double SignalRecord::at(Ticks t) const {
    const auto* change = latest(changes, t, [](const auto& c) { return c.first; });
    return change ? change->second : 0;
}

Ticks SignalRecord::since(Ticks t) const {
    const auto* change = latest(changes, t, [](const auto& c) { return c.first; });
    return change ? change->first : 0;
}

Trace Trace::at_instant(Ticks t) const {
    const auto one = [t](const auto& list, auto instant) {
        std::decay_t<decltype(list)> out;
        if (const auto* item = latest(list, t, instant)) out.push_back(*item);
        return out;
    };
    const auto first = [](const auto& change) { return change.first; };
    Trace out;
    out.end = end;
    out.rounds.resize(rounds.size());
    for (const PartRecord& p : parts) {
        out.parts.push_back({p.type, {}, {}, p.came});
        if (const Place* place = p.place(t); place && place->kind != Place::Kind::gone)
            out.parts.back() = {p.type, {*place}, one(p.results, first), p.came};
    }
    for (const SignalRecord& s : signals) out.signals.push_back({s.name, one(s.changes, first)});
    for (const auto& list : motions) {
        out.motions.push_back(one(list, [](const MotionRecord& m) { return m.from; }));
        for (MotionRecord& m : out.motions.back()) m.block = -1;
    }
    for (const auto& list : conditions) out.conditions.push_back(one(list, first));
    return out;
}

const SignalRecord* Trace::signal(const std::string& name) const {
    for (const SignalRecord& s : signals)
        if (s.name == name) return &s;
    return nullptr;
}

JointVector Trace::joints(const cell::Cell& cell, int device, Ticks t) const {
    const MotionRecord* m = motion_at(*this, device, t);
    if (!m) return cell.devices[device].mover()->ready;
    return m->motion->position(seconds(t - m->from));
}

Frame Trace::tool_frame(const cell::Cell& cell, int device, Ticks t) const {
    const cell::Device& d = cell.devices[device];
    const cell::Arm& mover = *d.mover();
    return d.world * mover.model->flange_frame(joints(cell, device, t)) * mover.tool_frame;
}

bool Trace::part_frame(const cell::Cell& cell, int part, Ticks t, Frame& out) const {
    const Place* p = parts[part].place(t);
    if (!p || p->kind == Place::Kind::gone) return false;
    if (p->kind == Place::Kind::held) {
        out = tool_frame(cell, p->device, t) * p->at();
        return true;
    }
    out = p->after(seconds(std::min(t, p->stop) - std::min(p->from, p->stop)));
    return true;
}

int Trace::held_part(int device, Ticks t) const {
    const MotionRecord* m = motion_at(*this, device, t);
    return m ? m->held : -1;
}

std::vector<MotionRecord::Also> Trace::also_held(int device, Ticks t) const {
    const MotionRecord* m = motion_at(*this, device, t);
    return m ? m->also : std::vector<MotionRecord::Also>{};
}

std::string Trace::result(int part, Ticks t) const {
    const auto* judged = latest(parts[part].results, t, [](const auto& r) { return r.first; });
    return judged ? judged->second : std::string();
}

std::map<Condition, double> Trace::shares(int device, Ticks from, Ticks to) const {
    std::map<Condition, double> out;
    const auto& list = conditions[device];
    if (list.empty() || to <= from) return out;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Ticks begin = std::max(from, list[i].first);
        const Ticks finish = std::min(to, i + 1 < list.size() ? list[i + 1].first : to);
        if (finish > begin) out[list[i].second] += static_cast<double>(finish - begin) / static_cast<double>(to - from);
    }
    return out;
}

std::string Trace::describe(const cell::Cell& cell, const Block& b) const {
    const auto name = [&](int device) { return device >= 0 ? cell.devices[device].name : std::string(); };
    std::string seat;
    if (b.other >= 0 && b.seat >= 0 && cell.devices[b.other].seats.size() > 1)
        seat = " " + cell.devices[b.other].seats[b.seat].name;
    switch (b.kind) {
        case BlockKind::move: return b.other >= 0 ? "to " + name(b.other) + seat : "move";
        case BlockKind::straight_in: return "in at " + name(b.other);
        case BlockKind::straight_out: return "out of " + name(b.other);
        case BlockKind::wait:
            if (b.waits_for == WaitFor::part) return "wait for a part at " + name(b.other);
            if (b.waits_for == WaitFor::room) return "wait for room at " + name(b.other);
            if (b.waits_for == WaitFor::zone) return "wait for " + name(b.other);
            if (b.waits_for == WaitFor::signal)
                for (const cell::Step* s : cell::all_steps(cell.devices[b.device]))
                    if (s->number == b.step) return waits_in_words(cell, *s);
            return "wait";
        case BlockKind::held: return "held by " + name(b.other);
        default: return word(b.kind);
    }
}

}  // namespace escarp::simulation
