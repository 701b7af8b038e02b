// What convex pieces add to imported geometry, and what that does to the least clearance.
#include <catch2/catch.hpp>

#include <exchange/mesh_import.h>
#include <exchange/question.h>
#include <exchange/shape_cost.h>
#include <geometry/distance.h>
#include <geometry/mesh.h>
#include <geometry/surface.h>
#include <motion/clearance.h>
#include <simulation/arm_parts.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using geometry::Surface;
using geometry::Vector3;

namespace {

void add_box(Surface& s, const Vector3& low, const Vector3& high) {
    const auto first = static_cast<std::uint32_t>(s.points.size());
    for (int i = 0; i < 8; ++i)
        s.points.push_back(
            Vector3(i & 1 ? high.x() : low.x(), i & 2 ? high.y() : low.y(), i & 4 ? high.z() : low.z()).cast<float>());
    constexpr std::uint32_t faces[12][3] = {{0, 2, 1}, {1, 2, 3}, {4, 5, 6}, {5, 7, 6}, {0, 1, 4}, {1, 5, 4}, {2, 6, 3},
        {3, 6, 7}, {0, 4, 2}, {2, 4, 6}, {1, 3, 5}, {3, 7, 5}};
    for (const auto& f : faces) s.triangles.push_back({first + f[0], first + f[1], first + f[2]});
}

/// A round tub, standing on the origin: outer and inner radius, height, thickness of its bottom, m.
Surface tub(double outer, double inner, double height, double bottom, int around = 48) {
    Surface s;
    const auto ring = [&](double r, double z) {
        for (int i = 0; i < around; ++i) {
            const double a = 2 * geometry::pi * i / around;
            s.points.push_back(Vector3(r * std::cos(a), r * std::sin(a), z).cast<float>());
        }
    };
    ring(outer, 0), ring(outer, height), ring(inner, height), ring(inner, bottom);
    s.points.push_back(Eigen::Vector3f(0, 0, 0));
    s.points.push_back(Eigen::Vector3f(0, 0, static_cast<float>(bottom)));
    const auto n = static_cast<std::uint32_t>(around);
    for (std::uint32_t i = 0; i < n; ++i) {
        const std::uint32_t j = (i + 1) % n;
        for (std::uint32_t k = 0; k < 3; ++k) {
            s.triangles.push_back({k * n + i, k * n + j, (k + 1) * n + j});
            s.triangles.push_back({k * n + i, (k + 1) * n + j, (k + 1) * n + i});
        }
        s.triangles.push_back({4 * n, j, i});
        s.triangles.push_back({4 * n + 1, 3 * n + i, 3 * n + j});
    }
    return s;
}

}  // namespace

TEST_CASE("what pieces hold beyond a surface: a channel in one piece, against what is known") {
    Surface channel;  // open at the top and at both ends: 120 mm wide, 60 mm deep, 200 mm long
    add_box(channel, {-0.1, -0.1, 0}, {0.1, 0.1, 0.04});
    add_box(channel, {-0.1, -0.1, 0.04}, {-0.06, 0.1, 0.1});
    add_box(channel, {0.06, -0.1, 0.04}, {0.1, 0.1, 0.1});
    const auto one = geometry::convex_pieces(channel, {1, 0.002, 200});
    REQUIRE(one.size() == 1);
    const geometry::Beyond b = geometry::beyond(channel, one);
    CHECK(b.closed);
    CHECK(b.volume == Approx(0.12 * 0.2 * 0.06).epsilon(0.02));
    CHECK(b.farthest == Approx(0.06).margin(b.edge));
    CHECK(std::abs(b.there.x()) < 2 * b.edge);
    CHECK(b.there.z() == Approx(0.1).margin(b.edge));
    // The three boxes themselves add nothing.
    const std::vector<geometry::Convex> boxes{geometry::Convex::hull({{-0.1, -0.1, 0}, {0.1, -0.1, 0}, {-0.1, 0.1, 0},
        {0.1, 0.1, 0}, {-0.1, -0.1, 0.04}, {0.1, -0.1, 0.04}, {-0.1, 0.1, 0.04}, {0.1, 0.1, 0.04}})};
    CHECK(geometry::beyond(channel, boxes).volume < 1e-7);
    // A surface with a hole says so.
    channel.triangles.erase(channel.triangles.begin());
    CHECK_FALSE(geometry::beyond(channel, one).closed);
    // Points without a triangle: nothing to be beyond of.
    channel.triangles.clear();
    CHECK(geometry::beyond(channel, one).farthest == 0);
}

TEST_CASE("how far one piece for several posts reaches from them is what looking everywhere finds") {
    tests::Draw draw(12);
    for (int round = 0; round < 12; ++round) {
        Surface posts;
        std::vector<geometry::Box3> boxes;
        double x = -0.1;
        for (int i = 0; i < 4; ++i) {
            geometry::Box3 b;
            b.add({x, draw.in(-0.1, -0.02), draw.in(0, 0.02)});
            b.add({x + draw.in(0.01, 0.03), draw.in(0.02, 0.1), draw.in(0.05, 0.2)});
            x = b.high.x() + draw.in(0.005, 0.05);
            add_box(posts, b.low, b.high);
            boxes.push_back(b);
        }
        const auto one = geometry::convex_pieces(posts, {1, 0.0, 200});
        REQUIRE(one.size() == 1);
        const geometry::Beyond found = geometry::beyond(posts, one);
        const auto away = [&](const Vector3& p) {  // from the posts; 0: within one
            double least = 1e300;
            for (const geometry::Box3& b : boxes)
                least = std::min(least, (p - p.cwiseMax(b.low).cwiseMin(b.high)).norm());
            return least;
        };
        const geometry::Box3 all = geometry::bounds(one[0], geometry::Frame::Identity());
        double farthest = 0;
        constexpr int points = 60;
        for (int i = 0; i <= points; ++i)
            for (int j = 0; j <= points; ++j)
                for (int k = 0; k <= points; ++k) {
                    const Vector3 p =
                        all.low + (all.high - all.low).cwiseProduct(Vector3(i, j, k) / static_cast<double>(points));
                    if (const double far = away(p);
                        far > farthest && geometry::separation(one[0], geometry::Frame::Identity(),
                                              geometry::Convex::sphere(0), geometry::Frame(Eigen::Translation3d(p)))
                                                  .distance == 0)
                        farthest = far;
                }
        INFO("round " << round);
        CHECK(found.farthest == Approx(away(found.there)).margin(1e-6));
        CHECK(found.farthest == Approx(farthest).margin(1.8 * found.edge));
        CHECK(found.farthest > 2 * found.edge);
    }
}

TEST_CASE("an imported fixture with a hollow: the least clearance with 1, 8 and 32 pieces against the exact surface") {
    // A hand of the arm rests in the tub and is drawn out of it.
    json tree = tests::demo().resolved("A");
    json arm = tests::device(tree, "arm1");
    arm["host"] = "floor", arm["placement"] = {{"x_mm", 0}, {"y_mm", 0}, {"z_mm", 0}};
    arm.erase("own_signals");
    arm["poses"] = {{{"id", "low"}, {"name", "In the tub"}, {"joints_deg", {0, 10, 40, 0, 40, 0}}},
        {{"id", "high"}, {"name", "Above"}, {"joints_deg", {0, -20, 20, 0, 90, 0}}}};
    arm["task"] = {{{"id", "a"}, {"do", "move"}, {"pose", "low"}}, {{"id", "b"}, {"do", "delay"}, {"time_s", 1}},
        {{"id", "c"}, {"do", "move"}, {"pose", "high"}}};
    tree["studies"] = json::array();
    tree["devices"] = json::array({arm});
    const auto bare = tests::read(tree);
    const cell::Arm& model = *bare->devices[0].arm;
    kinematics::JointVector low(6);
    low << 0, 10, 40, 0, 40, 0;
    low *= geometry::degree;
    const Vector3 tool = (model.model->flange_frame(low) * model.tool_frame).translation();
    exchange::LoadedSurface loaded;
    loaded.surface = tub(0.17, 0.14, 0.12, 0.02);
    exchange::ImportOptions in_metres;
    in_metres.unit = 1, in_metres.name = "Tub";
    const json entry = exchange::mesh_entry(loaded, in_metres, "tub");
    tree["meshes"] = json::array({entry});
    tree["devices"].push_back({{"id", "tub_1"}, {"name", "Tub"}, {"kind", "solid"},
        {"placement", {{"x_mm", 1e3 * tool.x()}, {"y_mm", 1e3 * tool.y()}, {"z_mm", 1e3 * tool.z() - 50}}},
        {"bodies", {{{"name", "Tub"}, {"shape", "mesh"}, {"mesh", "tub"}}}}});
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    inspection::Cache cache;
    const exchange::ShapeCosts costs = exchange::shape_costs(layout, "tub", {{1}, {8}, {32}}, cache);
    REQUIRE(costs.cut.size() == 3);

    // The exact surface: every triangle a body, the same motions.
    study::EvaluateOptions flow;
    flow.level = inspection::Level::flow;
    const study::Judged e = study::judge(layout.shared_cell(), cache, flow);
    std::vector<motion::Part> triangles;
    const Surface& s = loaded.surface;
    for (const auto& t : s.triangles)
        triangles.push_back({0,
            geometry::Convex::hull(
                {s.points[t[0]].cast<double>(), s.points[t[1]].cast<double>(), s.points[t[2]].cast<double>()}),
            geometry::Frame::Identity(), {}, 0});
    const motion::GlideMover exact_tub(e.cell->devices[1].world, motion::part_set(std::move(triangles)));
    const auto parts = motion::part_set(simulation::arm_parts(*e.cell->devices[0].arm));
    double exact = 1e300;
    for (const auto& m : e.run->trace.motions[0]) {
        if (simulation::seconds(m.from) > simulation::seconds(study::stretch_of(*e.run).to)) break;
        const motion::ArmMover mover(
            e.cell->devices[0].arm->model->mechanism, e.cell->devices[0].world, m.motion, 0, parts);
        motion::ClearanceQuery query{0, m.motion->duration()};
        query.take = [](const motion::Part& p, const motion::Part&) { return p.tag > 0; };  // the base stands beside it
        exact = std::min(exact, motion::least_clearance(mover, exact_tub, query).distance);
    }
    CHECK(exact > 0.005);
    CHECK(exact < 0.1);
    for (std::size_t i = 0; i < 3; ++i) {
        const exchange::ShapeCost& c = costs.cut[i];
        INFO(in_words(c));
        REQUIRE(c.clearance);
        const double has = std::max(0.0, c.clearance->distance);
        CHECK(has <= exact + 3e-4);                        // never nearer to the truth's far side
        CHECK(exact - has <= c.farthest + c.edge + 3e-4);  // and off by no more than what the pieces stand out
        if (i > 0) {
            CHECK(c.added_litres < costs.cut[i - 1].added_litres);
            CHECK(c.farthest < costs.cut[i - 1].farthest);
        }
    }
    CHECK(costs.cut[0].pieces == 1);
    CHECK(costs.cut[0].added_litres == Approx(1e3 * geometry::pi * 0.14 * 0.14 * 0.1).epsilon(0.03));
    CHECK(costs.cut[0].clearance->distance <= 0);  // a lid over the hollow: it collides with what the true one clears
    CHECK(costs.cut[2].clearance->distance > 0.5 * exact);
    CHECK(costs.now.clearance->distance > 0.3 * exact);

    // The edit does what was said; the question has the same figures and the edit of one.
    const auto cut = layout.edited(costs.cut[1].edit);
    CHECK(cell::find(cut.tree(), "/meshes/tub/pieces")->size() == static_cast<std::size_t>(costs.cut[1].pieces));
    const auto& all = exchange::questions();
    const auto question =
        std::find_if(all.begin(), all.end(), [](const exchange::Question& q) { return q.name == "shape"; });
    REQUIRE(question != all.end());
    const exchange::Answer answer = exchange::ask(*question, layout, {{"mesh", "tub"}, {"pieces", {8}}});
    CHECK(answer.result["cut"][0]["pieces"] == costs.cut[1].pieces);
    REQUIRE(answer.edit);
    CHECK(layout.edited(*answer.edit).tree() == cut.tree());
    CHECK_FALSE(exchange::ask(*question, layout, {{"mesh", "tub"}}).edit);
    CHECK_THROWS_AS(exchange::ask(*question, layout, {{"mesh", "tab"}}), cell::InputError);
    tree["meshes"][0].erase("surface");
    const cell::Layout linked = simulation::layout(cell::Document::parse(tree.dump()), "A");
    CHECK_THROWS_AS(exchange::shape_costs(linked, "tub", {{1}}, cache), cell::InputError);
}

TEST_CASE("planes placed by hand cut a channel into its four boxes, and the best next one is said") {
    // One closed surface, 120 mm wide within and open at both ends.
    Surface channel;
    const double profile[8][2] = {
        {-0.1, 0}, {0.1, 0}, {0.1, 0.1}, {0.06, 0.1}, {0.06, 0.04}, {-0.06, 0.04}, {-0.06, 0.1}, {-0.1, 0.1}};
    for (const double y : {-0.1, 0.1})
        for (const auto& p : profile) channel.points.push_back(Vector3(p[0], y, p[1]).cast<float>());
    for (std::uint32_t i = 0; i < 8; ++i) {
        const std::uint32_t j = (i + 1) % 8;
        channel.triangles.push_back({i, j, 8 + j});
        channel.triangles.push_back({i, 8 + j, 8 + i});
    }
    constexpr std::uint32_t end[6][3] = {{0, 1, 4}, {0, 4, 5}, {1, 2, 4}, {2, 3, 4}, {0, 5, 7}, {5, 6, 7}};
    for (const auto& t : end) {
        channel.triangles.push_back({t[0], t[2], t[1]});
        channel.triangles.push_back({8 + t[0], 8 + t[1], 8 + t[2]});
    }
    for (auto& t : channel.triangles) std::swap(t[1], t[2]);
    const double whole = geometry::volume(channel), hollow = 0.12 * 0.06 * 0.2;
    CHECK(whole == Approx(0.2 * 0.2 * 0.1 - hollow));
    const auto volume_of = [](const std::vector<geometry::Convex>& pieces) {
        double sum = 0;
        for (const geometry::Convex& c : pieces) sum += geometry::volume(geometry::mesh(c));
        return sum;
    };
    geometry::PieceOptions o{1, 0.002, 200};
    CHECK(volume_of(geometry::convex_pieces(channel, o)) == Approx(whole + hollow));
    // Across z at the bottom of the hollow: two pieces, and the hollow is still in one of them; it lies across x.
    o.first = {{2, 0.04}};
    CHECK(geometry::convex_pieces(channel, o).size() == 2);
    CHECK(volume_of(geometry::convex_pieces(channel, o)) == Approx(whole + hollow).epsilon(1e-4));
    const auto next = geometry::next_cut(channel, o);
    REQUIRE(next);
    CHECK(next->axis == 0);
    CHECK(std::abs(next->at) <= 0.06 + 1e-6);
    // With it every piece is a box, and nothing is left to cut.
    o.first.push_back(*next);
    const auto four = geometry::convex_pieces(channel, o);
    CHECK(four.size() == 4);
    CHECK(volume_of(four) == Approx(whole).epsilon(1e-4));
    CHECK_FALSE(geometry::next_cut(channel, o));
    // A plane that goes past it cuts nothing; and wherever planes are, the pieces hold the whole surface.
    o.first = {{2, 0.3}};
    CHECK(geometry::convex_pieces(channel, o).size() == 1);
    tests::Draw draw(6);
    for (int round = 0; round < 20; ++round) {
        o.first.clear();
        for (int i = 0; i < 4; ++i) o.first.push_back({draw.whole(0, 2), draw.in(-0.09, 0.09)});
        o.most = draw.whole(0, 1) ? 1 : 12;
        const auto pieces = geometry::convex_pieces(channel, o);
        CHECK(volume_of(pieces) < whole + hollow + 1e-6);
        for (const auto& t : channel.triangles)
            for (int k = 0; k < 6; ++k) {
                const double u = draw.in(0, 1), v = draw.in(0, 1 - u);
                const Vector3 a = channel.points[t[0]].cast<double>(), b = channel.points[t[1]].cast<double>(),
                              c = channel.points[t[2]].cast<double>(), p = a + u * (b - a) + v * (c - a);
                double away = 1e9;
                for (const geometry::Convex& piece : pieces)
                    away = std::min(away, geometry::separation(piece, geometry::Frame::Identity(),
                                              geometry::Convex::sphere(0), geometry::make_frame(p))
                                              .distance);
                CHECK(away < 1e-5);
            }
    }
}
