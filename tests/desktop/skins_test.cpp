// What is drawn lies within what is judged, and leaves little of it out.

#include <catch2/catch.hpp>
#include <random>

#include <desktop/model/skins.h>
#include <geometry/distance.h>

using namespace escarp;
using geometry::Convex;
using geometry::Finish;
using geometry::Frame;
using geometry::Vector3;

namespace {

std::vector<Vector3> corners(const desktop::SceneMesh& mesh) {
    std::vector<Vector3> all;
    for (std::size_t i = 0; i + 6 <= mesh.corners.size(); i += 6)
        all.emplace_back(mesh.corners[i], mesh.corners[i + 1], mesh.corners[i + 2]);
    for (std::size_t i = 0; i + 3 <= mesh.ends.size(); i += 3)
        all.emplace_back(mesh.ends[i], mesh.ends[i + 1], mesh.ends[i + 2]);
    return all;
}

}  // namespace

TEST_CASE("what is drawn lies within the body that is judged") {
    std::mt19937 draw(4);
    const auto between = [&](double low, double high) { return std::uniform_real_distribution(low, high)(draw); };
    const auto anywhere = [&] { return Vector3(between(-1, 1), between(-1, 1), between(-1, 1)); };
    constexpr double rounding = 2e-6, trim_stands_out = 5e-4;
    for (int round = 0; round < 60; ++round) {
        const double thick = between(0.01, 0.4);
        const std::vector<std::pair<Convex, double>> all{{Convex::cylinder(thick, between(0.005, 0.5)), 0.5 * thick},
            {Convex::capsule(anywhere(), anywhere(), thick), 0.5 * thick}, {Convex::sphere(thick), 0.5 * thick},
            {Convex::box(Vector3(between(0.02, 3), between(0.02, 1), between(0.02, 0.3))), 0},
            {Convex::hull({anywhere(), anywhere(), anywhere(), anywhere(), anywhere()}), 0}};
        for (const auto& [shape, radius] : all)
            for (const Finish finish : {Finish::solid, Finish::casting, Finish::belt, Finish::wire, Finish::pane}) {
                const desktop::Skin skin = desktop::skin(shape, finish);
                REQUIRE(skin.body);
                std::vector<Vector3> drawn = corners(*skin.body);
                for (const Vector3& p : drawn)
                    REQUIRE(geometry::separation(Convex::sphere(0), geometry::make_frame(p), shape, Frame::Identity())
                                .distance <= rounding);
                if (skin.trim)
                    for (const Vector3& p : corners(*skin.trim)) {
                        REQUIRE(
                            geometry::separation(Convex::sphere(0), geometry::make_frame(p), shape, Frame::Identity())
                                .distance <= trim_stands_out);
                        drawn.push_back(p);
                    }
                // In every direction it reaches nearly as far: chords of a circle, and what a casting's rims leave out.
                constexpr double chords = 1 - 0.9875;  // four of 28 facets and four rings are the worst
                for (int i = 0; i < 40; ++i) {
                    const Vector3 along = anywhere().normalized();
                    double reach = -1e9;
                    for (const Vector3& p : drawn) reach = std::max(reach, p.dot(along));
                    const double true_reach = shape.support(along).dot(along) + shape.radius();
                    REQUIRE(
                        reach >= true_reach - (chords + (finish == Finish::casting ? 0.07 : 0)) * radius - rounding);
                }
            }
    }
}

TEST_CASE("triangles go round counter-clockwise seen from outside: what looks away need not be drawn") {
    const std::vector<Convex> all{Convex::cylinder(0.2, 0.1), Convex::cylinder(0.02, 0.5), Convex::sphere(0.1),
        Convex::capsule({0, 0, 0}, {0.3, -0.1, 0.5}, 0.12), Convex::box({0.4, 0.3, 0.1}), Convex::box({2, 0.4, 0.1}),
        Convex::hull({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 1}})};
    std::size_t looked_at = 0;
    const auto look = [&](const desktop::SceneMesh& mesh) {
        REQUIRE(mesh.closed);
        const auto at = [&](std::uint32_t i, std::size_t from) {
            const float* v = mesh.corners.data() + 6 * i + from;
            return Vector3(v[0], v[1], v[2]);
        };
        for (std::size_t t = 0; t + 3 <= mesh.triangles.size(); t += 3) {
            const std::uint32_t* i = mesh.triangles.data() + t;
            const Vector3 round = (at(i[1], 0) - at(i[0], 0)).cross(at(i[2], 0) - at(i[0], 0));
            if (round.norm() < 1e-9) continue;  // at a pole
            for (int k = 0; k < 3; ++k) REQUIRE(round.dot(at(i[k], 3)) >= -1e-9);
            ++looked_at;
        }
    };
    for (const Convex& shape : all)
        for (const Finish finish : {Finish::solid, Finish::casting, Finish::belt, Finish::wire, Finish::pane}) {
            const desktop::Skin skin = desktop::skin(shape, finish);
            look(*skin.body);
            if (skin.trim) look(*skin.trim);
        }
    CHECK(looked_at > 5000);
    // A file's triangles are drawn from both sides.
    geometry::Surface sheet;
    sheet.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    sheet.triangles = {{0, 1, 2}};
    CHECK_FALSE(desktop::skin(sheet).body->closed);
}

TEST_CASE("a beam is slimmer between its joints by no more than is stated") {
    const Convex bar = Convex::capsule({0, 0, 0}, {0, 0, 0.5}, 0.12);
    double slimmest = 1, fullest = 0;
    for (const Vector3& p : corners(*desktop::skin(bar, Finish::casting).body)) {
        if (p.z() < 0 || p.z() > 0.5) continue;
        const double from_axis = p.head<2>().norm() / 0.06;
        slimmest = std::min(slimmest, from_axis), fullest = std::max(fullest, from_axis);
    }
    CHECK(slimmest == Approx(1 - desktop::slimmer).margin(1e-3));
    CHECK(fullest == Approx(1).margin(1e-6));
}

TEST_CASE("wires show through a panel, and rollers at a belt's sides") {
    const desktop::Skin panel = desktop::skin(Convex::box({2.0, 0.02, 1.5}), Finish::wire);
    CHECK(panel.body->lines.size() / 2 == 12 + 19 + 14);  // the frame, and a wire every 100 mm
    const desktop::Skin bed = desktop::skin(Convex::box({1.5, 0.2, 0.1}), Finish::belt);
    REQUIRE(bed.trim);
    CHECK(bed.trim->lines.size() / 2 == 2 * 28 * (2 + 8));  // two drums and eight rollers on either side
    CHECK_FALSE(desktop::skin(Convex::box({1.5, 0.2, 0.1}), Finish::solid).trim);
}

TEST_CASE("of a hull only its true edges are drawn, not the triangles of its faces") {
    std::vector<Vector3> corners;
    for (int i = 0; i < 8; ++i) corners.emplace_back(i & 1, i & 2, i & 4);
    CHECK(desktop::skin(Convex::hull(corners), Finish::pane).body->lines.size() / 2 == 12);
    // A wedge: two triangles and three rectangles.
    CHECK(desktop::skin(Convex::hull({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}}), Finish::solid)
                  .body->lines.size() /
              2 ==
          9);
}
