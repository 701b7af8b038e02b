#include <simulation/kinds.h>

#include "polyline.h"
#include "still.h"

namespace escarp::simulation {
namespace {

/// A line painted on the floor: a walkway, a place kept free. Nothing can hit it.
class MarkingKind final : public Kind {
public:
    std::string id() const override { return "marking"; }
    std::string label() const override { return "Floor marking"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        using Type = cell::Field::Type;
        static const cell::Fields all{
            of(Type::points, "points_mm", "corner points")
                .of_number(2, 200)
                .at_first({{-500.0, -400.0}, {500.0, -400.0}, {500.0, 400.0}, {-500.0, 400.0}}),
            flag("closed", "closed", false).at_first(true),
            number("line_mm", "line width", 1, 1000).usually(75).at_first(75.0)};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_floor; }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        std::vector<Vector3> corners = read_corners(r);
        const cell::Values v(r, fields());
        if (v.flag("closed")) corners.push_back(corners.front());
        const double half = 0.5 * v.number("line_mm");
        d.look = cell::Look::marking;
        for (std::size_t i = 0; i + 1 < corners.size(); ++i) {  // each run as the outline of a stripe
            const Vector3 along = (corners[i + 1] - corners[i]).normalized() * half, side(-along.y(), along.x(), 0);
            const Vector3 from = corners[i] - along, to = corners[i + 1] + along;
            d.marks.push_back(
                {cell::Mark::Style::muted, {from + side, to + side, to - side, from - side, from + side}});
            d.marks.back().filled = true;
        }
    }
    void mirror(cell::json& device) const override { mirror_places(device["points_mm"]); }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell&) const override {
        return std::make_unique<Still>(d, index);
    }
};

}  // namespace

std::unique_ptr<Kind> marking_kind() { return std::make_unique<MarkingKind>(); }

}  // namespace escarp::simulation
