#pragma once
// Results as JSON, in the file's units (mm, degrees, s). docs/command-line.md describes the keys.

#include <study/figures.h>

namespace escarp::exchange {

using cell::json;

json run_json(const study::Evaluation& evaluation);
/// `complete`: see study::with_zones.
json compare_json(const cell::Document& document, inspection::Cache& cache, const study::EvaluateOptions& options,
    bool complete = false);
/// Blocks that have to do with a stretch of the run; the first 100,000 of them, and how many were left out.
/// Blocks that have to do with a stretch of the run; the first 100,000 of them, and how many were left out.
json trace_json(const study::Evaluation& evaluation, double from_s = 0, double to_s = 1e300);
json state_json(const study::Evaluation& evaluation, double at_s);
json finding_json(const inspection::Finding& finding);
/// Position in mm, triple in degrees, quaternion.
json frame_json(const geometry::Frame& frame);
/// Rounded to what is meaningful (1e-9 of the unit), so that -0 and rounding dust do not show.
double tidy(double value);

}  // namespace escarp::exchange
