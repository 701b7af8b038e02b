#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>
#include <simulation/kinds/belts/crossing.h>
#include <simulation/kinds/standing/polyline.h>

namespace escarp::simulation {
namespace {

/// What it takes to go over from one part type to another; -1: any.
struct ChangeOver {
    int from, to;
    cell::Spread time;
};

struct Work final : cell::Parameters {
    cell::Spread process;
    bool together;        ///< starts when all nests are loaded, else each nest for itself
    int reject_every;     ///< every n-th part is judged a reject; 0: none
    double reject_share;  ///< or each with this probability
    cell::Spread fails_after, repair;
    bool by_clock;  ///< time between failures goes on while it does not work
    std::vector<ChangeOver> change_overs;
    std::string to;       ///< hands parts on by itself; empty: arms take them
    double speed = 0.25;  ///< of parts from and to belts, m/s
    bool fails() const { return fails_after.mean() > 0; }
};

class Working final : public Behaves<Working> {
public:
    Working(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          work_(static_cast<const Work&>(*d.parameters)),
          next_(cell.device(work_.to)),
          nests_(d.seats.size()),
          rejects_(cell::ContentKey().add(cell.seed).add(d.id).value()),
          process_(cell.seed, d.id, "process"),
          failures_(cell.seed, d.id, "failures"),
          repairs_(cell.seed, d.id, "repairs"),
          changes_(cell.seed, d.id, "change-overs") {}

    bool tells_condition() const override { return true; }
    void start(Kernel& k) override {
        if (work_.fails()) {
            to_failure_ = ticks(work_.fails_after.draw(failures_));
            if (work_.by_clock) fails_at_ = k.at(to_failure_, *this, fails);
        }
        update(k);
    }
    bool random() const override {
        return work_.reject_share > 0 || work_.process.varies() || work_.fails_after.varies() ||
               (work_.fails() && work_.repair.varies()) ||
               std::any_of(work_.change_overs.begin(), work_.change_overs.end(),
                   [](const ChangeOver& c) { return c.time.varies(); });
    }

    std::vector<Spot> places(const Kernel&, int) const override {
        std::vector<Spot> all;
        for (const int i : indices(nests_))
            if (nests_[i].state == State::empty) all.push_back({i});
        return all;
    }
    void keep(Kernel& k, const Spot& place, int part) override {
        nest(place.seat) = {State::reserved, part};
        update(k);
    }
    void received(Kernel& k, const Spot& place, int part) override {
        nest(place.seat) = {State::loaded, part, k.now()};
        begin_work(k);
        update(k);
    }
    std::vector<Spot> standing(const Kernel& k) const override {
        std::vector<Spot> all;
        if (k.on(signal(hold_signal)) || next_ >= 0) return all;
        for (const int i : indices(nests_))
            if (nests_[i].state == State::done) all.push_back({i, nests_[i].part});
        std::stable_sort(all.begin(), all.end(),
            [this](const Spot& a, const Spot& b) { return nests_[a.seat].since < nests_[b.seat].since; });
        return all;
    }
    void claim(Kernel& k, const Spot& s) override {
        nest(s.seat).state = State::claimed;
        update(k);
    }
    void taken(Kernel& k, const Spot& s) override {
        nest(s.seat) = {};
        update(k);
    }

    // From belts and onto belts.
    bool accepts(const Kernel& k, const Arrival& a) const override { return !places(k, a.part_type).empty(); }
    void enter(Kernel& k, int part, const Arrival& a) override {
        const Spot place = places(k, a.part_type).front();
        keep(k, place, part);
        k.at(slide_in(k, part, device_, index_, place.seat, work_.speed), *this, arrives, part);
    }
    std::optional<MergeRequest> request_to_cross(const Kernel& k) const override {
        const int oldest = next_ < 0 || k.on(signal(hold_signal)) ? -1 : oldest_done();
        return oldest < 0 ? std::nullopt : std::optional(MergeRequest{nests_[oldest].since, nests_[oldest].part});
    }
    std::optional<Waiting> waiting(const Kernel& k) const override {
        return request_to_cross(k) ? std::optional(Waiting{next_, WaitFor::room}) : std::nullopt;
    }
    Listening listens_to() const override { return next_ < 0 ? Listening{} : Listening{{next_}, {}}; }

    /// Its inputs: what is loaded begins when it may, what is done is given when it is not held.
    bool poll(Kernel& k) override {
        const bool before = std::exchange(held_, k.on(signal(hold_signal)));
        const bool begun = begin_work(k), handed = hand_on(k);
        if (begun || handed) update(k);
        return begun || handed || before != held_;
    }
    void event(Kernel& k, int what, int part) override {
        switch (what) {
            case arrives: return arrived(k, part);
            case fails: fail(k); break;
            case repaired: repair(k); break;
            case changed: change_over_done(k); break;
            default: process_over(k, nest(what));
        }
        update(k);
    }
    void write_state(StateWriter& w) const override {
        for (const Nest& n : nests_) {
            w.add(static_cast<int>(n.state));
            if (n.state == State::empty) continue;
            w.add_part(n.part);
            if (n.state == State::done) w.add_time(n.since);
            if (n.state == State::paused) w.add_span(n.left);
        }
        if (work_.reject_every > 0) w.add_count(static_cast<int>(judged_ % work_.reject_every));
        if (work_.fails()) w.add(down_), w.add_span(working_since_ == never ? to_failure_ : 0);
        if (!work_.change_overs.empty()) w.add(last_type_), w.add(changing_to_);
    }

private:
    static constexpr int fails = -1, repaired = -2, changed = -3, arrives = -4;  // events; else the nest that is over
    enum class State { empty, reserved, loaded, working, done, claimed, paused };
    struct Nest {
        State state = State::empty;
        int part = -1;
        Ticks since = 0;
        int block = -1;
        EventKey over{};
        Ticks left = 0;  ///< paused: of the process
    };
    Nest& nest(int seat) { return nests_[seat]; }
    bool any(State s) const {
        return std::any_of(nests_.begin(), nests_.end(), [&](const Nest& n) { return n.state == s; });
    }
    int oldest_done() const {
        int oldest = -1;
        for (const int i : indices(nests_))
            if (nests_[i].state == State::done && (oldest < 0 || nests_[i].since < nests_[oldest].since)) oldest = i;
        return oldest;
    }
    int type(const Kernel& k, int part) const { return k.trace().parts[part].type; }

    void arrived(Kernel& k, int part) {
        for (const int i : indices(nests_))
            if (nests_[i].state == State::reserved && nests_[i].part == part) {
                k.put(part, index_, i, device_.world * device_.seats[i].at);
                received(k, {i}, part);
                return;
            }
    }
    /// What is done goes on by itself.
    bool hand_on(Kernel& k) {
        const auto request = request_to_cross(k);
        if (!request) return false;
        const Leaving leaving(k, request->part, next_, work_.speed);
        const Arrival arrival = leaving.arrival();
        if (!k.behaviour(next_).accepts(k, arrival)) return false;
        nest(oldest_done()) = {};
        k.changing(next_).enter(k, request->part, arrival);
        return true;
    }
    bool begin_work(Kernel& k) {
        const bool all =
            std::all_of(nests_.begin(), nests_.end(), [](const Nest& n) { return n.state == State::loaded; });
        if (down_ || changing_to_ >= 0 || (work_.together && !all) || !k.on(signal(start_signal))) return false;
        bool begun = false;
        for (const int i : indices(nests_)) {
            if (nests_[i].state != State::loaded) continue;
            if (!ready_for(k, type(k, nests_[i].part))) return begun || changing_to_ >= 0;
            work_on(k, i, ticks(work_.process.draw(process_)));
            begun = true;
        }
        return begun;
    }
    void work_on(Kernel& k, int seat, Ticks takes) {
        Nest& n = nest(seat);
        Block b;
        b.device = index_;
        b.kind = BlockKind::process;
        b.part = n.part;
        b.seat = seat;
        n.block = k.begin(b);
        n.over = k.at(k.now() + takes, *this, seat);
        n.state = State::working;
        if (!work_.fails() || work_.by_clock || working_since_ != never) return;
        working_since_ = k.now();
        fails_at_ = k.at(k.now() + to_failure_, *this, fails);
    }
    void process_over(Kernel& k, Nest& n) {
        k.end(n.block);
        n.state = State::done;
        n.since = k.now();
        if (work_.reject_every > 0 || work_.reject_share > 0) judge(k, n.part);
        stands(k);
    }
    /// Working time stops counting where nothing is worked on.
    void stands(Kernel& k) {
        if (working_since_ == never || any(State::working)) return;
        to_failure_ -= k.now() - working_since_;
        working_since_ = never;
        k.cancel(fails_at_);
    }
    void fail(Kernel& k) {
        down_ = true;
        working_since_ = never;
        for (Nest& n : nests_) {
            if (n.state != State::working) continue;
            k.cancel(n.over);
            k.end(n.block);
            n.left = n.over.when - k.now();
            n.state = State::paused;
        }
        stop_block_ = k.begin({index_, BlockKind::repair});
        k.at(k.now() + ticks(work_.repair.draw(repairs_)), *this, repaired);
    }
    void repair(Kernel& k) {
        down_ = false;
        k.end(stop_block_);
        to_failure_ = ticks(work_.fails_after.draw(failures_));
        if (work_.by_clock) fails_at_ = k.at(k.now() + to_failure_, *this, fails);
        for (const int i : indices(nests_))
            if (nests_[i].state == State::paused) work_on(k, i, nests_[i].left);
        begin_work(k);
    }
    /// Whether it is set up for a type; else it begins to be, as soon as nothing is worked on.
    bool ready_for(Kernel& k, int type) {
        const ChangeOver* found = nullptr;
        for (const ChangeOver& c : work_.change_overs)
            if (!found && (c.from < 0 || c.from == last_type_) && (c.to < 0 || c.to == type)) found = &c;
        if (last_type_ < 0 || last_type_ == type || !found) {
            last_type_ = type;
            return true;
        }
        if (any(State::working)) return false;
        changing_to_ = type;
        stop_block_ = k.begin({index_, BlockKind::change_over});
        k.at(k.now() + ticks(found->time.draw(changes_)), *this, changed);
        return false;
    }
    void change_over_done(Kernel& k) {
        k.end(stop_block_);
        last_type_ = std::exchange(changing_to_, -1);
        begin_work(k);
    }
    void judge(Kernel& k, int part) {
        ++judged_;
        const bool by_count = work_.reject_every > 0 && judged_ % work_.reject_every == 0;
        const bool p_value =
            work_.reject_share > 0 && static_cast<double>(rejects_() >> 11) * 0x1p-53 < work_.reject_share;
        k.judge(part, k.choose(2, by_count || p_value) == 1 ? "reject" : "good");
    }
    static constexpr int free_signal = 0, busy_signal = 1, done_signal = 2, count_signal = 3, start_signal = 4,
                         hold_signal = 5, down_signal = 6;  ///< in the order of the kind's signals
    void update(Kernel& k) {
        k.set_signal(signal(free_signal), any(State::empty));
        k.set_signal(signal(busy_signal), any(State::working));
        k.set_signal(signal(done_signal), any(State::done));
        k.set_signal(signal(count_signal), static_cast<double>(std::count_if(nests_.begin(), nests_.end(),
                                               [](const Nest& n) { return n.state > State::reserved; })));
        if (work_.fails()) k.set_signal(signal(down_signal), down_);
        k.set_condition(index_, down_ || changing_to_ >= 0                ? Condition::down
                                : any(State::working)                     ? Condition::busy
                                : any(State::done) || any(State::claimed) ? Condition::blocked
                                                                          : Condition::starved);
    }

    const Work& work_;
    const int next_;
    std::vector<Nest> nests_;
    cell::RandomBits rejects_;
    cell::Draws process_, failures_, repairs_, changes_;
    std::int64_t judged_ = 0;
    bool held_ = false, down_ = false;
    int last_type_ = -1, changing_to_ = -1;
    int stop_block_ = -1;  ///< of the repair, or the change-over
    Ticks to_failure_ = 0, working_since_ = never;
    EventKey fails_at_{};
};

const cell::Fields& change_over_fields() {
    using namespace cell::field;
    static const cell::Fields all{of(cell::Field::Type::part_type, "from", "from").usually(""),
        of(cell::Field::Type::part_type, "to", "to").usually(""),
        number("time_s", "takes", 0, 1e6).varying().at_first(30.0)};
    return all;
}

/// "6.5 s", "normal 6.5, 0.4 s".
std::string spread_words(const cell::Spread& s) { return s.text() + " s"; }

class FixtureKind final : public Kind {
public:
    std::string id() const override { return "fixture"; }
    std::string label() const override { return "Fixture"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("process_s", "process time", 0, 1e5).varying().at_first(2.0),
            choice("starts", "starts", {"each nest", "all nests"}).usually("each nest"),
            whole("reject_every", "rejects every", 0, 1000000)
                .usually(0)
                .explained("Every n-th part is judged a reject; 0: none."),
            number("reject_pct", "rejects at random", 0, 100).usually(0),
            whole("columns", "nests along x", 1, 50).usually(1).at_first(1),
            whole("rows", "nests along y", 1, 50).usually(1).at_first(1),
            number("pitch_x_mm", "pitch x", 1, 10000).usually(200).at_first(200.0),
            number("pitch_y_mm", "pitch y", 1, 10000).usually(200).at_first(200.0),
            of(Type::points, "nests_mm", "or nests at").of_number(0, 200).lacking(),
            number("length_mm", "length", 20, 20000).at_first(300.0),
            number("width_mm", "width", 20, 20000).at_first(300.0),
            number("height_mm", "height", 1, 5000).at_first(800.0), bodies("bodies", "own shape", 1).lacking(),
            of(Type::device, "to", "hands on to")
                .usually("")
                .explained(
                    "Parts come in from a belt that hands on to it, and go on by themselves; none: arms take them.")
                .under("In a line, failures, change-overs"),
            number("speed_mm_s", "speed in and out", 1, 5000).usually(250).under("In a line, failures, change-overs"),
            number("fails_after_s", "fails after", 0, 1e7)
                .varying()
                .usually(0)
                .explained("Mean or spread of the time between failures; 0: it never fails.")
                .under("In a line, failures, change-overs"),
            choice("fails_by", "counted in", {"working time", "the clock"})
                .usually("working time")
                .under("In a line, failures, change-overs"),
            number("repair_s", "repair takes", 0, 1e6).varying().usually(60).under("In a line, failures, change-overs"),
            list("change_overs", "change-overs", change_over_fields, 200).under("In a line, failures, change-overs")};
        return all;
    }
    Lane lane() const override { return Lane::work; }
    bool follows_belts() const override { return true; }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        return std::to_string(d.seats.size()) + (d.seats.size() == 1 ? " nest" : " nests") + " \u00b7 " +
               spread_words(static_cast<const Work&>(*d.parameters).process);
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto w = std::make_shared<Work>();
        const cell::Values v(r, fields());
        w->process = v.spread("process_s");
        w->to = v.text("to");
        if (!w->to.empty()) d.needs.emplace_back("to", w->to);
        w->speed = v.number("speed_mm_s");
        w->fails_after = v.spread("fails_after_s"), w->repair = v.spread("repair_s");
        w->by_clock = v.choice("fails_by") == "the clock";
        for (const cell::Reader& one : v.list("change_overs")) {
            const cell::Values c(one, change_over_fields());
            ChangeOver over{-1, -1, c.spread("time_s")};
            for (const auto& [key, type] : {std::pair("from", &over.from), std::pair("to", &over.to)}) {
                const std::string id = c.text(key);
                *type = id.empty() ? -1 : cell.part_type(id);
                if (!id.empty() && *type < 0)
                    one.problem(
                        key, "\"" + id + "\" is not the id of a part type of this file; without the key any is meant.");
            }
            w->change_overs.push_back(over);
        }
        w->together = v.choice("starts") == "all nests";
        w->reject_every = v.whole("reject_every");
        w->reject_share = v.number("reject_pct");
        const double length = v.number("length_mm"), width = v.number("width_mm"), height = v.number("height_mm");
        const int columns = v.whole("columns"), rows = v.whole("rows");
        const double dx = v.number("pitch_x_mm"), dy = v.number("pitch_y_mm");
        d.look = cell::Look::fixture;
        if (r.has("bodies")) d.bodies = cell::read_bodies(r, "bodies", cell.meshes);  // a shape of its own
        else d.bodies.push_back(cell::standing_box("body", {length, width, height}, {0, 0, 0}));
        if (d.bodies.empty())
            r.problem("bodies", "At least one body is expected; without the key the fixture is a box.");
        std::vector<Vector3> nests = read_places(r, "nests_mm");  // any pattern; else rows and columns
        if (nests.empty())
            for (int row = 0; row < rows; ++row)
                for (int column = 0; column < columns; ++column)
                    nests.emplace_back((column - 0.5 * (columns - 1)) * dx, (row - 0.5 * (rows - 1)) * dy, 0);
        for (const Vector3& nest : nests) {
            const Vector3 at = nest + Vector3(0, 0, height);
            d.seats.push_back({"nest " + std::to_string(d.seats.size() + 1), geometry::make_frame(at)});
            cell::Mark ring{cell::Mark::Style::ink, {}};
            for (int i = 0; i <= 24; ++i)
                ring.line.push_back(
                    at + 0.04 * Vector3(std::cos(i * geometry::pi / 12), std::sin(i * geometry::pi / 12), 0));
            d.marks.push_back(std::move(ring));
        }
        d.signals = {{"free"}, {"busy"}, {"done"}, cell::Signal::count("count"), cell::Signal::input_on("start"),
            cell::Signal::input_off("hold")};
        if (w->fails()) d.signals.push_back({"down"});
        d.mount = geometry::make_frame({0, 0, height});
        d.parameters = std::move(w);
    }
    void mirror(cell::json& device) const override {
        if (device.contains("nests_mm")) mirror_places(device["nests_mm"]);
    }
    /// It hands on at the beginning of the next belt.
    std::optional<Vector3> side_joint(const cell::Cell& cell, const cell::Device& d) const override {
        const int next = cell.device(static_cast<const Work&>(*d.parameters).to);
        if (next < 0 || !as_belt(cell.devices[next])) return std::nullopt;
        return (cell.devices[next].world * cell.devices[next].ends.front()).translation();
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Working>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> fixture_kind() { return std::make_unique<FixtureKind>(); }

}  // namespace escarp::simulation
