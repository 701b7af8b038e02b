#include <catch2/catch.hpp>

#include <geometry/distance.h>
#include <geometry/spans.h>
#include <geometry/volume.h>

#include "support/random.h"

using namespace escarp::geometry;
using escarp::tests::Draw;

namespace {

Box3 room(double half) {
    Box3 box;
    box.low = Vector3::Constant(-half), box.high = Vector3::Constant(half);
    return box;
}

}  // namespace

TEST_CASE("upright lines run through a body that goes straight and is grown where its distance says so") {
    Draw draw(11);
    Spans spans;
    for (int i = 0; i < 400; ++i) {
        const Convex shape = draw.convex();
        const Frame at = draw.frame(0.5);
        const double grow = draw.whole(0, 3) ? draw.in(0, 0.1) : 0.0;
        Vector3 way = draw.whole(0, 2) ? draw.vector(0.4) : Vector3::Zero();
        if (draw.whole(0, 3) == 0) way.head<2>().setZero();                                // upright
        if (draw.whole(0, 5) == 0) way = at.linear() * Vector3(0, 0, draw.in(-0.3, 0.3));  // along a face and an axis
        const LineGrid grid{draw.in(0.05, 0.2), draw.in(-2, -1), draw.in(-2, -1), draw.whole(1, 40), draw.whole(1, 40)};
        const Facets body(shape);
        spans.draw(body, at, way, grow, grid);
        // Edges are broken, and cylinders are prisms of 48 sides at the most.
        const double most = body.far() * grow + (shape.core() == Convex::Core::cylinder ? 1e-3 : 1e-6);
        const auto far = [&](const Vector3& p) {  // to the body on its way
            return separation(shape, at, Convex::segment(p - way, p + way), Frame::Identity()).distance;
        };
        for (int j = 0; j < 10; ++j) {
            const int column = draw.whole(0, grid.columns - 1), row = draw.whole(0, grid.rows - 1);
            const double x = grid.x0 + column * grid.edge, y = grid.y0 + row * grid.edge;
            const bool there = column >= spans.from() && column <= spans.to() && row >= spans.first(column) &&
                               row <= spans.last(column);
            const double low = there ? spans.low(column)[row - spans.base()] : 1,
                         high = there ? spans.high(column)[row - spans.base()] : 0;
            INFO("body " << i << " line " << j);
            for (double z = -2.5; z < 2.5; z += 0.037) {
                const double away = far({x, y, z});
                if (away <= grow - 1e-5) CHECK((z >= low && z <= high));
                if (z > low + 1e-6 && z < high - 1e-6) CHECK(away <= most);
            }
        }
    }
}

TEST_CASE("cubes of a turned box and of a swept ball: all of it, and no more than a diagonal beyond") {
    Draw draw(5);
    const double edge = 0.01, diagonal = std::sqrt(3.0) * edge;
    for (int i = 0; i < 20; ++i) {
        const Vector3 size(draw.in(0.1, 0.4), draw.in(0.1, 0.4), draw.in(0.1, 0.4));
        const Frame at = draw.frame(0.2);
        Volume volume(edge, room(1));
        volume.add(Facets(Convex::box(size)), at, 0);
        for (int j = 0; j < 200; ++j) {
            const Vector3 inside = at * Vector3(draw.in(-0.5, 0.5) * size.x(), draw.in(-0.5, 0.5) * size.y(),
                                            draw.in(-0.5, 0.5) * size.z());
            CHECK(volume.contains(inside));
        }
        const Vector3 more = size + Vector3::Constant(2 * diagonal);
        // Going straight: a box grown by the way, if that is along one of its axes.
        Volume swept(edge, room(1));
        swept.add(Facets(Convex::box(size)), at, 0, at.linear() * Vector3(0, 0.1, 0));
        const Vector3 longer = size + Vector3(0, 0.2, 0), around = longer + Vector3::Constant(2 * diagonal);
        CHECK(swept.litres() >= 1e3 * longer.prod());
        CHECK(swept.litres() <= 1e3 * around.prod());
        CHECK(volume.litres() >= 1e3 * size.prod());
        CHECK(volume.litres() <= 1e3 * more.prod());
    }
    // A ball of 50 mm goes 600 mm: a cylinder and a ball, in closed form.
    Volume swept(edge, room(1));
    const Facets ball(Convex::sphere(0.1));
    for (int i = 0; i < 6; ++i) swept.add(ball, make_frame({-0.25 + 0.1 * i, 0.02, 0}), 0.5e-3, {0.05, 0, 0});
    const auto capsule = [](double r) { return 1e3 * (pi * r * r * 0.6 + 4.0 / 3 * pi * r * r * r); };
    CHECK(swept.litres() >= capsule(0.05));
    CHECK(swept.litres() <= capsule(0.05 + diagonal + 0.5e-3));
}

TEST_CASE("cubes together, in common, in pieces, their skin and what they cover") {
    const double edge = 0.02;
    const Facets cube(Convex::box({0.2, 0.2, 0.2}));
    Volume one(edge, room(1)), two(edge, room(0.6)), apart(edge, room(1));
    one.add(cube, make_frame({0.11, 0.11, 0.11}), 0);
    two.add(cube, make_frame({0.21, 0.11, 0.11}), 0);
    apart.add(cube, make_frame({-0.5, -0.5, 0.5}), 0);
    Volume both = one;
    both.keep_common(two);
    CHECK(!both.empty());
    CHECK(both.litres() < one.litres());
    Volume all = one;
    all.add(two);
    CHECK(all.count() == one.count() + two.count() - both.count());
    all.add(apart);
    const auto pieces = all.pieces();
    REQUIRE(pieces.size() == 2);
    const Box3 box = one.box();
    CHECK((box.high - box.low).isApprox(Vector3::Constant(std::cbrt(1e-3 * one.litres())), 1e-9));
    // The skin is closed: it holds just what the cubes hold.
    CHECK(volume(all.skin()) == Approx(1e-3 * all.litres()).epsilon(1e-9));
    double covered = 0;
    for (const Box3& row : one.covers()) covered += (row.high - row.low).head<2>().prod();
    CHECK(covered == Approx((box.high - box.low).head<2>().prod()));
    CHECK(one.covers(0.5, 0.9).empty());
    Volume nothing(edge, Box3{});
    CHECK(nothing.empty());
    CHECK(!nothing.meets(cube, Frame::Identity(), 0));
    CHECK(nothing.skin().triangles.empty());
}

TEST_CASE("a packed volume is the same cubes again, in less memory") {
    Draw draw(31);
    Volume volume(0.01, room(0.6));
    for (int i = 0; i < 20; ++i) {
        const Facets body(Convex::box({draw.in(0.05, 0.2), draw.in(0.05, 0.2), draw.in(0.05, 0.2)}));
        volume.add(body, make_frame({draw.in(-0.4, 0.4), draw.in(-0.4, 0.4), draw.in(-0.2, 0.6)}), 0);
    }
    const PackedVolume packed(volume);
    Volume again = packed.unpacked();
    CHECK(again.count() == volume.count());
    CHECK(packed.bytes() * 8 < volume.bytes());
    again.keep_common(volume);
    CHECK(again.count() == volume.count());
    CHECK(PackedVolume().unpacked().empty());
    CHECK(PackedVolume(Volume(0.01, {})).unpacked().empty());
}
