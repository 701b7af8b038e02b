#pragma once
// Where an arm's base may stand: reach the other way round.

#include "inspect.h"

namespace escarp::inspection {

/// Positions of the base on the floor (its height and tilt kept) from which every pose of its task is reached, with the
/// straight moves' end points. One answer per cell.
struct BaseField {
    double cell = 0.025;  ///< m
    double x = 0, y = 0;  ///< world: middle of the first cell
    int columns = 0, rows = 0;
    std::vector<float> margin;  ///< m, row by row along y: how far the base may still be moved in the worst direction
                                ///< over the floor before a pose is lost; 0 where one is out of reach
    std::vector<std::int16_t> turn;  ///< which of `turns` the answer is for; -1: none reaches all
    std::vector<double> turns;       ///< of the base about the upright in the world, rad; the first is the present one
    int best = -1;                   ///< index of the cell with the greatest margin; -1: none
    int poses = 0;                   ///< that were asked for
    float margin_at(int column, int row) const {
        return column >= 0 && row >= 0 && column < columns && row < rows
                   ? margin[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
                            static_cast<std::size_t>(column)]
                   : 0.f;
    }
    geometry::Frame base_at(
        int index, const geometry::Frame& now) const;  ///< the base set down on a cell, turned as its answer says
};

struct BaseFieldOptions {
    double cell = 0.025;
    int other_turns = 3;  ///< tried where the present turn does not do: evenly round from it
    const StopFlag* stop = nullptr;
};

/// `arm`: index of the arm; `poses`: from check_reach. Poses on what moves with the base are not counted. Empty (0
/// columns) without poses.
BaseField base_field(
    const cell::Cell& cell, int arm, const std::vector<PoseNeed>& poses, const BaseFieldOptions& options = {});

/// What has to be moved when "the base" moves: the pedestal with it, if the arm is all that stands on it.
int movable_root(const cell::Cell& cell, int device);

}  // namespace escarp::inspection
