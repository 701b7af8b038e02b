#include <algorithm>

#include <simulation/kinds.h>

#include "polyline.h"
#include "still.h"

namespace escarp::simulation {
namespace {

constexpr const char *door_locked = "are locked while it works", *door_stops = "stop it when opened";

/// A fence along corner points: posts at the corners and at most a panel's length apart, doors where they are asked
/// for.
class FenceKind final : public Kind {
public:
    std::string id() const override { return "fence"; }
    std::string label() const override { return "Fence run"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{
            of(Type::points, "points_mm", "corner points").of_number(2, 200).at_first({{-1000.0, 0.0}, {1000.0, 0.0}}),
            number("height_mm", "height", 200, 10000).usually(2000).at_first(2000.0),
            number("post_mm", "posts", 5, 500).usually(50).at_first(50.0),
            number("panel_mm", "longest panel", 200, 10000).usually(1500).at_first(1500.0),
            numbers("doors_at_mm", "doors from start", 0, 1e7, 0, 100).lacking().at_first(cell::json::array()),
            number("door_width_mm", "door width", 300, 10000).usually(900).at_first(900.0),
            choice("doors", "doors", {door_locked, door_stops})
                .usually(door_locked)
                .explained("Locked: until everything stands. What stops when one is opened has to be far from it."),
            number("response_s", "stops the cell after", 0, 10)
                .usually(0.05)
                .explained("Response of the door's switch and of the control, until the arms begin to slow down."),
            number("opening_mm", "openings", 0, 1000)
                .usually(0)
                .explained("Width of the mesh's square openings; 0: closed panels.")};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const std::vector<Vector3> corners = read_corners(r);
        const cell::Values v(r, fields());
        const double height = v.number("height_mm"), post = v.number("post_mm"), panel = v.number("panel_mm"),
                     door = v.number("door_width_mm"), response = v.number("response_s");
        const bool stops = v.choice("doors") == door_stops;
        double way = 0;
        std::vector<double> doors = read_doors(r);
        for (std::size_t i = 0; i < corners.size(); ++i) {
            if (i == 0 || (corners[i] - corners.front()).norm() > 1e-3) add_post(d, corners[i], post, height);
            if (i + 1 == corners.size()) break;
            const Vector3 along = corners[i + 1] - corners[i];
            const double length = along.norm();
            std::vector<double> cuts{0};
            std::vector<bool> open;  // is the stretch after a cut a door?
            for (const double at : doors) {
                const double from = at - way;
                if (from < -1e-6 || from + door > length + 1e-6) continue;
                if (from > cuts.back() + 1e-6) open.push_back(false), cuts.push_back(from);
                open.push_back(true), cuts.push_back(from + door);
            }
            if (cuts.back() < length - 1e-6) open.push_back(false), cuts.push_back(length);
            cell::Guard guard;
            guard.from = corners[i], guard.to = corners[i + 1];
            guard.height = height, guard.opening = v.number("opening_mm");
            d.guards.push_back(guard);
            const Frame run = geometry::make_frame(corners[i], {0, 0, std::atan2(along.y(), along.x())});
            for (std::size_t k = 0; k < open.size(); ++k) {
                if (open[k] && stops) {
                    cell::Guard opened;
                    opened.from = run * Vector3(cuts[k], 0, 0), opened.to = run * Vector3(cuts[k + 1], 0, 0);
                    opened.height = height, opened.response_s = response, opened.opens = true;
                    d.guards.push_back(opened);
                }
                if (open[k]) add_door(d, run, cuts[k], cuts[k + 1], post, height);
                else add_panels(d, run, cuts[k], cuts[k + 1], post, panel, height);
                if (k + 1 < open.size()) add_post(d, run * Vector3(cuts[k + 1], 0, 0), post, height);
            }
            way += length;
        }
        for (const double at : doors)
            if (!fits_a_run(corners, at, door))
                r.problem(
                    "doors_at_mm", "The door at " + cell::json(std::round(at * 1e3)).dump() +
                                       " mm does not fit between two corners; put it elsewhere or make it narrower.");
        d.mount = geometry::make_frame({0, 0, height});
    }
    void mirror(cell::json& device) const override { mirror_places(device["points_mm"]); }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Still>(d, index);
    }

private:
    static std::vector<double> read_doors(const cell::Reader& r) {
        std::vector<double> doors;
        const cell::json& list = r.raw("doors_at_mm");
        if (!r.has("doors_at_mm")) return doors;
        bool fits = list.is_array() && list.size() <= 100;
        if (fits)
            for (const cell::json& at : list) {
                fits = fits && at.is_number() && at.get<double>() >= 0 && at.get<double>() <= 1e7;
                if (fits) doors.push_back(1e-3 * at.get<double>());
            }
        if (!fits)
            r.problem("doors_at_mm",
                "A list of distances in mm along the run is expected, such as [500, 3000]; each is where a door "
                "begins.");
        std::sort(doors.begin(), doors.end());
        return doors;
    }
    static bool fits_a_run(const std::vector<Vector3>& corners, double at, double door) {
        for (std::size_t i = 0; i + 1 < corners.size(); ++i) {
            const double length = (corners[i + 1] - corners[i]).norm();
            if (at >= -1e-6 && at + door <= length + 1e-6) return true;
            at -= length;
        }
        return false;
    }
    static void add_post(cell::Device& d, const Vector3& at, double post, double height) {
        d.bodies.push_back(cell::standing_box("post", {post, post, height}, at));
    }
    static void add_panels(
        cell::Device& d, const Frame& run, double from, double to, double post, double longest, double height) {
        const int count = std::max(1, static_cast<int>(std::ceil((to - from) / longest - 1e-9)));
        for (int i = 0; i < count; ++i) {
            const double a = from + (to - from) * i / count, b = from + (to - from) * (i + 1) / count;
            if (i > 0) add_post(d, run * Vector3(a, 0, 0), post, height);
            geometry::Body panel = cell::standing_box(
                "panel", {std::max(0.001, b - a), 0.4 * post, height - 0.15}, {0.5 * (a + b), 0, 0.15});
            panel.at = run * panel.at;
            panel.finish = geometry::Finish::wire;
            d.bodies.push_back(std::move(panel));
        }
    }
    /// Closed, it stands in the line; the quarter circle shows how it swings.
    static void add_door(cell::Device& d, const Frame& run, double from, double to, double post, double height) {
        geometry::Body leaf = cell::standing_box(
            "door", {std::max(0.001, to - from - post), 0.6 * post, height - 0.25}, {0.5 * (from + to), 0, 0.15});
        leaf.at = run * leaf.at;
        leaf.finish = geometry::Finish::wire;
        d.bodies.push_back(std::move(leaf));
        cell::Mark swing{cell::Mark::Style::muted, {run * Vector3(from, 0, 0)}};
        for (int i = 0; i <= 12; ++i)
            swing.line.push_back(run * Vector3(from + (to - from) * std::cos(i * geometry::pi / 24),
                                           (to - from) * std::sin(i * geometry::pi / 24), 0));
        swing.line.push_back(run * Vector3(from, 0, 0));
        d.marks.push_back(std::move(swing));
    }
};

}  // namespace

std::unique_ptr<Kind> fence_kind() { return std::make_unique<FenceKind>(); }

}  // namespace escarp::simulation
