// How imported geometry is checked: by how many convex pieces, and what they cost.

#include <sstream>

#include <cell/text/numbers.h>

#include "../question.h"
#include "../result_json.h"
#include "../shape_cost.h"

namespace escarp::exchange {
namespace {

json cost_json(const ShapeCost& c) {
    json out = {{"pieces", c.pieces}, {"added_litres", tidy(c.added_litres)}, {"farthest_mm", tidy(1e3 * c.farthest)},
        {"looked_every_mm", tidy(1e3 * c.edge)}, {"closed", c.closed}};
    const auto plane = [](const geometry::CutPlane& p) {
        return json{{"across", std::string(1, "xyz"[p.axis])}, {"at_mm", tidy(1e3 * p.at)}};
    };
    for (const geometry::CutPlane& p : c.cut.by_hand) out["cut_at"].push_back(plane(p));
    if (c.next) out["next_plane"] = plane(*c.next);
    if (c.clearance)
        out["clearance"] = {{"distance_mm", tidy(1e3 * std::max(0.0, c.clearance->distance))},
            {"at_s", tidy(c.clearance->when_s)}, {"between", {c.clearance->body_a, c.clearance->body_b}}};
    return out;
}

/// Planes that are placed by hand.
std::vector<geometry::CutPlane> planes_of(const Asked& a) {
    std::vector<geometry::CutPlane> out;
    for (int axis = 0; axis < 3; ++axis) {
        const std::string key = std::string("cut_") + "xyz"[axis];
        if (!a.options().has(key)) continue;
        const json& said = a.options().reader().raw(key);
        for (const json& at : said.is_array() ? said : json::array({said})) {
            if (!at.is_number()) throw cell::InputError(key, "Found " + said.dump() + "; places in mm are expected.");
            out.push_back({axis, 1e-3 * at.get<double>()});
        }
    }
    return out;
}

/// A plane that goes past it cuts nothing.
void check(const std::vector<geometry::CutPlane>& planes, const geometry::Box3& box) {
    for (const geometry::CutPlane& p : planes)
        if (p.at <= box.low[p.axis] || p.at >= box.high[p.axis])
            throw cell::InputError(std::string("cut_") + "xyz"[p.axis],
                "A plane at " + cell::shortest(1e3 * p.at) + " mm goes past it: between " +
                    cell::fixed(1e3 * box.low[p.axis], 1) + " and " + cell::fixed(1e3 * box.high[p.axis], 1) +
                    " mm it would cut.");
}

Answer shape(Asked& a) {
    const std::vector<geometry::CutPlane> by_hand = planes_of(a);
    std::vector<int> most{1, 8, 32};
    if (!by_hand.empty()) most = {1};
    if (a.options().has("pieces")) {
        most.clear();
        const json& said = a.options().reader().raw("pieces");
        for (const json& n : said.is_array() ? said : json::array({said}))
            most.push_back(n.is_number() && n >= 1 && n <= 200 ? n.get<int>() : 0);
        if (most.empty() || most.size() > 20 || std::find(most.begin(), most.end(), 0) != most.end())
            throw cell::InputError("pieces", "Found " + said.dump() + "; up to 20 numbers from 1 to 200 are expected.");
    }
    std::vector<ShapeCut> cuts;
    for (const int n : most) cuts.push_back({n, by_hand});
    const ShapeCosts all = shape_costs(a.layout(), a.options().text("mesh"), cuts, a.cache(), a.how().stop);
    check(by_hand, all.box);
    std::ostringstream words;
    words << all.name << "\n  as it is: " << in_words(all.now) << "\n";
    json cut = json::array();
    for (std::size_t i = 0; i < all.cut.size(); ++i) {
        const ShapeCost& c = all.cut[i];
        if (by_hand.empty()) words << "  at most " << most[i];
        else words << "  cut at " << in_words(by_hand);
        if (!by_hand.empty() && most[i] > 1) words << ", then " << most[i] << " at most";
        words << ": " << in_words(c) << "\n";
        if (!by_hand.empty() && most[i] == 1)
            words << (c.next ? "  the best next plane: " + in_words({*c.next}) : "  no hollow is left") << "\n";
        cut.push_back(cost_json(c));
    }
    if (by_hand.empty() && all.now.next)
        words << "By hand, the best first plane is at " << in_words({*all.now.next}) << "\n";
    if (!all.now.closed) words << "The surface is not closed: what lies behind a gap counts as added.\n";
    Answer out{{{"mesh", a.options().text("mesh")}, {"now", cost_json(all.now)}, {"cut", cut}}, words.str()};
    if (all.cut.size() == 1) out.edit = all.cut.front().edit;
    return out;
}

}  // namespace

void add_shape_question(std::vector<Question>& all) {
    using namespace cell::field;
    all.push_back({"shape",
        "convex pieces that imported geometry is checked by: what they add to it, and what that does to the least "
        "clearance; --write with one number of pieces, or with planes, cuts it so",
        {of(cell::Field::Type::mesh, "mesh", "id of the imported geometry"),
            numbers("pieces", "pieces at most, a result for each (1 8 32)", 1, 200, 1, 0).lacking(),
            numbers("cut_x", "cut at planes across x first, mm in its own frame", -1e6, 1e6, 1, 0).lacking(),
            numbers("cut_y", "across y", -1e6, 1e6, 1, 0).lacking(),
            numbers("cut_z", "across z", -1e6, 1e6, 1, 0).lacking()},
        shape, true});
}

}  // namespace escarp::exchange
