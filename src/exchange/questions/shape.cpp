// How imported geometry is checked: by how many convex pieces, and what they cost.

#include <sstream>

#include "../question.h"
#include "../result_json.h"
#include "../shape_cost.h"

namespace escarp::exchange {
namespace {

json cost_json(const ShapeCost& c) {
    json out = {{"pieces", c.pieces}, {"added_litres", tidy(c.added_litres)}, {"farthest_mm", tidy(1e3 * c.farthest)},
        {"looked_every_mm", tidy(1e3 * c.edge)}, {"closed", c.closed}};
    if (c.clearance)
        out["clearance"] = {{"distance_mm", tidy(1e3 * std::max(0.0, c.clearance->distance))},
            {"at_s", tidy(c.clearance->when_s)}, {"between", {c.clearance->body_a, c.clearance->body_b}}};
    return out;
}

Answer shape(Asked& a) {
    std::vector<int> most{1, 8, 32};
    if (a.options().has("pieces")) {
        most.clear();
        const json& said = a.options().reader().raw("pieces");
        for (const json& n : said.is_array() ? said : json::array({said}))
            most.push_back(n.is_number() && n >= 1 && n <= 200 ? n.get<int>() : 0);
        if (most.empty() || most.size() > 20 || std::find(most.begin(), most.end(), 0) != most.end())
            throw cell::InputError("pieces", "Found " + said.dump() + "; up to 20 numbers from 1 to 200 are expected.");
    }
    const ShapeCosts all = shape_costs(a.layout(), a.options().text("mesh"), most, a.cache(), a.how().stop);
    std::ostringstream words;
    words << all.name << "\n  as it is: " << in_words(all.now) << "\n";
    json cut = json::array();
    for (std::size_t i = 0; i < all.cut.size(); ++i) {
        words << "  at most " << most[i] << ": " << in_words(all.cut[i]) << "\n";
        cut.push_back(cost_json(all.cut[i]));
    }
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
        "clearance; --write with one number of pieces cuts it so",
        {of(cell::Field::Type::mesh, "mesh", "id of the imported geometry"),
            numbers("pieces", "pieces at most, a result for each (1 8 32)", 1, 200, 1, 0).lacking()},
        shape, true});
}

}  // namespace escarp::exchange
