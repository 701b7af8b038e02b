#pragma once
// An arm's limits fitted to joint values of the real one, so that the computed motion agrees with what was measured
// (docs/calibration.md).

#include "figures.h"

namespace escarp::study {

/// Joint values of a real arm: rad and m, in the order of its model's driven joints; times rising, s.
struct Measured {
    std::vector<double> t;
    std::vector<kinematics::JointVector> q;
};

/// One figure of the arm's model, of its tool or of a step, as it is and as it was measured. In the file's units.
struct Fitted {
    enum class Of { model, tool, step } of = Of::model;
    std::string where;  ///< its path below that: "joints/2/speed_deg_s"
    std::string words, unit;
    double before = 0, after = 0;
    std::optional<double> within = {};  ///< standard deviation of `after`; none: no move says anything about it
    double spread = 0;                  ///< of times: their own standard deviation from one to the next
    int moves = 0;                      ///< that say so
    bool seen() const { return within.has_value(); }
};

/// The moves of one step with the same ends.
struct FittedMove {
    int step = -1;
    simulation::BlockKind kind = simulation::BlockKind::move;
    int times = 0;                                     ///< measured
    double measured_s = 0, before_s = 0, after_s = 0;  ///< mean; computed as it was, and with what was fitted
};

struct Calibration {
    int device = -1;
    std::vector<Fitted> fitted;
    std::vector<FittedMove> moves;
    int matched = 0;                           ///< moves measured that are of the task
    int left_over = 0;                         ///< between poses of the task, and none of its moves
    double noise = 0;                          ///< of the joint values, rad
    /// From one time that a step is done to the next, mean, s.
    std::optional<double> round_measured_s, round_before_s;
    int anchor_step = -1;  ///< that step
    simulation::BlockKind anchor_kind = simulation::BlockKind::move;
};

/// Fits by least squares over all samples (Levenberg 1944, Marquardt 1963). `run`: of the same cell. Throws InputError
/// where the arm, or what was measured, does not do; Cancelled when stopped.
Calibration calibrate(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
    const inspection::StopFlag* stop = nullptr);

/// What takes it: limits into a model of the arm's own where others use the same one, times into its tool and steps.
cell::Edit calibration_edit(const cell::Layout& layout, const Calibration& calibration);

/// A calibration that was tried: the cell with what was fitted, and what its round is then.
struct TriedCalibration {
    Calibration found;
    cell::Edit edit;  ///< says in the file, too, on what it was fitted
    std::shared_ptr<const Evaluation> before, after;
    std::optional<double> round_after_s;
    /// How far the computed round is from the measured one, as a share of it.
    std::optional<double> round_error_before() const { return off(found.round_before_s); }
    std::optional<double> round_error_after() const { return off(round_after_s); }

private:
    std::optional<double> off(std::optional<double> computed) const {
        if (!computed || !found.round_measured_s) return std::nullopt;
        return *computed / *found.round_measured_s - 1;
    }
};
/// Throws as `calibrate` does.
TriedCalibration try_calibration(const cell::Layout& layout, int device, const Measured& measured,
    inspection::Cache& cache, const EvaluateOptions& how);

/// Of everything that calibration fits in an arm's model: what a file says of it holds as long as this is the same.
std::string key_of_limits(const kinematics::ArmModel& model);
/// How near the computed round came to the measured one, of the arms whose limits are still those that were fitted.
std::optional<double> calibrated_within(const cell::Cell& cell);
/// "calibrated on 48 moves, cycle within 0.2 %": of the arms whose limits are still those; empty: none.
std::string calibrated_words(const cell::Cell& cell);

/// The mean time from one beginning of a step's move to the next, where the cell runs evenly.
std::optional<double> round_of(const simulation::Run& run, int device, int step, simulation::BlockKind kind);

}  // namespace escarp::study
