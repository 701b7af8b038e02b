#pragma once
// Results as JSON, in the file's units (mm, degrees, s). docs/command-line.md describes the keys.

#include <study/figures.h>

namespace escarp::exchange {

using cell::json;

json run_json(const study::Evaluation& evaluation);
/// `complete`: see study::with_zones.
json compare_json(const cell::Document& document, inspection::Cache& cache, const study::EvaluateOptions& options,
    bool complete = false);
json trace_json(const study::Evaluation& evaluation);
json state_json(const study::Evaluation& evaluation, double at_s);
json finding_json(const inspection::Finding& finding);
/// Position in mm, triple in degrees, quaternion.
json frame_json(const geometry::Frame& frame);
/// Rounded to what is meaningful (1e-9 of the unit), so that -0 and rounding dust do not show.
double tidy(double value);

}  // namespace escarp::exchange
