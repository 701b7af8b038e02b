#pragma once
// Convex bodies: a core (points, box or cylinder) grown by a radius. A sphere is a point with a radius,
// a capsule two points with a radius, so that most of an arm costs little in distance queries.

#include <memory>
#include <string>
#include <vector>

#include "frame.h"

namespace escarp::geometry {

class Convex {
public:
    enum class Core { points, box, cylinder };

    /// Full sizes in metres; the origin is the centre of the core.
    static Convex box(const Vector3& size);
    static Convex cylinder(double diameter, double height);
    static Convex sphere(double diameter);
    static Convex capsule(const Vector3& from, const Vector3& to, double diameter);
    static Convex segment(const Vector3& from, const Vector3& to) { return capsule(from, to, 0.0); }
    /// Convex hull of the points (1 to 4096 of them), which are kept as given.
    static Convex hull(std::vector<Vector3> points);

    Core core() const { return core_; }
    double radius() const { return radius_; }
    const Vector3& half() const { return half_; }
    const std::vector<Vector3>& points() const { return points_; }

    /// The core's point farthest along `direction` (any length but zero), in the body's own axes.
    Vector3 support(const Vector3& direction) const;

    /// A ball around the body: its centre, and radius with the growth included.
    const Vector3& centre() const { return centre_; }
    double bound() const { return bound_; }

private:
    Convex(Core core, const Vector3& half, std::vector<Vector3> points, double radius);

    Core core_;
    Vector3 half_;  // box: half sizes; cylinder: (radius, radius, half height)
    std::vector<Vector3> points_;
    double radius_;
    Vector3 centre_;
    double bound_;
    /// Of many points: in groups that lie together, so that a support need not look at all of them. Copies share it.
    struct Groups;
    std::shared_ptr<const Groups> groups_;
};

/// How a body is drawn; what is judged is its shape alone.
enum class Finish {
    solid,
    casting,  ///< of an arm: rounded, with covers on its joints
    belt,     ///< the bed of a belt, along x
    wire,     ///< a frame with wires in it, seen through
    pane,     ///< seen through
};

/// A convex shape standing somewhere in the frame of the link or device that owns it.
struct Body {
    std::string name;
    Convex shape;
    Frame at = Frame::Identity();
    Finish finish = Finish::solid;
    std::string mesh = {};  ///< a surface that is drawn in this body's frame, by its id; empty: none
    bool stand_in = false;  ///< part of what a surface is checked with; the surface is drawn instead
    bool see_through() const { return finish == Finish::wire || finish == Finish::pane; }
};
using Bodies = std::vector<Body>;

struct Box3 {
    Vector3 low = Vector3::Constant(1e300);
    Vector3 high = Vector3::Constant(-1e300);
    bool empty() const { return low.x() > high.x(); }
    void add(const Vector3& point, double radius = 0.0);
};
/// The tight axis-aligned box of a body seen from the frame in which `at` is given.
Box3 bounds(const Convex& shape, const Frame& at);
Box3 bounds(const Bodies& bodies, const Frame& at);

}  // namespace escarp::geometry
