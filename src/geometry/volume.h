#pragma once
// Space as little cubes on one grid of the world: what moving bodies sweep, and where that meets.

#include <cstdint>
#include <vector>

#include "spans.h"

namespace escarp::geometry {

/// A set of cubes of one size; two sets with the same size share one grid.
class Volume {
public:
    Volume() : Volume(1, {}) {}
    /// Nothing yet, and room for what lies within `room`: the rest of what is added is left out. `edge`: m.
    Volume(double edge, const Box3& room);

    double edge() const { return edge_; }
    /// Every cube that has a point nearer than `grow`, m, to the body on its way straight from `at` moved by -way to
    /// +way; none that is farther than `grow` and a cube's diagonal.
    void add(const Facets& body, const Frame& at, double grow, const Vector3& way = Vector3::Zero());
    /// Whether `add` would name one that is in the set.
    bool meets(const Facets& body, const Frame& at, double grow, const Vector3& way = Vector3::Zero()) const;
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
    friend class PackedVolume;
    using Index = Eigen::Vector3i;
    int cube(double x) const;  ///< that a coordinate lies in
    /// Bits of a column from its lowest cube up; null: outside.
    const std::uint64_t* column(int x, int y) const;
    bool has(int x, int y, int z) const;
    template <typename Use>
    bool each_stretch(const Facets& body, const Frame& at, double grow, const Vector3& way, const Use& use) const;

    double edge_;
    Index low_, size_;  ///< in cubes; upright in whole words
    int words_ = 0;     ///< of a column
    std::vector<std::uint64_t> bits_;
};

/// A set of cubes that is kept and seldom looked at: in a twentieth of the memory or less.
class PackedVolume {
public:
    PackedVolume() = default;
    explicit PackedVolume(const Volume& volume);

    Volume unpacked() const;
    std::size_t bytes() const { return packed_.size(); }

private:
    Volume bare_;                        ///< without its cubes
    std::size_t words_ = 0;              ///< of its cubes
    std::vector<unsigned char> packed_;  ///< by zlib
};

}  // namespace escarp::geometry
