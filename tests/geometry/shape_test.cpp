#include <catch2/catch.hpp>

#include <geometry/mesh.h>
#include <geometry/outline.h>

#include "support/random.h"

using namespace escarp::geometry;
using escarp::tests::Draw;

TEST_CASE("orientation triples and quaternions follow the stated convention and come back") {
    Draw draw(21);
    for (int i = 0; i < 5000; ++i) {
        const Matrix3 m = draw.frame(1).linear();
        REQUIRE((from_triple(to_triple(m)) - m).norm() < 1e-12);
        const Eigen::Vector4d q = to_quaternion(m);
        REQUIRE(q[0] >= 0);
        REQUIRE((Eigen::Quaterniond(q[0], q[1], q[2], q[3]).toRotationMatrix() - m).norm() < 1e-12);
    }
    // R = Rz Ry Rx about fixed axes: x turned by Rx alone keeps x.
    CHECK((from_triple({1.0, 0, 0}) * Vector3::UnitX() - Vector3::UnitX()).norm() < 1e-15);
    CHECK((from_triple({pi, 0, 0}) * Vector3::UnitZ() + Vector3::UnitZ()).norm() < 1e-15);  // straight down
    for (const double end : {pi / 2, -pi / 2})
        CHECK((from_triple(to_triple(from_triple({0.3, end, -0.7}))) - from_triple({0.3, end, -0.7})).norm() < 1e-9);
}

TEST_CASE("the rotation between two orientations leads from one to the other the short way") {
    Draw draw(22);
    for (int i = 0; i < 3000; ++i) {
        const Matrix3 a = draw.frame(1).linear(), b = draw.frame(1).linear();
        const Vector3 r = rotation_between(a, b);
        REQUIRE(r.norm() <= pi + 1e-9);
        REQUIRE((rotation(r.normalized(), r.norm()) * a - b).norm() < 1e-9);
    }
    const Vector3 half = rotation_between(Matrix3::Identity(), rotation(Vector3::UnitY(), pi));
    CHECK(half.norm() == Approx(pi));
}

TEST_CASE("bounds hold every support point and touch it") {
    Draw draw(23);
    for (int i = 0; i < 2000; ++i) {
        const Convex c = draw.convex();
        const Frame at = draw.frame(1);
        const Box3 box = bounds(c, at);
        for (int k = 0; k < 10; ++k) {
            const Vector3 d = draw.direction(), p = at * c.support(at.linear().transpose() * d) + c.radius() * d;
            REQUIRE((p.array() >= box.low.array() - 1e-9).all());
            REQUIRE((p.array() <= box.high.array() + 1e-9).all());
            REQUIRE((at.inverse() * p - c.centre()).norm() <= c.bound() + 1e-9);
        }
    }
}

TEST_CASE("outlines have the area of the bodies' shadows") {
    CHECK(area(footprint(Convex::box({2, 3, 1}), make_frame({5, 5, 0}, {0, 0, 0.7}))) == Approx(6.0).margin(1e-9));
    CHECK(area(footprint(Convex::cylinder(2, 1), make_frame({0, 0, 0}), 720)) == Approx(pi).epsilon(1e-4));
    CHECK(area(silhouette(Convex::cylinder(2, 3), make_frame({0, 0, 0}), Vector3::UnitX(), Vector3::UnitZ(), 64)) ==
          Approx(6.0).margin(1e-9));
    CHECK(area(hull({{0, 0}, {1, 0}, {1, 1}, {0, 1}, {0.5, 0.5}, {0.2, 0.9}})) == Approx(1.0));
    CHECK(hull({{0, 0}, {1, 1}}).size() == 2);
}

TEST_CASE("meshes enclose the volume of their bodies, outside outwards") {
    CHECK(volume(mesh(Convex::box({1, 2, 3}))) == Approx(6.0).margin(1e-12));
    CHECK(volume(mesh(Convex::cylinder(2, 3), 400)) == Approx(3 * pi).epsilon(1e-3));
    CHECK(volume(mesh(Convex::sphere(2), 200)) == Approx(4.0 / 3 * pi).epsilon(2e-3));
    CHECK(volume(mesh(Convex::capsule({0, 0, 0}, {0, 0, 2}, 1), 200)) == Approx(pi / 4 * 2 + pi / 6).epsilon(2e-3));
    std::vector<Vector3> cube;
    for (int i = 0; i < 8; ++i) cube.emplace_back(i & 1, (i >> 1) & 1, (i >> 2) & 1);
    cube.emplace_back(0.5, 0.5, 0.5);
    CHECK(volume(mesh(Convex::hull(cube))) == Approx(1.0).margin(1e-9));
    for (const auto& body : {Convex::box({1, 1, 1}), Convex::cylinder(1, 1), Convex::hull(cube)}) {
        const Mesh m = mesh(body);
        for (std::size_t i = 0; i < m.points.size(); ++i) {
            const double along = m.normals[i].dot(m.points[i]), most = m.normals[i].dot(body.support(m.normals[i]));
            REQUIRE(along == Approx(most).margin(1e-2));
        }
    }
}
