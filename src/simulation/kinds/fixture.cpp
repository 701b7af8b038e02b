#include <algorithm>
#include <random>

#include <cell/content_key.h>
#include <cell/device_kind.h>
#include <cell/numbers.h>

#include "kinds.h"
#include "polyline.h"

namespace escarp::simulation {
namespace {

struct Work final : cell::Parameters {
    double process;
    bool together;        ///< starts when all nests are loaded, else each nest for itself
    int reject_every;     ///< every n-th part is judged a reject; 0: none
    double reject_share;  ///< or each with this probability
};

class Working final : public Behaviour {
public:
    Working(const cell::Device& d, int index, const cell::Cell& cell)
        : Behaviour(d, index),
          work_(static_cast<const Work&>(*d.parameters)),
          nests_(d.seats.size()),
          draw_(cell::ContentKey().add(cell.seed).add(d.id).value()) {}

    bool tells_condition() const override { return true; }
    void start(Kernel& k) override { update(k); }
    bool random() const override { return work_.reject_share > 0; }

    std::optional<int> room(const Kernel&, int) const override {
        for (std::size_t i = 0; i < nests_.size(); ++i)
            if (nests_[i].state == State::empty) return static_cast<int>(i);
        return std::nullopt;
    }
    void reserve(Kernel& k, int seat, int part) override {
        nest(seat) = {State::reserved, part, 0, -1};
        update(k);
    }
    void received(Kernel& k, int seat, int part) override {
        nest(seat) = {State::loaded, part, k.now(), -1};
        begin_work(k);
        update(k);
    }
    std::optional<Offer> offer(const Kernel& k) const override {
        if (k.on(signal(hold_signal))) return std::nullopt;
        std::optional<Offer> oldest;
        for (std::size_t i = 0; i < nests_.size(); ++i)
            if (nests_[i].state == State::done && (!oldest || nests_[i].since < nests_[oldest->seat].since))
                oldest = Offer{static_cast<int>(i), nests_[i].part};
        return oldest;
    }
    /// Its inputs: what is loaded begins when it may, what is done is given when it is not held.
    bool poll(Kernel& k) override {
        const bool before = std::exchange(held_, k.on(signal(hold_signal)));
        const bool begun = begin_work(k);
        if (begun) update(k);
        return begun || before != held_;
    }
    void claim(Kernel& k, const Offer& o) override {
        nest(o.seat).state = State::claimed;
        update(k);
    }
    void taken(Kernel& k, const Offer& o) override {
        nest(o.seat) = {};
        update(k);
    }
    /// The process of a nest is over.
    void event(Kernel& k, int seat, int) override {
        Nest& n = nest(seat);
        k.end(n.block);
        n.state = State::done;
        n.since = k.now();
        if (work_.reject_every > 0 || work_.reject_share > 0) judge(k, n.part);
        update(k);
    }
    void write_state(StateWriter& w) const override {
        for (const Nest& n : nests_) {
            w.add(static_cast<int>(n.state));
            if (n.state == State::empty) continue;
            w.add_part(n.part);
            if (n.state == State::done) w.add_time(n.since);
        }
        if (work_.reject_every > 0) w.add(judged_ % work_.reject_every);
    }

private:
    enum class State { empty, reserved, loaded, working, done, claimed };
    struct Nest {
        State state = State::empty;
        int part = -1;
        Ticks since = 0;
        int block = -1;
    };
    Nest& nest(int seat) { return nests_[seat]; }

    bool begin_work(Kernel& k) {
        const bool all =
            std::all_of(nests_.begin(), nests_.end(), [](const Nest& n) { return n.state == State::loaded; });
        if ((work_.together && !all) || !k.on(signal(start_signal))) return false;
        bool begun = false;
        for (std::size_t i = 0; i < nests_.size(); ++i) {
            if (nests_[i].state != State::loaded) continue;
            Block b;
            b.device = index_;
            b.kind = BlockKind::process;
            b.part = nests_[i].part;
            b.seat = static_cast<int>(i);
            nests_[i].state = State::working;
            nests_[i].block = k.begin(b);
            k.at(k.now() + ticks(work_.process), *this, static_cast<int>(i));
            begun = true;
        }
        return begun;
    }
    void judge(Kernel& k, int part) {
        ++judged_;
        const bool by_count = work_.reject_every > 0 && judged_ % work_.reject_every == 0;
        const bool by_chance =
            work_.reject_share > 0 && static_cast<double>(draw_() >> 11) * 0x1p-53 < work_.reject_share;
        k.judge(part, by_count || by_chance ? "reject" : "good");
    }
    static constexpr int free_signal = 0, busy_signal = 1, done_signal = 2, count_signal = 3, start_signal = 4,
                         hold_signal = 5;  ///< in the order of the kind's signals
    void update(Kernel& k) {
        const auto any = [&](State s) {
            return std::any_of(nests_.begin(), nests_.end(), [&](const Nest& n) { return n.state == s; });
        };
        k.set_signal(signal(free_signal), any(State::empty));
        k.set_signal(signal(busy_signal), any(State::working));
        k.set_signal(signal(done_signal), any(State::done));
        k.set_signal(signal(count_signal), static_cast<double>(std::count_if(nests_.begin(), nests_.end(),
                                               [](const Nest& n) { return n.state > State::reserved; })));
        k.set_condition(index_, any(State::working)                       ? Condition::busy
                                : any(State::done) || any(State::claimed) ? Condition::blocked
                                                                          : Condition::starved);
    }

    const Work& work_;
    std::vector<Nest> nests_;
    std::mt19937_64 draw_;
    std::int64_t judged_ = 0;
    bool held_ = false;
};

class FixtureKind final : public Kind {
public:
    std::string id() const override { return "fixture"; }
    std::string label() const override { return "Fixture"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("process_s", "process time", 0, 1e5).at_first(2.0),
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
            number("height_mm", "height", 1, 5000).at_first(800.0), bodies("bodies", "own shape", 1).lacking()};
        return all;
    }
    Lane lane() const override { return Lane::work; }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        return std::to_string(d.seats.size()) + (d.seats.size() == 1 ? " nest" : " nests") + " \u00b7 " +
               cell::shortest(static_cast<const Work&>(*d.parameters).process) + " s";
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto w = std::make_shared<Work>();
        const cell::Values v(r, fields());
        w->process = v.number("process_s");
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
        d.mount = geometry::make_frame({0, 0, height});
        d.parameters = std::move(w);
    }
    void mirror(cell::json& device) const override {
        if (device.contains("nests_mm")) mirror_places(device["nests_mm"]);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Working>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> fixture_kind() { return std::make_unique<FixtureKind>(); }

}  // namespace escarp::simulation
