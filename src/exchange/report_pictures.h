#pragma once
// The pictures of a report.

#include "report.h"

namespace escarp::exchange {

/// Variants from above, all to one scale, with their names.
Report::Picture layouts_picture(const std::vector<std::pair<std::string, std::shared_ptr<const cell::Cell>>>& variants);
/// A figure of several variants as dots with their intervals; `limit`: a line across (the takt), nothing: none.
Report::Picture estimates_picture(const std::vector<std::pair<std::string, study::Estimate>>& all,
    const study::Measure& measure, std::optional<double> limit);
/// What a study found: a line over one number, a cloud over two figures, or bars.
Report::Picture study_picture(std::shared_ptr<const study::Answered> answer);

}  // namespace escarp::exchange
