// The standard function blocks of IEC 61131-3 (2.5.2.3): latches, edges, counters and timers.

#include <algorithm>

#include "unit.h"

namespace escarp::controller {
namespace {

using Values = std::vector<Value>;
using Role = Variable::Role;

Variable in(const char* name, Type type = Type::boolean) { return {name, name, Role::input, type}; }
Variable out(const char* name, Type type = Type::boolean) { return {name, name, Role::output, type}; }
Variable own(const char* name, Type type = Type::boolean, std::int64_t start = 0) {
    return {name, name, Role::local, type, nullptr, {start, 0}};
}

std::shared_ptr<const BlockType> block(
    const char* name, std::vector<Variable> variables, void (*does)(Values&, std::int64_t)) {
    return std::make_shared<const BlockType>(BlockType{name, std::move(variables), {}, does});
}

// Timers: IN, PT, Q, ET, and what was before: IN, and since when it counts.
enum { timer_in, timer_preset, timer_q, timer_elapsed, timer_before, timer_since };
std::vector<Variable> timer() {
    return {in("IN"), in("PT", Type::time), out("Q"), out("ET", Type::time), own("BEFORE"), own("SINCE", Type::time)};
}
void elapse(Values& v, std::int64_t now) {
    v[timer_elapsed].whole =
        std::clamp<std::int64_t>(now - v[timer_since].whole, 0, std::max<std::int64_t>(0, v[timer_preset].whole));
}

/// On so long after its input as PT says.
void on_delay(Values& v, std::int64_t now) {
    if (v[timer_in].on() && !v[timer_before].on()) v[timer_since].whole = now;
    if (v[timer_in].on()) elapse(v, now);
    else v[timer_elapsed].whole = 0;
    v[timer_q].whole = v[timer_in].on() && v[timer_elapsed].whole >= v[timer_preset].whole;
    v[timer_before] = v[timer_in];
}
/// Off so long after its input as PT says.
void off_delay(Values& v, std::int64_t now) {
    if (!v[timer_in].on() && v[timer_before].on()) v[timer_since].whole = now;
    if (v[timer_in].on()) {
        v[timer_q].whole = 1, v[timer_elapsed].whole = 0;
    } else if (v[timer_q].on()) {
        elapse(v, now);
        v[timer_q].whole = v[timer_elapsed].whole < v[timer_preset].whole;
    }
    v[timer_before] = v[timer_in];
}
/// On for PT from where its input comes on, whatever it does meanwhile.
void pulse(Values& v, std::int64_t now) {
    if (v[timer_in].on() && !v[timer_before].on() && !v[timer_q].on()) v[timer_since].whole = now, v[timer_q].whole = 1;
    if (v[timer_q].on()) {
        elapse(v, now);
        v[timer_q].whole = v[timer_elapsed].whole < v[timer_preset].whole;
    }
    if (!v[timer_q].on() && !v[timer_in].on()) v[timer_elapsed].whole = 0;
    v[timer_before] = v[timer_in];
}

// Edges: CLK, Q, what it was.
void rising(Values& v, std::int64_t) { v[1].whole = v[0].on() && !v[2].on(), v[2] = v[0]; }
/// What it was is kept the other way round, so that an input that is off at first is no edge.
void falling(Values& v, std::int64_t) { v[1].whole = !v[0].on() && !v[2].on(), v[2].whole = !v[0].on(); }

void set_first(Values& v, std::int64_t) { v[2].whole = v[0].on() || (!v[1].on() && v[2].on()); }
void reset_first(Values& v, std::int64_t) { v[2].whole = !v[1].on() && (v[0].on() || v[2].on()); }

// Counters: what counts, what sets it back, PV, Q, CV, what was before.
constexpr std::int64_t most_counted = 32'767, least_counted = -32'768;
void count_up(Values& v, std::int64_t) {
    if (v[1].on()) v[4].whole = 0;
    else if (v[0].on() && !v[5].on() && v[4].whole < most_counted) ++v[4].whole;
    v[3].whole = v[4].whole >= v[2].whole;
    v[5] = v[0];
}
void count_down(Values& v, std::int64_t) {
    if (v[1].on()) v[4] = v[2];
    else if (v[0].on() && !v[5].on() && v[4].whole > least_counted) --v[4].whole;
    v[3].whole = v[4].whole <= 0;
    v[5] = v[0];
}

}  // namespace

const std::vector<std::shared_ptr<const BlockType>>& standard_blocks() {
    static const std::vector<std::shared_ptr<const BlockType>> all{block("TON", timer(), on_delay),
        block("TOF", timer(), off_delay), block("TP", timer(), pulse),
        block("R_TRIG", {in("CLK"), out("Q"), own("BEFORE")}, rising),
        block("F_TRIG", {in("CLK"), out("Q"), own("BEFORE_OFF", Type::boolean, 1)}, falling),
        block("SR", {in("S1"), in("R"), out("Q1")}, set_first),
        block("RS", {in("S"), in("R1"), out("Q1")}, reset_first),
        block("CTU", {in("CU"), in("R"), in("PV", Type::integer), out("Q"), out("CV", Type::integer), own("BEFORE")},
            count_up),
        block("CTD", {in("CD"), in("LD"), in("PV", Type::integer), out("Q"), out("CV", Type::integer), own("BEFORE")},
            count_down)};
    return all;
}

}  // namespace escarp::controller
