// Grips that are nowhere near their part: left behind when it was made smaller.

#include <set>

#include <geometry/distance.h>
#include <geometry/indices.h>

#include "../check.h"

namespace escarp::inspection {

void grips_check(const Context& c, Inspection& result) {
    constexpr double near = 3e-3;  // m
    std::set<std::pair<int, std::string>> used;
    for (const cell::Device& d : c.cell.devices)
        for (const cell::Step* s : cell::all_steps(d))
            if (s->enabled && s->kind->reach() == cell::Reach::part)
                for (const int type : indices(c.cell.part_types)) used.emplace(type, s->grip);
    for (const int type : indices(c.cell.part_types)) {
        const cell::PartType& part = c.cell.part_types[type];
        for (const auto& grip : part.grips) {
            const bool first = &grip == &part.grips.front();
            if (!used.count({type, grip.id}) && !(first && used.count({type, ""}))) continue;
            const geometry::Convex point = geometry::Convex::sphere(1e-6);
            double gap = 1e300;
            for (const geometry::Body& b : part.bodies)
                gap = std::min(gap, geometry::separation(b.shape, b.at, point, grip.at).distance);
            if (gap <= near) continue;
            Finding f;
            f.id = "grip:" + part.id + ":" + grip.id;
            f.severity = Severity::watch;
            f.title = "The grip \"" + grip.id + "\" of " + part.name + " is in the air";
            f.text = "It is " + millimetres(gap) + " mm away from the part: the tool would close on nothing.";
            const Vector3 at = grip.at.translation();
            if (at.z() > part.height)
                f.ways_out.push_back({"Put the grip at the part's top", "the tool comes down to " + part.name,
                    {"Move grip " + grip.id,
                        {cell::Operation::set(cell::Path("part_types") / part.id / "grips" / grip.id / "at_mm",
                            {1e3 * at.x(), 1e3 * at.y(), 1e3 * part.height})}}});
            result.findings.push_back(std::move(f));
        }
    }
}

}  // namespace escarp::inspection
