#pragma once
// Space as little cubes on one grid of the world: what moving bodies sweep, and where that meets.

#include <cstdint>
#include <vector>

#include "mesh.h"

namespace escarp::geometry {

/// Where upright lines run through a convex body that is grown by a distance. Made once for a body, used at many
/// placements.
class UprightCut {
public:
    explicit UprightCut(const Convex& shape);
    const Convex& shape() const { return shape_; }

    /// A body at its place, grown by `grow` (m).
    class Placed {
    public:
        Placed(const UprightCut& cut, const Frame& at, double grow);
        /// The stretch of the line through (x, y) that lies within it, world z in m; false: none. Not shorter than the
        /// truth; longer by `slack` at the most at each end.
        bool at(double x, double y, double slack, double& low, double& high) const;
        const Box3& box() const { return box_; }

    private:
        /// A plane that the body is on one side of: where the line through (x, y) meets it, from the height of the
        /// body's origin up; of an upright one, how far inside it the line is.
        struct Plane {
            double at_zero, by_x, by_y;
            double of(double x, double y) const { return at_zero + by_x * x + by_y * y; }
        };
        void add_plane(const Vector3& normal, double offset);
        bool between(double x, double y, double& low, double& high) const;
        bool round(const Vector3& from, double& low, double& high) const;
        bool ball(const Vector3& from, const Vector3& centre, double& low, double& high) const;
        bool capsule(const Vector3& from, double& low, double& high) const;

        const UprightCut& cut_;
        const Frame at_;
        const Matrix3 into_;  ///< the body's axes
        const Vector3 up_;    ///< the world's z there
        const double grow_;   ///< of the core
        Box3 box_;
        std::vector<Plane> over_, under_, beside_;
        Vector3 axis_ = Vector3::Zero(), across_ = Vector3::Zero();  ///< of a capsule; of the line's way across that
    };

private:
    Convex shape_;
    std::vector<Vector3> normals_;  ///< of a hull's faces, outwards
    std::vector<double> offsets_;
    Box3 own_;  ///< of the core, in its own axes
};

/// A set of cubes of one size; two sets with the same size share one grid.
class Volume {
public:
    /// Nothing yet, and room for what lies within `room`: the rest of what is added is left out. `edge`: m.
    Volume(double edge, const Box3& room);

    double edge() const { return edge_; }
    /// Every cube that has a point nearer to the body than `grow`, m; none that is farther than `grow` and a cube's
    /// diagonal.
    void add(const UprightCut& cut, const Frame& at, double grow);
    /// Whether `add` would name one that is in the set.
    bool meets(const UprightCut& cut, const Frame& at, double grow) const;
    void add(const Volume& other);  ///< as far as there is room
    void keep_common(const Volume& other);
    bool contains(const Vector3& point) const;
    bool empty() const { return count() == 0; }
    std::size_t count() const;
    double litres() const { return 1e3 * static_cast<double>(count()) * edge_ * edge_ * edge_; }
    Box3 box() const;  ///< of the cubes in it
    std::size_t bytes() const { return bits_.size() * sizeof(std::uint64_t); }

    /// Those that hang together, cubes with a common corner too: the box of each.
    std::vector<Box3> pieces() const;
    /// Its skin: faces between a cube in it and one that is not, drawn together where they lie one above the other.
    Mesh skin() const;
    /// A smooth skin for the eye, through cubes of about `edge` (no finer than its own): it lies within the set by
    /// about half of such a cube, more at sharp edges.
    Mesh shell(double edge) const;
    /// What it covers of the floor, or between two heights: stretches of one row, as boxes, m.
    std::vector<Box3> covers(double low_z = -1e9, double high_z = 1e9) const;

private:
    using Index = Eigen::Vector3i;
    int cube(double x) const;  ///< that a coordinate lies in
    /// Bits of a column from its lowest cube up; null: outside.
    const std::uint64_t* column(int x, int y) const;
    bool has(int x, int y, int z) const;
    template <typename Use>
    bool each_stretch(const UprightCut& cut, const Frame& at, double grow, const Use& use) const;

    double edge_;
    Index low_, size_;  ///< in cubes; upright in whole words
    int words_ = 0;     ///< of a column
    std::vector<std::uint64_t> bits_;
};

}  // namespace escarp::geometry
