#pragma once
// Joint values of a real arm out of a table: what was measured, to fit an arm's limits to.

#include <study/calibrate.h>

namespace escarp::exchange {

/// Columns "t_s" or "t_ms" and one for each joint of the arm, named as the joint is, with its unit: "J1_deg", "J1_rad",
/// "J7_mm", "J7_m", or "J1" alone in deg or mm; with the arm's id before it ("left.J1_deg") where there are more. Split
/// by commas, semicolons or tabs. Throws InputError with the line and the column. `others`: columns that are no joint.
study::Measured read_measured(
    const std::string& file, const cell::Device& arm, std::vector<std::string>* others = nullptr);

/// The same as a file has it: for CSV that others read.
std::string measured_csv(const study::Measured& measured, const cell::Device& arm);

}  // namespace escarp::exchange
