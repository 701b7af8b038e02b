#pragma once
// The space that a mover sweeps, as cubes: what its bodies fill while they go straight for a while, grown by how far
// any of their points gets from that. Never smaller than the truth, and larger by the resolution at the most.

#include <geometry/volume.h>
#include <motion/clearance.h>
#include <motion/stopped.h>

namespace escarp::inspection {

/// How far what is found may exceed the truth, m: a third goes to what a straight way leaves out, there and back, a
/// thirtieth to prisms for cylinders, and the rest to cubes: half a diagonal by which bodies are grown (with their
/// edges broken, see geometry::Facets), and half a one by which a cube reaches out.
struct Fineness {
    double resolution;
    double margin = 0;  ///< every body is grown by so much, m; at broken edges by up to a sixth more
    double grow() const { return resolution / 6; }
    double chord() const { return resolution / 30; }
    double edge() const { return 0.324 * resolution; }
};

/// The bodies of a part set as they are drawn, made once for a set: long ones in lengths, which turn less each.
class Pieces {
public:
    /// `chord`: how far what is drawn for a cylinder may stand out of it, m.
    Pieces(const motion::PartSet& parts, double chord);
    struct Piece {
        int part;
        geometry::Facets facets;
        geometry::Frame at;                      ///< in the frame that carries the part
        geometry::Vector3 centre;                ///< of its core's ball, there
        double radius;                           ///< of that ball, m
        geometry::Vector3 axis;                  ///< that it may be turned about and is the same; zero: none
        std::vector<geometry::Vector3> corners;  ///< of its core, from the centre, there
    };
    const std::vector<Piece>& all() const { return pieces_; }

private:
    std::vector<Piece> pieces_;
};

/// A box that holds every body over [from, to], s.
geometry::Box3 swept_box(const motion::Mover& mover, const Pieces& pieces, double from, double to);

/// Adds what the mover occupies over [from, to] to a volume with `fineness.edge()`. Throws motion::Cancelled.
void add_swept(const motion::Mover& mover, const Pieces& pieces, double from, double to, const Fineness& fineness,
    geometry::Volume& volume, const motion::StopFlag* stop = nullptr);

/// Stretches of [from, to] in which some body may be within a volume: none is missed, ends are early or late by
/// `exact` s at the most and by what a body covers of a cube; times out of it that are shorter than `gap` s may be
/// passed over. The bodies that were within it are marked in `who`, by part.
std::vector<std::pair<double, double>> times_within(const motion::Mover& mover, const Pieces& pieces, double from,
    double to, const geometry::Volume& volume, std::vector<char>& who, double margin = 0,
    const motion::StopFlag* stop = nullptr, double exact = 1e-3, double gap = 16e-3);

}  // namespace escarp::inspection
