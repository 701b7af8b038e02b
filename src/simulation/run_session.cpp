#include "run_session.h"

#include <algorithm>

#include <geometry/indices.h>

namespace escarp::simulation {

namespace {
const cell::Cell& with_seed(
    const cell::Cell& cell, std::optional<std::uint64_t> seed, std::optional<cell::Cell>& drawn) {
    if (!seed || *seed == cell.seed) return cell;
    drawn = cell;
    drawn->seed = *seed;
    return *drawn;
}
}  // namespace

RunSession::RunSession(const cell::Cell& cell, PlanCache& plans, const RunOptions& options)
    : options_(options),
      kernel_(with_seed(cell, options.seed, drawn_), plans, options.stop, options.history, Durations::kept,
          options.limits) {
    for (const auto& [name, value] : options.forced)
        if (const int signal = cell.signal(name); signal >= 0) kernel_.force(signal, value);
    for (const int signal : options.outside) kernel_.leave_to_outside(signal);
    kernel_.set_faster(options.faster_step.device, options.faster_step.step, options.faster_step.rate);
}
RunSession::~RunSession() = default;

const cell::Cell& RunSession::cell() const { return kernel_.cell(); }

void RunSession::told() {
    if (searched_.steps() > options_.limits.search) {
        searched_enough_ = true;
        kernel_.end_early();
    }
    if (kernel_.ended()) return;
    for (RunObserver* o : observers_) o->happened(kernel_);
}

void RunSession::start() {
    kernel_.start();
    for (RunObserver* o : observers_) o->begun(kernel_);
}

void RunSession::step() {
    motion::throw_if_stopped(options_.stop);
    kernel_.step();
    told();
}

void RunSession::advance(Ticks until) {
    while (!over() && kernel_.next_event() <= until) step();
    if (!kernel_.ended()) kernel_.advance(until);
}

void RunSession::hear(const std::vector<std::pair<int, double>>& values) {
    if (values.empty()) return;
    kernel_.inject(values);
    told();
}

bool RunSession::can_follow(const cell::Device& device) {
    return device.arm && device.task.empty() && device.side_tasks.empty();
}

void RunSession::follow(int device, const JointVector& q) {
    kernel_.start_motion(device, {kernel_.now(), motion::standstill(q), -1, -1});
    told();
}

std::shared_ptr<const Run> RunSession::finish(Ticks end, Ticks horizon, std::optional<Steady> steady) {
    auto result = std::make_shared<Run>();
    result->steady = steady;
    result->random = kernel_.random();
    result->cut = kernel_.cut();
    result->unsettled = kernel_.unsettled();
    result->searched_enough = searched_enough_;
    result->stuck = kernel_.next_event() == never && !kernel_.cut() && end < horizon;
    if (result->stuck)
        for (const auto& [device, w] : kernel_.waits()) result->waits.push_back({device, w.other, w.what});
    result->trace = std::move(kernel_.trace());
    result->trace.end = end;
    return result;
}

namespace {
template <typename T>
void append(std::vector<T>& to, const std::vector<T>& from) {
    to.insert(to.end(), from.begin() + static_cast<std::ptrdiff_t>(to.size()), from.end());
}
/// Of a list whose last item may have been taken back, or another put in its place, since what came from outside came
/// at the same instant.
template <typename T>
void append_after_last(std::vector<T>& to, const std::vector<T>& from) {
    if (to.size() > from.size()) to.resize(from.size());
    if (!to.empty()) to.back() = from[to.size() - 1];
    append(to, from);
}
}  // namespace

void TraceCopy::follow(const Kernel& kernel) {
    const Trace& from = kernel.trace();
    Trace& to = trace_;
    to.end = kernel.now();
    std::erase_if(open_, [&](int b) {
        to.blocks[b].to = from.blocks[b].to;
        return to.blocks[b].to != never;
    });
    for (std::size_t i = to.blocks.size(); i < from.blocks.size(); ++i)
        if (from.blocks[i].to == never) open_.push_back(static_cast<int>(i));
    append(to.blocks, from.blocks);
    const auto follow_part = [&](int part) {
        const PartRecord& record = from.parts[part];
        append(to.parts[part].places, record.places);
        append(to.parts[part].results, record.results);
    };
    for (const int part : live_) follow_part(part);
    for (std::size_t i = to.parts.size(); i < from.parts.size(); ++i) to.parts.push_back(from.parts[i]);
    live_ = kernel.live_parts();
    to.signals.resize(from.signals.size());
    for (const int s : indices(from.signals)) {
        if (to.signals[s].name.empty()) to.signals[s].name = from.signals[s].name;
        append_after_last(to.signals[s].changes, from.signals[s].changes);
    }
    to.motions.resize(from.motions.size()), to.conditions.resize(from.conditions.size());
    to.rounds.resize(from.rounds.size());
    for (const int d : indices(from.motions)) {
        append(to.motions[d], from.motions[d]);
        append_after_last(to.conditions[d], from.conditions[d]);
        append(to.rounds[d], from.rounds[d]);
    }
    append(to.departures, from.departures);
    append(to.faults, from.faults);
    append(to.detours, from.detours);
}

}  // namespace escarp::simulation
