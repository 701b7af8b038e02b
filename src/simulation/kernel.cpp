#include "kernel.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <utility>

#include <geometry/indices.h>
#include "arm_driver.h"

namespace escarp::simulation {
namespace {
constexpr std::size_t with_motion = 600;  // bytes that the checks need for one more motion
constexpr int most_rounds = 10'000;       // of asking all who wait at one instant

/// Whether a task goes through some of its steps several times.
bool repeats(const cell::Task& task) {
    const std::vector<const cell::Step*> steps = cell::all_steps(task);
    return std::any_of(steps.begin(), steps.end(), [](const cell::Step* s) { return s->enabled && s->times > 1; });
}
}  // namespace

StateWriter::StateWriter(const Kernel& kernel) : kernel_(kernel), free_(kernel.durations() == Durations::free) {
    constexpr std::size_t usual = 4096;
    bytes_.reserve(usual);
}
void StateWriter::add(std::int64_t value) {
    char raw[sizeof value];
    std::memcpy(raw, &value, sizeof value);
    bytes_.append(raw, sizeof value);
}
void StateWriter::add_double(double value) {
    std::int64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    add(bits);
}
Ticks StateWriter::now() const { return kernel_.now(); }
void StateWriter::add_time(Ticks when) {
    if (free_ && when != never) {
        if (when <= kernel_.now()) behind_.emplace_back(bytes_.size(), when);
        when = kernel_.now() + 1;
    }
    add(when == never ? never : when - kernel_.now());
}
void StateWriter::add_span(Ticks span) { add(free_ ? span > 0 : span); }
void StateWriter::add_way(Ticks way) {
    constexpr Ticks coarse = second / 10;
    add(free_ ? way / coarse : way);
}
void StateWriter::add_count(int counted) {
    if (!free_) add(counted);
}
void StateWriter::next() {
    std::sort(behind_.begin(), behind_.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    std::int64_t rank = -1;
    for (std::size_t i = 0; i < behind_.size(); ++i) {
        if (i > 0 && behind_[i].second != behind_[i - 1].second) --rank;
        std::memcpy(bytes_.data() + behind_[i].first, &rank, sizeof rank);
    }
    behind_.clear();
}
void StateWriter::add_part(int part) {
    const auto& live = kernel_.live_parts();
    const auto at = std::lower_bound(live.begin(), live.end(), part);
    add(at != live.end() && *at == part ? at - live.begin() : -1);
}
void StateWriter::add_joints(const JointVector& q) {
    for (int j = 0; j < q.size(); ++j) add_double(q[j]);
}

Frame Kind::seat_frame(const cell::Device& device, int seat, const cell::PartType&) const {
    return device.seats[seat].at;
}
std::vector<int> Kind::pick_seats(const cell::Device& device) const {
    std::vector<int> all(device.seats.size());
    for (const int i : indices(all)) all[i] = i;
    return all;
}
std::vector<int> Kind::place_seats(const cell::Device& device) const { return Kind::pick_seats(device); }

Kernel::Kernel(const cell::Cell& cell, PlanCache& plans, const motion::StopFlag* stop, History history,
    Durations durations, const RunLimits& limits)
    : cell_(cell), plans_(plans), stop_(stop), history_(history), durations_(durations), limits_(limits) {
    trace_.rounds.resize(cell.devices.size());
    trace_.motions.resize(cell.devices.size());
    trace_.conditions.resize(cell.devices.size());
    ties_->device_listeners.resize(cell.devices.size());
    ties_->signal_listeners.resize(cell.signals.size());
    for (const int index : indices(cell.devices)) {
        const cell::Device& d = cell.devices[index];
        std::unique_ptr<Behaviour> behaviour = kind_of(d).behaviour(d, index, cell);
        behaviours_.push_back(behaviour.get());
        if (behaviour->watches()) watchers_.push_back(behaviour.get());
        random_ = random_ || behaviour->random();
        for (const cell::Step* s : cell::all_steps(d)) random_ = random_ || (s->enabled && s->time.varies());
        join(std::move(behaviour));
        ArmDriver* driver = behaviours_.back()->driver();
        if (!d.task.empty()) join(std::make_unique<TaskRunner>(cell, index, d.task, 0, driver));
        side_tasks_.emplace_back();
        for (const cell::Task& side : d.side_tasks) {
            const int nth = static_cast<int>(side_tasks_.back().size()) + 1;
            auto task = std::make_unique<TaskRunner>(cell, index, side, nth, driver);
            side_tasks_.back().push_back(task.get());
            join(std::move(task));
        }
    }
    for (const cell::Signal& signal : cell.signals) {
        if (durations == Durations::kept) trace_.signals.push_back({cell.full_name(signal), {{0, signal.start}}});
        value_.push_back(signal.start);
    }
    carriers_count_ = std::all_of(
        cell.part_types.begin(), cell.part_types.end(), [](const cell::PartType& p) { return p.carrier(); });
    forced_.assign(cell.signals.size(), false);
    outside_.assign(cell.signals.size(), false);
    ties_->fed_by.resize(cell.signals.size());
    for (const int i : indices(cell.signals))
        if (cell.signals[i].source)
            for (const int source : cell.signals[i].source->signals()) ties_->fed_by[source].push_back(i);
}

Kernel::Kernel(const Kernel& o)
    : cell_(o.cell_),
      plans_(o.plans_),
      stop_(o.stop_),
      faster_(o.faster_),
      history_(o.history_),
      durations_(o.durations_),
      limits_(o.limits_),
      events_(o.events_, &event_room_),
      live_(o.live_),
      loads_(o.loads_),
      lying_(o.lying_),
      carriers_count_(o.carriers_count_),
      value_(o.value_),
      forced_(o.forced_),
      outside_(o.outside_),
      ties_(o.ties_),
      round_at_(o.round_at_),
      trace_(o.trace_),
      now_(o.now_),
      cause_(o.cause_),
      order_(o.order_),
      steps_(o.steps_),
      kept_(o.kept_),
      cut_(o.cut_),
      unsettled_(o.unsettled_),
      random_(o.random_),
      choices_(o.choices_),
      had_(o.had_),
      acting_(o.acting_) {
    actors_.reserve(o.actors_.size()), behaviours_.reserve(o.behaviours_.size());
    side_tasks_.reserve(o.side_tasks_.size());
    for (const auto& actor : o.actors_) {
        actors_.push_back(actor->copy());
        actors_.back()->number_ = actor->number_;
    }
    const auto behaviour_like = [&](const Behaviour* b) { return static_cast<Behaviour*>(actors_[b->number()].get()); };
    for (const Behaviour* b : o.behaviours_) behaviours_.push_back(behaviour_like(b));
    for (const Behaviour* b : o.watchers_) watchers_.push_back(behaviour_like(b));
    for (const auto& list : o.side_tasks_) {
        side_tasks_.emplace_back();
        for (const TaskRunner* task : list)
            side_tasks_.back().push_back(static_cast<TaskRunner*>(actors_[task->number()].get()));
    }
    for (const auto& actor : actors_) actor->copied(*this);
    awake_ = o.awake_;
}

void Kernel::join(std::unique_ptr<Actor> actor) {
    actor->number_ = static_cast<int>(actors_.size());
    Listening to = actor->listens_to();
    to.devices.push_back(actor->index());
    const cell::Device& d = cell_.devices[actor->index()];
    for (std::size_t i = 0; i < d.signals.size(); ++i)
        if (d.signals[i].input()) to.signals.push_back(d.first_signal + static_cast<int>(i));
    for (const int device : to.devices) ties_->device_listeners[device].push_back(actor->number_);
    for (const int signal : to.signals) ties_->signal_listeners[signal].push_back(actor->number_);
    wake(actor->number_);
    actors_.push_back(std::move(actor));
}

std::vector<std::pair<int, int>> Kernel::ties() const {
    std::vector<std::pair<int, int>> all;
    for (const int d : indices(ties_->device_listeners))
        for (const int actor : ties_->device_listeners[d]) all.emplace_back(d, actors_[actor]->index());
    for (std::size_t s = 0; s < ties_->signal_listeners.size(); ++s) {
        for (const int actor : ties_->signal_listeners[s])
            all.emplace_back(cell_.signals[s].device, actors_[actor]->index());
        for (const int input : ties_->fed_by[s]) all.emplace_back(cell_.signals[s].device, cell_.signals[input].device);
    }
    return all;
}

std::vector<std::pair<int, Waiting>> Kernel::waits() const {
    std::vector<std::pair<int, Waiting>> out;
    for (const auto& actor : actors_)
        if (const auto w = actor->waiting(*this)) out.emplace_back(actor->index(), *w);
    return out;
}

EventKey Kernel::at(Ticks when, const Actor& actor, int what, int part) {
    const EventKey key{when, actor.number(), what, part, order_++};
    events_.insert(key);
    return key;
}

int Kernel::begin(Block block) {
    if (history_ == History::none) return 0;
    block.from = now_;
    block.to = never;
    block.cause = cause_;
    keep(trace_.blocks, block);
    return static_cast<int>(trace_.blocks.size()) - 1;
}

void Kernel::end(int block) {
    if (history_ == History::none) return;
    trace_.blocks[block].to = now_;
    const BlockKind kind = trace_.blocks[block].kind;
    if (kind != BlockKind::wait && kind != BlockKind::held) cause_ = block;
}

void Kernel::set_signal(int signal, double value) {
    // What grows without end stays a number.
    constexpr double most = 1e12;
    value = std::isnan(value) ? 0.0 : std::clamp(value, -most, most);
    if (value_[signal] == value || forced_[signal] || outside_[signal]) return;
    const int device = cell_.signals[signal].device;
    reach(acting_, device);
    value_[signal] = value;
    for (const int input : ties_->fed_by[signal]) {
        reach(device, cell_.signals[input].device);
        set_signal(input, value_of(*cell_.signals[input].source));
    }
    for (const int listener : ties_->signal_listeners[signal]) {
        reach(device, actors_[listener]->index());
        wake(listener);
    }
    if (durations_ == Durations::free) return;
    auto& changes = trace_.signals[signal].changes;
    if (!changes.empty() && changes.back().first == now_) changes.pop_back();
    if (changes.empty() || changes.back().second != value) keep_latest(changes, std::pair(now_, value));
}

void Kernel::touch(int device) {
    reach(acting_, device);
    for (const int listener : ties_->device_listeners[device]) {
        reach(device, actors_[listener]->index());
        wake(listener);
    }
}

void Kernel::set_condition(int device, Condition condition) {
    if (!tells()) return;
    auto& list = trace_.conditions[device];
    if (!list.empty() && list.back().second == condition) return;
    if (!list.empty() && list.back().first == now_) list.pop_back();
    if (list.empty() || list.back().second != condition) keep(list, std::pair(now_, condition));
}

int Kernel::new_part(int type) {
    PartRecord record;
    record.type = type;
    record.came = now_;
    keep(trace_.parts, std::move(record));
    live_.push_back(static_cast<int>(trace_.parts.size()) - 1);
    return live_.back();
}

void Kernel::place(int part, Place place, const Frame& at, const motion::Glide& glide) {
    place.origin = at.translation();
    if (courses_.empty()) courses_.resize(cell_.devices.size());
    auto& latest = courses_[static_cast<std::size_t>(place.device)];
    const Course course{at.linear(), glide};
    auto same =
        std::find_if(latest.begin(), latest.end(), [&](const auto& one) { return one && one->same_bits(course); });
    if (same == latest.end()) {
        std::move_backward(latest.begin(), latest.end() - 1, latest.end());
        same = latest.begin();
        *same = std::make_shared<const Course>(course);
        if (history_ == History::whole) kept_ += sizeof(Course);
    }
    place.course = *same;
    keep_latest(trace_.parts[part].places, place);
    // Of what is held the watchers are told with the motion that carries it.
    if (place.kind != Place::Kind::held)
        for (Behaviour* w : watchers_) w->moved(*this, part);
    take_along(part, place);
}

/// A rigid whole: what lies on it turns and glides as it does.
void Kernel::take_along(int carrier, const Place& with) {
    const auto load = loads_.find(carrier);
    if (load == loads_.end()) return;
    for (const int part : load->second) {
        if (part < 0) continue;
        const Lying& lying = lying_.at(part);
        Place own = with;
        own.seat = lying.seat, own.carrier = carrier;
        place(part, own, with.at() * lying.at, with.glide());
    }
}

void Kernel::put(int part, int device, int seat, const Frame& world, const motion::Glide& glide, Ticks stop) {
    place(part, {.device = device, .from = now_, .stop = stop, .seat = seat}, world, glide);
}

void Kernel::hold(int part, int device, const Frame& in_tool) {
    place(part, {.kind = Place::Kind::held, .device = device, .from = now_}, in_tool, {});
}

const std::vector<int>& Kernel::load(int carrier) const {
    static const std::vector<int> nothing;
    const auto found = loads_.find(carrier);
    return found == loads_.end() ? nothing : found->second;
}

int Kernel::carrier_of(int part) const {
    const auto found = lying_.find(part);
    return found == lying_.end() ? -1 : found->second.carrier;
}

void Kernel::lay(int part, int carrier, int seat, const Frame& at) {
    std::vector<int>& load = loads_[carrier];
    load.resize(type_of(carrier).seats.size(), -1);
    load[seat] = part;
    lying_[part] = {carrier, seat, at};
    Place own = trace_.parts[carrier].places.back();
    Frame under = own.at();
    motion::Glide glide = own.glide();
    if (own.kind == Place::Kind::still && now_ > own.from) {
        const double gone = seconds(std::min(now_, std::max(own.stop, own.from)) - own.from);
        under = own.after(gone);
        glide.share += glide.ramp * gone;
        if (now_ >= own.stop) glide = {};
    }
    own.from = now_, own.stop = std::max(own.stop, now_);
    own.seat = seat, own.carrier = carrier;
    place(part, own, under * at, glide);
}

void Kernel::lift(int part) {
    const auto found = lying_.find(part);
    if (found == lying_.end()) return;
    loads_[found->second.carrier][found->second.seat] = -1;
    lying_.erase(found);
}

void Kernel::remove(int part, bool counted) {
    for (const int on_it : std::vector<int>(load(part)))
        if (on_it >= 0) remove(on_it, counted);
    lift(part);
    loads_.erase(part);
    static const auto nowhere = std::make_shared<const Course>();
    keep_latest(trace_.parts[part].places, Place{.kind = Place::Kind::gone, .from = now_, .course = nowhere});
    if (counted && (carriers_count_ || !type_of(part).carrier()))
        tells() ? keep(trace_.departures, Departure{now_, part, cause_})
                : keep_latest(trace_.departures, Departure{now_, part, cause_});
    live_.erase(std::lower_bound(live_.begin(), live_.end(), part));
    for (Behaviour* w : watchers_) w->moved(*this, part);
    if (history_ == History::none) trace_.parts[part] = {trace_.parts[part].type, {}, {}, trace_.parts[part].came};
}

void Kernel::judge(int part, const std::string& result) {
    keep_latest(trace_.parts[part].results, std::pair(now_, result));
}

void Kernel::start_motion(int device, MotionRecord motion) {
    motion.from = now_;
    if (history_ == History::whole) kept_ += with_motion;
    keep_latest(trace_.motions[device], std::move(motion));
    const MotionRecord& begun = trace_.motions[device].back();
    for (Behaviour* w : watchers_) {
        if (begun.held >= 0) w->moved(*this, begun.held);
        for (const MotionRecord::Also& more : begun.also) w->moved(*this, more.part);
        w->mover_begins(*this, device);
    }
}

const cell::PartType& Kernel::type_of(int part) const { return cell_.part_types[trace_.parts[part].type]; }

void Kernel::settle() {
    for (int round = 0; round < most_rounds; ++round) {
        bool changed = false;
        for (std::size_t word = 0; word < awake_.size(); ++word) {
            std::uint64_t done = 0;  // this one and those before it have had their turn
            while (const std::uint64_t left = awake_[word] & ~done) {
                const int bit = std::countr_zero(left);
                const std::uint64_t one = std::uint64_t{1} << bit;
                awake_[word] &= ~one;
                done = one | (one - 1);
                Actor& actor = *actors_[64 * word + static_cast<std::size_t>(bit)];
                acting_ = actor.index();
                if (!actor.poll(*this)) continue;
                touch(actor.index());
                changed = true;
            }
        }
        if (!changed) return;
    }
    unsettled_ = cut_ = true;
}

void Kernel::write_place(StateWriter& w, int part) const {
    const Place& p = trace_.parts[part].places.back();
    w.add(static_cast<std::int64_t>(p.kind));
    w.add(p.device);
    w.add(p.seat);
    const bool rides = p.kind == Place::Kind::still && p.stop > now_;
    // Where durations are free: who carries it knows where it is.
    if (durations_ == Durations::free && (rides || p.seat >= 0)) return;
    // To a tenth of a micrometre: what goes round for ever gathers rounding, and is the same all the same.
    const Frame at =
        p.kind == Place::Kind::still ? p.after(seconds(std::min(now_, std::max(p.stop, p.from)) - p.from)) : p.at();
    for (int row = 0; row < 3; ++row)
        for (int column = 0; column < 4; ++column) w.add(std::llround(at(row, column) * 1e7));
}

std::string Kernel::state() const {
    StateWriter w(*this);
    for (const int part : live_) {
        const PartRecord& p = trace_.parts[part];
        w.add(p.type);
        w.add(p.results.empty() ? 0 : static_cast<std::int64_t>(std::hash<std::string>{}(p.results.back().second)));
        write_place(w, part);
        if (const auto lies = lying_.find(part); lies != lying_.end())
            w.add_part(lies->second.carrier), w.add(lies->second.seat);
    }
    const auto write = [&](const EventKey& e) {
        w.add_time(e.when);
        w.add(e.actor);
        w.add(e.what);
        if (e.part >= 0) w.add_part(e.part);
    };
    if (durations_ == Durations::kept) {
        for (const EventKey& e : events_) write(e);
    } else {
        std::vector<EventKey> all(events_.begin(), events_.end());
        std::sort(all.begin(), all.end(), [&](const EventKey& a, const EventKey& b) { return comes_before(a, b); });
        for (EventKey e : all) {
            e.when = now_ + 1;
            write(e);
        }
    }
    for (const auto& actor : actors_) {
        actor->write_state(w);
        w.next();
    }
    for (const double value : value_) w.add_double(value);
    return w.take();
}

std::size_t Kernel::bytes() const {
    constexpr std::size_t an_actor = 1300, a_part = 400, a_signal = 120, an_event = 120;
    return sizeof *this + an_actor * actors_.size() + a_part * trace_.parts.size() + a_signal * value_.size() +
           an_event * events_.size();
}

StateKey key_of_state(const std::string& bytes) {
    StateKey key{0x9e3779b97f4a7c15, 0xc2b2ae3d27d4eb4f};
    for (std::size_t i = 0; i + 8 <= bytes.size(); i += 8) {
        std::uint64_t word;
        std::memcpy(&word, bytes.data() + i, 8);
        key.first = (key.first ^ word) * 0xff51afd7ed558ccd, key.first ^= key.first >> 32;
        key.second = (std::rotl(key.second, 29) + word) * 0xc4ceb9fe1a85ec53, key.second ^= key.second >> 33;
    }
    return key;
}

bool Kernel::rounds_to_come() const {
    if (random_ || !trace_.faults.empty()) return false;
    for (std::size_t i = 0; i < cell_.devices.size(); ++i)
        if (trace_.rounds[i].size() < 3 && repeats(cell_.devices[i].task)) return true;
    // Where there are no parts the slowest task says what the cycle is.
    if (!trace_.parts.empty()) return false;
    for (std::size_t i = 0; i < cell_.devices.size(); ++i)
        if (trace_.rounds[i].size() < 2 && !cell_.devices[i].task.steps.empty() && !cell_.devices[i].task.when_asked)
            return true;
    return false;
}

void Kernel::start() {
    for (const int i : indices(value_))
        if (cell_.signals[i].source) set_signal(i, value_of(*cell_.signals[i].source));
    for (const auto& actor : actors_) actor->start(*this);
    settle();
}

void Kernel::step() {
    const EventKey event = *events_.begin();
    events_.erase(events_.begin());
    now_ = event.when;
    happen(event);
}

void Kernel::happen(const EventKey& event) {
    if (++steps_ > (history_ == History::none ? limits_.bare_events : limits_.events) || kept_ > limits_.bytes) {
        cut_ = true;
        return;
    }
    cause_ = -1;
    Actor& actor = *actors_[event.actor];
    acting_ = actor.index();
    reached_.clear();
    touch(actor.index());
    actor.event(*this, event.what, event.part);
    settle();
}

/// Where durations are free: what rides in the order of its times, before all else; then actor by actor, each that does
/// one thing after the other in the order of its times.
bool Kernel::comes_before(const EventKey& a, const EventKey& b) const {
    const Actor::Pace pace_a = pace(a), pace_b = pace(b);
    const bool clock_a = pace_a == Actor::Pace::by_clock, clock_b = pace_b == Actor::Pace::by_clock;
    if (clock_a != clock_b) return clock_a;
    if (clock_a) return a < b;
    if (a.actor != b.actor) return a.actor < b.actor;
    if (pace_a == Actor::Pace::one_by_one) return a < b;
    return std::tuple(a.what, a.part, a.order) < std::tuple(b.what, b.part, b.order);
}

std::vector<EventKey> Kernel::ready() const {
    std::vector<EventKey> all;
    bool by_clock = false;
    std::vector<char> has(actors_.size());
    for (const EventKey& e : events_) {
        switch (pace(e)) {
            case Actor::Pace::by_clock:
                if (std::exchange(by_clock, true)) continue;
                break;
            case Actor::Pace::one_by_one:
                if (std::exchange(has[e.actor], true)) continue;
                break;
            case Actor::Pace::any_order: break;
        }
        all.push_back(e);
    }
    std::sort(all.begin(), all.end(), [&](const EventKey& a, const EventKey& b) { return comes_before(a, b); });
    return all;
}

void Kernel::take(const EventKey& event) {
    const EventKey taken = event;
    events_.erase(taken);
    // Free: an instant later, so that what came before is seen to have.
    if (durations_ == Durations::kept || pace(taken) == Actor::Pace::by_clock) now_ = std::max(now_, taken.when);
    else ++now_;
    happen(taken);
}

int Kernel::choose(int of, int usual) {
    if (had_.size() < choices_.size()) usual = choices_[had_.size()];
    else if (durations_ == Durations::free) usual = 0;
    had_.push_back(of);
    return usual;
}

void Kernel::say_choices(std::vector<int> choices) {
    choices_ = std::move(choices);
    had_.clear();
}

void Kernel::advance(Ticks until) {
    while (!ended() && next_event() <= until) step();
    if (!ended()) now_ = std::max(now_, until);
}

void Kernel::inject(const std::vector<std::pair<int, double>>& values) {
    cause_ = -1;
    for (const auto& [signal, value] : values) {
        const char outside = std::exchange(outside_[signal], false);
        set_signal(signal, value);
        outside_[signal] = outside;
    }
    settle();
}

void Kernel::force(int signal, double value) {
    forced_[signal] = false;
    const char outside = std::exchange(outside_[signal], false);
    set_signal(signal, value);
    outside_[signal] = outside;
    forced_[signal] = true;
}

}  // namespace escarp::simulation
