#include <catch2/catch.hpp>

#include <geometry/distance.h>

#include "support/random.h"

using namespace escarp::geometry;
using escarp::tests::Draw;

namespace {

double lowest(const Convex& c, const Frame& at, const Vector3& d) {  // least value of d . p over the body
    return d.dot(at * c.support(at.linear().transpose() * -d)) - c.radius();
}

}  // namespace

TEST_CASE("distance of simple bodies is what a ruler says") {
    const auto at = [](double x, double y, double z) { return make_frame({x, y, z}); };
    CHECK(separation(Convex::sphere(1), at(0, 0, 0), Convex::sphere(2), at(3, 4, 0)).distance ==
          Approx(3.5).margin(1e-12));
    CHECK(separation(Convex::box({1, 1, 1}), at(0, 0, 0), Convex::box({1, 1, 1}), at(1.25, 0, 0)).distance ==
          Approx(0.25).margin(1e-12));
    CHECK(separation(Convex::box({1, 1, 1}), at(0, 0, 0), Convex::box({1, 1, 1}), at(2, 2, 0)).distance ==
          Approx(std::sqrt(2.0)).margin(1e-9));
    CHECK(separation(Convex::cylinder(1, 2), at(0, 0, 0), Convex::cylinder(1, 2), at(0, 0, 2.75)).distance ==
          Approx(0.75).margin(1e-9));
    CHECK(separation(Convex::capsule({0, 0, -1}, {0, 0, 1}, 0.2), at(0, 0, 0),
              Convex::capsule({-1, 0, 0}, {1, 0, 0}, 0.2), at(0, 0.9, 0))
              .distance == Approx(0.7).margin(1e-9));
    CHECK(separation(Convex::box({1, 1, 1}), at(0, 0, 0), Convex::box({1, 1, 1}), at(0.9, 0.3, 0)).distance == 0.0);
}

TEST_CASE("every distance carries its own proof: a point pair that far apart and a gap between two planes that wide") {
    Draw draw(11);
    int apart = 0;
    for (int i = 0; i < 20000; ++i) {
        const Convex a = draw.convex(), b = draw.convex();
        const Frame at_a = draw.frame(1.0), at_b = draw.frame(1.0);
        const Separation s = separation(a, at_a, b, at_b);
        if (s.distance < 1e-6) continue;
        ++apart;
        const Vector3 way = s.on_b - s.on_a;
        REQUIRE(way.norm() == Approx(s.distance).margin(1e-5));
        const Vector3 u = way.normalized();
        const double gap = lowest(b, at_b, u) + lowest(a, at_a, -u);
        REQUIRE(gap == Approx(s.distance).margin(1e-5));
    }
    CHECK(apart > 8000);
}

TEST_CASE("distance does not depend on the order, the place of the pair, or a warm start") {
    Draw draw(12);
    for (int i = 0; i < 3000; ++i) {
        const Convex a = draw.convex(), b = draw.convex();
        const Frame at_a = draw.frame(1.0), at_b = draw.frame(1.0), moved = draw.frame(5.0);
        const double d = separation(a, at_a, b, at_b).distance;
        Warm warm = draw.direction();
        REQUIRE(separation(b, at_b, a, at_a).distance == Approx(d).margin(1e-5));
        REQUIRE(separation(a, moved * at_a, b, moved * at_b).distance == Approx(d).margin(1e-5));
        REQUIRE(separation(a, at_a, b, at_b, &warm).distance == Approx(d).margin(1e-5));
        REQUIRE(separation(a, at_a, b, at_b, &warm).distance == Approx(d).margin(1e-5));
    }
}

TEST_CASE("bodies that a plane parts never count as touching, however the search ends") {
    // At the end of this search the origin seemed to lie within a sliver of a simplex: distance 0 instead of 109 mm.
    const Convex box = Convex::box({0.09, 0.045, 0.045}),
                 drum = Convex::cylinder(2 * 0.21620491389650853, 2 * 0.41319307231111452);
    Frame at = Frame::Identity();
    at.linear() << -0.88392218961145141, 0.46411943266740091, -0.057225125015039735, 0.44198157730907855,
        0.78918202793552472, -0.42643172032923582, -0.15275420790235578, -0.40222491096905277, -0.90270774504490747;
    at.translation() = Vector3(0.39987684473395657, -0.12151827736626533, 0.67685845517778276);
    const Frame there = make_frame({0.7712882400490344, -0.058346794545650504, 0.33016876894980673});
    CHECK(separation(box, at, drum, there).distance == Approx(0.108514215).margin(1e-8));
    CHECK(separation(drum, there, box, at).distance == Approx(0.108514215).margin(1e-8));
    Draw draw(5);
    int touching = 0;
    for (int i = 0; i < 60000; ++i) {  // the 20,635th was wrong, by 15 mm
        const Convex a = draw.convex(), b = draw.convex();
        const Frame p = draw.frame(0.7), q = draw.frame(0.7);
        const double one = separation(a, p, b, q).distance, other = separation(b, q, a, p).distance;
        if (std::abs(one - other) > 1e-6) FAIL("pair " << i << ": " << one << " and " << other);
        touching += one == 0;
    }
    CHECK(touching > 1000);
}

TEST_CASE("bodies with a point in common are told apart by no more than a micrometre") {
    Draw draw(9);
    double worst = 0;
    const auto point_of = [&](const Convex& c) -> Vector3 {  // within it, or on its skin
        const Vector3 d = draw.direction(), e = draw.direction();
        const double share = draw.whole(0, 2) ? draw.in(0, 1) : 1;
        return share * (c.support(d) + c.radius() * d) + (1 - share) * (c.support(e) + c.radius() * e);
    };
    for (int i = 0; i < 40000; ++i) {
        const Convex a = draw.convex(), b = draw.convex();
        const Frame p = draw.frame(0.7);
        Frame q = draw.frame(0.7);
        const Vector3 of_a = p * point_of(a), of_b = q * point_of(b);
        q.translation() += of_a - of_b;
        worst = std::max(worst, separation(a, p, b, q).distance);
    }
    CHECK(worst < 1e-6);
}

TEST_CASE("a search that may stop early returns a lower bound above the mark") {
    Draw draw(13);
    for (int i = 0; i < 3000; ++i) {
        const Convex a = draw.convex(), b = draw.convex();
        const Frame at_a = draw.frame(1.5), at_b = draw.frame(1.5);
        const double d = separation(a, at_a, b, at_b).distance, mark = draw.in(0, 1);
        const double bound = separation(a, at_a, b, at_b, nullptr, mark).distance;
        REQUIRE(bound <= d + 1e-7);
        if (d > mark + 1e-6) REQUIRE(bound > mark - 1e-7);
        else REQUIRE(bound == Approx(d).margin(1e-5));
    }
}

TEST_CASE("penetration is the least shift that parts two bodies") {
    CHECK(penetration(Convex::box({1, 1, 1}), make_frame({0, 0, 0}), Convex::box({1, 1, 1}),
              make_frame({0.9, 0.2, 0.1})) == Approx(0.1).margin(1e-5));
    CHECK(penetration(Convex::sphere(1), make_frame({0, 0, 0}), Convex::sphere(1), make_frame({0.7, 0, 0})) ==
          Approx(0.3).margin(2e-3));
    CHECK(penetration(Convex::box({1, 1, 1}), make_frame({0, 0, 0}), Convex::box({1, 1, 1}), make_frame({2, 0, 0})) ==
          0.0);
    Draw draw(14);
    for (int i = 0; i < 400; ++i) {
        const Convex a = Convex::box({draw.in(0.2, 1), draw.in(0.2, 1), draw.in(0.2, 1)}),
                     b = Convex::box({draw.in(0.2, 1), draw.in(0.2, 1), draw.in(0.2, 1)});
        const Frame at_a = draw.frame(0.2), at_b = draw.frame(0.2);
        const double depth = penetration(a, at_a, b, at_b);
        // No shift that is shorter may part them.
        for (int k = 0; k < 60 && depth > 0.01; ++k) {
            Frame shifted = at_b;
            shifted.translation() += 0.97 * depth * draw.direction();
            REQUIRE(separation(a, at_a, b, shifted).distance < 1e-6);
        }
    }
}
