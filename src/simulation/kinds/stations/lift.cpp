#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <simulation/kinds.h>

#include "table.h"

namespace escarp::simulation {
namespace {

/// A table that rises, or goes along on rails, between two places.
class LiftKind final : public TableKind {
public:
    std::string id() const override { return "lift"; }
    std::string label() const override { return "Lift"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all =
            with_common({choice("goes", "goes", {"up", "along"}).usually("up").at_first("up"),
                number("travel_mm", "travel", 1, 10000).at_first(400.0),
                number("go_s", "goes in", 0.05, 600).at_first(1.5),
                number("back_s", "back in", 0.05, 600).at_first(1.5),
                number("length_mm", "length", 50, 10000)
                    .at_first(400.0)
                    .explained("Of the table; along: of the rails, the table is shorter by the travel."),
                number("width_mm", "width", 50, 10000).at_first(300.0),
                number("height_mm", "height", 100, 5000).at_first(700.0).explained("Of the table at its start."),
                whole("columns", "nests along x", 1, 50).usually(1), whole("rows", "nests along y", 1, 50).usually(1),
                number("pitch_x_mm", "pitch x", 1, 10000).usually(100),
                number("pitch_y_mm", "pitch y", 1, 10000).usually(100),
                choice("loads_at", "loaded at", {"its start", "its end"}).usually("its start"),
                choice("gives_at", "emptied at", {"its end", "its start"}).usually("its end")});
        return all;
    }
    std::vector<cell::Offering> offerings() const override {
        return {{id(), "", "Lift"},
            {id(), "", "Shuttle", {{"goes", "along"}, {"length_mm", 1200.0}, {"travel_mm", 800.0}}}};
    }
    std::string summary(const cell::Cell&, const cell::Device& d) const override {
        const Table& t = table_of(d);
        return cell::shortest(std::round(1e3 * t.values.back())) + " mm \u00b7 " + std::to_string(t.nests) +
               (t.nests == 1 ? " nest" : " nests");
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto t = std::make_shared<Table>();
        const cell::Values v(r, fields());
        const bool up = v.choice("goes") == "up";
        const double travel = v.number("travel_mm"), length = v.number("length_mm"), width = v.number("width_mm"),
                     height = v.number("height_mm");
        t->values = {0, travel};
        read_common(v, *t, d);
        const int columns = v.whole("columns"), rows = v.whole("rows");
        t->nests = columns * rows;
        t->loads_at = v.choice("loads_at") == "its start" ? 0 : 1;
        t->gives_at = v.choice("gives_at") == "its start" ? 0 : 1;
        constexpr double shortest_table = 0.02;
        if (!up && length < travel + shortest_table)
            r.problem("travel_mm", "A table of " + cell::shortest(1e3 * shortest_table) +
                                       " mm at the least goes along within the length of " +
                                       cell::shortest(1e3 * length) + " mm: less travel, or more length, is expected.");
        const double table = up ? length : std::max(shortest_table, length - travel),
                     plate = std::min(0.04, 0.2 * height), middle = up ? 0 : -0.5 * (length - table);
        AxisMake make;
        make.axis = up ? Vector3(Vector3::UnitZ()) : Vector3(Vector3::UnitX());
        make.travel = make.high = travel;
        make.takes = v.number("go_s"), make.takes_back = v.number("back_s");
        make.bodies.push_back(cell::standing_box("table", {table, width, plate}, {middle, 0, height - plate}));
        if (up) {  // a column in a column
            const double foot = std::min(0.06, 0.2 * height), tall = height - plate - foot;
            d.bodies.push_back(cell::standing_box("foot", {length, width, foot}, {0, 0, 0}));
            d.bodies.push_back(cell::standing_box("column", {0.6 * length, 0.6 * width, 0.98 * tall}, {0, 0, foot}));
            make.bodies.push_back(cell::standing_box("plunger", {0.4 * length, 0.4 * width, tall}, {0, 0, foot}));
        } else {
            const double rail = std::min(0.04, 0.2 * width), thick = std::min(0.03, 0.3 * plate);
            d.bodies.push_back(cell::standing_box("bed", {length, width, 0.98 * (height - plate) - thick}, {0, 0, 0}));
            for (const double side : {-0.5, 0.5})
                d.bodies.push_back(cell::standing_box(
                    "rail", {length, rail, thick}, {0, side * (width - 2 * rail), 0.98 * (height - plate) - thick}));
        }
        d.axis = make_axis(d, std::move(make));
        std::vector<Frame> nests;
        for (int row = 0; row < rows; ++row)
            for (int column = 0; column < columns; ++column)
                nests.push_back(geometry::make_frame({middle + (column - 0.5 * (columns - 1)) * v.number("pitch_x_mm"),
                    (row - 0.5 * (rows - 1)) * v.number("pitch_y_mm"), height}));
        add_seats(*t, nests, d);
        d.mount = geometry::make_frame({0, 0, height});
        d.parameters = std::move(t);
    }
};

}  // namespace

std::unique_ptr<Kind> lift_kind() { return std::make_unique<LiftKind>(); }

}  // namespace escarp::simulation
