#pragma once
// Which arm? The task as it stands, given to every arm of the catalogue and of the file.

#include <functional>

#include "figures.h"

namespace escarp::study {

/// One model mounted in one place.
struct Mounted {
    int poses = 0, reached = 0;
    std::optional<double> margin_m;  ///< least, m
    std::optional<double> cycle_s;   ///< none: the task cannot be carried out
    cell::Edit edit;                 ///< that brings it about
};

struct ArmChoice {
    std::string id, name, solver;
    bool present = false;          ///< the arm as it is
    double payload = 0, load = 0;  ///< kg: what it carries, and what the task asks for (tool and heaviest part)
    Mounted here;                  ///< where the arm stands now
    std::optional<Mounted>
        best;  ///< where the base may be moved farthest before a pose is lost; none: nowhere reaches all
    double best_x = 0, best_y = 0, best_turn = 0;  ///< of that base, in the world: m, rad
};

/// An edit that gives `arm` another model and keeps its task: the model is brought along if the file does not have it,
/// and poses stored as joint values become poses relative to the floor, since other joints would lead elsewhere.
cell::Edit swap_arm(const cell::Layout& layout, const std::string& arm, const cell::json& model);

/// Every model, the present one first, then by cycle. `progress` is told the share done. Throws InputError when `arm`
/// is not an arm, Cancelled when `stop` was set.
std::vector<ArmChoice> which_arm(const cell::Layout& layout, const std::string& arm, inspection::Cache& cache,
    const std::function<void(double)>& progress = {}, const inspection::StopFlag* stop = nullptr);

}  // namespace escarp::study
