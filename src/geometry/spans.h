#pragma once
// Where the upright lines of a grid run through a convex body that goes straight for a while and is grown all round:
// what it sweeps then, line by line. Drawn by faces, edges and corners, the uppermost and the lowest of all on each
// line, as a depth buffer is (Minkowski sum of a polytope, a segment and a ball: its faces are those of the polytope,
// moved, and what its edges along the contour sweep).

#include <vector>

#include "mesh.h"

namespace escarp::geometry {

// The library's are calls where the processor is not known to have them. Within what an int holds.
inline int round_up(double x) {
    const int i = static_cast<int>(x);
    return i + (i < x);
}
inline int round_down(double x) {
    const int i = static_cast<int>(x);
    return i - (i > x);
}

/// A convex body as corners, edges and plane faces, made once.
class Facets {
public:
    /// Boxes and cylinders are drawn as prisms whose edges are broken where they are grown: `far()` times as far out as
    /// they should at the most, and `chord` m beyond a cylinder (which has no more than 48 sides). All other bodies are
    /// grown to the letter.
    explicit Facets(const Convex& shape, double chord = 3e-4);
    const Convex& shape() const { return shape_; }
    double far() const { return far_; }
    const Vector3& middle() const { return middle_; }  ///< of its corners, within it

    struct Corner {
        Vector3 at;
        Vector3 out = Vector3::Zero();  ///< where it goes when the body is grown, per metre; zero: it is a ball then
    };
    struct Edge {
        int from, to;
        int left, right;  ///< faces; none: -1
    };
    struct Face {
        Vector3 normal;    ///< outwards
        int first, count;  ///< of its corners in `loops`
    };
    const std::vector<Corner>& corners() const { return corners_; }
    const std::vector<Edge>& edges() const { return edges_; }
    const std::vector<Face>& faces() const { return faces_; }
    const std::vector<int>& loops() const { return loops_; }
    bool round() const { return far_ == 1; }  ///< edges become bars, corners balls

private:
    void prism(const std::vector<Corner>& ring, double half_height);
    void hull(std::vector<Vector3> points);
    void add_face(const std::vector<int>& loop);
    void find_edges();

    Convex shape_;
    std::vector<Corner> corners_;
    std::vector<Edge> edges_;
    std::vector<Face> faces_;
    std::vector<int> loops_;
    double far_ = 1;
    Vector3 middle_ = Vector3::Zero();
};

/// Line (i, j) runs through x0 + i * edge, y0 + j * edge (m, world).
struct LineGrid {
    double edge, x0, y0;
    int columns, rows;  ///< along x, along y
};

/// One body's stretches, for use again and again without asking for memory.
class Spans {
public:
    /// `at`: its middle place; it goes from `at` moved by -way to +way. `grow`, `way`: m. Never shorter than the truth.
    void draw(const Facets& body, const Frame& at, const Vector3& way, double grow, const LineGrid& grid);

    /// Lines that may meet it: of column `i` those from `first(i)` to `last(i)`.
    int from() const { return from_; }
    int to() const { return to_; }  ///< the last column; below `from`: none
    int first(int column) const { return first_[static_cast<std::size_t>(column - from_)]; }
    int last(int column) const { return last_[static_cast<std::size_t>(column - from_)]; }
    /// By line from row `base()` up: world z in m; low > high where it does not meet the body.
    const double* low(int column) const { return &low_[static_cast<std::size_t>(column - from_) * room_]; }
    const double* high(int column) const { return &high_[static_cast<std::size_t>(column - from_) * room_]; }
    int base() const { return base_; }

private:
    struct Corner {
        Vector3 at;
        char ahead = 0, behind = 0;  ///< it lies on a face that is moved forwards, or backwards
    };
    bool make_room(const Vector3& way, double grow, const LineGrid& grid);
    void face(const Vector3* loop, int count, const Vector3& normal, double grow);
    /// `inwards`: ways from there to others of the body; what looks that way lies within. Zero: none.
    void strip(const Vector3& from, const Vector3& to, double grow, const Vector3& inwards = Vector3::Zero());
    void ball(const Vector3& middle, double grow, const Vector3& inwards = Vector3::Zero(),
        const Vector3& also = Vector3::Zero());
    template <typename Fill>
    void polygon(const Vector3* loop, int count, const Fill& fill);
    void seen(std::size_t column, int from, int to);

    LineGrid grid_{};
    int from_ = 0, to_ = -1, base_ = 0;
    std::size_t room_ = 0;  ///< lines of a column
    std::vector<double> low_, high_;
    std::vector<int> first_, last_;
    std::vector<double> row_low_, row_high_;  ///< of a polygon, by column
    std::vector<Corner> corners_;
    std::vector<char> ahead_;  ///< by face
    std::vector<Vector3> normals_, loop_, moved_;
};

}  // namespace escarp::geometry
