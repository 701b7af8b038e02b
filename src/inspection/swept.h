#pragma once
// The space that a mover sweeps. Placements of its bodies at instants between which no point gets farther than a bound,
// each grown by that bound, as cubes: never smaller than the truth, and larger by the resolution at the most.

#include <geometry/volume.h>
#include <motion/clearance.h>
#include <motion/stopped.h>

namespace escarp::inspection {

/// How far what is found may exceed the truth, m: a third goes to the motion between two instants, the rest to the
/// diagonals of cubes.
struct Fineness {
    double resolution;
    double margin = 0;  ///< every body is grown by so much, m
    double grow() const { return resolution / 3; }
    double edge() const { return 0.3849 * resolution; }  // sqrt(3) of these and the third are one
};

/// The bodies of a part set as lines cut through them; made once for a set.
class Cuts {
public:
    explicit Cuts(const motion::PartSet& parts);
    const geometry::UprightCut& operator[](std::size_t part) const { return cuts_[part]; }

private:
    std::vector<geometry::UprightCut> cuts_;
};

/// A box that holds every body over [from, to], s.
geometry::Box3 swept_box(const motion::Mover& mover, double from, double to);

/// Adds what the mover occupies over [from, to] to a volume with `fineness.edge()`. Throws motion::Stopped.
void add_swept(const motion::Mover& mover, const Cuts& cuts, double from, double to, const Fineness& fineness,
    geometry::Volume& volume, const motion::StopFlag* stop = nullptr);

/// Stretches of [from, to] in which some body may be within a volume: none is missed, ends are early or late by
/// `exact` s at the most and by what a body covers of a cube; times out of it that are shorter than `gap` s may be
/// passed over. The bodies that were within it are marked in `who`, by part.
std::vector<std::pair<double, double>> times_within(const motion::Mover& mover, const Cuts& cuts, double from,
    double to, const geometry::Volume& volume, std::vector<char>& who, double margin = 0,
    const motion::StopFlag* stop = nullptr, double exact = 1e-3, double gap = 16e-3);

}  // namespace escarp::inspection
