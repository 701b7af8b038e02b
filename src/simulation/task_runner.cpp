#include "task_runner.h"

#include "arm_driver.h"
#include "step.h"

namespace escarp::simulation {
namespace {
constexpr int most_steps_at_once = 5000;
}

using cell::Step;

TaskRunner::TaskRunner(const cell::Cell& cell, int index, const cell::Task& task, int nth, ArmDriver* driver)
    : Acts(cell.devices[index], index),
      task_(task),
      nth_(nth),
      driver_(driver),
      draws_(cell.seed, cell.devices[index].id, "task " + std::to_string(nth)) {}

void TaskRunner::copied(Kernel& k) {
    if (!driver_) return;
    driver_ = k.changing(index_).driver();
    if (nth_ == 0) driver_->moved_by(*this);
}

void TaskRunner::start(Kernel& k) {
    // Another task may have started it already, at this instant.
    if (!task_.when_asked && !task_.empty() && phase_ == Phase::idle) go_on(k);
}

void TaskRunner::begin(Kernel& k) {
    if (under_way() || phase_ == Phase::stopped) return;
    first_done_ = halting_ = false;
    stack_.clear();
    k.touch(index_);  // whoever waits for it
    go_on(k);
}

void TaskRunner::halt(Kernel& k) {
    if (!under_way()) return;
    halting_ = true;
    if (phase_ != Phase::waiting) return;
    close_wait(k);
    go_on(k);
}

/// What a device is at, where its main task is what tells that.
void TaskRunner::tell(Kernel& k, Condition condition) const {
    if (nth_ == 0 && !k.behaviour(index_).tells_condition()) k.set_condition(index_, condition);
}

const Step* TaskRunner::fetch() {
    while (true) {
        if (stack_.empty()) stack_.push_back({first_done_ ? &task_.steps : &task_.first, 0, 0});
        Level& top = stack_.back();
        while (top.next < top.list->size() && !(*top.list)[top.next].enabled) ++top.next;
        if (top.next < top.list->size()) return &(*top.list)[top.next++];
        if (top.left > 0) {
            --top.left;
            top.next = 0;
            if (!top.list->empty()) continue;
        }
        stack_.pop_back();
        if (stack_.empty() && std::exchange(first_done_, true)) return nullptr;  // a round of the task is over
    }
}

const Step* TaskRunner::peek() const {
    if (stack_.empty()) return nullptr;
    const Level& top = stack_.back();
    std::size_t next = top.next;
    while (next < top.list->size() && !(*top.list)[next].enabled) ++next;
    return next < top.list->size() ? &(*top.list)[next] : nullptr;
}

void TaskRunner::go_on(Kernel& k) {
    if (busy_tick_ != k.now()) busy_tick_ = k.now(), steps_at_tick_ = 0;
    while (true) {
        step_ = halting_ ? nullptr : fetch();
        if (++steps_at_tick_ > most_steps_at_once) {
            stop(k, {index_, step_ ? step_->number : 0, k.now(), Fault::Kind::goes_round});
            return;
        }
        if (!step_) {
            if (round_done(k)) return;
            continue;
        }
        const Outcome outcome = begin_step(k);
        if (outcome == Outcome::done) continue;
        if (outcome == Outcome::must_wait) open_wait(k);
        return;
    }
}

void TaskRunner::again(Kernel& k) {
    if (busy_tick_ != k.now()) busy_tick_ = k.now(), steps_at_tick_ = 0;
    if (++steps_at_tick_ > most_steps_at_once) {
        stop(k, {index_, step_->number, k.now(), Fault::Kind::goes_round});
        return;
    }
    const Outcome outcome = begin_step(k);
    if (outcome == Outcome::done) go_on(k);
    if (outcome == Outcome::must_wait) open_wait(k);
}

/// True where the task ends with it.
bool TaskRunner::round_done(Kernel& k) {
    if (nth_ == 0) k.round_over(index_);
    if (!task_.when_asked && !halting_ && !task_.steps.empty()) return false;
    phase_ = Phase::idle;
    tell(k, Condition::waiting);
    k.touch(index_);
    return true;
}

void TaskRunner::open_wait(Kernel& k) {
    phase_ = Phase::waiting;
    if (step_->patience > 0) late_ = k.at(k.now() + ticks(step_->patience), *this, too_late);
    Block b;
    b.device = index_;
    b.kind = BlockKind::wait;
    b.step = step_->number;
    const std::optional<Waiting> w = waiting(k);
    b.other = w->other;
    b.waits_for = w->what;
    b.task = nth_;
    block_ = k.begin(b);
    tell(k, Condition::waiting);
}

void TaskRunner::close_wait(Kernel& k) {
    if (late_.when != never) k.cancel(std::exchange(late_, EventKey{never, -1, 0, 0, 0}));
    k.end(block_);
}

bool TaskRunner::poll(Kernel& k) {
    if (phase_ != Phase::waiting) return false;
    const int wait = block_;
    const Outcome outcome = begin_step(k);
    if (outcome == Outcome::must_wait) return false;
    if (late_.when != never) k.cancel(std::exchange(late_, EventKey{never, -1, 0, 0, 0}));
    k.end(wait);
    if (outcome == Outcome::done) go_on(k);
    return true;
}

std::optional<Waiting> TaskRunner::waiting(const Kernel& k) const {
    if (phase_ != Phase::waiting) return std::nullopt;
    return kind_of(*step_).waiting(k.cell(), *step_);
}

Listening TaskRunner::listens_to() const {
    Listening to = driver_ ? driver_->listens_to() : Listening{};
    for (const Step* s : cell::all_steps(task_)) {
        const Listening more = kind_of(*s).listens_to(*s);
        to.devices.insert(to.devices.end(), more.devices.begin(), more.devices.end());
        to.signals.insert(to.signals.end(), more.signals.begin(), more.signals.end());
    }
    return to;
}

Outcome TaskRunner::stop(Kernel& k, Fault::Kind why) { return stop(k, {index_, step_->number, k.now(), why}); }

Outcome TaskRunner::stop(Kernel& k, const Fault& fault) {
    k.fault(fault);
    phase_ = Phase::stopped;
    tell(k, Condition::waiting);
    return Outcome::started;
}

/// While it is under way the task is busy; a step that stops the task says so afterwards.
Outcome TaskRunner::begin_step(Kernel& k) {
    const Phase before = std::exchange(phase_, Phase::busy);
    const Outcome outcome = kind_of(*step_).begin(*this, k, *step_);
    if (outcome == Outcome::must_wait) phase_ = before;
    return outcome;
}

Outcome TaskRunner::take_time(Kernel& k, const cell::Spread& time) {
    Block b;
    b.device = index_;
    b.kind = BlockKind::dwell;
    b.step = step_->number;
    b.task = nth_;
    if (driver_) b.part = driver_->held();
    block_ = k.begin(b);
    until_ = k.now() + ticks(time.draw(draws_));
    tell(k, Condition::busy);
    k.at(until_, *this, over);
    if (driver_ && nth_ == 0) driver_->stand(k, block_);
    return Outcome::started;
}

Outcome TaskRunner::descend(const std::vector<Step>& list, int again) {
    stack_.push_back({&list, 0, again});
    return Outcome::done;
}

Outcome TaskRunner::descend_and_return(const std::vector<Step>& list) {
    --stack_.back().next;
    return descend(list);
}

/// What takes time is over, or it has waited long enough.
void TaskRunner::event(Kernel& k, int what, int) {
    if (what == too_late) {
        late_.when = never;
        close_wait(k);
        phase_ = Phase::busy;
        descend(step_->otherwise);
        go_on(k);
        return;
    }
    until_ = never;
    k.end(block_);
    go_on(k);
}

void TaskRunner::write_state(StateWriter& w) const {
    w.add(static_cast<int>(phase_));
    w.add(step_ ? step_->number : -1);
    w.add(first_done_), w.add(halting_);
    w.add_time(late_.when);
    // As long as a repeat is all that its list holds, how many rounds it still has does not matter.
    bool for_ever = true;
    for (const Level& level : stack_) {
        w.add(static_cast<std::int64_t>(level.next));
        w.add(for_ever ? 0 : level.left);
        for_ever = for_ever &&
                   std::count_if(level.list->begin(), level.list->end(), [](const Step& s) { return s.enabled; }) == 1;
    }
    w.add_time(until_);
}

}  // namespace escarp::simulation
