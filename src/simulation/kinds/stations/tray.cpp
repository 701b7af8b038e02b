#include <algorithm>

#include <cell/model/device_kind.h>
#include <simulation/kinds.h>

namespace escarp::simulation {
namespace {

enum class Use { supply, collect, keep };

struct Pattern final : cell::Parameters {
    Use use;
    cell::Spread exchange;
    bool oldest_first = false;  ///< what has been there longest is taken first
    int at_start = 0;           ///< kept: parts in it at the start
    std::string part_type;
    std::vector<int> order;  ///< seats in the order in which they are filled; taken from the other end
};

/// Full of parts that are taken (supply), filled and then taken away (collect), or both by the arms (keep). When a
/// supply is empty or a collection full, a fresh tray stands there after the exchange time.
class Holding final : public Behaves<Holding> {
public:
    Holding(const cell::Device& d, int index, const cell::Cell& cell)
        : Acts(d, index),
          tray_(static_cast<const Pattern&>(*d.parameters)),
          type_(cell.part_type(tray_.part_type)),
          nests_(d.seats.size()),
          draws_(cell.seed, d.id, "exchange") {}

    bool tells_condition() const override { return true; }
    void start(Kernel& k) override {
        if (tray_.use == Use::supply) fill(k, nests_.size());
        if (tray_.use == Use::keep) fill(k, static_cast<std::size_t>(tray_.at_start));
        update(k);
    }
    bool random() const override { return tray_.use != Use::keep && tray_.exchange.varies(); }
    std::vector<Spot> places(const Kernel&, int) const override {
        std::vector<Spot> all;
        for (const int seat : tray_.order)
            if (tray_.use != Use::supply && !exchanging_ && nest(seat).part < 0 && !nest(seat).reserved)
                all.push_back({seat});
        return all;
    }
    void keep(Kernel&, const Spot& place, int) override { nest(place.seat).reserved = true; }
    void received(Kernel& k, const Spot& place, int part) override {
        nest(place.seat) = {part, false, false, ++order_};
        if (tray_.use == Use::collect && full()) exchange(k);
        update(k);
    }
    std::vector<Spot> standing(const Kernel&) const override {
        std::vector<Spot> all;
        if (tray_.use == Use::collect || exchanging_) return all;
        for (const int seat : tray_.order)
            if (nest(seat).part >= 0 && !nest(seat).claimed) all.push_back({seat, nest(seat).part});
        // The one that is to be taken first: the oldest, or else the last in its pattern.
        const auto first =
            tray_.oldest_first
                ? std::min_element(all.begin(), all.end(),
                      [this](const Spot& a, const Spot& b) { return nest(a.seat).order < nest(b.seat).order; })
            : all.empty() ? all.end()
                          : all.end() - 1;
        if (first != all.end()) std::rotate(all.begin(), first, first + 1);
        return all;
    }
    void claim(Kernel&, const Spot& s) override { nest(s.seat).claimed = true; }
    void taken(Kernel& k, const Spot& s) override {
        nest(s.seat) = {};
        if (tray_.use == Use::supply && empty()) exchange(k);
        update(k);
    }
    /// Asked for by its input, whatever is in it.
    bool poll(Kernel& k) override {
        const bool asked = k.on(signal(exchange_signal));
        if (!std::exchange(asked_, asked) && asked) wanted_ = true;
        const bool free =
            std::none_of(nests_.begin(), nests_.end(), [](const Nest& n) { return n.reserved || n.claimed; });
        if (!wanted_ || exchanging_ || !free) return false;
        wanted_ = false;
        exchange(k);
        update(k);
        return true;
    }
    /// The exchange is over: the old tray is gone, the new one stands there.
    void event(Kernel& k, int, int) override {
        exchanging_ = false;
        k.end(block_);
        for (Nest& n : nests_) {
            if (n.part >= 0) k.remove(n.part);
            n = {};
        }
        if (tray_.use == Use::supply) fill(k, nests_.size());
        update(k);
    }
    void write_state(StateWriter& w) const override {
        w.add(exchanging_), w.add(wanted_), w.add(asked_);
        for (const Nest& n : nests_) {
            w.add(n.reserved), w.add(n.claimed);
            w.add(n.part >= 0);
            if (n.part >= 0) w.add_part(n.part);
            if (n.part >= 0 && tray_.oldest_first) w.add(order_ - n.order);
        }
    }

private:
    struct Nest {
        int part = -1;
        bool reserved = false, claimed = false;
        std::int64_t order = 0;  ///< in which they came
    };
    Nest& nest(int seat) { return nests_[seat]; }
    const Nest& nest(int seat) const { return nests_[seat]; }
    bool empty() const {
        return std::all_of(nests_.begin(), nests_.end(), [](const Nest& n) { return n.part < 0; });
    }
    bool full() const {
        return std::all_of(nests_.begin(), nests_.end(), [](const Nest& n) { return n.part >= 0; });
    }
    void fill(Kernel& k, std::size_t count) {
        const bool all = count >= nests_.size();
        for (std::size_t i = 0; i < std::min(count, nests_.size()); ++i) {
            const int seat = all ? static_cast<int>(i) : tray_.order[i];
            nests_[seat].part = k.new_part(type_);
            nests_[seat].order = ++order_;
            k.put(nests_[seat].part, index_, seat, device_.world * device_.seats[seat].at);
        }
    }
    void exchange(Kernel& k) {
        exchanging_ = true;
        Block b;
        b.device = index_;
        b.kind = BlockKind::exchange;
        block_ = k.begin(b);
        k.at(k.now() + ticks(tray_.exchange.draw(draws_)), *this, 0);
    }
    static constexpr int full_signal = 0, empty_signal = 1, count_signal = 2,
                         exchange_signal = 3;  ///< in the order of the kind's signals
    void update(Kernel& k) {
        k.set_signal(signal(full_signal), full());
        k.set_signal(signal(empty_signal), empty());
        k.set_signal(signal(count_signal), static_cast<double>(std::count_if(nests_.begin(), nests_.end(),
                                               [](const Nest& n) { return n.part >= 0; })));
        k.set_condition(index_, exchanging_                            ? Condition::busy
                                : tray_.use == Use::collect || empty() ? Condition::starved
                                                                       : Condition::blocked);
    }

    const Pattern& tray_;
    const int type_;
    std::vector<Nest> nests_;
    bool exchanging_ = false;
    std::int64_t order_ = 0;
    cell::Draws draws_;
    bool asked_ = false, wanted_ = false;  ///< its input was on; it rose and nothing came of it yet
    int block_ = -1;
};

class TrayKind final : public Kind {
public:
    std::string id() const override { return "tray"; }
    std::string label() const override { return "Tray"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{
            choice("use", "use", {"supply", "collect", "keep"}).usually("collect").at_first("collect"),
            of(Type::part_type, "part_type", "part type").usually(""),
            whole("columns", "nests along x", 1, 50).usually(1).at_first(3),
            whole("rows", "nests along y", 1, 50).usually(1).at_first(2),
            whole("layers", "layers", 1, 20).usually(1).at_first(1),
            number("pitch_x_mm", "pitch x", 1, 5000).at_first(140.0),
            number("pitch_y_mm", "pitch y", 1, 5000).at_first(140.0),
            number("pitch_z_mm", "pitch of layers", 1, 5000).usually(60).at_first(60.0),
            number("plate_mm", "plate", 1, 2000).usually(30).at_first(30.0),
            choice("order", "filled", {"along x", "along y"}).usually("along x").at_first("along x"),
            number("exchange_s", "exchange time", 0, 1e5).varying().usually(5).at_first(5.0),
            choice("gives", "gives first", {"the last", "the oldest"}).usually("the last"),
            whole("at_start", "parts at the start", 0, 2000)
                .usually(0)
                .explained("Of a tray that is kept; a full supply begins full.")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", "Tray of parts", {{"use", "supply"}}}, {id(), "", "Empty tray", {{"use", "collect"}}},
            {id(), "", "Buffer",
                {{"use", "keep"}, {"gives", "the oldest"}, {"columns", 5}, {"rows", 1}, {"pitch_x_mm", 140.0}}}};
    }
    Lane lane() const override { return Lane::work; }
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        if (device["use"] == "supply") device["part_type"] = n.some_part_type();
        if (n.near() && n.near()->kind->carries_devices()) n.stand_on(device, *n.near());
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Use use = static_cast<const Pattern&>(*d.parameters).use;
        return std::string(use == Use::supply    ? "supply"
                           : use == Use::collect ? "collect"
                                                 : "keep") +
               " \u00b7 " + std::to_string(d.seats.size()) + (d.seats.size() == 1 ? " nest" : " nests");
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto t = std::make_shared<Pattern>();
        const cell::Values v(r, fields());
        const std::string use = v.choice("use");
        t->use = use == "supply" ? Use::supply : use == "collect" ? Use::collect : Use::keep;
        t->exchange = v.spread("exchange_s");
        t->oldest_first = v.choice("gives") == "the oldest";
        t->at_start = v.whole("at_start");
        t->part_type = v.text("part_type");
        if (t->use == Use::keep && t->at_start > 0 && t->part_type.empty())
            r.problem("part_type", "The id of the part type is needed of which there are some at the start.");
        if (t->use == Use::supply && t->part_type.empty())
            r.problem("part_type", "A tray that supplies parts needs the id of their part type.");
        if (t->use == Use::supply || t->at_start > 0) d.needs_part_type = t->part_type;
        const int columns = v.whole("columns"), rows = v.whole("rows"), layers = v.whole("layers");
        const double dx = v.number("pitch_x_mm"), dy = v.number("pitch_y_mm"), dz = v.number("pitch_z_mm"),
                     plate = v.number("plate_mm");
        const bool along_x = v.choice("order") == "along x";
        if (columns * rows * layers > 2000)
            r.problem("layers", "At most 2000 nests are possible; fewer rows, columns or layers are expected.");
        d.look = cell::Look::fixture;
        d.bodies.push_back(cell::standing_box("plate", {columns * dx, rows * dy, plate}, {0, 0, 0}));
        for (int layer = 0; layer < layers; ++layer)
            for (int row = 0; row < rows; ++row)
                for (int column = 0; column < columns; ++column) {
                    const Vector3 at(
                        (column - 0.5 * (columns - 1)) * dx, (row - 0.5 * (rows - 1)) * dy, plate + layer * dz);
                    d.seats.push_back({"nest " + std::to_string(d.seats.size() + 1), geometry::make_frame(at)});
                    if (layer > 0) continue;
                    const double x = 0.4 * dx, y = 0.4 * dy;
                    d.marks.push_back({cell::Mark::Style::muted,
                        {at + Vector3(-x, -y, 0), at + Vector3(x, -y, 0), at + Vector3(x, y, 0), at + Vector3(-x, y, 0),
                            at + Vector3(-x, -y, 0)}});
                }
        for (int layer = 0; layer < layers; ++layer)
            for (int i = 0; i < rows * columns; ++i) {
                const int row = along_x ? i / columns : i % rows, column = along_x ? i % columns : i / rows;
                t->order.push_back((layer * rows + row) * columns + column);
            }
        d.signals = {{"full"}, {"empty"}, cell::Signal::count("count"), cell::Signal::input_off("exchange")};
        d.mount = geometry::make_frame({0, 0, plate});
        d.parameters = std::move(t);
    }
    std::vector<int> pick_seats(const cell::Device& d) const override {
        return static_cast<const Pattern&>(*d.parameters).use == Use::collect ? std::vector<int>{}
                                                                              : Kind::pick_seats(d);
    }
    std::vector<int> place_seats(const cell::Device& d) const override {
        return static_cast<const Pattern&>(*d.parameters).use == Use::supply ? std::vector<int>{}
                                                                             : Kind::place_seats(d);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<Holding>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> tray_kind() { return std::make_unique<TrayKind>(); }

}  // namespace escarp::simulation
