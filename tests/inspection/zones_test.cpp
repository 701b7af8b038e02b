#include <catch2/catch.hpp>

#include <geometry/distance.h>
#include <inspection/swept.h>
#include <inspection/timeline.h>
#include <inspection/zones.h>

#include "support/cells.h"
#include "support/random.h"
#include "support/random_cells.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::inspection;
using simulation::seconds;
using simulation::Ticks;

namespace {

struct Looked {
    std::shared_ptr<const cell::Cell> cell;
    std::shared_ptr<const simulation::Run> run;
    std::shared_ptr<const Zones> zones;
};

Looked look(const cell::json& tree, double resolution = 0.01) {
    static Cache cache;
    Looked l;
    l.cell = tests::read(tree);
    simulation::RunOptions o;
    o.horizon_s = 60;
    o.at_least_s = 20;
    l.run = simulation::run(*l.cell, cache.plans, o);
    l.zones = find_zones(*l.cell, *l.run, cache, nullptr, resolution);
    return l;
}

/// The bodies of a mover at an instant of the run.
std::vector<std::pair<geometry::Convex, geometry::Frame>> bodies_at(
    const Timeline& timeline, const TimedMover& mover, Ticks t) {
    const Segment* at = &mover.segments.front();
    for (const Segment& s : mover.segments)
        if (s.from <= t) at = &s;
    std::vector<geometry::Frame> frames;
    timeline.moving(mover, *at).frames(std::min(seconds(t - at->from), at->motion->duration()), frames);
    std::vector<std::pair<geometry::Convex, geometry::Frame>> out;
    for (const motion::Part& p : at->parts->parts()) out.emplace_back(p.shape, frames[p.frame] * p.at);
    return out;
}
geometry::Vector3 point_of(tests::Draw& draw, const geometry::Convex& shape, const geometry::Frame& at) {
    const geometry::Vector3 d = draw.direction(), e = draw.direction();
    const double share = draw.in(0, 1);
    return at *
           (share * (shape.support(d) + shape.radius() * d) + (1 - share) * (shape.support(e) + shape.radius() * e));
}
const TimedMover& mover_of(const Timeline& timeline, int device) {
    for (const TimedMover& m : timeline.movers())
        if (m.device == device) return m;
    throw std::logic_error("no mover");
}

}  // namespace

TEST_CASE("what is swept holds every body at any instant, and nothing farther from them than its resolution") {
    const auto e = tests::evaluated(tests::demo(), "B");
    const Timeline timeline(*e->cell, *e->run, nullptr);
    tests::Draw draw(3);
    for (const double resolution : {0.03, 0.01})
        for (const TimedMover& mover : timeline.movers()) {
            const auto volume = swept_by(*e->cell, *e->run, mover.device, -1, resolution);
            REQUIRE(volume);
            for (int i = 0; i < tests::rounds(5000); ++i) {
                const Ticks t = static_cast<Ticks>(draw.in(0, 1) * static_cast<double>(timeline.end()));
                for (const auto& [shape, at] : bodies_at(timeline, mover, t))
                    if (!volume->contains(point_of(draw, shape, at))) FAIL("a point of a body is left out");
            }
            // From outside: cubes of the set against the bodies at many instants.
            const geometry::Box3 box = volume->box();
            std::vector<std::pair<geometry::Vector3, double>> points;  // and how near a body came
            while (points.size() < 30) {
                geometry::Vector3 p;
                for (int axis = 0; axis < 3; ++axis) p[axis] = draw.in(box.low[axis], box.high[axis]);
                if (volume->contains(p)) points.emplace_back(p, 1e9);
            }
            for (Ticks t = 0; t < timeline.end(); t += simulation::ticks(2e-3))
                for (const auto& [shape, at] : bodies_at(timeline, mover, t))
                    for (auto& [p, nearest] : points) {
                        if ((at * shape.centre() - p).norm() - shape.bound() > std::min(nearest, 2 * resolution))
                            continue;
                        nearest = std::min(nearest, geometry::separation(shape, at, geometry::Convex::sphere(0),
                                                        geometry::Frame(Eigen::Translation3d(p)))
                                                        .distance);
                    }
            for (const auto& [p, nearest] : points)
                CHECK(nearest <= resolution + 2e-3);  // 2 mm: what moves between the instants looked at
        }
}

TEST_CASE("zones: where two movers meet lies in one, nobody is inside but when it is said, and not much later") {
    int found = 0, cells = 0;
    for (const unsigned seed : {20u, 22u, 35u, 36u, 43u, 46u}) {  // of which the arms come near each other
        cell::json tree = tests::RandomCell(seed).tree();
        // Two stations drawn closer, so that their arms share space.
        for (cell::json& d : tree["devices"])
            if (!d.contains("host") && d["placement"]["x_mm"].get<double>() > 1300)
                d["placement"]["x_mm"] = d["placement"]["x_mm"].get<double>() - 1700;
        const Looked l = look(tree, 0.015);
        const Timeline timeline(*l.cell, *l.run, nullptr);
        if (timeline.movers().size() < 2) continue;
        ++cells;
        INFO("seed " << seed);
        tests::Draw draw(seed);
        const TimedMover &one = timeline.movers()[0], &two = timeline.movers()[1];
        // Any two bodies that touch, whenever each is there, touch within a zone.
        for (int i = 0; i < tests::rounds(400); ++i) {
            const auto some = [&] { return static_cast<Ticks>(draw.in(0, 1) * static_cast<double>(timeline.end())); };
            const auto a = bodies_at(timeline, one, some()), b = bodies_at(timeline, two, some());
            for (const auto& [p, at_p] : a)
                for (const auto& [q, at_q] : b) {
                    const geometry::Vector3 point = point_of(draw, p, at_p);
                    if (geometry::separation(
                            q, at_q, geometry::Convex::sphere(0), geometry::Frame(Eigen::Translation3d(point)))
                            .distance > 0)
                        continue;
                    CHECK(std::any_of(l.zones->all.begin(), l.zones->all.end(),
                        [&](const Zone& z) { return z.space.unpacked().contains(point); }));
                }
        }
        for (const Zone& z : l.zones->all) {
            ++found;
            const geometry::Volume space = z.space.unpacked();
            const double edge = space.edge();
            std::vector<geometry::Vector3> middles;
            for (const geometry::Box3& row : space.covers())
                for (double x = row.low.x() + 0.5 * edge; x < row.high.x(); x += edge)
                    for (double h = z.box.low.z() + 0.5 * edge; h < z.box.high.z(); h += edge)
                        if (const geometry::Vector3 p(x, row.low.y() + 0.5 * edge, h); space.contains(p))
                            middles.push_back(p);
            for (const ZoneSide& side : z.sides) {
                const TimedMover& mover = mover_of(timeline, side.device);
                const auto inside = [&](Ticks t) {
                    return std::any_of(side.visits.begin(), side.visits.end(),
                        [&](const ZoneVisit& v) { return v.enters <= t && t <= v.leaves; });
                };
                for (int i = 0; i < tests::rounds(600); ++i) {
                    const Ticks t = static_cast<Ticks>(draw.in(0, 1) * static_cast<double>(timeline.end()));
                    if (inside(t)) continue;
                    for (const auto& [shape, at] : bodies_at(timeline, mover, t))
                        if (space.contains(point_of(draw, shape, at))) FAIL("inside, and nothing says so");
                }
                // Just after it is said to come in, and just before it is said to leave, it is there.
                for (std::size_t i = 0; i < side.visits.size() && i < 6; ++i) {
                    const ZoneVisit& v = side.visits[i];
                    for (const Ticks t : {v.enters, std::min(v.leaves, timeline.end() - 1)}) {
                        double nearest = 1e9;
                        for (const auto& [shape, at] : bodies_at(timeline, mover, t))
                            for (const geometry::Vector3& p : middles) {
                                if ((at * shape.centre() - p).norm() - shape.bound() > std::min(nearest, 0.05))
                                    continue;
                                nearest = std::min(nearest, geometry::separation(shape, at, geometry::Convex::sphere(0),
                                                                geometry::Frame(Eigen::Translation3d(p)))
                                                                .distance);
                            }
                        CHECK(
                            nearest <= std::sqrt(3.0) / 2 * edge + 6e-3);  // 1 ms of the quickest motion, by its bound
                    }
                }
            }
        }
    }
    CHECK(cells == 6);
    CHECK(found > 2);
}

TEST_CASE("the demo's zone: at the tester, kept apart by its handshake in A, entered together in B") {
    Cache cache;
    for (const char* variant : {"A", "B"}) {
        const auto e = tests::evaluated(tests::demo(), variant);
        const auto zones = find_zones(*e->cell, *e->run, cache);
        REQUIRE(zones->all.size() == 1);
        const Zone& z = zones->all.front();
        CHECK(z.name == "Zone 1");
        REQUIRE(z.centre >= 0);
        CHECK(e->cell->devices[z.centre].id == "tester");
        CHECK(z.together == (std::string(variant) == "B"));
        for (const ZoneSide& s : z.sides) {
            CHECK(!s.steps.empty());
            CHECK(std::count(s.bodies.begin(), s.bodies.end(), "tool") == 1);
            CHECK(s.inside_s > 1);
        }
        if (!z.together) continue;
        // As near as the clearance check finds them, there or elsewhere.
        CHECK(z.nearest.distance >= e->inspection->clearance.distance - 1e-3);
        CHECK(z.nearest.distance < 0.05);
        // Both really are inside then.
        for (const ZoneSide& s : z.sides)
            CHECK(std::any_of(s.visits.begin(), s.visits.end(),
                [&](const ZoneVisit& v) { return v.enters <= z.together_at && z.together_at < v.leaves; }));
    }
}

TEST_CASE("arms that do not meet share no zone") {
    const Looked l = look(tests::station_lines(2));
    CHECK(l.zones->all.empty());
}
