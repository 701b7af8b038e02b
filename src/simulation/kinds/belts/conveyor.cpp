#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "carrying.h"

namespace escarp::simulation {
namespace {

/// The same along a slope, or where the path bends up or down: chords that stand out by 0.05 mm at the most. `low`,
/// `high`: over the belt.
void add_sloping_bar(const PathSection& s, double belt, const char* name, double inner, double outer, double low,
    double high, geometry::Bodies& out) {
    constexpr double stands_out = 5e-5;
    const Frame up = geometry::make_frame({0, 0, belt});
    const double angle = std::abs(s.curvature) * s.length;
    const int pieces =
        angle == 0 ? 1 : static_cast<int>(std::ceil(angle * std::sqrt(1 / (8 * stands_out * std::abs(s.curvature)))));
    for (int i = 0; i < pieces; ++i) {
        std::vector<Vector3> points;
        for (const int end : {i, i + 1})
            for (const double side : {inner, outer})
                for (const double z : {low, high})
                    points.push_back(up * s.at(s.length * end / pieces) * Vector3(0, side, z));
        out.push_back({name, geometry::Convex::hull(std::move(points)), Frame::Identity()});
    }
}

/// A bar along the path: from `inner` to `outer` across it (left is +), between two heights. Arcs in convex pieces that
/// hold the true shape and stand out from it by 0.2 mm at the most.
void add_bar(const BeltPath& path, double belt, const char* name, double inner, double outer, double low, double high,
    geometry::Bodies& out) {
    for (const PathSection& s : path.sections()) {
        if (!s.level()) {
            add_sloping_bar(s, belt, name, inner, outer, low - belt, high - belt, out);
            continue;
        }
        if (s.curvature == 0) {
            geometry::Body bar = cell::standing_box(
                name, {s.length, outer - inner, high - low}, {0.5 * s.length, 0.5 * (inner + outer), low});
            bar.at = s.begin * bar.at;
            out.push_back(std::move(bar));
            continue;
        }
        const double angle = std::abs(s.curvature) * s.length;
        constexpr double stands_out = 2e-4, most = geometry::pi / 18;
        const double widest = std::max(std::abs(1 / s.curvature - inner), std::abs(1 / s.curvature - outer));
        const int pieces = std::max(
            1, static_cast<int>(std::ceil(angle / std::min(most, 2 * std::acos(1 / (1 + stands_out / widest))))));
        for (int i = 0; i < pieces; ++i) {
            std::vector<Vector3> points;
            for (const int end : {i, i + 1}) {
                const Frame at = s.at(s.length * end / pieces);
                for (double side : {inner, outer}) {
                    const double radius = 1 / s.curvature - side;  // signed
                    if (std::abs(radius) > std::abs(1 / s.curvature - (side == inner ? outer : inner)))
                        side = 1 / s.curvature - radius / std::cos(0.5 * angle / pieces);
                    for (const double z : {low, high}) points.push_back(at * Vector3(0, side, z));
                }
            }
            out.push_back({name, geometry::Convex::hull(std::move(points)), Frame::Identity()});
        }
    }
}

/// What a band along the path covers, `half` to either side: exact where it bends, too.
geometry::Box3 footprint(const BeltPath& path, double half) {
    geometry::Box3 box;
    for (const PathSection& s : path.sections())
        for (const double side : {-half, half}) {
            for (const double way : {0.0, s.length}) box.add(s.at(way) * Vector3(0, side, 0));
            if (s.curvature == 0 || s.upright) continue;
            // An arc is widest where it runs along an axis of the device.
            const double begins = geometry::to_triple(s.begin.linear()).z();
            for (int quarter = -4; quarter <= 4; ++quarter) {
                const double way = (quarter * geometry::pi / 2 - begins) / s.curvature;
                if (way > 0 && way < s.length) box.add(s.at(way) * Vector3(0, side, 0));
            }
        }
    return box;
}

class ConveyorKind final : public Kind {
public:
    std::string id() const override { return "conveyor"; }
    std::string label() const override { return "Conveyor"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{number("length_mm", "length", 0, 100000).at_first(1500.0),
            number("rise_mm", "rises by", -3000, 3000)
                .usually(0)
                .explained("Over that length, which is measured level: the belt bends up, goes on straight and bends "
                           "level again. Below 0 it falls."),
            number("rise_radius_mm", "rise's bends", 50, 5000).usually(300),
            number("bend_deg", "bend, left +", -180, 180).usually(0),
            number("radius_mm", "bend radius", 20, 20000).usually(500),
            number("after_mm", "run after bend", 0, 100000).usually(0),
            number("width_mm", "width", 20, 5000).at_first(200.0),
            number("height_mm", "belt height", 50, 5000).at_first(750.0),
            number("guide_mm", "side guides", 0, 1000).usually(0),
            number("speed_mm_s", "belt speed", 1, 5000).at_first(250.0),
            number("gap_mm", "least gap", 0, 5000).usually(20).at_first(20.0),
            of(Type::device, "to", "hands on to").usually(""),
            choice("joins", "joins it", {"in line", "from the side"})
                .usually("in line")
                .explained("From the side: at the place of the next belt that is nearest to this one's end."),
            choice("goes_first", "who is first", {"first come", "this belt", "the side", "turns"})
                .usually("first come")
                .explained("Where others come in from the side and both have a part that waits."),
            choice("queue", "if one is held", {"parts close up", "all stand"})
                .usually("parts close up")
                .under("Drive and queue"),
            choice("runs", "runs", {"always", "by a pitch when asked", "by a pitch by itself"})
                .usually("always")
                .explained("By a pitch when asked: each time its input \"index\" goes on. By itself: when it has stood "
                           "for its dwell and no part waits at its end. It stays while an arm reaches for it.")
                .under("Drive and queue"),
            number("pitch_mm", "pitch", 1, 20000).usually(200).under("Drive and queue"),
            number("dwell_s", "dwell", 0.05, 1e5).usually(1).under("Drive and queue"),
            number("acceleration_mm_s2", "acceleration", 0, 100000)
                .usually(0)
                .explained("Of the belt when it starts and stops; 0: at once.")
                .under("Drive and queue"),
            number("friction", "friction of parts", 0, 2).usually(0.4).under("Drive and queue")};
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", label()},
            {id(), "", "Conveyor bend", {{"length_mm", 0.0}, {"bend_deg", 90.0}, {"radius_mm", 500.0}}}};
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    bool moves_parts() const override { return true; }
    bool takes_from_belts() const override { return true; }
    double ride_length(const cell::Device& d) const override { return belt_of(d).length(); }
    Frame rides_at(const cell::Device& d, double way) const override { return d.world * belt_of(d).on_top(way); }
    void add_ride(cell::ContentKey& key, const cell::Device& d) const override {
        key.add(d.world).add(belt_of(d).height);
        for (const PathSection& s : belt_of(d).path.sections())
            key.add(s.length).add(s.curvature).add(s.upright).add(s.begin);
    }
    double top_at(const cell::Device& d, const Vector3& world) const override {
        return rides_at(d, nearest_way(d, world)).translation().z();
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Belt& b = belt_of(d);
        return cell::shortest(std::round(100 * b.length()) / 100) + " m \u00b7 " + cell::shortest(1e3 * b.speed) +
               " mm/s";
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto b = std::make_shared<Belt>();
        const cell::Values v(r, fields());
        // In the order in which mistakes are told.
        const Course course{v.number("length_mm"), v.number("bend_deg"), v.number("radius_mm"), v.number("after_mm")};
        const double guide = v.number("guide_mm");
        read_drive(r, v, *b);
        if (!b->to.empty()) d.needs.emplace_back("to", b->to);
        read_path(r, v, course, *b);
        d.look = cell::Look::belt;
        add_bed(guide, *b, d);
        add_legs(*b, d);
        add_arrows(*b, d);
        const Frame up = geometry::make_frame({0, 0, b->height});
        d.ends = {up * b->path.at(0), up * b->path.at(b->length())};
        d.seats = {{"end", d.ends[1]}, {"beginning", d.ends[0]}};
        d.signals = {{"at_end"}, cell::Signal::count("count"), cell::Signal::input_on("run"), {"moving"},
            {"speed", cell::Signal::Type::number, cell::Signal::Way::input, 1e3 * b->speed, "mm/s"}};
        if (b->runs == Belt::Runs::when_asked) d.signals.push_back(cell::Signal::input_off("index"));
        d.mount = up;
        d.parameters = std::move(b);
    }
    void mirror(cell::json& device) const override {
        if (device.contains("bend_deg") && device["bend_deg"].is_number())
            device["bend_deg"] = 0.0 - device["bend_deg"].get<double>();
    }
    Frame seat_frame(const cell::Device& d, int seat, const cell::PartType& type) const override {
        const Belt& b = belt_of(d);
        return geometry::make_frame({0, 0, b.height}) *
               b.path.at(seat == end_seat ? b.length() - 0.5 * type.length : 0.5 * type.length);
    }
    std::vector<int> pick_seats(const cell::Device&) const override { return {end_seat}; }
    std::vector<int> place_seats(const cell::Device&) const override { return {drop_seat}; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return carrying(d, index, c);
    }
    std::optional<Vector3> side_joint(const cell::Cell&, const cell::Device& d) const override {
        return belt_of(d).from_side ? std::optional<Vector3>((d.world * d.ends[1]).translation()) : std::nullopt;
    }
    /// What it joins from the side is a belt, and not itself.
    void settled(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        const Belt& b = belt_of(d);
        const int next = cell.device(b.to);
        if (b.from_side && next >= 0 && !as_belt(cell.devices[next]))
            r.problem("joins", "\"" + cell.devices[next].name +
                                   "\" is no conveyor: parts can only come in at its beginning; take \"joins\" away.");
    }

private:
    static constexpr double most_thick = 0.1;  // of the bed, m
    static double thickness(const Belt& b) { return std::min(most_thick, 0.5 * b.height); }

    static void read_drive(const cell::Reader& r, const cell::Values& v, Belt& b) {
        b.width = v.number("width_mm");
        b.height = v.number("height_mm");
        b.speed = v.number("speed_mm_s");
        b.gap = v.number("gap_mm");
        b.to = v.text("to");
        b.from_side = v.choice("joins") == "from the side";
        const std::string first = v.choice("goes_first"), runs = v.choice("runs");
        b.first = first == "this belt"  ? Belt::First::through
                  : first == "the side" ? Belt::First::side
                  : first == "turns"    ? Belt::First::turns
                                        : Belt::First::come;
        b.all_stand = v.choice("queue") == "all stand";
        b.runs = runs == "by a pitch when asked"  ? Belt::Runs::when_asked
                 : runs == "by a pitch by itself" ? Belt::Runs::by_itself
                                                  : Belt::Runs::always;
        b.pitch = v.number("pitch_mm"), b.dwell = v.number("dwell_s");
        b.acceleration = v.number("acceleration_mm_s2"), b.friction = v.number("friction");
        if (b.from_side && b.to.empty())
            r.problem("joins", "\"From the side\" needs \"to\": the id of the conveyor that it joins.");
    }
    struct Course {
        double length, bend, radius, after;  ///< m, rad
    };
    static void read_path(const cell::Reader& r, const cell::Values& v, const Course& course, Belt& b) {
        const auto& [length, bend, radius, after] = course;
        if (bend != 0 && radius < 0.5 * b.width + 0.01)
            r.problem("radius_mm",
                "The radius of the bend's centre line is expected to be at least half the belt's width and 10 mm "
                "more.");
        const double rise = v.number("rise_mm"), rise_radius = v.number("rise_radius_mm");
        const std::optional<double> slope = rise == 0 ? std::nullopt : slope_of(length, rise, rise_radius);
        if (slope) b.run = length, b.rise = rise, b.rise_radius = rise_radius, b.slope = *slope;
        if (slope) b.path.add_rise(length, rise, rise_radius, *slope);
        else b.path.add(length, 0);
        if (rise != 0 && !slope)
            r.problem("rise_mm", "Over a length of " + cell::shortest(1e3 * length) + " mm, with bends of " +
                                     cell::shortest(1e3 * rise_radius) +
                                     " mm, the belt cannot rise so far by 60 degrees at the most: a greater length, or "
                                     "bends of less radius, are expected.");
        if (b.height + rise < 0.05) r.problem("rise_mm", "The belt would end less than 50 mm above the floor.");
        if (bend != 0) b.path.add(std::abs(bend) * radius, bend > 0 ? 1 / radius : -1 / radius);
        b.path.add(after, 0);
        if (b.path.length() < 0.1) {
            r.problem("length_mm", "The whole path is expected to be at least 100 mm long.");
            b.path.add(0.1, 0);
        }
    }
    /// The origin is the middle of the footprint.
    static void add_bed(double guide, Belt& b, cell::Device& d) {
        const double thick = thickness(b), half = 0.5 * b.width, sheet = std::min(0.015, 0.1 * b.width);
        add_bar(b.path, b.height, "bed", -half, half, b.height - thick, b.height, d.bodies);
        for (geometry::Body& body : d.bodies) body.finish = geometry::Finish::belt;
        const geometry::Box3 box = footprint(b.path, half);
        const Vector3 middle(0.5 * (box.low.x() + box.high.x()), 0.5 * (box.low.y() + box.high.y()), 0);
        b.path.shift(-middle);
        for (geometry::Body& body : d.bodies) body.at.pretranslate(-middle);
        if (guide > 0)
            for (const double side : {-1.0, 1.0})
                add_bar(b.path, b.height, "guide", std::min(side * half, side * (half - sheet)),
                    std::max(side * half, side * (half - sheet)), b.height, b.height + guide, d.bodies);
    }
    static void add_legs(const Belt& b, cell::Device& d) {
        const double thick = thickness(b);
        const double leg = std::min(0.06, 0.25 * b.width), inset = std::min(0.15, 0.2 * b.length()),
                     between = b.length() - 2 * inset;
        const int spans = std::max(1, static_cast<int>(std::ceil(between / 2.5)));
        for (int i = 0; i <= spans; ++i)
            for (const double y : {-1.0, 1.0}) {
                Frame at = b.path.at(inset + between * i / spans);
                // Under a slope the leg stands upright and ends below it.
                const double tilt = std::abs(at.linear()(2, 0)), yaw = std::atan2(at.linear()(1, 0), at.linear()(0, 0));
                const double tall = b.height - thick + (b.rise == 0 ? 0 : at.translation().z() - tilt * leg);
                if (b.rise != 0)
                    at = geometry::make_frame({at.translation().x(), at.translation().y(), 0}, {0, 0, yaw});
                geometry::Body one = cell::standing_box("leg", {leg, leg, tall}, {0, y * 0.5 * (b.width - leg), 0});
                one.at = at * one.at;
                d.bodies.push_back(std::move(one));
            }
    }
    /// Which way it runs.
    static void add_arrows(const Belt& b, cell::Device& d) {
        const int arrows = std::clamp(static_cast<int>(b.length() / 0.3), 1, 60);
        const Frame up = geometry::make_frame({0, 0, b.height});
        for (int i = 0; i < arrows; ++i) {
            const Frame at = up * b.path.at(b.length() * (i + 0.5) / arrows);
            const double s = 0.12 * b.width;
            d.marks.push_back(
                {cell::Mark::Style::pale, {at * Vector3(-s, s, 0), at * Vector3(0, 0, 0), at * Vector3(-s, -s, 0)}});
        }
    }
};

}  // namespace

std::unique_ptr<Kind> conveyor_kind() { return std::make_unique<ConveyorKind>(); }

}  // namespace escarp::simulation
