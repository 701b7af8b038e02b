#include <algorithm>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>

#include "belt.h"
#include "hood.h"

namespace escarp::simulation {
namespace {

struct Source final : cell::Parameters {
    enum class Releases { by_interval, when_asked, by_distance, by_timetable };
    struct Share {
        int type;
        double share;
    };
    struct Entry {
        Ticks when;
        int type;
    };
    cell::Spread interval;
    Releases releases;
    double spacing = 0;  ///< by distance, m
    int batch = 1;       ///< parts each time
    std::string to, part_type;
    std::vector<Share> mix;      ///< empty: all of one type
    int filled_with = -1;        ///< part type that lies on carriers that come
    bool in_turn = false;        ///< so many of each in a row, instead of by chance
    double aside = 0, turn = 0;  ///< scatter to either side, m and rad
    std::vector<Entry> timetable;
};

/// Releases parts onto its belt when it is their time and there is room.
class Releasing final : public Behaves<Releasing> {
public:
    Releasing(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          source_(static_cast<const Source&>(*d.parameters)),
          next_(cell.device(source_.to)),
          type_(cell.part_type(source_.part_type)),
          intervals_(cell.seed, d.id, "intervals"),
          types_(cell.seed, d.id, "types"),
          scatter_(cell.seed, d.id, "scatter") {}

    bool tells_condition() const override { return true; }
    Pace pace() const override { return Pace::by_clock; }
    void start(Kernel& k) override {
        k.set_condition(index_, Condition::busy);
        if (source_.releases == Source::Releases::by_timetable) {
            for (const Source::Entry& e : source_.timetable) k.at(e.when, *this, listed);
            due_ = false;
        }
        left_ = source_.batch;
        choose_type(k);
    }
    bool random() const override {
        return source_.interval.varies() || (source_.mix.size() > 1 && !source_.in_turn) || source_.aside > 0 ||
               source_.turn > 0;
    }
    void event(Kernel& k, int what, int) override {
        if (what == listed) {
            ++to_come_;
            return;
        }
        if (what == interval_over) k.end(block_);
        due_ = true;
    }
    bool poll(Kernel& k) override {
        const bool asked = k.on(signal(release_signal));
        if (source_.releases == Source::Releases::when_asked && asked && !asked_) to_come_ += source_.batch;
        asked_ = asked;
        if (!may_release(k)) return false;
        Arrival arrival{type_, 0.5 * k.cell().part_types[type_].length};
        if (!k.behaviour(next_).accepts(k, arrival)) {
            k.set_condition(index_, Condition::blocked);
            return false;
        }
        k.set_condition(index_, Condition::busy);
        if (source_.aside > 0) arrival.aside = (2 * scatter_.next() - 1) * source_.aside;
        if (source_.turn > 0) arrival.turn = (2 * scatter_.next() - 1) * source_.turn;
        count_down(k);
        last_ = k.new_part(type_);
        last_length_ = k.cell().part_types[type_].length;
        choose_type(k);
        k.changing(next_).enter(k, last_, arrival);
        fill(k, last_);
        // Where no interval runs, an instant on the ribbon says that one came.
        if (source_.releases == Source::Releases::by_distance || source_.releases == Source::Releases::by_timetable)
            k.end(k.begin({index_, BlockKind::interval}));
        return true;
    }
    Listening listens_to() const override { return {{next_}, {}}; }
    std::optional<Waiting> waiting(const Kernel&) const override {
        return due_ && counts_ready() ? std::optional(Waiting{next_, WaitFor::room}) : std::nullopt;
    }
    void write_state(StateWriter& w) const override {
        w.add(due_), w.add(to_come_), w.add(asked_);
        if (source_.batch > 1) w.add(left_);
        if (source_.in_turn) w.add(at_in_mix_), w.add(of_it_);
        if (source_.releases == Source::Releases::by_distance) w.add_part(last_);
    }

private:
    static constexpr int release_signal = 0;  ///< in the order of the kind's signals
    static constexpr int interval_over = 0, look_again = 1, listed = 2;

    /// A carrier comes with parts on it.
    void fill(Kernel& k, int carrier) {
        const cell::PartType& tray = k.type_of(carrier);
        if (source_.filled_with < 0 || !tray.carrier()) return;
        for (const int seat : indices(tray.seats))
            k.lay(k.new_part(source_.filled_with), carrier, seat, tray.seats[seat]);
    }
    bool counts_ready() const {
        switch (source_.releases) {
            case Source::Releases::when_asked: return to_come_ > 0;
            case Source::Releases::by_timetable: return asked_ && to_come_ > 0;
            default: return asked_;
        }
    }
    bool may_release(Kernel& k) {
        if (source_.releases == Source::Releases::by_timetable) return counts_ready();
        if (!due_ || !counts_ready()) return false;
        if (source_.releases != Source::Releases::by_distance || last_ < 0) return true;
        // The last one has gone so far that the next may come.
        k.cancel(again_);
        const auto* belt = dynamic_cast<const CarryingBelt*>(&k.behaviour(next_));
        const Ticks far = belt ? belt->reaches(k, last_, 0.5 * last_length_ + source_.spacing) : 0;
        if (far > k.now() && far != never) again_ = k.at(far, *this, look_again);
        return far <= k.now();
    }
    void count_down(Kernel& k) {
        if (source_.releases == Source::Releases::by_timetable) {
            --to_come_;
            return;
        }
        if (source_.releases == Source::Releases::when_asked) --to_come_;
        if (source_.releases == Source::Releases::by_distance) return;
        if (source_.releases == Source::Releases::by_interval && --left_ > 0) return;
        left_ = source_.batch;
        due_ = false;
        block_ = k.begin({index_, BlockKind::interval});
        k.at(k.now() + ticks(source_.interval.draw(intervals_)), *this, interval_over);
    }
    /// Of the part that comes next.
    void choose_type(Kernel& k) {
        if (source_.releases == Source::Releases::by_timetable) {
            if (listed_ < source_.timetable.size()) type_ = source_.timetable[listed_++].type;
            return;
        }
        if (source_.mix.empty()) return;
        if (source_.in_turn) {
            if (of_it_ >= std::lround(source_.mix[at_in_mix_].share)) {
                at_in_mix_ = (at_in_mix_ + 1) % static_cast<int>(source_.mix.size());
                of_it_ = 0;
            }
            ++of_it_;
            type_ = source_.mix[at_in_mix_].type;
            return;
        }
        double all = 0;
        for (const Source::Share& s : source_.mix) all += s.share;
        double left = types_.next() * all;
        std::size_t nth = 0;
        while (nth + 1 < source_.mix.size() && left >= source_.mix[nth].share) left -= source_.mix[nth++].share;
        type_ = source_.mix[k.choose(static_cast<int>(source_.mix.size()), static_cast<int>(nth))].type;
    }

    const Source& source_;
    const int next_;
    int type_;
    cell::Draws intervals_, types_, scatter_;
    bool due_ = true, asked_ = false;
    std::int64_t to_come_ = 0;  ///< asked for, or listed, and not yet released
    int left_ = 1;              ///< of the batch
    int block_ = -1, last_ = -1;
    double last_length_ = 0;
    EventKey again_{};
    int at_in_mix_ = 0;
    long of_it_ = 0;
    std::size_t listed_ = 0;
};

const cell::Fields& mix_fields() {
    using namespace cell::field;
    static const cell::Fields all{of(cell::Field::Type::part_type, "part_type", "part type").at_first(""),
        number("share", "share", 0, 1e6).at_first(1.0)};
    return all;
}
const cell::Fields& timetable_fields() {
    using namespace cell::field;
    static const cell::Fields all{number("at_s", "at", 0, 1e7).at_first(0.0),
        of(cell::Field::Type::part_type, "part_type", "part type").usually("")};
    return all;
}

class InfeedKind final : public Kind {
public:
    std::string id() const override { return "infeed"; }
    std::string label() const override { return "Infeed"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("interval_s", "one part every", 0.05, 1e5).varying().at_first(6.0),
            choice("releases", "releases", {"by the interval", "when asked", "by distance", "by a timetable"})
                .as_said({"by time", "when asked", "by distance", "by a list"})
                .usually("by the interval")
                .explained("When asked: one part each time its input \"release\" goes on. By distance: as soon as the "
                           "last one "
                           "has gone so far. Else while its input is on."),
            number("spacing_mm", "distance", 1, 20000).usually(300).under("What comes and how"),
            whole("batch", "parts each time", 1, 1000).usually(1).under("What comes and how"),
            of(Type::part_type, "part_type", "part type").at_first(""), of(Type::device, "to", "onto").at_first(""),
            number("length_mm", "length", 50, 5000).usually(300).at_first(300.0),
            number("width_mm", "width", 50, 5000).usually(240).at_first(240.0),
            number("height_mm", "height", 50, 5000).usually(250).at_first(250.0),
            of(Type::part_type, "filled_with", "carriers filled with").usually("").under("What comes and how"),
            list("mix", "mixed types", mix_fields, 100).under("What comes and how"),
            choice("mixed", "mixed", {"by share", "in turn"})
                .usually("by share")
                .explained("By share: each part by chance. In turn: so many of each, one after the other.")
                .under("What comes and how"),
            number("scatter_mm", "scatter across", 0, 2000).usually(0).under("What comes and how"),
            number("scatter_deg", "scatter of turn", 0, 180).usually(0).under("What comes and how"),
            list("timetable", "timetable", timetable_fields, 20000).under("What comes and how")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    bool feeds_belts() const override { return true; }
    Lane lane() const override { return Lane::arrivals; }
    /// At the beginning of the belt, with a part to release.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) throw cell::InputError("infeed", "An infeed puts parts onto a conveyor: place a conveyor first.");
        device["part_type"] = n.some_part_type();
        device["to"] = belt->id;
        device["width_mm"] = n.value(*belt, "width_mm") + 30;
        n.stand_on(device, *belt, -0.5 * n.value(*belt, "length_mm") + 0.4 * device["length_mm"].get<double>());
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Source& s = static_cast<const Source&>(*d.parameters);
        switch (s.releases) {
            case Source::Releases::when_asked: return "when asked";
            case Source::Releases::by_distance: return "every " + cell::shortest(1e3 * s.spacing) + " mm";
            case Source::Releases::by_timetable: return std::to_string(s.timetable.size()) + " listed";
            default: return "every " + s.interval.text() + " s";
        }
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto s = std::make_shared<Source>();
        const cell::Values v(r, fields());
        s->interval = v.spread("interval_s");
        const std::string releases = v.choice("releases");
        s->releases = releases == "when asked"       ? Source::Releases::when_asked
                      : releases == "by distance"    ? Source::Releases::by_distance
                      : releases == "by a timetable" ? Source::Releases::by_timetable
                                                     : Source::Releases::by_interval;
        s->spacing = v.number("spacing_mm"), s->batch = v.whole("batch");
        s->aside = v.number("scatter_mm"), s->turn = v.number("scatter_deg");
        s->in_turn = v.choice("mixed") == "in turn";
        d.signals = {s->releases == Source::Releases::when_asked ? cell::Signal::input_off("release")
                                                                 : cell::Signal::input_on("release")};
        s->to = v.text("to");
        s->part_type = v.text("part_type");
        if (s->part_type.empty()) r.problem("part_type", "An infeed needs the id of the part type that it releases.");
        d.needs.emplace_back("to", s->to);
        d.needs_part_type = s->part_type;
        if (const std::string filled = v.text("filled_with"); !filled.empty()) {
            s->filled_with = cell.part_type(filled);
            const int carrier = cell.part_type(s->part_type);
            if (s->filled_with < 0)
                r.problem("filled_with", "\"" + filled + "\" is not the id of a part type of this file.");
            else if (carrier >= 0 && !cell.part_types[carrier].takes(cell.part_types[s->filled_with]))
                r.problem("filled_with", "\"" + cell.part_types[carrier].name + "\" has no seats for \"" +
                                             cell.part_types[s->filled_with].name + "\".");
        }
        read_mix(v, cell, *s);
        read_timetable(v, cell, *s);
        d.look = cell::Look::source;
        add_hood(v.number("length_mm"), v.number("width_mm"), v.number("height_mm"), d);
        d.parameters = std::move(s);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Releasing>(d, index, c);
    }

private:
    static int type_of(const cell::Reader& r, const cell::Values& v, const cell::Cell& cell, const std::string& usual) {
        const std::string id = v.text("part_type").empty() ? usual : v.text("part_type");
        const int type = cell.part_type(id);
        if (type < 0) r.problem("part_type", "\"" + id + "\" is not the id of a part type of this file.");
        return std::max(type, 0);
    }
    static void read_mix(const cell::Values& v, const cell::Cell& cell, Source& s) {
        double all = 0;
        for (const cell::Reader& one : v.list("mix")) {
            const cell::Values m(one, mix_fields());
            s.mix.push_back({type_of(one, m, cell, ""), m.number("share")});
            all += s.mix.back().share;
            if (s.in_turn && std::lround(s.mix.back().share) < 1)
                one.problem("share", "In turn, 1 or more of each are expected.");
        }
        if (!s.mix.empty() && all <= 0) v.problem("mix", "At least one share is expected to be above 0.");
    }
    static void read_timetable(const cell::Values& v, const cell::Cell& cell, Source& s) {
        for (const cell::Reader& one : v.list("timetable")) {
            const cell::Values e(one, timetable_fields());
            s.timetable.push_back({ticks(e.number("at_s")), type_of(one, e, cell, s.part_type)});
            if (s.timetable.size() > 1 && s.timetable.back().when < s.timetable[s.timetable.size() - 2].when)
                one.problem("at_s", "It comes before the one above it; times in rising order are expected.");
        }
        if (s.releases == Source::Releases::by_timetable && s.timetable.empty())
            v.problem("timetable", "The list is empty; at least one time is expected.");
    }
};

}  // namespace

std::unique_ptr<Kind> infeed_kind() { return std::make_unique<InfeedKind>(); }

}  // namespace escarp::simulation
